"""Settled values: what a counter shows once it has stopped moving."""

from __future__ import annotations

import numpy as np

from yardstick_core.streams.chunk import Instants, Values

WINDOW_NS = 2_000_000_000
STILL_PER_S = 0.01


def settled_value(instants: Instants, values: Values, start_ns: int, end_ns: int) -> float | None:
    """Median of the last quarter of a stretch, from where the counter has settled.

    It has settled once 2 s pass in which the slope stays below 1 % of the level per second.
    None where it never does, or where nothing of the last quarter is left.
    """
    inside = (instants >= start_ns) & (instants <= end_ns)
    times, levels = instants[inside], values[inside]
    if len(times) < 3:
        return None
    still_from = _settles(times, levels)
    if still_from is None:
        return None
    last = levels[times >= max(still_from, end_ns - (end_ns - start_ns) // 4)]
    return float(np.median(last)) if len(last) else None


def _settles(times: Instants, levels: Values) -> int | None:
    """Start of the first window of 2 s in which the level stands still."""
    step = max(1, len(times) // 400)
    for first in range(0, len(times), step):
        last = int(np.searchsorted(times, times[first] + WINDOW_NS, side="right"))
        if last == len(times) and times[-1] < times[first] + WINDOW_NS * 0.97:
            return None
        if last - first < 3:
            continue
        seconds = (times[first:last] - times[first]) / 1e9
        centred = seconds - seconds.mean()
        window = levels[first:last].astype(float)
        slope = float(centred @ window) / float(centred @ centred)
        if abs(slope) < STILL_PER_S * abs(float(window.mean())):
            return int(times[first])
    return None
