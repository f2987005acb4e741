"""Holds the judging against simulated runs whose truth is known.

Each scenario makes runs of a baseline and a candidate as a rig would take them, in rounds; the
methods then judge them as they judge real ones. Counted are: how often the interval holds the true
ratio (coverage), how often the same build twice is called ahead or behind (false alarms), how
often a true change is found (power), and how often it is found the wrong way round.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare.difference import compare, compare_all
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.plan import LOOK_ALPHA, LOOKS, round_order
from yardstick_core.readings import METRICS, Reading

Array = NDArray[np.float64]
Disturb = Callable[[np.random.Generator, int], Array]

RATE = METRICS["average_rate"]
RUNS = (2, 3, 5, 8, 12, 20)
CHANGES = (0.03, 0.05, 0.10)


STUDY_METRICS = 60
STUDY_ROUNDS = 8


@dataclass(frozen=True, slots=True)
class Scenario:
    """Runs with log-normal noise and, by `disturb`, what else a machine does to them.

    `disturb` gives log factors, shape (runs,), for all runs of a study in the order taken.
    `drifts` is true where only rounds can be expected to hold.
    """

    name: str
    noise: float
    disturb: Disturb
    drifts: bool = False


def _nothing(rng: np.random.Generator, runs: int) -> Array:
    return np.zeros(runs)


def _outliers(rng: np.random.Generator, runs: int) -> Array:
    return np.where(rng.random(runs) < 0.05, -rng.uniform(0.2, 0.7, runs), 0.0)


def _stutters(rng: np.random.Generator, runs: int) -> Array:
    return np.asarray(-0.02 * rng.standard_exponential(runs))


def _blocks(rng: np.random.Generator, runs: int) -> Array:
    """The machine changes its state now and then and stays so for a while."""
    states = np.cumsum(rng.random(runs) < 0.15)
    return np.asarray(rng.normal(0, 0.03, states[-1] + 1)[states])


def _drift(rng: np.random.Generator, runs: int) -> Array:
    return np.linspace(0, -0.06, runs)


def _warm_up(rng: np.random.Generator, runs: int) -> Array:
    """The first two rounds are slower, the first by more."""
    slow = np.zeros(runs)
    slow[:2], slow[2:4] = -0.20, -0.08
    return slow


SCENARIOS = (
    Scenario("noise 1 %", 0.01, _nothing),
    Scenario("noise 3 %", 0.03, _nothing),
    Scenario("noise 8 %", 0.08, _nothing),
    Scenario("noise 15 %", 0.15, _nothing),
    Scenario("5 % outliers", 0.03, _outliers),
    Scenario("stutters", 0.02, _stutters),
    Scenario("warm-up", 0.02, _warm_up),
    Scenario("blocks of 3 %", 0.02, _blocks, drifts=True),
    Scenario("drift of 6 %", 0.02, _drift, drifts=True),
)
METHODS = {"within rounds": True, "unpaired": False}


@dataclass(frozen=True, slots=True)
class Cell:
    """What was counted for one method, scenario and number of runs a side, as shares of 1."""

    method: str
    scenario: str
    drifts: bool
    runs: int
    coverage: float
    false_alarms: float
    power: tuple[float, ...]
    wrong_way: float


def simulated(
    scenario: Scenario, rounds: int, change: float, rng: np.random.Generator
) -> tuple[list[Sample], list[Sample]]:
    """Readings of a baseline and a candidate that is faster by `change`, taken in rounds."""
    factors = scenario.disturb(rng, 2 * rounds) + rng.normal(0, scenario.noise, 2 * rounds)
    sides: tuple[list[Sample], list[Sample]] = ([], [])
    for number in range(rounds):
        for place, side in enumerate(round_order(2, number)):
            log = factors[2 * number + place] + side * np.log1p(change)
            sides[side].append(Sample(2 * number + place, number, float(100 * np.exp(log))))
    return sides


def calibrate_cell(method: str, scenario: Scenario, runs: int, repeats: int, seed: int = 1) -> Cell:
    """Simulate one cell `repeats` times for the same build and for each true change."""
    rng = np.random.default_rng([seed, runs, sum(map(ord, method + scenario.name))])
    covered = alarms = wrong = 0
    found = []
    for change in (0.0, *CHANGES):
        hits = 0
        pairs = [simulated(scenario, runs, change, rng) for _ in range(repeats)]
        sides = [a for a, _ in pairs], [b for _, b in pairs]
        for d in compare_all([RATE] * repeats, *sides, in_rounds=METHODS[method]):
            covered += d.ratio_low <= 1 + change <= d.ratio_high
            alarms += change == 0 and d.verdict in (AHEAD, BEHIND)
            hits += d.verdict == AHEAD
            wrong += change > 0 and d.verdict == BEHIND
        found.append(hits / repeats)
    cases = len(CHANGES) + 1
    return Cell(
        method, scenario.name, scenario.drifts, runs, covered / repeats / cases,
        alarms / repeats, tuple(found[1:]), wrong / repeats / len(CHANGES),
    )  # fmt: skip


def cells() -> Iterator[tuple[str, Scenario, int]]:
    """Every method, scenario and number of runs a side."""
    yield from product(METHODS, SCENARIOS, RUNS)


def study_alarms(repeats: int, noise: float = 0.05, seed: int = 1) -> float:
    """Share of studies of 60 metrics in which the same build twice raises any alarm."""
    rng = np.random.default_rng([seed, STUDY_METRICS])
    alarmed = 0
    for _ in range(repeats):
        counts = judge(_study(rng, STUDY_ROUNDS, noise, 0.0), ["A", "B"]).counts[1]
        alarmed += counts[AHEAD] + counts[BEHIND] > 0
    return alarmed / repeats


def wrong_ways(repeats: int, noise: float = 0.15, seed: int = 2) -> float:
    """Largest share of metrics called behind though all are 3 % ahead, in noisy small studies."""
    rng = np.random.default_rng([seed, STUDY_METRICS])
    worst = 0.0
    for rounds in (3, 5, 8):
        wrong = sum(
            judge(_study(rng, rounds, noise, CHANGES[0]), ["A", "B"]).counts[1][BEHIND]
            for _ in range(repeats)
        )
        worst = max(worst, wrong / repeats / STUDY_METRICS)
    return worst


def _study(rng: np.random.Generator, rounds: int, noise: float, change: float) -> list[JudgedRun]:
    """Runs of two variants with 60 metrics each; all of the second are better by `change`."""
    return [
        JudgedRun(
            2 * number + side, side, number, False, "finished",
            tuple(
                Reading(("Step", f"part {n}"), RATE.key, float(value))
                for n, value in enumerate(
                    100 * (1 + side * change) * np.exp(rng.normal(0, noise, STUDY_METRICS))
                )
            ),
        )
        for number in range(rounds)
        for side in round_order(2, number)
    ]  # fmt: skip


def look_alarms(repeats: int, noise: float = 0.08, seed: int = 1) -> tuple[float, float]:
    """Share of same-build studies with an alarm at any look: with α′ at each, and with 5 %."""
    rng = np.random.default_rng([seed, len(LOOKS)])
    counted = [0, 0]
    scenario = Scenario("looks", noise, _nothing)
    for _ in range(repeats):
        baseline, candidate = simulated(scenario, LOOKS[-1], 0.0, rng)
        for place, alpha in enumerate((LOOK_ALPHA, 0.05)):
            counted[place] += any(
                compare(RATE, baseline[:n], candidate[:n], in_rounds=True, alpha=alpha).p < alpha
                for n in LOOKS
            )
    return counted[0] / repeats, counted[1] / repeats


def shortfalls(counted: list[Cell], studies: float, looks: float, wrong: float) -> list[str]:
    """Where the required rates are not reached, in words; none where all are."""
    found = []
    for cell in counted:
        held = cell.method == "within rounds" or not cell.drifts
        where = f"{cell.method}, {cell.scenario}, {cell.runs} runs a side"
        if held and cell.runs >= 3 and not 0.93 <= cell.coverage <= 0.99:
            found.append(f"{where}: coverage {100 * cell.coverage:.1f} %")
    if studies > 0.06:
        found.append(f"{100 * studies:.1f} % of same-build studies raise an alarm")
    if looks > 0.06:
        found.append(f"{100 * looks:.1f} % of same-build studies raise an alarm at some look")
    if wrong > 0.005:
        found.append(f"{100 * wrong:.2f} % of metrics in a study are found the wrong way round")
    return found
