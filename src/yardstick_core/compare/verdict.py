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
MOST_ADVISED = 60


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
    inflate = math.sqrt((n - 1) / special.chdtri(n - 1, 0.75))
    single = gain.spread * math.sqrt(n) * inflate
    size = abs(gain.estimate)
    counts, reaches = _reach_by_runs(alpha)
    reach = reaches * single
    decided = (size > reach if size >= band else size + reach < band) & (counts > n)
    return int(counts[decided.argmax()]) if decided.any() else None


@lru_cache(maxsize=16)
def _reach_by_runs(alpha: float) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Numbers of runs, and for each the half-width of a t interval in single standard errors."""
    counts = np.arange(2, MOST_ADVISED + 1)
    return counts, special.stdtrit(counts - 1, 1 - alpha / 2) / np.sqrt(counts)
