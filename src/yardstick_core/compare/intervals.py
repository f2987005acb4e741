"""Intervals for the shift of a candidate against a baseline, B − A.

Sources: Welch 1947; Hodges & Lehmann 1963 with the exact distribution of Mann & Whitney 1947.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import special

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Interval:
    """Estimate with limits and the two-sided p of the same test; `spread` is the standard error."""

    estimate: float
    low: float
    high: float
    p: float
    method: str
    spread: float = float("nan")

    def contains(self, value: float) -> bool:
        return self.low <= value <= self.high


def _t_interval(estimate: float, spread: float, df: float, alpha: float, method: str) -> Interval:
    if spread == 0:
        return Interval(estimate, estimate, estimate, 1.0 if estimate == 0 else 0.0, method, 0.0)
    reach = float(special.stdtrit(df, 1 - alpha / 2)) * spread
    p = float(2 * special.stdtr(df, -abs(estimate) / spread))
    return Interval(estimate, estimate - reach, estimate + reach, p, method, spread)


def welch(a: Array, b: Array, alpha: float = 0.05) -> Interval:
    """Welch t interval for mean(b) − mean(a); a shape (n,), b shape (m,), n, m ≥ 2."""
    va, vb = a.var(ddof=1) / len(a), b.var(ddof=1) / len(b)
    total = va + vb
    df = total**2 / (va**2 / (len(a) - 1) + vb**2 / (len(b) - 1)) if total > 0 else len(a) + len(b)
    estimate = float(b.mean() - a.mean())
    return _t_interval(estimate, float(np.sqrt(total)), float(df), alpha, "Welch t")


def paired(differences: Array, alpha: float = 0.05) -> Interval:
    """t interval for the mean of differences taken within rounds, shape (n,), n ≥ 2."""
    spread = float(differences.std(ddof=1) / np.sqrt(len(differences)))
    df = len(differences) - 1
    return _t_interval(float(differences.mean()), spread, df, alpha, "t within rounds")


@lru_cache(maxsize=256)
def _mann_whitney_tail(n: int, m: int) -> tuple[float, ...]:
    """P(U ≤ u) for u = 0 … nm under no difference, exact."""
    counts = np.ones(1)
    for i in range(1, n + 1):
        rising = np.zeros(len(counts) + m + i)
        rising[: len(counts)] += counts
        rising[m + i : m + i + len(counts)] -= counts
        counts = rising
        for k in range(i, len(counts)):
            counts[k] += counts[k - i]
        counts = counts[: i * m + 1]
    return tuple(np.cumsum(counts) / counts.sum())


def hodges_lehmann(
    a: Array,
    b: Array,
    alpha: float = 0.05,
    longer_a: NDArray[np.bool_] | None = None,
    longer_b: NDArray[np.bool_] | None = None,
) -> Interval:
    """Hodges-Lehmann shift of b against a with exact Mann-Whitney limits.

    `longer_a`, `longer_b` mark values known only to be exceeded ("longer than"): each of their
    differences is bounded on one side only, so that limits, and the estimate, may be infinite.
    """
    differences = (b[None, :] - a[:, None]).ravel()
    lowest, highest = differences.copy(), differences.copy()
    if longer_a is not None:
        lowest[np.repeat(longer_a, len(b))] = -np.inf
    if longer_b is not None:
        highest[np.tile(longer_b, len(a))] = np.inf
    lowest, highest = np.sort(lowest), np.sort(highest)
    tail = _mann_whitney_tail(len(a), len(b))
    size = len(differences)
    cut = int(np.searchsorted(tail, alpha / 2, side="right"))
    low = float(lowest[cut - 1]) if cut else -np.inf
    high = float(highest[size - cut]) if cut else np.inf
    below, above = _median(lowest), _median(highest)
    if np.isfinite(below) and np.isfinite(above):
        estimate = (below + above) / 2
    else:
        estimate = below if np.isfinite(below) else above
    surely_up = int((lowest > 0).sum())
    surely_down = int((highest < 0).sum())
    p = min(1.0, 2 * min(tail[size - surely_up], tail[size - surely_down]))
    return Interval(estimate, low, high, p, "Hodges-Lehmann, exact")


def _median(ordered: Array) -> float:
    middle = len(ordered) // 2
    if len(ordered) % 2:
        return float(ordered[middle])
    left, right = ordered[middle - 1], ordered[middle]
    return float(left) if left == right else float((left + right) / 2)
