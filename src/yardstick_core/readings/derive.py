"""From a recorded run to its readings: every metric of every stretch that has the data for it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yardstick_core.readings import durations, latency, memory, processor
from yardstick_core.readings.frames import ONE_PERCENT_LOW, P99, all_frame_readings
from yardstick_core.readings.idle import cut_idle, frame_times
from yardstick_core.record import FINISHED, RunRecord, StretchRecord

WHOLE = "Whole session"
FEWEST_INPUTS = 5


@dataclass(frozen=True, slots=True)
class Reading:
    """One number of one run.

    `plus_minus` is the half-width of what the way of reading leaves unknown, in the same unit.
    `longer_than` marks a duration whose end was never reached.
    """

    stretch: tuple[str, ...]
    metric: str
    value: float
    plus_minus: float = 0.0
    longer_than: bool = False
    warning: str = ""


def derive(run: RunRecord) -> list[Reading]:
    """All readings of a run, in the order of its stretches."""
    readings: list[Reading] = []
    whole = whole_stretch(run)
    for stretch in run.stretches:
        if stretch.kind == "time":
            readings.append(_duration(stretch))
            readings += _processor(run, stretch, with_cores=False)
        elif stretch.kind == "frames" and not stretch.longer_than:
            readings += _frames(run, stretch)
            readings += _latency(run, stretch)
            readings += _processor(run, stretch, with_cores=True)
    if whole is not None and run.outcome == FINISHED:
        readings += _processor(run, whole, with_cores=False)
        readings += _memory(run, whole)
        readings += _foreign(run, whole)
    return readings


def whole_stretch(run: RunRecord) -> StretchRecord | None:
    """The run from its first step to its last, or None where it has no step."""
    steps = [stretch for stretch in run.stretches if stretch.kind == "step"]
    if not steps:
        return None
    return StretchRecord(
        "step", (WHOLE,), min(s.start_ns for s in steps), max(s.end_ns for s in steps)
    )


def stretch_readings(run: RunRecord, start_ns: int, end_ns: int) -> list[Reading]:
    """Readings of any stretch of time of a run, chosen by hand."""
    stretch = StretchRecord("selection", ("selection",), start_ns, end_ns)
    return (
        _frames(run, stretch)
        + _latency(run, stretch)
        + _processor(run, stretch, with_cores=True)
        + _memory(run, stretch)
        + _foreign(run, stretch)
    )


def _duration(stretch: StretchRecord) -> Reading:
    return Reading(
        stretch.path,
        durations.DURATION.key,
        stretch.duration_s,
        stretch.plus_minus_ns / 1e9,
        stretch.longer_than,
        "never reached its end" if stretch.longer_than else "",
    )


def _frames(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    ends, times = frame_times(run.frames_ns, stretch.start_ns, stretch.end_ns)
    if stretch.kind != "frames":
        _, times, _ = cut_idle(ends, times, _input_instants(run, stretch))
    few = "fewer than 1,000 frames: lows are flattered" if len(times) < 1000 else ""
    return [
        Reading(
            stretch.path, key, value, warning=few if key in (ONE_PERCENT_LOW.key, P99.key) else ""
        )
        for key, value in all_frame_readings(times).items()
    ]


def _input_instants(
    run: RunRecord, stretch: StretchRecord
) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    return np.array(
        [i.at_ns for i in run.inputs if stretch.start_ns <= i.at_ns <= stretch.end_ns], np.int64
    )


def _latency(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    delays = latency.latencies_ms(_input_instants(run, stretch), run.frames_ns)
    delays = delays[np.isfinite(delays)]
    if len(delays) < FEWEST_INPUTS:
        return []
    median, p95 = np.percentile(delays, [50, 95])
    return [
        Reading(stretch.path, latency.LATENCY_MEDIAN.key, float(median), 0.3),
        Reading(stretch.path, latency.LATENCY_P95.key, float(p95), 0.3),
    ]


def _processor(run: RunRecord, stretch: StretchRecord, *, with_cores: bool) -> list[Reading]:
    counter = run.counters.get("subject.processor_seconds")
    if counter is None or stretch.longer_than or stretch.end_ns <= stretch.start_ns:
        return []
    seconds = processor.seconds_between(counter, stretch.start_ns, stretch.end_ns)
    if seconds is None or seconds <= 0:
        return []
    found = [Reading(stretch.path, processor.PROCESSOR_SECONDS.key, seconds, 0.01)]
    if with_cores:
        cores = seconds / stretch.duration_s
        found.append(
            Reading(stretch.path, processor.PROCESSOR_CORES.key, cores, 0.01 / stretch.duration_s)
        )
    return found


def _memory(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    counter = run.counters.get("subject.resident")
    if counter is None:
        return []
    found = memory.memory_readings(counter, stretch.start_ns, stretch.end_ns)
    return [Reading(stretch.path, key, value) for key, value in found.items()]


def _foreign(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    foreign = run.counters.get("machine.foreign_seconds")
    cores = run.counters.get("machine.cores")
    if foreign is None or cores is None or stretch.end_ns <= stretch.start_ns:
        return []
    seconds = processor.seconds_between(foreign, stretch.start_ns, stretch.end_ns)
    if seconds is None:
        return []
    share = 100 * max(0.0, seconds) / stretch.duration_s / float(cores[1][-1])
    return [Reading(stretch.path, processor.FOREIGN_SHARE.key, share)]
