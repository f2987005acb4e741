"""What the companions of the subject use: programs a script starts beside it, counted apart.

Together, and each by its name; of one that was started several times also what each further copy
takes, as the slope over how many run.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from yardstick_core.readings.memory import MIB, largest
from yardstick_core.readings.metric import define
from yardstick_core.readings.processor import seconds_between
from yardstick_core.streams.chunk import Instants, Values
from yardstick_core.streams.entries import Entry

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
COMPANION_PROCESSOR = define(
    "companion_processor", "processor time", "s", "lower",
    "time all cores together spent on this companion, all its copies counted",
    material_amount=0.05,
)  # fmt: skip
COMPANION_MEMORY = define(
    "companion_memory", "peak memory", "MiB", "lower",
    "largest resident memory of this companion, all its copies together",
    material_amount=1,
)  # fmt: skip
MEMORY_PER_COPY = define(
    "memory_per_copy", "memory of each further copy", "MiB", "lower",
    "slope of the memory over how many copies run, shared pages divided among those who share them",
    material_amount=1, minimum="three different numbers of copies",
)  # fmt: skip
PROCESSOR_PER_COPY = define(
    "processor_per_copy", "processor use of each further copy", "cores", "lower",
    "slope of the processor use over how many copies run, from a second after each start on",
    material_amount=0.01, on_logs=False, minimum="three different numbers of copies",
)  # fmt: skip
#: Metrics that are called by the companion they are of.
OF_A_COMPANION = tuple(
    one.key for one in (COMPANION_PROCESSOR, COMPANION_MEMORY, MEMORY_PER_COPY, PROCESSOR_PER_COPY)
)
FEWEST_NUMBERS_OF_COPIES = 3
SETTLED_AFTER_NS = 1_000_000_000

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


def each_companion(
    journal: Sequence[Entry],
    counters: Mapping[str, Counter],
    start_ns: int,
    end_ns: int,
) -> list[tuple[str, str, float]]:
    """Name, metric and value of each companion by itself, in the order in which they started."""
    found = []
    named = {
        str(entry["name"]): str(entry["stream"])
        for entry in journal
        if entry["kind"] == "companion"
    }
    for name, stream in named.items():
        used, resident = (
            counters.get(f"{stream}.processor_seconds"),
            counters.get(f"{stream}.resident"),
        )
        seconds = seconds_between(used, start_ns, end_ns) if used else None
        if seconds is not None:
            found.append((name, COMPANION_PROCESSOR.key, seconds))
        most = largest(resident, start_ns, end_ns) if resident else None
        if most is not None:
            found.append((name, COMPANION_MEMORY.key, most / MIB))
        copies = counters.get(f"{stream}.copies")
        divided = counters.get(f"{stream}.proportional")
        if copies is not None and divided is not None:
            slope = _over_copies(*_at_samples(copies, divided, start_ns, end_ns))
            if slope is not None:
                found.append((name, MEMORY_PER_COPY.key, slope / MIB))
        if copies is not None and used is not None:
            slope = _over_copies(*_use_by_copies(copies, used, start_ns, end_ns))
            if slope is not None:
                found.append((name, PROCESSOR_PER_COPY.key, slope))
    return found


def _at_samples(
    copies: Counter, counter: Counter, start_ns: int, end_ns: int
) -> tuple[Values, Values]:
    """How many copies ran at each sample of a counter in the stretch, and the samples.

    Samples within a second after the number changed are left out, for the copy was still starting,
    and those just before it changes, for copies may have ended while they were taken.
    """
    instants, values = counter
    inside = (instants >= start_ns) & (instants <= end_ns)
    place = np.searchsorted(copies[0], instants, side="right") - 1
    settled = np.searchsorted(copies[0], instants - SETTLED_AFTER_NS, side="right") - 1
    known = inside & (settled >= 0)
    at, before = copies[1][np.maximum(place, 0)], copies[1][np.maximum(settled, 0)]
    after = copies[1][np.minimum(place + 1, len(copies[1]) - 1)]
    keep = known & (at == before) & (at == after) & (at > 0)
    return at[keep], values[keep]


def _use_by_copies(
    copies: Counter, used: Counter, start_ns: int, end_ns: int
) -> tuple[Values, Values]:
    """Cores in use between samples, with how many copies ran."""
    instants, values = used
    rates = np.diff(values) / np.maximum(np.diff(instants) / 1e9, 1e-9)
    return _at_samples(copies, (instants[1:], rates), start_ns, end_ns)


def _over_copies(numbers: Values, values: Values) -> float | None:
    """Slope of the means by number of copies; None where there are too few different numbers."""
    known = np.unique(numbers)
    if len(known) < FEWEST_NUMBERS_OF_COPIES:
        return None
    means = np.array([values[numbers == one].mean() for one in known])
    return float(np.polyfit(known, means, 1)[0])
