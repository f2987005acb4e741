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
SETTLED_MEMORY = define(
    "settled_memory", "settled memory", "MiB", "lower",
    "median resident memory over the last quarter of the stretch, once two seconds have passed "
    "in which it moved by less than 1 % of itself per second",
    material_amount=1, minimum="2 s of standing still",
)  # fmt: skip
UNIQUE_MEMORY = define(
    "unique_memory", "memory of its own", "MiB", "lower",
    "largest memory in the stretch that only the subject and its children use; sampled once a "
    "second",
    material_amount=1,
)  # fmt: skip
PROPORTIONAL_MEMORY = define(
    "proportional_memory", "memory, shared parts divided", "MiB", "lower",
    "largest memory in the stretch with pages shared by several programs divided among them; "
    "sampled once a second",
    material_amount=1,
)  # fmt: skip
FOREIGN_MEMORY = define(
    "foreign_memory", "memory of everything else", "MiB", "lower",
    "memory in use on the whole machine less the resident memory of the subject, median",
    judged=False,
)  # fmt: skip


def largest(counter: tuple[Instants, Values], start_ns: int, end_ns: int) -> float | None:
    """Largest sample of a stretch; None where no sample above zero lies in it."""
    instants, values = counter
    inside = values[(instants >= start_ns) & (instants <= end_ns)]
    return float(inside.max()) if len(inside) and inside.max() > 0 else None


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
