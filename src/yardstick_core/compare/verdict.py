"""Verdicts: ahead, behind, level or open, from an interval and what matters."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import special

from yardstick_core.compare.intervals import Interval
from yardstick_core.readings.metric import Metric

AHEAD, BEHIND, LEVEL, OPEN = "ahead", "behind", "level", "open"
FEWEST_ADVISED, MOST_ADVISED = 2, 60


def materiality(metric: Metric, baseline: float) -> float:
    """The smallest difference that matters: on logs for ratio metrics, else in the own unit."""
    if not metric.on_logs:
        return metric.material_amount
    return math.log1p(max(metric.material_share, metric.material_amount / abs(baseline)))


def decide(gain: Interval, band: float) -> str:
    """Verdict for a gain (positive is better) with the band of what is too small to matter."""
    if -band < gain.low and gain.high < band:
        return LEVEL
    if not gain.contains(0) and abs(gain.estimate) >= band:
        return AHEAD if gain.estimate > 0 else BEHIND
    return OPEN


def benjamini_hochberg(p_values: list[float], alpha: float = 0.05) -> list[bool]:
    """Which of many tests stand at false discovery rate `alpha`."""
    if not p_values:
        return []
    order = np.argsort(p_values)
    limits = alpha * np.arange(1, len(order) + 1) / len(order)
    passing = np.flatnonzero(np.asarray(p_values)[order] <= limits)
    stands = np.zeros(len(order), bool)
    if len(passing):
        stands[order[: passing[-1] + 1]] = True
    return [bool(value) for value in stands]


def runs_to_decide(gain: Interval, band: float, n: int, alpha: float = 0.05) -> int | None:
    """Fewest runs a side whose predicted interval decides, or None where no sensible number does.

    The spread is inflated by √((n−1)/χ²₀.₂₅,ₙ₋₁), for it was itself measured on few runs.
    """
    if n < 2 or not np.isfinite(gain.spread):
        return None
    single = gain.spread * math.sqrt(n) * _inflation(n)
    size = abs(gain.estimate)
    most = (size if size >= band else band - size) / single if single else math.inf
    reaches = _reach_by_runs(alpha)
    # reaches fall with the number of runs: the first small enough is the answer
    place = len(reaches) - int(np.searchsorted(reaches[::-1], most, side="left"))
    counted = max(place + FEWEST_ADVISED, n + 1)
    return counted if counted <= MOST_ADVISED else None


@lru_cache(maxsize=128)
def _inflation(n: int) -> float:
    return math.sqrt((n - 1) / special.chdtri(n - 1, 0.75))


@lru_cache(maxsize=16)
def _reach_by_runs(alpha: float) -> NDArray[np.float64]:
    """Half-width of a t interval in single standard errors, for 2, 3, … 60 runs."""
    counts = np.arange(FEWEST_ADVISED, MOST_ADVISED + 1)
    return np.asarray(special.stdtrit(counts - 1, 1 - alpha / 2) / np.sqrt(counts))
