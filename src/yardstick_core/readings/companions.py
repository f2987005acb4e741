"""What the companions of the subject use: programs a script starts beside it, counted apart."""

from __future__ import annotations

from yardstick_core.readings.memory import MIB, largest
from yardstick_core.readings.metric import define
from yardstick_core.readings.processor import seconds_between
from yardstick_core.streams.chunk import Instants, Values

COMPANIONS_PROCESSOR = define(
    "companions_processor", "processor time of companions", "s", "lower",
    "time all cores together spent on the programs that the session started beside the subject",
    material_amount=0.05,
)  # fmt: skip
COMPANIONS_MEMORY = define(
    "companions_memory", "peak memory of companions", "MiB", "lower",
    "largest resident memory of the programs that the session started beside the subject",
    material_amount=1,
)  # fmt: skip

Counter = tuple[Instants, Values]


def companion_readings(
    counters: dict[str, Counter], start_ns: int, end_ns: int
) -> dict[str, float]:
    """By metric, where companions were started: s of processor time, MiB of memory."""
    found = {}
    used = counters.get("companions.processor_seconds")
    seconds = seconds_between(used, start_ns, end_ns) if used else None
    if seconds is not None:
        found[COMPANIONS_PROCESSOR.key] = seconds
    resident = counters.get("companions.resident")
    most = largest(resident, start_ns, end_ns) if resident else None
    if most is not None:
        found[COMPANIONS_MEMORY.key] = most / MIB
    return found
