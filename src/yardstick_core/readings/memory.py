"""Memory of the subject and its children."""

from __future__ import annotations

import numpy as np

from yardstick_core.readings.metric import define
from yardstick_core.streams.chunk import Instants, Values

MIB = 1024 * 1024
PEAK_MEMORY = define(
    "peak_memory", "peak memory", "MiB", "lower",
    "largest resident memory of the subject and its children in the stretch, sampled",
    material_amount=1, primary=True,
)  # fmt: skip
END_MEMORY = define(
    "end_memory", "memory at the end", "MiB", "lower",
    "median resident memory over the last half second of the stretch",
    material_amount=1,
)  # fmt: skip


def memory_readings(
    counter: tuple[Instants, Values], start_ns: int, end_ns: int
) -> dict[str, float]:
    """Peak and final memory of a stretch in MiB; empty where no sample lies in it."""
    instants, values = counter
    inside = (instants >= start_ns) & (instants <= end_ns) & (values > 0)
    if not inside.any():
        return {}
    last = inside & (instants >= end_ns - 500_000_000)
    ending = values[last] if last.any() else values[inside][-1:]
    return {
        PEAK_MEMORY.key: float(values[inside].max()) / MIB,
        END_MEMORY.key: float(np.median(ending)) / MIB,
    }
