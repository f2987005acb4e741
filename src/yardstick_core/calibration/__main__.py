"""`./yardstick calibrate`: count how often the judging is right, and write the table.

python -m yardstick_core.calibration [REPEATS] [FILE]
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import Executor, ProcessPoolExecutor
from pathlib import Path

from yardstick_core.calibration import crossings, gates, lines, studies
from yardstick_core.calibration.cells import RUNS, SCENARIOS, Cell, calibrate_cell, cells
from yardstick_core.calibration.report import Rate, report, shortfalls
from yardstick_core.plan import Plan

REPEATS = 1000


def _cell(job: tuple[str, str, int, int]) -> Cell:
    method, name, runs, repeats = job
    (scenario,) = [one for one in SCENARIOS if one.name == name]
    return calibrate_cell(method, scenario, runs, repeats)


def main() -> int:
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else REPEATS
    started = time.monotonic()
    jobs = [(method, scenario.name, runs, repeats) for method, scenario, runs in cells()]
    counted: list[Cell] = []
    with ProcessPoolExecutor() as pool:
        for cell in pool.map(_cell, jobs):
            counted.append(cell)
            left = (time.monotonic() - started) / len(counted) * (len(jobs) - len(counted))
            print(f"{len(counted):3} of {len(jobs)} cells, {left:4.0f} s left", file=sys.stderr)
        rates = rates_of_studies(pool, repeats)
    short = shortfalls(counted, rates)
    text = report(counted, rates, short, repeats)
    print(text)
    if len(sys.argv) > 2:
        Path(sys.argv[2]).write_text(text + "\n", encoding="utf-8")
    return 1 if short else 0


def rates_of_studies(pool: Executor, repeats: int) -> list[Rate]:
    """Everything that is counted over whole studies, each with what is required of it."""

    def count(what: str, most: float, counted: object, *args: object, **named: object) -> None:
        print(what, file=sys.stderr)
        found = studies.share(pool, counted, repeats, *args, **named)  # type: ignore[arg-type]
        rates.append(Rate(what, found, most=most))

    rates: list[Rate] = []
    for noise in (0.03, 0.08, 0.15):
        for rounds in RUNS:
            count(
                f"the same build, {studies.METRICS_IN_ALL} metrics, noise {100 * noise:.0f} %, "
                f"{rounds} rounds: any alarm",
                0.055,
                studies.study_alarm,
                rounds,
                noise,
            )
    for rounds in (3, 5, 8):
        what = f"10 % more time of what decides, noise 3 %, {rounds} rounds, among all: found"
        found = studies.share(pool, studies.deciding_found, repeats, rounds)
        rates.append(Rate(what, found, least=0.9 if rounds >= 5 else None))
    fixed = Plan(stop="fixed", rounds=8)
    for what, plan, rounds, watching in (
        ("verdicts at looks, the usual plan", Plan(), 20, studies.AT_LOOKS),
        ("verdicts at looks, a cap of 60", Plan(cap=60), 60, studies.AT_LOOKS),
        ("verdicts at looks, 8 fixed rounds and 4 added", fixed, 12, studies.AT_LOOKS),
        ("rounds asked for one by one, the usual plan", Plan(), 20, studies.ONE_BY_ONE),
        ("rounds asked for one by one, 8 fixed and 2 added", fixed, 10, studies.ONE_BY_ONE),
    ):
        named = f"watched after every round, {what}: any alarm"
        count(named, 0.055, studies.watched_alarm, plan, rounds, watching)
    found = studies.share(pool, studies.watched_alarm, repeats, Plan(), 20, studies.PEEKING)
    rates.append(Rate("the same with a verdict after every round at 95 % (not how it is)", found))
    count("today is said not to be like last time", 0.055, studies.repeat_alarm)
    count("places say something else than the verdicts", 0.055, studies.places_disagree)
    count("a day is said to drift, rounds having states of their own", 0.055, studies.drift_alarm)
    count("one run that wanders slowly is said to grow", 0.05, studies.growth_alarm, step=False)
    count("one run with a single step is said to grow", 0.05, studies.growth_alarm, step=True)
    for rounds in (3, 5, 8):
        count(
            f"60 metrics 3 % better, noise 15 %, {rounds} rounds: the wrong way round",
            0.003,
            studies.wrong_way,
            rounds,
        )
    for noise in (0.01, 0.03, 0.08):
        what = f"the gate, a build that is the same, noise {100 * noise:.0f} %: fails"
        count(what, 0.01, gates.gate_fails, 0.0, noise)
    found = studies.share(pool, gates.gate_fails, repeats, 0.10, 0.03)
    what = "the gate, a build 10 % slower in what decides, noise 3 %, 12 rounds at most: fails"
    rates.append(Rate(what, found, least=0.95))
    for given in (8, 12):
        told = f"the gate, {given} results of either side brought in, noise 3 %:"
        count(f"{told} a build that is the same fails", 0.01, gates.results_fail, 0.0, 0.03, given)
        found = studies.share(pool, gates.results_fail, repeats, 0.10, 0.03, given)
        rates.append(
            Rate(f"{told} a build 10 % slower fails", found, least=0.95 if given == 12 else None)
        )
    _rates_of_lines(pool, repeats, rates)
    _rates_of_factors(pool, repeats, rates)
    return rates


def _rates_of_factors(pool: Executor, repeats: int, rates: list[Rate]) -> None:
    """Two crossed factors: interactions that are none, and intervals that hold together."""
    for rounds, rows, columns in ((3, 2, 2), (5, 2, 2), (8, 2, 2), (5, 3, 3), (8, 3, 3)):
        told = f"two factors in {rows} × {columns} cells, noise 3 %, {rounds} rounds:"
        cells = (rounds, rows, columns)
        found = studies.share(pool, crossings.interaction_alarm, repeats, *cells)
        rates.append(Rate(f"{told} an interaction that is none", found, most=0.055))
        if rounds == 5:
            found = studies.share(pool, crossings.interaction_alarm, repeats, *cells, 30)
            rates.append(Rate(f"{told} one that is none in any of 30 metrics", found, most=0.055))
        what = "an interaction of 10 % lies in its interval"
        if rows * columns > 4:
            what = "all interactions lie in their intervals, one of 10 % among them"
        found = studies.share(pool, crossings.interaction_covered, repeats, *cells)
        rates.append(Rate(f"{told} {what}", found, least=0.93))


def _rates_of_lines(pool: Executor, repeats: int, rates: list[Rate]) -> None:
    """Lines of releases, days that take after one another: alarms, steps found, and where."""
    for releases, a_session in ((6, 3), (12, 3), (24, 1), (60, 1), (60, 4)):
        what = f"a line of {releases} releases, {a_session} a session, noise 1 %: any change told"
        print(what, file=sys.stderr)
        found = studies.share(pool, lines.line_alarm, repeats, releases, a_session)
        rates.append(Rate(what, found, most=0.05))
    told = "a step of 3 % among 60 releases, noise 1 %:"
    for what, counted, least in (
        (f"{told} found within two releases", lines.step_found, 0.95),
        (f"{told} the release that brought it is among those named", lines.step_in_range, 0.93),
        (f"{told} its size lies in the interval", lines.size_covered, 0.93),
    ):
        print(what, file=sys.stderr)
        rates.append(Rate(what, studies.share(pool, counted, repeats), least=least))


if __name__ == "__main__":
    sys.exit(main())
