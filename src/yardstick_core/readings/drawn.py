"""The series of a run as they are drawn: frame times without idle time, spikes, rates, amounts."""

from __future__ import annotations

import numpy as np

from yardstick_core.readings.derive import worked_frames
from yardstick_core.readings.latency import latencies_ms
from yardstick_core.record import RunRecord
from yardstick_core.streams.chunk import Instants
from yardstick_core.streams.counters import drawn, drawn_name
from yardstick_core.streams.overview import Points, plain

FRAMES, SPIKES, IDLE, LATENCY = "frames", "spikes", "idle", "key_to_picture"
_EVER = 2**62


def drawn_series(run: RunRecord) -> dict[str, Points]:
    """Every series of a run, each sample a point; by name, counters by what they draw.

    Values: ms for `frames`, `spikes` (frames that stutter), `key_to_picture` (at each input that
    was answered) and `idle` (at the end of each gap that was cut out); counters as
    `streams.counters` says.
    """
    found = {}
    if len(run.frames_ns) > 1:
        worked = worked_frames(run, 0, _EVER)
        ends, times = worked.ends_ns, worked.times_ms
        spikes = worked.spikes
        found[FRAMES] = plain(ends, times)
        found[SPIKES] = plain(ends[spikes], times[spikes])
        gaps = (worked.idle_ns[:, 1] - worked.idle_ns[:, 0]) / 1e6
        found[IDLE] = plain(worked.idle_ns[:, 1], gaps)
    found[LATENCY] = latency_series(run)
    return found | counter_series(run)


def latency_series(run: RunRecord) -> Points:
    """Key to picture of the inputs that were answered within a second, ms."""
    instants: Instants = np.array([i.at_ns for i in run.inputs], np.int64)
    delays = latencies_ms(instants, run.frames_ns)
    answered = np.isfinite(delays)
    return plain(instants[answered], delays[answered])


def counter_series(run: RunRecord) -> dict[str, Points]:
    """The counters of a run as they are drawn."""
    return {
        drawn_name(name): plain(*drawn(name, *counter)) for name, counter in run.counters.items()
    }
