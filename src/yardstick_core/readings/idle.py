"""Tells waiting from working: gaps in which nothing was asked for are not slow frames."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from yardstick_core.readings.frames import spike_mask

IDLE_GAP_MS = 250.0
#: A stretch that ends without a picture for so long ends in a freeze that people notice.
FREEZE_MS = 100.0

Instants = NDArray[np.int64]
FrameTimes = NDArray[np.float64]


@dataclass(frozen=True)
class Worked:
    """Frames that were worked for, and the gaps that were cut out.

    `ends_ns` and `times_ms` have shape (m,); `idle_ns` has shape (k, 2): start and end of each gap.
    """

    ends_ns: Instants
    times_ms: FrameTimes
    idle_ns: Instants

    @property
    def idle_s(self) -> float:
        return float((self.idle_ns[:, 1] - self.idle_ns[:, 0]).sum()) / 1e9

    @cached_property
    def spikes(self) -> NDArray[np.bool_]:
        """Which of the frames are spikes, shape (m,)."""
        return spike_mask(self.times_ms)


def frame_times(frames_ns: Instants, start_ns: int, end_ns: int) -> tuple[Instants, FrameTimes]:
    """Frames whose end lies in (start, end]: their end instants (k,), ns, and times (k,), ms.

    The first is counted from the start of the stretch where it began before it.
    """
    low = max(1, int(np.searchsorted(frames_ns, start_ns, side="right")))
    high = int(np.searchsorted(frames_ns, end_ns, side="right"))
    if high <= low:
        return frames_ns[low:high], np.empty(0)
    times = np.diff(frames_ns[low - 1 : high]) / 1e6
    times[0] = (frames_ns[low] - max(int(frames_ns[low - 1]), start_ns)) / 1e6
    return frames_ns[low:high], times


def with_freezes(frames_ns: Instants, wanted: list[tuple[int, int]]) -> Instants:
    """The instants of the pictures, and the end of each wanted stretch that ends in a freeze.

    A picture that never came has taken at least until the end of what it was wanted in. Where that
    is no longer than others of the stretch, or nothing that anyone notices, it would have come soon
    after. Of a run without any picture nothing is said: none was recorded.
    """
    if not len(frames_ns):
        return frames_ns
    ends = []
    for start, end in wanted:
        low, high = np.searchsorted(frames_ns, [start, end], side="right")
        inside = frames_ns[low:high]
        last = int(inside[-1]) if len(inside) else start
        longest = float(np.diff(inside).max()) / 1e6 if len(inside) > 1 else 0.0
        left = (end - last) / 1e6
        if left > max(longest, FREEZE_MS):
            ends.append(end)
    if not ends:
        return frames_ns
    return np.asarray(np.union1d(frames_ns, np.array(ends, np.int64)))


def cut_idle(
    ends_ns: Instants,
    times_ms: FrameTimes,
    inputs_ns: Instants,
    wanted: list[tuple[int, int]] | None = None,
) -> Worked:
    """Frames without the time in which no picture was asked for.

    A gap longer than 250 ms is idle until the first input in it: the frame that ends it is counted
    from that input. A gap without any input is idle as a whole and no frame ends it. In the
    stretches `wanted`, start and end in ns, pictures are wanted all the time: a gap that ends there
    is idle only as far as it lies before.
    """
    long = np.flatnonzero(times_ms > IDLE_GAP_MS)
    ends = ends_ns[long]
    starts = ends - np.rint(times_ms[long] * 1e6).astype(np.int64)
    first = np.searchsorted(inputs_ns, starts, side="left")
    asked_at = np.append(inputs_ns, np.iinfo(np.int64).max)[first]
    for start, end in wanted or ():
        inside = (ends > start) & (ends <= end)
        asked_at[inside] = np.minimum(asked_at[inside], np.maximum(starts[inside], start))
    idle = asked_at > starts
    long, ends, starts, asked_at = long[idle], ends[idle], starts[idle], asked_at[idle]
    if not len(long):
        return Worked(ends_ns, times_ms, np.empty((0, 2), np.int64))
    unasked = asked_at > ends
    times = times_ms.copy()
    times[long[~unasked]] = (ends - asked_at)[~unasked] / 1e6
    kept = np.ones(len(times), bool)
    kept[long[unasked]] = False
    gaps = np.stack([starts, np.minimum(asked_at, ends)], axis=1)
    return Worked(ends_ns[kept], times[kept], gaps)
