"""Which runs stand apart: warm-up at the start, wild single values, a remaining trend.

Every function takes one row a metric, values in the order taken, and works on all rows together.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare import text
from yardstick_core.readings.metric import Metric

Array = NDArray[np.float64]
MAD_TO_SD = 1.4826
TREND_Z = 1.96
FEWEST_TO_SCREEN = 6
FEWEST_FOR_TREND = 5
FEWEST_FOR_WARM_UP = 4
#: How much wider the limits are for few values, as shares of 1/n: a spread measured on few values
#: is often far too small, and what is then set apart by chance would make alarms more frequent.
WIDER_WARM_UP = 8.0
#: A run that is set apart is said beside the difference where it is so many times the others.
FAR = 2.0


class Wild(NamedTuple):
    """How far off a value must lie to be wild: `factor` · MAD · (1 + `wider`/n)."""

    factor: float
    wider: float


#: Differences within rounds scatter alike on both sides, so that less is taken for wild by chance.
#: With 8 and 8 for both, 5 % of wild runs left 10 % found in 66 to 78 % of studies; now in 78-95 %.
WITHIN_ROUNDS, OF_ONE_SIDE = Wild(5, 4), Wild(6, 6)


def medians(values: Array) -> Array:
    """Median of each row, shape (k, n), n ≥ 1; for few values much faster than np.median."""
    ordered = np.sort(values, axis=1)
    middle = values.shape[1] // 2
    if values.shape[1] % 2:
        return np.asarray(ordered[:, middle])
    return np.asarray((ordered[:, middle - 1] + ordered[:, middle]) / 2)


def mads(values: Array, centres: Array) -> Array:
    """Median absolute deviation of each row, scaled to a normal standard deviation."""
    return MAD_TO_SD * medians(np.abs(values - centres[:, None]))


def warm_up_lengths(values: Array) -> NDArray[np.int64]:
    """How many leading runs of each row still warm up; values shape (k, n), slow = large.

    A run is warming up while it lies above the median of the last half by more than
    3 · max(MAD · (1 + 8/h), 1 % of the median), h being the size of that half.
    """
    runs = values.shape[1]
    if runs < FEWEST_FOR_WARM_UP:
        return np.zeros(len(values), np.int64)
    first, half = values[:, : runs // 2], values[:, runs // 2 :]
    level = medians(half)
    spread = mads(half, level) * (1 + WIDER_WARM_UP / half.shape[1])
    limit = level + 3 * np.maximum(spread, 0.01 * np.abs(level))
    settled = first <= limit[:, None]
    return np.asarray(np.where(settled.any(axis=1), settled.argmax(axis=1), first.shape[1]))


def screened(values: Array, rule: Wild = OF_ONE_SIDE) -> NDArray[np.bool_]:
    """Which values of each row stay, shape (k, n): wild ones go, never more than a fifth."""
    runs = values.shape[1]
    keep = np.ones(values.shape, bool)
    if runs < FEWEST_TO_SCREEN:
        return keep
    centres = medians(values)
    limit = rule.factor * mads(values, centres) * (1 + rule.wider / runs)
    wild = np.abs(values - centres[:, None]) > limit[:, None]
    trusted = (limit > 0) & (wild.sum(axis=1) <= max(1, runs // 5))
    return np.asarray(~(wild & trusted[:, None]))


def trend_z(values: Array) -> Array:
    """Mann-Kendall z of each row, shape (k, n); 0 below 5 values."""
    n = values.shape[1]
    if n < FEWEST_FOR_TREND:
        return np.zeros(len(values))
    earlier, later = np.triu_indices(n, 1)
    first, second = values[:, earlier], values[:, later]
    score = (second > first).sum(axis=1) - (second < first).sum(axis=1)
    spread = math.sqrt(n * (n - 1) * (2 * n + 5) / 18)
    return np.asarray((score - np.sign(score)) / spread)


def wild_text(metric: Metric, values: Array, wild: Sequence[int]) -> str:
    """What is said of readings that are set apart, `wild` of the values of one side; empty where
    none is twice what the others are, or half.

    >>> from yardstick_core.readings import METRICS
    >>> values = np.array([1.0, 1.02, 0.98, 1.0, 30.0])
    >>> wild_text(METRICS["duration"], values, [4]).replace(text.THIN, " ")
    '1 run is set apart: 30.0 s, the others about 1.00 s'
    """
    middle = float(np.median(np.delete(values, wild)))
    far = sorted(float(values[place]) for place in wild)
    if not any(max(value, middle) > FAR * min(value, middle) for value in far):
        return ""
    told = " and ".join(text.quantity(metric, value) for value in far)
    runs = "1 run is" if len(far) == 1 else f"{len(far)} runs are"
    return f"{runs} set apart: {told}, the others about {text.quantity(metric, middle)}"
