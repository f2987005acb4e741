"""Whether memory grows, over all runs of a variant, and where that leads in a working day."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare import text
from yardstick_core.compare.rows import Row
from yardstick_core.readings.growth import (
    FIRST_HALF,
    GROWS,
    GROWTH,
    LAST_HALF,
    NO_GROWTH,
    Slope,
    class_of_runs,
    mean_slope,
    projected,
    seconds_until,
)
from yardstick_core.readings.laps import Outlook
from yardstick_core.readings.memory import END_MEMORY

HOURS = (8, 24)


@dataclass(frozen=True, slots=True)
class Growing:
    """Growth of one variant in one stretch: its class and what it means, in words."""

    variant: int
    stretch: tuple[str, ...]
    kind: str
    per_minute: Slope
    text: str


def growing(
    rows: Sequence[Row], variants: list[str], machine_mib: float | None = None
) -> list[Growing]:
    """Every variant of every stretch whose runs were long enough to speak of growth.

    `machine_mib` is the memory of the machine, where known: it says when it would be full.
    """
    by_place = {(row.metric.key, row.stretch): row for row in rows}
    found = []
    for (key, stretch), row in by_place.items():
        if key != GROWTH.key:
            continue
        first, last = by_place[FIRST_HALF.key, stretch], by_place[LAST_HALF.key, stretch]
        level = by_place.get((END_MEMORY.key, stretch))
        for index, name in enumerate(variants):
            slopes = _values(row, index)
            if len(slopes):
                kind = class_of_runs(slopes, _values(first, index), _values(last, index))
                mean = mean_slope(slopes)
                end = level.medians[index] if level is not None else None
                sentence = _text(name, kind, mean, end, len(slopes), machine_mib)
                found.append(Growing(index, stretch, kind, mean, sentence))
    return found


def _values(row: Row, variant: int) -> NDArray[np.float64]:
    return np.array([sample.value for sample in row.samples[variant]])


def _text(
    name: str, kind: str, mean: Slope, level: float | None, runs: int, machine: float | None
) -> str:
    rate = text.signed(GROWTH, mean.slope)
    if runs < 2:
        return f"{name}: {rate} in its one run, too little to say whether it grows"
    low, high = (text.signed(GROWTH, v).split(text.THIN)[0] for v in (mean.low, mean.high))
    limits = f"({low} to {high})"
    if kind == NO_GROWTH:
        return f"{name}: no growth shown, {rate} {limits}"
    if kind != GROWS or level is None:
        return f"{name}: {kind}, {rate} {limits}"
    line = Slope(mean.slope / 60, mean.low / 60, mean.high / 60, level)
    ahead = [projected(line, hours) for hours in HOURS]
    said = "; ".join(
        f"{_mib(p.value)} ({_mib(p.low)} to {_mib(p.high)}) after {hours}{text.THIN}h"
        for hours, p in zip(HOURS, ahead, strict=True)
    )
    full = _full(line, machine) if machine else ""
    return f"{name}: grows, {rate} {limits}. If it goes on so: {full}{said}"


def outlook_text(outlook: Outlook, machine: float | None) -> str:
    """Where the memory of one run goes, in words."""
    rate = text.signed(GROWTH, outlook.slope)
    low, high = (text.signed(GROWTH, v).split(text.THIN)[0] for v in (outlook.low, outlook.high))
    sentence = f"{outlook.kind}: {rate} ({low} to {high})"
    if not outlook.after:
        return sentence
    full = ""
    if outlook.full_after_h is not None and machine:
        soonest, latest = outlook.full_after_h
        until = f" to {_duration(latest * 3600)}" if math.isfinite(latest) else " at the soonest"
        of = f"the {_mib(machine)} of this machine"
        full = f"; {of} are full after {_duration(soonest * 3600)}{until}"
    said = "; ".join(
        f"{_mib(p.value)} ({_mib(p.low)} to {_mib(p.high)}) after "
        f"{p.after_s / 3600:.0f}{text.THIN}h"
        for p in outlook.after
    )
    return f"{sentence}. If it goes on so: {said}{full}"


def _full(line: Slope, machine: float) -> str:
    """When the memory of the machine would be full."""
    soonest, latest = seconds_until(line, machine)
    sentence = f"the {_mib(machine)} of this machine are full after {_duration(soonest)}"
    return f"{sentence} to {_duration(latest)}; "


def _duration(seconds: float) -> str:
    if seconds >= 2 * 3600:
        return f"{text.significant(seconds / 3600)}{text.THIN}h"
    return f"{text.significant(seconds / 60)}{text.THIN}min"


def _mib(value: float) -> str:
    return text.quantity(END_MEMORY, max(0.0, value))
