"""Growth of memory: slope with an honest error, its class, its projection, laps at like points."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import special

from yardstick_core.readings.metric import define

Array = NDArray[np.float64]

FEWEST_SAMPLES = 30
_MOST_HANGING = 0.999
SHORTEST_S = 60.0
NO_GROWTH, GROWS, LEVELS_OFF, STEP, TOO_SHORT = (
    "no growth", "grows", "levels off", "one step", "too short to say",
)  # fmt: skip
GROWTH_CLASSES = (NO_GROWTH, GROWS, LEVELS_OFF, STEP, TOO_SHORT)

GROWTH = define(
    "memory_growth", "memory growth", "MiB/min", "lower",
    "slope of resident memory over the stretch by least squares; its error allows for samples "
    "that hang together",
    material_amount=0.5, on_logs=False, minimum="60 s and 30 samples", primary=True,
)  # fmt: skip
FIRST_HALF = define(
    "memory_growth_first", "memory growth, first half", "MiB/min", "lower",
    "slope of resident memory over the first half of the stretch",
    judged=False, material_amount=0.5, on_logs=False, minimum="60 s and 30 samples",
)  # fmt: skip
LAST_HALF = define(
    "memory_growth_last", "memory growth, last half", "MiB/min", "lower",
    "slope of resident memory over the last half of the stretch",
    judged=False, material_amount=0.5, on_logs=False, minimum="60 s and 30 samples",
)  # fmt: skip
LAP_GROWTH = define(
    "memory_growth_per_lap", "memory growth per lap", "MiB", "lower",
    "slope over laps of the least memory of each lap, so that like points are compared",
    material_amount=0.5, on_logs=False, minimum="4 laps",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Slope:
    """A slope per second with 95 % limits, and the level at the end of the line."""

    slope: float
    low: float
    high: float
    level: float


@dataclass(frozen=True, slots=True)
class Projection:
    """Expected value after some time, with the range of the slope."""

    after_s: float
    value: float
    low: float
    high: float


def slope(seconds: Array, values: Array) -> Slope:
    """Least squares, with an error that allows for how long the values hang together.

    Arrays of shape (T,), T ≥ 3. Means of a second each are taken for a first-order autoregression;
    the error and the degrees of freedom are those of the number of independent values that are
    worth as much. Memory that wanders for 20 s at a time was said to grow in 9 to 15 of 100 runs by
    a Newey-West error with a lag of 4·T^⅓, and in none to 2 by this one.

    Source: Bartlett 1946 for the number of independent values.
    """
    every = max(1, round(1 / max(float(np.median(np.diff(seconds))), 1e-9)))
    whole = len(seconds) // every
    if whole < 3:
        every, whole = 1, len(seconds)
    at = seconds[: whole * every].reshape(whole, every).mean(axis=1)
    means = values[: whole * every].reshape(whole, every).mean(axis=1)
    centred, above = at - at.mean(), means - means.mean()
    spread = float(centred @ centred)
    found = float(centred @ above) / spread
    residuals = above - found * centred
    total = float(residuals @ residuals)
    level = float(means.mean() + found * (seconds[-1] - at.mean()))
    if total <= 1e-12 * float(above @ above):
        return Slope(found, found, found, level)
    hanging = float(residuals[1:] @ residuals[:-1]) / total
    hanging = min(_MOST_HANGING, max(0.0, hanging + (1 + 4 * hanging) / whole))
    longer = (1 + hanging) / (1 - hanging)
    error = math.sqrt(total / (whole - 2) / spread * longer)
    reach = float(special.stdtrit(max(1.0, whole / longer - 2), 0.975)) * error
    return Slope(found, found - reach, found + reach, level)


def growth_class(seconds: Array, values: Array) -> str:
    """Whether memory grows over a run, by the slopes of the whole and of its last half.

    A single step up or down is a step: it says nothing of what comes next.
    """
    if len(seconds) < FEWEST_SAMPLES or seconds[-1] - seconds[0] < SHORTEST_S:
        return TOO_SHORT
    if is_step(seconds, values):
        return STEP
    whole = slope(seconds, values)
    first, last = halves(seconds, values)
    if whole.low > 0 and last.low > 0 and last.slope > 0.25 * first.slope:
        return GROWS
    if _levels_off(seconds, values, first.slope, last.slope):
        return LEVELS_OFF
    return NO_GROWTH if whole.low <= 0 else TOO_SHORT


def is_step(seconds: Array, values: Array) -> bool:
    """Whether one sudden step tells more of a series than a straight line does; shape (T,), T ≥ 4.

    Sudden: four fifths of it lie within a twentieth of the time.
    """
    count = len(values)
    sums = np.cumsum(values - values.mean())
    before = np.arange(1, count)
    explained = sums[:-1] ** 2 * (1 / before + 1 / (count - before))
    place = int(explained.argmax())
    centred = seconds - seconds.mean()
    by_line = float(centred @ values) ** 2 / float(centred @ centred)
    total = float(((values - values.mean()) ** 2).sum())
    if total - float(explained[place]) >= 0.5 * (total - by_line):
        return False
    height = -sums[place] / (count - place - 1) - sums[place] / (place + 1)
    near = max(2, count // 40)
    sudden = (
        values[place + 1 : place + 1 + near].mean()
        - values[max(0, place + 1 - near) : place + 1].mean()
    )
    return bool(sudden / height >= 0.8)


def _levels_off(seconds: Array, values: Array, first: float, last: float) -> bool:
    """Whether a rise ends: far above where it began, compared with how it wavers at the end."""
    early = values[seconds <= seconds[0] + (seconds[-1] - seconds[0]) / 10].mean()
    late = values[seconds >= (seconds[0] + seconds[-1]) / 2]
    return bool(last < 0.5 * first and late.mean() - early > 4 * late.std())


def halves(seconds: Array, values: Array) -> tuple[Slope, Slope]:
    """Slopes of the first and of the last half of the time."""
    middle = int(np.searchsorted(seconds, (seconds[0] + seconds[-1]) / 2))
    return slope(seconds[:middle], values[:middle]), slope(seconds[middle:], values[middle:])


def mean_slope(slopes: Array) -> Slope:
    """Mean of per-run slopes, shape (n,), with t limits; limits infinite for one run."""
    mean = float(slopes.mean())
    if len(slopes) < 2:
        return Slope(mean, -math.inf, math.inf, 0.0)
    error = float(slopes.std(ddof=1)) / math.sqrt(len(slopes))
    reach = float(special.stdtrit(len(slopes) - 1, 0.975)) * error
    return Slope(mean, mean - reach, mean + reach, 0.0)


def class_of_runs(whole: Array, first: Array, last: Array) -> str:
    """Class of several runs by the intervals of their slopes, each of shape (n,)."""
    if len(whole) < 2:
        return TOO_SHORT
    end, start = mean_slope(last), float(first.mean())
    if mean_slope(whole).low <= 0:
        return NO_GROWTH
    if end.low > 0 and end.slope > 0.25 * start:
        return GROWS
    return LEVELS_OFF if end.high < 0.5 * start else TOO_SHORT


def projected(line: Slope, hours: float) -> Projection:
    """Where a growing line stands after some hours more."""
    after = hours * 3600
    return Projection(
        after,
        line.level + line.slope * after,
        line.level + line.low * after,
        line.level + line.high * after,
    )


def seconds_until(line: Slope, limit: float) -> tuple[float, float]:
    """Least and greatest time until a growing line reaches a limit; infinite where it may not."""
    room = max(0.0, limit - line.level)
    return tuple(room / s if s > 0 else math.inf for s in (line.high, line.low))  # type: ignore[return-value]


def troughs(seconds: Array, values: Array, lap_starts: Array) -> Array:
    """Least value of each lap, shape (laps,); a lap lasts to the next start, the last to the end.

    Laps without a sample are left out.
    """
    edges = np.append(lap_starts, np.inf)
    places = np.searchsorted(seconds, edges)
    return np.array([values[a:b].min() for a, b in pairwise(places.tolist()) if b > a])
