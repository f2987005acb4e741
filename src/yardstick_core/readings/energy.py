"""Energy that the machine took, where it has meters: all of it, whatever program it was for."""

from __future__ import annotations

from collections.abc import Mapping

from yardstick_core.readings.metric import define
from yardstick_core.readings.processor import seconds_between
from yardstick_core.streams.chunk import Instants, Values

ENERGY = define(
    "energy", "energy of the processor", "J", "lower",
    "joules that processor and memory took, as their own meters count them; all programs together, "
    "rest included",
    material_amount=1,
)  # fmt: skip
POWER = define(
    "power", "power of the processor", "W", "lower",
    "energy of the processor over elapsed time",
    material_amount=0.5,
)  # fmt: skip
GRAPHICS_ENERGY = define(
    "graphics_energy", "energy of the graphics card", "J", "lower",
    "joules that the graphics cards took, as they count them or by the power that they tell",
    material_amount=1,
)  # fmt: skip
PLATFORM_ENERGY = define(
    "platform_energy", "energy of the whole machine", "J", "lower",
    "joules that the whole platform took, as its own meter counts them",
    material_amount=1,
)  # fmt: skip
BATTERY_ENERGY = define(
    "battery_energy", "energy from the battery", "J", "lower",
    "joules that the battery gave, by the power it tells once a second",
    material_amount=5, minimum="a machine that runs on its battery",
)  # fmt: skip
STEP_ENERGY = define(
    "step_energy", "energy of the step", "J", "lower",
    "joules that processor and memory took from the start of a step to the start of the next; the "
    "steps add up to the session",
    judged=False,
)  # fmt: skip

_METERS = {
    "energy.graphics_joules": GRAPHICS_ENERGY,
    "energy.platform_joules": PLATFORM_ENERGY,
    "energy.battery_joules": BATTERY_ENERGY,
}
_PROCESSOR, _MEMORY = "energy.processor_joules", "energy.memory_joules"
Counters = Mapping[str, tuple[Instants, Values]]


def energy_readings(counters: Counters, start_ns: int, end_ns: int) -> dict[str, float]:
    """By metric, J and W; empty on a machine without meters."""
    found = {}
    joules = processor_joules(counters, start_ns, end_ns)
    if joules is not None:
        found[ENERGY.key] = joules
        found[POWER.key] = joules / ((end_ns - start_ns) / 1e9)
    for name, metric in _METERS.items():
        taken = seconds_between(counters[name], start_ns, end_ns) if name in counters else None
        if taken is not None:
            found[metric.key] = taken
    return found


def processor_joules(counters: Counters, start_ns: int, end_ns: int) -> float | None:
    """Joules of the processor, and of its memory where that has a meter; None without one."""
    known = [
        seconds_between(counters[name], start_ns, end_ns)
        for name in (_PROCESSOR, _MEMORY)
        if name in counters
    ]
    if _PROCESSOR not in counters or None in known:
        return None
    return float(sum(one for one in known if one is not None))
