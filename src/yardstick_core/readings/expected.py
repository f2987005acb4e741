"""What a session will yield readings of, before any run: what its script times, and the whole."""

from __future__ import annotations

from collections.abc import Iterable

from yardstick_core.readings import durations, frames, latency, memory, processor
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.metric import Metric
from yardstick_core.script.outline import Stretch

OF_TIMINGS = (durations.DURATION, processor.PROCESSOR_SECONDS)
OF_FRAMES = (
    frames.AVERAGE_RATE, frames.ONE_PERCENT_LOW, frames.STUTTER_SHARE, frames.MEDIAN, frames.P95,
    frames.P99, frames.EVENNESS, latency.LATENCY_MEDIAN, latency.LATENCY_P95,
)  # fmt: skip
OF_THE_WHOLE = (memory.PEAK_MEMORY, memory.END_MEMORY, processor.PROCESSOR_SECONDS)


def expected(stretches: Iterable[Stretch]) -> list[tuple[tuple[str, ...], Metric]]:
    """Stretches and metrics that people predict, of a session that times these stretches.

    Not all that will be read: what needs a certain length or number of runs is left out.
    """
    found = [
        (stretch.path, metric)
        for stretch in stretches
        for metric in (OF_FRAMES if stretch.kind == "frames" else OF_TIMINGS)
    ]
    return [*found, *(((WHOLE,), metric) for metric in OF_THE_WHOLE)]
