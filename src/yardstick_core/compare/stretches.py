"""Stretches of runs side by side: readings of each, changes against the first, distributions.

A stretch is one piece of one run. It has no replicates, so no interval and no verdict: what differs
here is a hint for where to look, and the study's rounds say whether it holds.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare import text
from yardstick_core.readings.metric import METRICS, Metric

#: Shares of frames at which a quantile curve is given; closer together towards the slow end.
QUANTILES = tuple(
    float(share)
    for share in np.unique(
        np.round(
            np.r_[
                np.linspace(0, 0.95, 96), np.linspace(0.95, 0.99, 41), 1 - np.logspace(-2, -4, 41)
            ],
            6,
        )
    )
)
BINS = 48
_DUST = 1e-9
#: The histogram reaches from the quickest frames to this share of the slowest stretch's.
_SHOWN = 0.995


@dataclass(frozen=True, slots=True)
class Change:
    """What a reading is beside another of the same metric, in words; empty where there is none."""

    own: str
    percent: str
    times: str
    better: bool | None


@dataclass(frozen=True, slots=True)
class Histogram:
    """Share of the time of each stretch in frames of each length: edges (n + 1,) in ms."""

    edges_ms: NDArray[np.float64]
    shares: list[NDArray[np.float64]]


def change(metric: Metric, first: float | None, other: float | None) -> Change | None:
    """The change from one reading to another; None where either is missing."""
    if first is None or other is None:
        return None
    difference = other - first
    if abs(difference) < _DUST * max(abs(first), abs(other)):
        difference, other = 0.0, first
    better = None if difference == 0 else (difference > 0) == metric.higher_is_better
    if not metric.on_logs or first <= 0 or other <= 0:
        return Change(text.signed(metric, difference), "", "", better)
    ratio = other / first
    return Change(
        text.signed(metric, difference),
        text.percent(ratio),
        text.times_as(metric, ratio),
        better,
    )


def side_by_side(readings: list[dict[str, float]]) -> list[dict[str, Any]]:
    """A line for every metric that any of the stretches has: values, words, changes.

    `readings`: by metric, one dictionary a stretch, shape (n,).
    """
    keys = list(dict.fromkeys(key for found in readings for key in found))
    lines = []
    for key in keys:
        metric = METRICS[key]
        values = [found.get(key) for found in readings]
        lines.append(
            {
                "metric": key,
                "name": metric.name,
                "definition": metric.definition,
                "higher_is_better": metric.higher_is_better,
                "values": values,
                "text": ["" if v is None else text.quantity(metric, v) for v in values],
                "changes": [change(metric, values[0], v) for v in values],
            }
        )
    return lines


def quantile_curve(times_ms: NDArray[np.float64]) -> list[float]:
    """Frame time at each share of `QUANTILES`, ms; empty below three frames."""
    if len(times_ms) < 3:
        return []
    return [float(value) for value in np.quantile(times_ms, QUANTILES)]


def histogram(stretches: list[NDArray[np.float64]]) -> Histogram:
    """Share of the time spent in frames of each length, the same bins for all stretches.

    By time and not by number: a second of slow frames weighs as much as a second of quick ones.
    Bins are evenly spaced on logs; the last holds all that is longer as well.
    """
    there = [times for times in stretches if len(times) > 2]
    if not there:
        return Histogram(np.empty(0), [np.empty(0) for _ in stretches])
    longest = max(float(np.quantile(times, _SHOWN)) for times in there)
    shortest = min(float(times.min()) for times in there)
    shortest = max(shortest, 1e-3)
    edges = np.geomspace(shortest, max(longest, shortest * 1.01), BINS + 1)
    shares = []
    for times in stretches:
        clipped = np.clip(times, edges[0], edges[-1])
        spent, _ = np.histogram(clipped, edges, weights=times)
        shares.append(spent / max(float(times.sum()), 1e-9))
    return Histogram(edges, shares)
