"""What names and values of a column say: its unit, whether it climbs or counts, its instants."""

from __future__ import annotations

import re

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.guessing.naming import LONGEST_NAME
from yardstick_core.formats.mapping import (
    BEGIN,
    DATE,
    DURATION,
    END,
    FRAME_TIME,
    MEMORY,
    OTHER,
    PROCESSOR,
    TIME,
    TIME_UNITS,
    UNITS,
    WRITTEN,
    Column,
)
from yardstick_core.formats.values import UNIT_WORDS, clocks, dates, numbers

#: Names that are spelled like units and are none: tools of the system have columns of these names.
_NO_UNITS = ("b", "us", "min")


def renamed(found: list[Column], place: int, role: str, unit: str = "") -> list[Column]:
    """The same columns, one of them with another meaning."""
    return [*found[:place], Column(found[place].name, role, unit), *found[place + 1 :]]


def places_of(found: list[Column], *roles: str) -> list[int]:
    return [place for place, column in enumerate(found) if column.role in roles]


def seconds_of(column: Column, cells: list[str], decimal: str) -> NDArray[np.float64]:
    if column.unit in WRITTEN:
        return dates(cells) if column.unit == DATE else clocks(cells)
    return numbers(cells, decimal)


def counts_on(values: NDArray[np.float64]) -> bool:
    """Whether a column only numbers its rows: whole, one more from row to row or now and then."""
    known = values[np.isfinite(values)]
    if len(known) < 2 or (known != np.round(known)).any():
        return False
    return bool(set(np.diff(known).tolist()) <= {0.0, 1.0}) or (
        len(set(known.tolist())) * 2 <= len(known) and bool(known.max() <= len(known))
    )


def numbers_rows(values: NDArray[np.float64]) -> bool:
    """Whether a column counts the rows one by one."""
    known = values[np.isfinite(values)]
    return len(known) > 2 and bool((np.diff(known) == 1).all())


def climbs(values: NDArray[np.float64]) -> bool:
    steps = np.diff(values[np.isfinite(values)])
    return len(steps) > 1 and bool((steps >= 0).all()) and bool(steps.any())


def reported_unit(name: str, role: str) -> str:
    """A unit written in a column's name: in brackets, or as its last word."""
    name = name[:LONGEST_NAME]
    last = re.split(r"[\s_.\-/]+", name.lower())[-1]
    if name.lower().endswith("/s") and role not in (TIME, BEGIN, END, DURATION):
        last = ""  # so many a second
    if last.startswith("%"):
        last = "%"
    if name.lower() in _NO_UNITS:
        return ""
    for place in (*re.findall(r"[(\[]\s*([^)\]]+?)\s*[)\]]", name.lower()), last):
        for unit, pattern in UNIT_WORDS.items():
            if re.fullmatch(pattern, place) and (role == OTHER or unit in UNITS[role]):
                return unit
    return ""


#: Days since 1900 as spreadsheets count them, from 1954 to 2091, and what rows are apart in them.
_DAYS, _SHORT_OF_A_DAY = (20_000.0, 70_000.0), 1e-3


def unit_by_size(role: str, values: NDArray[np.float64]) -> str:
    seen = values[np.isfinite(values)]
    middle = float(np.median(np.abs(seen))) if len(seen) else 0.0
    if role == DURATION:
        return "s" if middle < 100 else "ms"
    if role in (TIME, BEGIN, END):
        steps = np.diff(seen)
        step = float(np.median(steps[steps > 0])) if (steps > 0).any() else middle
        if _DAYS[0] < middle < _DAYS[1] and step < _SHORT_OF_A_DAY:
            return "day"
        if unit := _since_1970(middle, step):
            return unit
        return "s" if step < 2 else "ms" if step < 2000 else "µs" if step < 2e6 else "ns"
    if role == FRAME_TIME:
        return "s" if middle < 0.5 else "ms" if middle < 1000 else "µs" if middle < 1e6 else "ns"
    if role == PROCESSOR:
        return "% of the machine" if float(seen.max(initial=0)) > 4 else "cores"
    if role == MEMORY:
        if middle < _FEW_GIB:
            return "GiB"
        return "B" if middle > 2e6 else "KiB" if middle > 2e4 else "MiB"
    return "fps"


def unit_of_resident(values: NDArray[np.float64]) -> str:
    """The unit of memory as systems tell that of a process: KiB, where it is not far too little."""
    seen = values[np.isfinite(values) & (values > 0)]
    middle = float(np.median(seen)) if len(seen) else 0.0
    if middle > _MOST_KIB:
        return "B"
    return "KiB" if middle > _LEAST_KIB else unit_by_size(MEMORY, values)


#: A process takes more than 1.5 MiB and less than 200 GiB.
_LEAST_KIB, _MOST_KIB = 1500.0, 2e8
#: No program takes so few MiB.
_FEW_GIB = 4.0
#: Instants between 2001 and 2096, counted since 1970, are as large as this.
_SINCE_1970_S = (1e9, 4e9)


def _since_1970(middle: float, step: float) -> str:
    """The unit of instants that are counted since 1970; empty where they are something else."""
    for unit in ("s", "ms", "µs", "ns"):
        factor = TIME_UNITS[unit] / 1e9
        near = _SINCE_1970_S[0] < middle * factor < _SINCE_1970_S[1]
        if near and _SHORTEST_STEP_S < step * factor < _LONGEST_STEP_S:
            return unit
    return ""


_SHORTEST_STEP_S, _LONGEST_STEP_S = 1e-4, 3600.0
