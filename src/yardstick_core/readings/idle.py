"""Tells waiting from working: gaps in which nothing was asked for are not slow frames."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

IDLE_GAP_MS = 250.0


def frame_times(
    frames_ns: NDArray[np.int64], start_ns: int, end_ns: int
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Frames whose end lies in (start, end]: their end instants (k,), ns, and times (k,), ms.

    The first is counted from the start of the stretch where it began before it.
    """
    low = max(1, int(np.searchsorted(frames_ns, start_ns, side="right")))
    high = int(np.searchsorted(frames_ns, end_ns, side="right"))
    ends = frames_ns[low:high]
    begins = np.maximum(frames_ns[low - 1 : max(high - 1, low - 1)], start_ns)
    return ends, (ends - begins) / 1e6


def cut_idle(
    ends_ns: NDArray[np.int64], times_ms: NDArray[np.float64], inputs_ns: NDArray[np.int64]
) -> tuple[NDArray[np.bool_], float]:
    """Which frames count as worked for, shape (k,), and the idle time cut out, in ms.

    A gap is idle when it is longer than 250 ms and holds no input.
    """
    starts = ends_ns - (times_ms * 1e6).astype(np.int64)
    asked = np.searchsorted(inputs_ns, ends_ns, side="right") > np.searchsorted(
        inputs_ns, starts, side="left"
    )
    idle = (times_ms > IDLE_GAP_MS) & ~asked
    return ~idle, float(times_ms[idle].sum())
