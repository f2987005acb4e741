"""What the levels of a ladder show together: how time grows with the load, how much is carried.

The run is the unit: each round gives one exponent and one capacity for each variant, and the rounds
give their interval.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from yardstick_core.compare.intervals import paired
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.record import FINISHED

FEWEST_ROUNDS = 2
FEWEST_LEVELS = 3
#: A rate that people call fluid, pictures a second: the line a capacity is read at.
FLUID = 30.0


@dataclass(frozen=True, slots=True)
class Known:
    """A value and its interval; `rounds` is how many it comes from. No interval below two."""

    value: float
    low: float
    high: float
    rounds: int


@dataclass(frozen=True, slots=True)
class Growth:
    """How a duration grows with the level: time ∝ level^exponent, for each variant.

    `apart` holds candidate minus baseline within rounds, None for the baseline itself.
    """

    stretch: tuple[str, ...]
    exponents: tuple[Known | None, ...]
    apart: tuple[Known | None, ...]


@dataclass(frozen=True, slots=True)
class Capacity:
    """The largest level a variant still shows at a fluid rate, interpolated on logs.

    `beyond` counts the rounds in which even the largest level was fluid, `below` those in which not
    even the smallest was: they only bound it, so there is no interval then.
    """

    stretch: tuple[str, ...]
    variants: tuple[Known | None, ...]
    beyond: tuple[int, ...]
    below: tuple[int, ...]


def level_number(level: str) -> float | None:
    """The number of a level such as "ends 400"; None for one that is none, or not above 0."""
    try:
        number = float(level.rsplit(" ", 1)[-1])
    except ValueError:
        return None
    return number if number > 0 else None


def growths(
    runs: Sequence[JudgedRun], variants: int, baseline: int, alpha: float = 0.05
) -> list[Growth]:
    """Growth of every timing that was read at three levels or more."""
    found = []
    for stretch, sides in by_level(runs, variants, "duration").items():
        slopes = [
            {
                number: slope
                for number, points in side.items()
                if (slope := _slope(points)) is not None
            }
            for side in sides
        ]
        if not any(slopes):
            continue
        exponents = tuple(_known([*side.values()], alpha) for side in slopes)
        base = slopes[baseline]
        apart = tuple(
            None
            if index == baseline
            else _known([side[n] - base[n] for n in side if n in base], alpha)
            for index, side in enumerate(slopes)
        )
        found.append(Growth(stretch, exponents, apart))
    return found


def capacities(
    runs: Sequence[JudgedRun], variants: int, line: float = FLUID, alpha: float = 0.05
) -> list[Capacity]:
    """Capacity of every frame stretch that was read at two levels or more."""
    found = []
    for stretch, sides in by_level(runs, variants, "average_rate").items():
        if not any(len(points) > 1 for side in sides for points in side.values()):
            continue
        known: list[Known | None] = []
        beyond, below = [], []
        for side in sides:
            read = [_carried(points, line) for points in side.values()]
            inner = [math.log(value) for value in read if 0 < value < math.inf]
            beyond.append(sum(value == math.inf for value in read))
            below.append(sum(value == 0 for value in read))
            whole = len(inner) == len(read)
            logs = _known(inner, alpha) if whole and inner else None
            known.append(logs and _exp(logs))
        found.append(Capacity(stretch, tuple(known), tuple(beyond), tuple(below)))
    return found


Points = dict[float, float]


def by_level(
    runs: Sequence[JudgedRun], variants: int, metric: str
) -> dict[tuple[str, ...], list[dict[int, Points]]]:
    """Readings of a metric by stretch, variant, round and level, of warm runs that finished."""
    found: dict[tuple[str, ...], list[dict[int, Points]]] = {}
    for run in runs:
        level = level_number(run.level) if run.level else None
        if level is None or not run.compared or run.outcome != FINISHED:
            continue
        for reading in run.readings:
            if reading.metric == metric and not reading.longer_than and reading.value > 0:
                sides = found.setdefault(reading.stretch, [{} for _ in range(variants)])
                sides[run.variant].setdefault(run.round, {})[level] = reading.value
    return found


def _slope(points: Points) -> float | None:
    """Least squares of log time on log level; None below three levels."""
    if len(points) < FEWEST_LEVELS:
        return None
    levels, times = np.log(np.array(sorted(points.items()))).T
    return float(np.polyfit(levels, times, 1)[0])


def _carried(points: Points, line: float) -> float:
    """The largest level at or above a rate: 0 where none is, infinite where all are."""
    levels = sorted(points)
    fluid = [level for level in levels if points[level] >= line]
    if not fluid:
        return 0.0
    last = fluid[-1]
    above = next((level for level in levels if level > last), None)
    if above is None:
        return math.inf
    share = (math.log(points[last]) - math.log(line)) / (
        math.log(points[last]) - math.log(points[above])
    )
    return math.exp(math.log(last) + share * (math.log(above) - math.log(last)))


def _known(values: Sequence[float], alpha: float) -> Known | None:
    """Mean of one value a round, with the t interval from two rounds on."""
    if not values:
        return None
    mean = float(np.mean(values))
    if len(values) < FEWEST_ROUNDS:
        return Known(mean, -math.inf, math.inf, len(values))
    interval = paired(np.array([values]), alpha)
    return Known(mean, float(interval.low[0]), float(interval.high[0]), len(values))


def _exp(known: Known) -> Known:
    return Known(math.exp(known.value), math.exp(known.low), math.exp(known.high), known.rounds)
