"""Holds the judging against simulated runs whose truth is known.

Each scenario makes runs of a baseline and a candidate as a rig would take them, in rounds; the
methods then judge them as they judge real ones. Counted are: how often the interval holds the true
change (coverage), how often the same build twice is called ahead or behind (false alarms), how
often a true change is found (power), and how often it is found the wrong way round.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare.difference import NO_INTERVAL, compare_all
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.verdict import AHEAD, BEHIND, LEVEL
from yardstick_core.plan import round_order
from yardstick_core.readings import METRICS, Metric

Array = NDArray[np.float64]
Disturb = Callable[[np.random.Generator, int], Array]
Draw = Callable[[np.random.Generator, int, float], tuple[Array, Array]]

RATE, STUTTER, PROCESSES = (METRICS[k] for k in ("average_rate", "stutter_share", "processes"))
RUNS = (2, 3, 5, 8, 12, 20)
CHANGES = (0.03, 0.05, 0.10)
#: Mean of the stutter of a run that has any, %: log-normal, median e, spread 0.6.
MEAN_STUTTER = math.exp(1 + 0.6**2 / 2)


@dataclass(frozen=True, slots=True)
class Scenario:
    """Runs of one metric whose truth is known.

    `draw` gives the readings of both sides, shape (rounds,) each, for a change; `truth` the change
    that they really have: a log ratio, or a difference in the own unit. `drifts` is true where only
    rounds can be expected to hold, `discrete` where few values occur, so that no interval can cover
    as little as it may.
    """

    name: str
    draw: Draw
    metric: Metric = RATE
    truth: Callable[[float], float] = math.log1p
    changes: tuple[float, ...] = CHANGES
    drifts: bool = False
    discrete: bool = False


def _noisy(noise: float, disturb: Disturb | None = None) -> Draw:
    """Rates with log-normal noise and, by log factors in the order taken, what else happens."""

    def draw(rng: np.random.Generator, rounds: int, change: float) -> tuple[Array, Array]:
        factors = rng.normal(0, noise, 2 * rounds)
        if disturb is not None:
            factors += disturb(rng, 2 * rounds)
        places = _places(rounds)
        return (
            100 * np.exp(factors[places[0]]),
            100 * np.exp(factors[places[1]] + np.log1p(change)),
        )

    return draw


def _one_sided(noise: float, disturb: Disturb, mean: float = 0.0) -> Draw:
    """The same, but only the candidate is disturbed; `mean` of the disturbance is no change."""

    def draw(rng: np.random.Generator, rounds: int, change: float) -> tuple[Array, Array]:
        a, b = rng.normal(0, noise, (2, rounds))
        return 100 * np.exp(a), 100 * np.exp(b + disturb(rng, rounds) - mean + np.log1p(change))

    return draw


def _unequal(small: float, large: float) -> Draw:
    def draw(rng: np.random.Generator, rounds: int, change: float) -> tuple[Array, Array]:
        a, b = rng.normal(0, small, rounds), rng.normal(0, large, rounds)
        return 100 * np.exp(a), 100 * np.exp(b + np.log1p(change))

    return draw


def _rare(share: float) -> Draw:
    """Stutter in this share of the baseline's runs; in the candidate's less often by `change`."""

    def draw(rng: np.random.Generator, rounds: int, change: float) -> tuple[Array, Array]:
        shares = np.array([[share], [share * (1 - change)]])
        a, b = np.where(
            rng.random((2, rounds)) < shares, np.exp(rng.normal(1, 0.6, (2, rounds))), 0.0
        )
        return a, b

    return draw


def _only_later(rng: np.random.Generator, rounds: int, change: float) -> tuple[Array, Array]:
    """No stutter in the baseline; in the candidate in the share `change` of the runs."""
    hitchy = rng.random(rounds) < change
    return np.zeros(rounds), np.where(hitchy, np.exp(rng.normal(1, 0.6, rounds)), 0.0)


def _either(rng: np.random.Generator, rounds: int, change: float) -> tuple[Array, Array]:
    """12 or 13 processes, 13 in every third run; in the candidate fewer by `change`."""
    a, b = 12 + (rng.random((2, rounds)) < 1 / 3)
    return a.astype(float), b - change


def _places(rounds: int) -> tuple[list[int], list[int]]:
    """Where the runs of each side stand in the order taken."""
    orders = [round_order(2, number) for number in range(rounds)]
    first, second = (
        [2 * number + order.index(side) for number, order in enumerate(orders)] for side in (0, 1)
    )
    return first, second


def _outliers(rng: np.random.Generator, runs: int) -> Array:
    return np.where(rng.random(runs) < 0.05, -rng.uniform(0.2, 0.7, runs), 0.0)


def _stutters(rng: np.random.Generator, runs: int) -> Array:
    return np.asarray(-0.02 * rng.standard_exponential(runs))


def _tail(rng: np.random.Generator, runs: int) -> Array:
    return np.asarray(-0.10 * rng.standard_exponential(runs))


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


def _long_warm_up(rng: np.random.Generator, runs: int) -> Array:
    """Slower by 20 % at first, by half as much from run to run."""
    return np.asarray(-0.20 * 0.5 ** np.arange(runs))


SCENARIOS = (
    Scenario("noise 1 %", _noisy(0.01)),
    Scenario("noise 3 %", _noisy(0.03)),
    Scenario("noise 8 %", _noisy(0.08)),
    Scenario("noise 15 %", _noisy(0.15)),
    Scenario("5 % outliers", _noisy(0.03, _outliers)),
    Scenario("stutters", _noisy(0.02, _stutters)),
    Scenario("warm-up", _noisy(0.02, _warm_up)),
    Scenario("blocks of 3 %", _noisy(0.02, _blocks), drifts=True),
    Scenario("drift of 6 %", _noisy(0.02, _drift), drifts=True),
    Scenario("warm-up of one side", _one_sided(0.03, _long_warm_up)),
    Scenario("one side skewed", _one_sided(0.02, _tail, -0.10)),
    Scenario("spread 1 % and 15 %", _unequal(0.01, 0.15)),
    Scenario(
        "12 or 13 processes", _either, PROCESSES, lambda change: -change, (1, 2, 3), discrete=True
    ),
    Scenario(
        "stutter in 40 % of runs", _rare(0.4), STUTTER,
        lambda change: -0.4 * change * MEAN_STUTTER, (0.5, 0.75, 1.0), discrete=True,
    ),
    Scenario(
        "stutter in 15 % of runs", _rare(0.15), STUTTER,
        lambda change: -0.15 * change * MEAN_STUTTER, (0.5, 0.75, 1.0), discrete=True,
    ),
    Scenario(
        "stutter of one side", _only_later, STUTTER,
        lambda change: change * MEAN_STUTTER, (0.25, 0.5, 0.75), discrete=True,
    ),
)  # fmt: skip
METHODS = {"within rounds": True, "unpaired": False}


@dataclass(frozen=True, slots=True)
class Cell:
    """What was counted for one method, scenario and number of runs a side, as shares of 1.

    `coverage` is of the studies that got an interval, which are `given`.
    """

    method: str
    scenario: str
    drifts: bool
    discrete: bool
    runs: int
    coverage: float
    given: float
    false_alarms: float
    power: tuple[float, ...]
    wrong_way: float
    #: How often a true change is called level though it is larger than what matters.
    wrongly_level: float = 0.0


def simulated(
    scenario: Scenario, rounds: int, change: float, rng: np.random.Generator
) -> tuple[list[Sample], list[Sample]]:
    """Readings of a baseline and a candidate that differs by `change`, taken in rounds."""
    sides = scenario.draw(rng, rounds, change)
    first, second = (
        [
            Sample(place, number, value)
            for number, (place, value) in enumerate(zip(places, values.tolist(), strict=True))
        ]
        for places, values in zip(_places(rounds), sides, strict=True)
    )
    return first, second


def calibrate_cell(method: str, scenario: Scenario, runs: int, repeats: int, seed: int = 1) -> Cell:
    """Simulate one cell `repeats` times for the same build and for each true change."""
    rng = np.random.default_rng([seed, runs, sum(map(ord, method + scenario.name))])
    covered = given = alarms = wrong = level = 0
    found = []
    for change in (0.0, *scenario.changes):
        hits = 0
        truth = scenario.truth(change)
        better = AHEAD if (truth > 0) == scenario.metric.higher_is_better else BEHIND
        worse = BEHIND if better == AHEAD else AHEAD
        pairs = [simulated(scenario, runs, change, rng) for _ in range(repeats)]
        sides = [a for a, _ in pairs], [b for _, b in pairs]
        metrics = [scenario.metric] * repeats
        for d in compare_all(metrics, *sides, in_rounds=METHODS[method]):
            if d.method != NO_INTERVAL:
                given += 1
                if d.ratio == d.ratio:
                    covered += d.ratio_low <= math.exp(truth) <= d.ratio_high
                else:
                    covered += d.change_low <= truth <= d.change_high
            alarms += change == 0 and d.verdict in (AHEAD, BEHIND)
            hits += d.verdict == better
            wrong += change != 0 and d.verdict == worse
            level += _matters(scenario, truth) and d.verdict == LEVEL
        found.append(hits / repeats)
    cases = len(scenario.changes)
    return Cell(
        method, scenario.name, scenario.drifts, scenario.discrete, runs,
        covered / given if given else math.nan, given / repeats / (cases + 1),
        alarms / repeats, tuple(found[1:]), wrong / repeats / cases, level / repeats / cases,
    )  # fmt: skip


def _matters(scenario: Scenario, truth: float) -> bool:
    """Whether a true change is larger than what matters of its metric, by a quarter at least."""
    metric = scenario.metric
    band = math.log1p(metric.material_share) if metric.on_logs else metric.material_amount
    return abs(truth) > 1.25 * band


def cells() -> Iterator[tuple[str, Scenario, int]]:
    """Every method, scenario and number of runs a side."""
    yield from product(METHODS, SCENARIOS, RUNS)
