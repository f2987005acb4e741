"""Growth of memory: slope with an honest error, its class, its projection, laps at like points.

Sources: Newey & West 1987 for the error of a slope whose residuals hang together.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy import fft, special

from yardstick_core.readings.metric import define

Array = NDArray[np.float64]

FEWEST_SAMPLES = 30
_FEW = 20_000
SHORTEST_S = 60.0
NO_GROWTH, GROWS, LEVELS_OFF, TOO_SHORT = (
    "no growth", "grows", "levels off", "too short to say",
)  # fmt: skip
GROWTH_CLASSES = (NO_GROWTH, GROWS, LEVELS_OFF, TOO_SHORT)

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
    """Least squares with a Newey-West error, lag 4·T^⅓; arrays of shape (T,), T ≥ 3."""
    count = len(seconds)
    centred = seconds - seconds.mean()
    spread = float(centred @ centred)
    above = values - values.mean()
    found = float(centred @ above) / spread
    residuals = above - found * centred
    scores = centred * residuals
    lags = min(count - 1, int(4 * count ** (1 / 3)))
    hanging = _products(scores, lags)
    weights = 1 - np.arange(1, lags + 1) / (lags + 1)
    total = float(scores @ scores) + 2 * float(weights @ hanging)
    error = math.sqrt(max(total, 0.0) * count / (count - 2)) / spread
    reach = float(special.stdtrit(count - 2, 0.975)) * error
    level = float(values.mean() + found * centred[-1])
    return Slope(found, found - reach, found + reach, level)


def _products(values: Array, lags: int) -> Array:
    """Sums of the products of values with those so many places before, for every lag from 1."""
    if len(values) <= _FEW:
        return np.array([float(values[lag:] @ values[:-lag]) for lag in range(1, lags + 1)])
    size = fft.next_fast_len(len(values) + lags, real=True)
    spectrum = fft.rfft(values, size)
    return np.asarray(fft.irfft(np.abs(spectrum) ** 2, size))[1 : lags + 1]


def growth_class(seconds: Array, values: Array) -> str:
    """Whether memory grows over a run, by the slopes of the whole and of its last half."""
    if len(seconds) < FEWEST_SAMPLES or seconds[-1] - seconds[0] < SHORTEST_S:
        return TOO_SHORT
    whole = slope(seconds, values)
    first, last = halves(seconds, values)
    return _class(whole.low, first.slope, last)


def halves(seconds: Array, values: Array) -> tuple[Slope, Slope]:
    """Slopes of the first and of the last half of the time."""
    middle = int(np.searchsorted(seconds, (seconds[0] + seconds[-1]) / 2))
    return slope(seconds[:middle], values[:middle]), slope(seconds[middle:], values[middle:])


def _class(whole_low: float, first: float, last: Slope) -> str:
    if whole_low <= 0:
        return NO_GROWTH
    if last.low > 0 and last.slope > 0.25 * first:
        return GROWS
    if last.high < 0.5 * first:
        return LEVELS_OFF
    return TOO_SHORT


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
    return _class(mean_slope(whole).low, float(first.mean()), mean_slope(last))


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
