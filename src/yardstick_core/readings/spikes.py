"""Spikes of a run one by one, each with what happened at that moment."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yardstick_core.record import RunRecord
from yardstick_core.streams.chunk import Instants, Values
from yardstick_core.streams.counters import MIB

#: An input is named where the spike ends no later than this after it.
AFTER_INPUT_NS = 1_000_000_000
#: Counters are sampled five times a second: what they say of a frame is known no closer than this.
AROUND_NS = 200_000_000
FOREIGN_CORES = 0.1
WRITTEN_MIB = 0.1


@dataclass(frozen=True, slots=True)
class Spike:
    """A frame that counts as stutter: when it ended (ns), how long it took, and what was going on.

    `after` is the last input before its end, none where that is longer ago than a second;
    `foreign_cores` and `disk_mib` are what other programs took and what the subject wrote to disk
    around it, 0 where it was next to nothing.
    """

    at_ns: int
    ms: float
    step: str = ""
    after: str = ""
    since_ms: float = 0.0
    foreign_cores: float = 0.0
    disk_mib: float = 0.0


def explained(run: RunRecord, ends_ns: Instants, times_ms: Values) -> list[Spike]:
    """Spikes, shape (k,), with what the record of their run says of each moment."""
    instants = np.array([i.at_ns for i in run.inputs], np.int64)
    steps = [s for s in run.stretches if s.kind == "step"]
    foreign = run.counters.get("machine.foreign_seconds")
    written = run.counters.get("subject.bytes_written")
    found = []
    for end, ms in zip(ends_ns.tolist(), np.asarray(times_ms, float).tolist(), strict=True):
        before = int(np.searchsorted(instants, end)) - 1
        since = end - int(instants[before]) if before >= 0 else AFTER_INPUT_NS + 1
        asked = since <= AFTER_INPUT_NS
        start = end - round(ms * 1e6)
        cores = _rate(foreign, start, end)
        mib = _grown(written, start, end) / MIB
        found.append(
            Spike(
                end,
                ms,
                next((s.name for s in steps if s.start_ns < end <= s.end_ns), ""),
                run.inputs[before].what if asked else "",
                since / 1e6 if asked else 0.0,
                cores if cores >= FOREIGN_CORES else 0.0,
                mib if mib >= WRITTEN_MIB else 0.0,
            )
        )
    return found


def _grown(counter: tuple[Instants, Values] | None, start: int, end: int) -> float:
    if counter is None or not len(counter[0]):
        return 0.0
    first, last = np.interp([start - AROUND_NS, end + AROUND_NS], *counter)
    return float(max(0.0, last - first))


def _rate(counter: tuple[Instants, Values] | None, start: int, end: int) -> float:
    return _grown(counter, start, end) / ((end - start + 2 * AROUND_NS) / 1e9)
