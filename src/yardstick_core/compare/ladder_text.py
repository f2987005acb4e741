"""Ladders in words: how a timing grows, how much is carried, and whether the variants differ."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from statistics import median

from yardstick_core.compare import text
from yardstick_core.compare.ladders import (
    FLUID,
    Capacity,
    Growth,
    Known,
    Points,
    by_level,
    capacities,
    growths,
    level_number,
)
from yardstick_core.compare.runs import JudgedRun

MINUS = "\u2212"


@dataclass(frozen=True, slots=True)
class LadderReading:
    """One stretch over all levels: medians, shape (variants, levels), None where nothing was read.

    `kind` is *growth* of a duration in s, or *capacity* at a rate in pictures a second; `line` is
    the rate that is still fluid.
    """

    kind: str
    stretch: tuple[str, ...]
    ladder: str
    levels: tuple[float, ...]
    medians: tuple[tuple[float | None, ...], ...]
    sentences: tuple[str, ...]
    line: float | None = None


def ladder_readings(
    runs: Sequence[JudgedRun], names: list[str], baseline: int, alpha: float = 0.05
) -> list[LadderReading]:
    """Everything that the levels of a study's ladder show together."""
    laddered = [run for run in runs if run.level]
    if not laddered:
        return []
    level = text.level(alpha)
    ladder = laddered[0].level.rsplit(" ", 1)[0]
    levels = tuple(sorted({n for run in laddered if (n := level_number(run.level)) is not None}))
    found = []
    durations = by_level(runs, len(names), "duration")
    rates = by_level(runs, len(names), "average_rate")
    for growth in growths(runs, len(names), baseline, alpha):
        medians = _medians(durations[growth.stretch], levels)
        sentences = _growth_text(growth, names, baseline, ladder, level)
        found.append(LadderReading("growth", growth.stretch, ladder, levels, medians, sentences))
    for capacity in capacities(runs, len(names), alpha):
        medians = _medians(rates[capacity.stretch], levels)
        sentences = _capacity_text(capacity, names, ladder, level)
        found.append(
            LadderReading(
                "capacity", capacity.stretch, ladder, levels, medians, sentences, capacity.line
            )
        )
    return found


def _medians(
    sides: list[dict[int, Points]], levels: tuple[float, ...]
) -> tuple[tuple[float | None, ...], ...]:
    """Median over the rounds, by variant and level."""
    found = []
    for side in sides:
        read = [[points[at] for points in side.values() if at in points] for at in levels]
        found.append(tuple(median(values) if values else None for values in read))
    return tuple(found)


def _growth_text(
    growth: Growth, names: list[str], baseline: int, ladder: str, level: str
) -> tuple[str, ...]:
    sentences = []
    for index, known in enumerate(growth.exponents):
        if growth.misfits and growth.misfits[index]:
            sentences.append(
                f"{names[index]} grows neither as a power of {ladder} nor as a constant and one: "
                "no single number says how."
            )
        if known is None:
            continue
        constant = growth.constants[index] if growth.constants else 0.0
        if constant:
            sentences.append(
                f"{names[index]} takes {_short(constant)}{text.THIN}s whatever the {ladder}, and "
                f"beyond that grows as {ladder} to the power of {_plain(known.value)}"
                f"{_range(known, level, _plain)}."
            )
            continue
        times = f"ten times the {ladder} take {_short(10**known.value)} times as long"
        sentences.append(
            f"{names[index]} grows as {ladder} to the power of {_plain(known.value)}"
            f"{_range(known, level, _plain)}: {times}."
        )
    for index, known in enumerate(growth.apart):
        if known is None:
            continue
        if known.low > 0 or known.high < 0:
            how = "more steeply" if known.value > 0 else "less steeply"
            what = f"{names[index]} grows {how} than {names[baseline]}"
        else:
            what = f"No difference in growth is shown between {names[index]} and {names[baseline]}"
        sentences.append(f"{what} (by {_signed(known.value)}{_range(known, level, _plain)}).")
    return tuple(sentences)


def _capacity_text(
    capacity: Capacity, names: list[str], ladder: str, level: str
) -> tuple[str, ...]:
    sentences = []
    holds, fails = "is still fluid", "is not fluid"
    if capacity.hertz:
        holds = f"still holds {capacity.hertz:g}{text.THIN}Hz"
        fails = f"does not hold {capacity.hertz:g}{text.THIN}Hz"
    for index, known in enumerate(capacity.variants):
        fluid = f"at {capacity.hertz or FLUID:g} pictures a second"
        if known is not None:
            sentences.append(
                f"{names[index]} carries {_short(known.value)} {ladder} {fluid}"
                f"{_range(known, level, _short)}."
            )
        elif capacity.beyond[index]:
            sentences.append(f"{names[index]} {holds} at the largest level measured.")
        elif capacity.below[index]:
            sentences.append(f"{names[index]} {fails} even at the smallest level measured.")
    return tuple(sentences)


def _range(known: Known, level: str, say: Callable[[float], str]) -> str:
    if not math.isfinite(known.low):
        return ", from one round"
    return f" ({level}: {say(known.low)} to {say(known.high)})"


def _plain(value: float) -> str:
    return f"{value:.2f}".replace("-", MINUS)


def _signed(value: float) -> str:
    return f"{value:+.2f}".replace("-", MINUS)


def _short(value: float) -> str:
    """Three significant digits, without an exponent."""
    digits = max(0, 2 - math.floor(math.log10(value))) if value > 0 else 0
    return f"{value:,.{digits}f}".replace(",", text.THIN)
