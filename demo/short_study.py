"""`./yardstick demo`: a short real study of two releases, in the terminal."""

from __future__ import annotations

import json
import sys
import tempfile
import time
from pathlib import Path

from record import program
from weftwright.fixtures import write_fixture
from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.compare import text
from yardstick_core.compare.answer import answers
from yardstick_core.compare.rows import Row, facts_by_family, qualified_label
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import Judgement, judge
from yardstick_core.plan import round_order
from yardstick_core.readings import derive
from yardstick_core.readings.families import FAMILY_NAMES
from yardstick_core.record import RunRecord
from yardstick_core.script import outline, parse

HERE = Path(__file__).parent
RELEASES = ["4.1", "4.2"]
ROUNDS = 4
#: What the little study asks: does a draft open faster?
DECIDES = ("duration", ("Open draft", "open"))
WIDTH = 41


def main() -> None:
    text = (HERE / "short.session").read_text(encoding="utf-8")
    plan = outline(parse(text))
    total = (ROUNDS + 1) * len(RELEASES)
    print(
        f"Weftwright {RELEASES[0]} against {RELEASES[1]}: “{plan.title}”,\n"
        f"one cold round and {ROUNDS} warm ones, each really played on a virtual display.\n"
    )
    started = time.monotonic()
    runs: list[JudgedRun] = []
    with tempfile.TemporaryDirectory(prefix="yardstick-demo-") as name:
        for number in range(ROUNDS + 1):
            for index in round_order(len(RELEASES), number):
                progress(len(runs), total, RELEASES[index], number, started)
                run = measured(Path(name), text, RELEASES[index], len(runs))
                readings = tuple(derive(run))
                runs.append(JudgedRun(len(runs), index, number, number == 0, run.outcome, readings))
    progress(total, total, "", ROUNDS, started)
    print()
    failed = [run for run in runs if run.outcome != "finished"]
    judgement = judge(runs, RELEASES, deciding=[DECIDES])
    for answer in answers(judgement):
        print(f"\n{RELEASES[answer.candidate]}: {answer.text}: {answer.verdict}.")
    print_table(judgement)
    print(f"\n{judgement.headline}.")
    print(f"{total} runs in {time.monotonic() - started:.0f} s", end="")
    print(f", {len(failed)} of them did not finish." if failed else ", all to their end.")
    sys.exit(1 if failed else 0)


def measured(folder: Path, text: str, release: str, number: int) -> RunRecord:
    """Play the session once on a release; its record."""
    run = folder / str(number)
    (run / "work").mkdir(parents=True)
    for fixture in parse(text).fixtures:
        write_fixture(fixture.file, run / "work")
    assignment = {"script": text, "program": program(release), "display": ""}
    (run / "assignment.json").write_text(json.dumps(assignment))
    measure(run)
    return SpoolReader(run).run()


def progress(done: int, total: int, release: str, number: int, started: float) -> None:
    """One line that says what is done, what runs and how long it will take."""
    bar = "█" * round(20 * done / total) + "░" * (20 - round(20 * done / total))
    elapsed = time.monotonic() - started
    left = f"about {elapsed / done * (total - done):.0f} s left" if done else "starting"
    name = "cold round" if number == 0 else f"round {number}"
    what = f"{name}, {release}" if release else "done"
    end = "" if sys.stdout.isatty() else "\n"
    lead = "\r" if sys.stdout.isatty() else ""
    print(f"{lead}{bar} {done:2} of {total} · {what:<18} {left:<22}", end=end, flush=True)


def print_table(judgement: Judgement) -> None:
    """Every judged metric, by family: readings, place on the rule, verdict, change.

    Metrics that say one fact in other forms stand indented below it and are not counted.
    """
    head = f"{'metric':<38}{RELEASES[0]:>12}{RELEASES[1]:>12}  {'worse  ◂':>20} ▸  better"
    print(f"\n{head:<107}verdict")
    for family, facts in facts_by_family(judgement.rows).items():
        lines = [
            line
            for lead, echoes in facts
            for line in (line_of(lead), *(line_of(echo, "  = ") for echo in echoes))
            if line
        ]
        if lines:
            print("\n".join([FAMILY_NAMES.get(family, "This decides"), *lines]))
    print("= says the fact above it in another form, and is not counted")


def line_of(row: Row, lead: str = "") -> str:
    """One metric as a line of the table; empty where it was not compared."""
    difference = row.differences[1]
    if difference is None:
        return ""
    a, b = (text.quantity(row.metric, value or 0) for value in row.medians)
    name = f"  {lead}{row.metric.name if lead else qualified_label(row)}"
    drawn = rule(difference.gain_low, difference.gain, difference.gain_high)
    return (
        f"{name:<38}{a:>12}{b:>12}  {drawn}  {difference.verdict:<7} "
        f"{difference.percent_text or difference.change_text}"
    )


def rule(low: float, gain: float, high: float) -> str:
    """A difference on a rule of text: the baseline in the middle, better to the right."""
    if gain != gain:
        return " " * WIDTH
    half = WIDTH // 2

    def place(value: float) -> int:
        return half + round(max(-1.0, min(1.0, value / 1.6)) * half)

    cells = ["·"] * WIDTH
    cells[half] = "┃"
    for column in range(place(low), place(high) + 1):
        cells[column] = "─"
    cells[place(gain)] = "◆"
    return "".join(cells)


if __name__ == "__main__":
    main()
