"""Laps of a run laid over one another, and where its memory is going.

Each lap does the same work, so like points are compared: the crest and the trough of each.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.readings import growth
from yardstick_core.readings.memory import MIB
from yardstick_core.record import RunRecord, StretchRecord

POINTS = 120
HOURS = (8.0, 24.0)


@dataclass(frozen=True, slots=True)
class Lap:
    """One lap: its memory (MiB) from start to end, evenly spaced, shape (POINTS,)."""

    start_ns: int
    end_ns: int
    curve_mib: NDArray[np.float64]
    crest_mib: float
    trough_mib: float

    @property
    def seconds(self) -> float:
        return (self.end_ns - self.start_ns) / 1e9


@dataclass(frozen=True, slots=True)
class Outlook:
    """Where memory is going over a stretch: its class, slope (MiB/min) with 95 % limits, and, where
    it grows, the expected level (MiB) after some hours and the hours until the machine is full."""

    kind: str
    slope: float
    low: float
    high: float
    after: tuple[growth.Projection, ...]
    full_after_h: tuple[float, float] | None


def laps(run: RunRecord) -> list[Lap]:
    """Laps of a run in order; those without a sample of memory are left out."""
    counter = run.counters.get("subject.resident")
    if counter is None:
        return []
    found = []
    for stretch in run.stretches:
        if stretch.kind == "lap":
            made = _lap(stretch, *counter)
            if made is not None:
                found.append(made)
    return found


def _lap(
    stretch: StretchRecord, instants: NDArray[np.int64], values: NDArray[np.float64]
) -> Lap | None:
    first, last = np.searchsorted(instants, [stretch.start_ns, stretch.end_ns])
    inside = values[first:last]
    if not len(inside):
        return None
    at = np.linspace(stretch.start_ns, stretch.end_ns, POINTS)
    curve = np.interp(at, instants, values) / MIB
    return Lap(
        stretch.start_ns,
        stretch.end_ns,
        curve,
        float(inside.max()) / MIB,
        float(inside.min()) / MIB,
    )


def outlook(
    run: RunRecord, start_ns: int, end_ns: int, machine_mib: float | None = None
) -> Outlook | None:
    """Where memory is going, from one run; None where it was not sampled in the stretch.

    Below 60 s or 30 samples, and where the two halves contradict each other, the class is *too
    short to say*. One run says nothing of other runs: the range is that of its own slope.
    """
    counter = run.counters.get("subject.resident")
    if counter is None:
        return None
    instants, values = counter
    inside = (instants >= start_ns) & (instants <= end_ns) & (values > 0)
    seconds, used = instants[inside] / 1e9, values[inside] / MIB
    if len(seconds) < 3:
        return None
    kind = growth.growth_class(seconds, used)
    line = growth.slope(seconds, used)
    grows = kind == growth.GROWS
    full = None
    if grows and machine_mib:
        soonest, latest = growth.seconds_until(line, machine_mib)
        full = (soonest / 3600, latest / 3600 if math.isfinite(latest) else math.inf)
    after = tuple(growth.projected(line, hours) for hours in HOURS) if grows else ()
    return Outlook(kind, 60 * line.slope, 60 * line.low, 60 * line.high, after, full)
