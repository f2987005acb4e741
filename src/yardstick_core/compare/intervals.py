"""Intervals for the shift of a candidate against a baseline, B − A, for many metrics at once.

Every function takes one row a metric and works on all rows together.
Sources: Welch 1947; Hodges & Lehmann 1963 with the exact distribution of Mann & Whitney 1947.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import special

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]

T_WITHIN_ROUNDS, WELCH_T, RANKS = "t within rounds", "Welch t", "Hodges-Lehmann, exact"


@dataclass(frozen=True, slots=True)
class Interval:
    """Estimate with limits and the two-sided p of the same test; `spread` is the standard error."""

    estimate: float
    low: float
    high: float
    p: float
    method: str
    spread: float = float("nan")
    df: float = float("nan")

    def contains(self, value: float) -> bool:
        return self.low <= value <= self.high

    def times(self, factor: float) -> Interval:
        """The same on a scale that is `factor` (above 0) times as fine."""
        return replace(
            self,
            estimate=self.estimate * factor,
            low=self.low * factor,
            high=self.high * factor,
            spread=self.spread * factor,
        )


@dataclass(frozen=True, slots=True)
class Intervals:
    """Intervals of k metrics by one method, each array of shape (k,).

    `floor` is the least variance that was taken for a single difference.
    """

    estimate: Array
    low: Array
    high: Array
    p: Array
    method: str
    spread: Array
    df: Array
    floor: Array | float = 0.0

    @classmethod
    def of(cls, single: Sequence[Interval]) -> Intervals:
        """Intervals of the same method side by side, at least one."""
        estimate, low, high, p, spread, df = (
            np.array([getattr(one, name) for one in single], np.float64)
            for name in ("estimate", "low", "high", "p", "spread", "df")
        )
        return cls(estimate, low, high, p, single[0].method, spread, df)

    def each(self) -> list[Interval]:
        columns = (self.estimate, self.low, self.high, self.p, self.spread, self.df)
        return [
            Interval(estimate, low, high, p, self.method, spread, df)
            for estimate, low, high, p, spread, df in zip(
                *(column.tolist() for column in columns), strict=True
            )
        ]

    def reversed(self) -> Intervals:
        """The same seen from the other side: gains in place of losses."""
        return Intervals(
            -self.estimate, -self.high, -self.low, self.p, self.method, self.spread, self.df,
            self.floor,
        )  # fmt: skip


def _t_intervals(
    estimate: Array, spread: Array, df: Array, alpha: float, method: str, floor: Array | float
) -> Intervals:
    reach = special.stdtrit(df, 1 - alpha / 2) * spread
    certain = spread == 0
    with np.errstate(divide="ignore", invalid="ignore"):
        p = 2 * special.stdtr(df, -np.abs(estimate) / spread)
    p = np.where(certain, (estimate == 0).astype(float), p)
    return Intervals(estimate, estimate - reach, estimate + reach, p, method, spread, df, floor)


def welch(
    a: Array,
    b: Array,
    alpha: float = 0.05,
    keep_a: Mask | None = None,
    keep_b: Mask | None = None,
    floor: Array | float = 0.0,
) -> Intervals:
    """Welch t intervals for mean(b) − mean(a); a shape (k, n), b shape (k, m), n, m ≥ 2.

    `floor`: the least variance to take for the difference of two readings, half of it a side.
    """
    na, mean_a, var_a = moments(a, keep_a)
    nb, mean_b, var_b = moments(b, keep_b)
    half = np.asarray(floor) / 2
    va, vb = np.maximum(var_a, half) / na, np.maximum(var_b, half) / nb
    total = va + vb
    with np.errstate(divide="ignore", invalid="ignore"):
        df = total**2 / (va**2 / (na - 1) + vb**2 / (nb - 1))
    df = np.where(total > 0, df, na + nb)
    return _t_intervals(mean_b - mean_a, np.sqrt(total), df, alpha, WELCH_T, floor)


def paired(
    differences: Array,
    alpha: float = 0.05,
    keep: Mask | None = None,
    floor: Array | float = 0.0,
) -> Intervals:
    """t intervals for the mean of differences taken within rounds, shape (k, n), n ≥ 2.

    `floor`: the least variance to take for one difference.
    """
    n, mean, variance = moments(differences, keep)
    spread = np.sqrt(np.maximum(variance, floor) / n)
    return _t_intervals(mean, spread, n - 1, alpha, T_WITHIN_ROUNDS, floor)


def moments(values: Array, keep: Mask | None) -> tuple[Array, Array, Array]:
    """Number, mean and variance of what is kept of each row, shapes (k,)."""
    if keep is None or keep.all():
        count = np.full(len(values), float(values.shape[1]))
        mean = values.sum(axis=1) / count
        off = values - mean[:, None]
    else:
        count = keep.sum(axis=1).astype(float)
        mean = np.where(keep, values, 0.0).sum(axis=1) / count
        off = np.where(keep, values - mean[:, None], 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        variance = np.einsum("ij,ij->i", off, off) / (count - 1)
    return count, mean, variance


@lru_cache(maxsize=256)
def _mann_whitney_tail(n: int, m: int) -> Array:
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
    return np.asarray(np.cumsum(counts) / counts.sum())


def hodges_lehmann(
    a: Array,
    b: Array,
    alpha: float = 0.05,
    longer_a: Mask | None = None,
    longer_b: Mask | None = None,
) -> Intervals:
    """Hodges-Lehmann shifts of b (k, m) against a (k, n) with exact Mann-Whitney limits.

    `longer_a` (n,) and `longer_b` (m,) mark runs whose values are known only to be exceeded
    ("longer than"): each of their differences is bounded on one side only, so that limits, and the
    estimate, may be infinite. `spread` is the standard error of as wide a t interval; NaN where a
    limit is infinite.
    """
    n, m = a.shape[1], b.shape[1]
    lowest = (b[:, None, :] - a[:, :, None]).reshape(len(a), n * m)
    highest = lowest
    if (longer_a is not None and longer_a.any()) or (longer_b is not None and longer_b.any()):
        highest = lowest.copy()
        if longer_a is not None:
            lowest[:, np.repeat(longer_a, m)] = -np.inf
        if longer_b is not None:
            highest[:, np.tile(longer_b, n)] = np.inf
        highest.sort(axis=1)
    lowest.sort(axis=1)
    tail = _mann_whitney_tail(n, m)
    size = n * m
    cut = int(np.searchsorted(tail, alpha / 2, side="right"))
    low = lowest[:, cut - 1] if cut else np.full(len(a), -np.inf)
    high = highest[:, size - cut] if cut else np.full(len(a), np.inf)
    below, above = _middle(lowest), _middle(highest)
    with np.errstate(invalid="ignore"):
        both = (below + above) / 2
    estimate = np.where(
        np.isfinite(below) & np.isfinite(above), both, np.where(np.isfinite(below), below, above)
    )
    surely_up, surely_down = (lowest > 0).sum(axis=1), (highest < 0).sum(axis=1)
    p = np.minimum(1.0, 2 * np.minimum(tail[size - surely_up], tail[size - surely_down]))
    df = np.full(len(a), float(n + m - 2))
    with np.errstate(invalid="ignore"):
        spread = np.where(
            np.isfinite(low) & np.isfinite(high),
            (high - low) / (2 * special.stdtrit(df, 1 - alpha / 2)),
            np.nan,
        )
    return Intervals(estimate, low, high, p, RANKS, spread, df)


def _middle(ordered: Array) -> Array:
    """Median of rows already in order; the infinite one where the middle two are."""
    middle = ordered.shape[1] // 2
    right = ordered[:, middle]
    if ordered.shape[1] % 2:
        return np.asarray(right)
    left = ordered[:, middle - 1]
    with np.errstate(invalid="ignore"):
        return np.where(left == right, left, (left + right) / 2)
