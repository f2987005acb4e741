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
) -> tuple[NDArray[np.int64], NDArray[np.float64], float]:
    """Frames that were worked for: their ends (m,), ns, and times (m,), ms; idle time cut out, ms.

    A gap longer than 250 ms is idle until the first input in it: the frame that ends it is counted
    from that input. A gap without any input is idle as a whole and no frame ends it.
    """
    starts = ends_ns - np.rint(times_ms * 1e6).astype(np.int64)
    first = np.searchsorted(inputs_ns, starts, side="left")
    asked_at = np.append(inputs_ns, np.iinfo(np.int64).max)[first]
    long = times_ms > IDLE_GAP_MS
    unasked = long & (asked_at > ends_ns)
    counted = np.where(long & ~unasked, (ends_ns - asked_at) / 1e6, times_ms)
    idle_ms = float((times_ms - counted)[~unasked].sum() + times_ms[unasked].sum())
    return ends_ns[~unasked], counted[~unasked], idle_ms
