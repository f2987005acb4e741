"""What the subject uses of the graphics processor, where its driver tells."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from yardstick_core.readings.memory import MIB, largest
from yardstick_core.readings.metric import METRICS, define, engine_busy
from yardstick_core.readings.processor import seconds_between
from yardstick_core.streams.chunk import Instants, Values
from yardstick_core.streams.counters import engine_of

GRAPHICS_SECONDS = define(
    "graphics_seconds", "graphics time", "s", "lower",
    "time the engines of the graphics processor together worked for the subject and its children, "
    "as the driver counts it",
    material_amount=0.05,
)  # fmt: skip
GRAPHICS_MEMORY = define(
    "graphics_memory", "peak memory of the graphics card", "MiB", "lower",
    "most memory on the card that the subject and its children held at once, sampled",
    material_amount=1,
)  # fmt: skip
SHARED_GRAPHICS_MEMORY = define(
    "shared_graphics_memory", "peak memory shared with graphics", "MiB", "lower",
    "most of the machine's own memory that the subject and its children held for graphics at once "
    "in the stretch, sampled",
    material_amount=1,
)  # fmt: skip
CARD_BUSY = define(
    "card_busy", "graphics card busy", "%", "lower",
    "share of the time in which the busiest graphics card worked, for whatever program, mean",
    material_amount=1, on_logs=False, judged=False,
)  # fmt: skip
CARD_MEMORY = define(
    "card_memory", "memory of the graphics card in use", "MiB", "lower",
    "most memory in use on all graphics cards, by whatever program",
    judged=False,
)  # fmt: skip

_PEAKS = {
    "subject.graphics_dedicated": GRAPHICS_MEMORY,
    "subject.graphics_shared": SHARED_GRAPHICS_MEMORY,
    "graphics.memory_used": CARD_MEMORY,
}


def graphics_readings(
    counters: Mapping[str, tuple[Instants, Values]], start_ns: int, end_ns: int
) -> dict[str, float]:
    """By metric: seconds and shares by engine, MiB; empty where no driver told anything."""
    found: dict[str, float] = {}
    whole, elapsed = None, (end_ns - start_ns) / 1e9
    for name, counter in counters.items():
        engine = engine_of(name)
        seconds = seconds_between(counter, start_ns, end_ns) if engine else None
        if seconds is not None:
            found[engine_busy(engine)] = 100 * seconds / elapsed
            whole = (whole or 0.0) + seconds
    if whole is not None:
        found[GRAPHICS_SECONDS.key] = whole
    for name, metric in _PEAKS.items():
        most = largest(counters[name], start_ns, end_ns) if name in counters else None
        if most is not None:
            found[metric.key] = most / MIB
    if "graphics.busy_percent" in counters:
        instants, values = counters["graphics.busy_percent"]
        inside = values[(instants >= start_ns) & (instants <= end_ns)]
        if len(inside):
            found[CARD_BUSY.key] = float(np.mean(inside))
    return {key: value for key, value in found.items() if key in METRICS}
