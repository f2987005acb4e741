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
from yardstick_core.readings.frames import TOLERANCE
from yardstick_core.readings.metric import rate_of
from yardstick_core.record import FINISHED

FEWEST_ROUNDS = 2
#: Outcomes of runs that did not come to the end of their session by the program's fault.
NEVER_ENDED = ("hung", "cut off", "crashed")
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
    """How a duration grows with the level: time = constant + k · level^exponent, by variant.

    `apart` holds candidate minus baseline within rounds, None for the baseline itself. `constants`
    are in s, 0 where the times are those of a power alone. Where neither fits, the exponent is None
    and `misfits` is true: then no single number says how it grows.
    """

    stretch: tuple[str, ...]
    exponents: tuple[Known | None, ...]
    apart: tuple[Known | None, ...]
    constants: tuple[float, ...] = ()
    misfits: tuple[bool, ...] = ()


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
    #: Pictures a second that count as fluid, and the rate of the script's own that it stands for.
    line: float = FLUID
    hertz: float | None = None


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
        models = [_model(side) for side in sides]
        slopes = [
            {
                number: _exponent(points, model)
                for number, points in side.items()
                if len(points) >= FEWEST_LEVELS
            }
            if model in (POWER, CONSTANT_AND_POWER)
            else {}
            for side, model in zip(sides, models, strict=True)
        ]
        if not any(models):
            continue
        exponents = tuple(_known([*side.values()], alpha) for side in slopes)
        base = slopes[baseline]
        apart = tuple(
            None
            if index == baseline
            else _known([side[n] - base[n] for n in side if n in base], alpha)
            for index, side in enumerate(slopes)
        )
        constants = tuple(
            _constant(_pooled(side)) if model == CONSTANT_AND_POWER else 0.0
            for side, model in zip(sides, models, strict=True)
        )
        misfits = tuple(model == NO_POWER for model in models)
        found.append(Growth(stretch, exponents, apart, constants, misfits))
    return found


def capacities(runs: Sequence[JudgedRun], variants: int, alpha: float = 0.05) -> list[Capacity]:
    """Capacity of every frame stretch that was read at two levels or more."""
    found = []
    rates = _own_rates(runs)
    for stretch, sides in by_level(runs, variants, "average_rate", unended=0.0).items():
        if not any(len(points) > 1 for side in sides for points in side.values()):
            continue
        known: list[Known | None] = []
        beyond, below = [], []
        hertz = rates.get(stretch)
        line = FLUID if hertz is None else hertz / TOLERANCE
        for side in sides:
            read = [_carried(points, line) for points in side.values()]
            inner = [math.log(value) for value in read if 0 < value < math.inf]
            beyond.append(sum(value == math.inf for value in read))
            below.append(sum(value == 0 for value in read))
            whole = len(inner) == len(read)
            logs = _known(inner, alpha) if whole and inner else None
            known.append(logs and _exp(logs))
        found.append(Capacity(stretch, tuple(known), tuple(beyond), tuple(below), line, hertz))
    return found


def _own_rates(runs: Sequence[JudgedRun]) -> dict[tuple[str, ...], float]:
    """The rate that the script names for each frame stretch that has one."""
    return {
        reading.stretch: rate
        for run in runs
        for reading in run.readings
        if (rate := rate_of(reading.metric)) is not None
    }


Points = dict[float, float]


def by_level(
    runs: Sequence[JudgedRun], variants: int, metric: str, unended: float | None = None
) -> dict[tuple[str, ...], list[dict[int, Points]]]:
    """Readings of a metric by stretch, variant, round and level, of warm runs that finished.

    `unended` stands for the reading of a run that did not come so far: it hung at that level.
    """
    found: dict[tuple[str, ...], list[dict[int, Points]]] = {}
    never: list[JudgedRun] = []
    for run in runs:
        level = level_number(run.level) if run.level else None
        if level is None or not run.compared:
            continue
        if run.outcome != FINISHED:
            never += [run] if run.outcome in NEVER_ENDED else []
            continue
        for reading in run.readings:
            if reading.metric == metric and not reading.right_censored and reading.value > 0:
                sides = found.setdefault(reading.stretch, [{} for _ in range(variants)])
                sides[run.variant].setdefault(run.round, {})[level] = reading.value
    for run in never if unended is not None else ():
        for sides in found.values():
            sides[run.variant].setdefault(run.round, {}).setdefault(
                level_number(run.level) or 0.0, unended or 0.0
            )
    return found


#: How the times of a variant go with the level; empty where there are too few levels.
POWER, CONSTANT_AND_POWER, NO_POWER = "power", "constant and power", "no power"
#: A model fits where its times lie no further from those read than this, as a share, or than this
#: many standard errors of the medians over the rounds.
CLOSE_ENOUGH, ERRORS_ENOUGH = 0.04, 3.0
EXPONENTS = np.arange(0.05, 4.0, 0.01)


def _model(side: dict[int, Points]) -> str:
    """What the medians over the rounds follow: a power, a constant and a power, or neither."""
    pooled = _pooled(side)
    if len(pooled) < FEWEST_LEVELS:
        return ""
    enough = max(CLOSE_ENOUGH, ERRORS_ENOUGH * _spread_of_medians(side))
    levels, times = np.log(np.array(sorted(pooled.items()))).T
    slope, start = np.polyfit(levels, times, 1)
    if np.abs(times - start - slope * levels).max() <= enough:
        return POWER
    _, _, off = _with_constant(pooled)
    return CONSTANT_AND_POWER if off <= enough else NO_POWER


def _pooled(side: dict[int, Points]) -> Points:
    """Median over the rounds at each level."""
    levels = sorted({level for points in side.values() for level in points})
    return {
        level: float(np.median([points[level] for points in side.values() if level in points]))
        for level in levels
    }


def _spread_of_medians(side: dict[int, Points]) -> float:
    """Standard error of a median over the rounds, as a share; 0 from one round."""
    variances, rounds = [], 0
    for level in {level for points in side.values() for level in points}:
        logs = np.log([points[level] for points in side.values() if level in points])
        if len(logs) > 1:
            variances.append(float(logs.var(ddof=1)))
            rounds = max(rounds, len(logs))
    return math.sqrt(sum(variances) / len(variances) / rounds) if variances else 0.0


def _exponent(points: Points, model: str) -> float:
    """The exponent of one round by the model of its variant."""
    if model == CONSTANT_AND_POWER:
        return _with_constant(points)[1]
    levels, times = np.log(np.array(sorted(points.items()))).T
    return float(np.polyfit(levels, times, 1)[0])


def _constant(points: Points) -> float:
    return _with_constant(points)[0]


def _with_constant(points: Points) -> tuple[float, float, float]:
    """Constant (s, ≥ 0), exponent, and largest relative distance of c + k · levelᵇ from the times.

    For each exponent of a grid the rest is least squares of relative distances.
    """
    levels, times = np.array(sorted(points.items())).T
    powers = (levels / levels[0]) ** EXPONENTS[:, None] / times
    ones = np.broadcast_to(1 / times, powers.shape)
    aa, ab, bb = (ones**2).sum(1), (ones * powers).sum(1), (powers**2).sum(1)
    a, b = ones.sum(1), powers.sum(1)
    with np.errstate(divide="ignore", invalid="ignore"):
        constant = (a * bb - b * ab) / (aa * bb - ab**2)
        factor = (b * aa - a * ab) / (aa * bb - ab**2)
    alone = ~(constant > 0) | ~(factor > 0)
    constant = np.where(alone, 0.0, constant)
    factor = np.where(alone, b / bb, factor)
    off = constant[:, None] * ones + factor[:, None] * powers - 1
    best = int((off**2).sum(axis=1).argmin())
    return float(constant[best]), float(EXPONENTS[best]), float(np.abs(off[best]).max())


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
    if points[above] <= 0:
        return last  # the next level never ended: nothing is known in between
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
