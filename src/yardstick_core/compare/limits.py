"""Limits that hold where a t interval's do not: skew, unequal spread, a side that warms up.

Simulated (docs/calibration.md): with one side skewed, a t interval of 95 % covers 85-92 %; with
one side warming up longer than is cut off, 77-89 %. Everything here works on losses, positive =
the candidate is worse, with one row a metric; times of programs have their tails on that side.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy import special

from yardstick_core.compare.intervals import Array, Intervals, Mask, moments

#: From this imbalance of the variances on, |v_b − v_a| / (v_a + v_b), limits are widened, at most
#: by these shares: towards the tail of the side that spreads more, and away from it, where few runs
#: tell little of a tail (the second one over the number of runs, less the third).
UNEQUAL_FROM, TOWARDS_TAIL, AWAY_FROM_TAIL, AWAY_LESS = 0.7, 1.0, 4.0, 0.15
#: A difference must also be borne out by the later half of the runs, to so many standard errors.
LATER_HALF_ERRORS = 1.5


@dataclass(frozen=True, slots=True)
class Adjusted:
    """Intervals with limits that hold, and the rows which the later half does not bear out."""

    intervals: Intervals
    not_borne_out: Mask


@dataclass(frozen=True, slots=True)
class _Tails:
    """Standard errors of a mean from what lies below and above it, each of shape (k,)."""

    below: Array
    above: Array


def adjusted_paired(
    found: Intervals, a: Array, b: Array, alpha: float, keep: Mask | None = None
) -> Adjusted:
    """Limits for mean losses within rounds; a and b of shape (k, n) hold the rounds' values."""
    differences = b - a
    count, mean, variance = moments(differences, keep)
    tails = _tails(differences, mean, count, keep)
    low, high = _spread_factors(moments(a, keep)[2], moments(b, keep)[2], count)
    later = _later(a.shape, keep)
    held, half, _ = moments(differences, later)
    error = np.sqrt(np.maximum(variance, found.floor) / held)
    return _adjusted(found, tails, (low, high), half, error, alpha)


def adjusted_welch(
    found: Intervals,
    a: Array,
    b: Array,
    alpha: float,
    keep_a: Mask | None = None,
    keep_b: Mask | None = None,
) -> Adjusted:
    """The same for the difference of two means; a shape (k, n), b shape (k, m)."""
    (na, mean_a, var_a), (nb, mean_b, var_b) = moments(a, keep_a), moments(b, keep_b)
    left, right = _tails(a, mean_a, na, keep_a), _tails(b, mean_b, nb, keep_b)
    tails = _Tails(np.hypot(right.below, left.above), np.hypot(right.above, left.below))
    held_a, half_a, _ = moments(a, _later(a.shape, keep_a))
    held_b, half_b, _ = moments(b, _later(b.shape, keep_b))
    floor = found.floor / 2
    error = np.sqrt(np.maximum(var_a, floor) / held_a + np.maximum(var_b, floor) / held_b)
    factors = _spread_factors(var_a, var_b, np.minimum(na, nb))
    return _adjusted(found, tails, factors, half_b - half_a, error, alpha)


def _adjusted(
    found: Intervals,
    tails: _Tails,
    factors: tuple[Array, Array],
    half: Array,
    half_error: Array,
    alpha: float,
) -> Adjusted:
    quantile = special.stdtrit(found.df, 1 - alpha / 2)
    below = factors[0] * np.maximum(found.spread, tails.below)
    above = factors[1] * np.maximum(found.spread, tails.above)
    low, high = found.estimate - quantile * below, found.estimate + quantile * above
    first, last = half - LATER_HALF_ERRORS * half_error, half + LATER_HALF_ERRORS * half_error
    up = found.estimate > 0
    not_borne_out = np.where(up, (low > 0) & (first <= 0), (high < 0) & (last >= 0))
    with np.errstate(divide="ignore", invalid="ignore"):
        p = 2 * special.stdtr(found.df, -np.abs(found.estimate) / np.where(up, below, above))
    certain = np.where(up, below, above) == 0
    p = np.where(certain, found.p, np.where(not_borne_out, 1.0, p))
    low, high = np.minimum(low, first), np.maximum(high, last)
    spread = np.where(quantile > 0, (high - low) / (2 * quantile), found.spread)
    return Adjusted(replace(found, low=low, high=high, p=p, spread=spread), not_borne_out)


def _tails(values: Array, mean: Array, count: Array, keep: Mask | None) -> _Tails:
    off = values - mean[:, None]
    if keep is not None:
        off = np.where(keep, off, 0.0)
    scale = 2 / (count - 1) / count
    return _Tails(
        np.sqrt(scale * (np.minimum(off, 0) ** 2).sum(axis=1)),
        np.sqrt(scale * (np.maximum(off, 0) ** 2).sum(axis=1)),
    )


def _spread_factors(var_a: Array, var_b: Array, count: Array) -> tuple[Array, Array]:
    """By how much the lower and the upper limit of a loss reach further than by a t quantile."""
    total = var_a + var_b
    with np.errstate(divide="ignore", invalid="ignore"):
        imbalance = np.where(total > 0, (var_b - var_a) / total, 0.0)
    share = np.clip((np.abs(imbalance) - UNEQUAL_FROM) / (1 - UNEQUAL_FROM), 0, 1)
    candidates_tail = imbalance > 0
    away = np.maximum(AWAY_FROM_TAIL / count - AWAY_LESS, 0.05)
    return (
        1 + share * np.where(candidates_tail, away, TOWARDS_TAIL),
        1 + share * np.where(candidates_tail, TOWARDS_TAIL, away),
    )


def _later(shape: tuple[int, ...], keep: Mask | None) -> NDArray[np.bool_]:
    """What is kept of the later half of each row; at least its last value."""
    later = np.zeros(shape, bool)
    later[:, shape[1] // 2 :] = True
    if keep is None:
        return later
    kept = later & keep
    none = ~kept.any(axis=1)
    kept[none] = later[none]
    return kept
