"""Metrics of rare events: most runs tie at a bound, nothing happened, and a few do not.

Stutter, spikes, dropped pictures, time on target. Where most readings are the same a t interval
has no width and says *level* although the next run may show an event: with 25 % of runs hitchy on
one side alone, 23 % of studies with five rounds saw none. So each side is given one run more, with
an event nearly as large as the largest seen, and nothing is said of fewer than four events.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import special

from yardstick_core.compare.intervals import Array, Intervals, Mask
from yardstick_core.readings.metric import Metric

WELCH_ONE_MORE = "Welch t, one more run a side"
#: With fewer readings off the bound than this there is no interval.
FEWEST_EVENTS = 4
#: So large is the event of the additional run, as a share of the largest seen.
ONE_MORE = 0.7
#: From this share of readings at the bound on, a metric is one of rare events.
TIED_SHARE = 0.2
#: With so many runs a side and no event at all they are level: it is known at 95 % that fewer than
#: a quarter of the runs of a side would have one, 0.75¹¹ = 4.2 %. How large one would be nobody
#: knows, so that there is no interval.
ENOUGH_WITHOUT = 11


def of_rare_events(metrics: Sequence[Metric], a: Array, b: Array) -> Mask:
    """Which rows tie at their bound; a shape (k, n), b shape (k, m), values in their own unit."""
    bounds = _bounds(metrics)
    tied = (a == bounds).sum(axis=1) + (b == bounds).sum(axis=1)
    return np.asarray(tied >= TIED_SHARE * (a.shape[1] + b.shape[1]))


def _bounds(metrics: Sequence[Metric]) -> Array:
    return np.array([[metric.bound] for metric in metrics], np.float64)


def event_counts(metrics: Sequence[Metric], a: Array, b: Array) -> Array:
    """How many readings of each row are off the bound, both sides together, shape (k,)."""
    bounds = _bounds(metrics)
    return np.asarray((a != bounds).sum(axis=1) + (b != bounds).sum(axis=1))


def one_more_run(metrics: Sequence[Metric], a: Array, b: Array, alpha: float) -> Intervals:
    """Intervals for mean(b) − mean(a), with one additional run a side for the spread."""
    bounds = _bounds(metrics)
    off = np.concatenate([a, b], axis=1) - bounds
    places = np.abs(off).argmax(axis=1)[:, None]
    event = bounds + ONE_MORE * np.take_along_axis(off, places, axis=1)
    errors = [
        np.concatenate([side, event], axis=1).var(axis=1, ddof=1) / side.shape[1] for side in (a, b)
    ]
    total = errors[0] + errors[1]
    spread = np.sqrt(total)
    with np.errstate(divide="ignore", invalid="ignore"):
        df = total**2 / (errors[0] ** 2 / (a.shape[1] - 1) + errors[1] ** 2 / (b.shape[1] - 1))
        estimate = b.mean(axis=1) - a.mean(axis=1)
        p = 2 * special.stdtr(df, -np.abs(estimate) / spread)
    reach = special.stdtrit(df, 1 - alpha / 2) * spread
    return Intervals(estimate, estimate - reach, estimate + reach, p, WELCH_ONE_MORE, spread, df)
