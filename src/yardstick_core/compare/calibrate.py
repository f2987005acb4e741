"""`./yardstick calibrate`: count how often the judging is right, and write the table.

python -m yardstick_core.compare.calibrate [REPEATS] [FILE]
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from yardstick_core.compare.calibration import (
    CHANGES,
    Cell,
    Scenario,
    calibrate_cell,
    cells,
    look_alarms,
    shortfalls,
    study_alarms,
    wrong_ways,
)

REPEATS = 1000


def _cell(job: tuple[str, Scenario, int, int]) -> Cell:
    return calibrate_cell(*job)


def main() -> int:
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else REPEATS
    started = time.monotonic()
    jobs = [(*cell, repeats) for cell in cells()]
    counted: list[Cell] = []
    with ProcessPoolExecutor() as pool:
        studies = pool.submit(study_alarms, max(50, repeats // 4))
        looks = pool.submit(look_alarms, repeats)
        ways = pool.submit(wrong_ways, max(20, repeats // 20))
        for cell in pool.map(_cell, jobs):
            counted.append(cell)
            left = (time.monotonic() - started) / len(counted) * (len(jobs) - len(counted))
            print(f"{len(counted):3} of {len(jobs)} cells, {left:4.0f} s left", file=sys.stderr)
        alarms, (looked, peeked), wrong = studies.result(), looks.result(), ways.result()
    short = shortfalls(counted, alarms, looked, wrong)
    text = report(counted, Studies(alarms, looked, peeked, wrong), short, repeats)
    print(text)
    if len(sys.argv) > 2:
        Path(sys.argv[2]).write_text(text + "\n", encoding="utf-8")
    return 1 if short else 0


@dataclass(frozen=True, slots=True)
class Studies:
    """What was counted over whole studies, as shares of 1."""

    alarms: float
    looked: float
    peeked: float
    wrong: float


def report(counted: list[Cell], studies: Studies, short: list[str], repeats: int) -> str:
    """The whole table as Markdown."""
    changes = ", ".join(f"{100 * change:.0f} %" for change in CHANGES)
    lines = [
        "# How often the judging is right",
        "",
        f"Made by `./yardstick calibrate`: {repeats} repeats a cell and change, of simulated runs",
        "whose truth is known. Each cell holds, in percent: **coverage** of the 95 % interval;",
        "**alarms**, the same build twice called ahead or behind by one metric that is looked at",
        f"alone; **found**, a true change of {changes} called ahead; **wrong**, a true change",
        "called behind, again looked at alone: a study allows for how many metrics it looks at,",
        "see below. What matters is 3 %, so a change of 3 % is called at most every other time.",
        "",
    ]
    for method in dict.fromkeys(cell.method for cell in counted):
        lines += [
            f"## {method.capitalize()}",
            "",
            "| scenario | runs a side | coverage | alarms | found | wrong |",
            "|---|--:|--:|--:|--:|--:|",
        ]
        lines += [_line(cell) for cell in counted if cell.method == method]
        lines.append("")
    lines += [
        "## Many metrics, many looks",
        "",
        f"- The same build twice, 60 metrics, 8 rounds: {100 * studies.alarms:.1f} % of studies",
        "  raise any alarm.",
        "- Looking after 5, 8, 12 and 20 rounds, each at α′ = 0.0162:",
        f"  {100 * studies.looked:.1f} % raise an alarm at some look; at the raw 5 % it would be",
        f"  {100 * studies.peeked:.1f} %.",
        "- 60 metrics that are all 3 % better, noise of 15 %, 3, 5 or 8 rounds: at most",
        f"  {100 * studies.wrong:.2f} % of them are called behind.",
        "",
        "## Not reached",
        "",
    ]
    lines += [f"- {text}" for text in short] or ["Nothing: every required rate is reached."]
    lines += [
        "",
        "Required: coverage of 93-99 % from 3 runs a side on, in every scenario without drift or",
        "blocks, and within rounds in those with them; at most 6 % of same-build studies with an",
        "alarm, and at most 6 % over all looks; at most 0.5 % of a study's metrics the wrong way",
        "round.",
    ]
    return "\n".join(lines)


def _line(cell: Cell) -> str:
    found = " / ".join(f"{100 * share:.0f}" for share in cell.power)
    mark = " (not required)" if cell.drifts and cell.method == "unpaired" else ""
    return (
        f"| {cell.scenario}{mark} | {cell.runs} | {100 * cell.coverage:.1f} | "
        f"{100 * cell.false_alarms:.1f} | {found} | {100 * cell.wrong_way:.2f} |"
    )


if __name__ == "__main__":
    sys.exit(main())
