"""Rows that are timings: events that begin and end, and tables of results."""

from __future__ import annotations

import numpy as np

from yardstick_core.formats.column_values import (
    climbs,
    counts_on,
    places_of,
    renamed,
    reported_unit,
    seconds_of,
    unit_by_size,
)
from yardstick_core.formats.mapping import (
    BEGIN,
    CLOCK,
    DATE,
    DURATION,
    END,
    FRAME_TIME,
    MARKER,
    MEMORY,
    OTHER,
    PROCESSOR,
    RATE,
    SKIP,
    SPAN,
    TIME,
    UNITS,
    VARIANT,
    Column,
)
from yardstick_core.formats.values import numbers

#: A table of results is shorter than this.
MOST_ROWS = 200


def as_events(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """Rows that begin and end are timings; a begin without an end is a time."""
    begin, end = places_of(found, BEGIN), places_of(found, END)
    if begin and end:
        starts, ends = (seconds_of(found[p], columns[p], decimal) for p in (begin[0], end[0]))
        there = np.isfinite(starts) & np.isfinite(ends)
        if there.any() and (ends[there] >= starts[there]).mean() > 0.95:
            doubts.append("each row begins and ends: it is taken for a timing, and no frame")
            for place in places_of(found, DURATION, TIME):
                found = renamed(found, place, SKIP)
            return _name_of_rows(found, columns, MARKER)
    for place in (*begin, *end):
        known = places_of(found, TIME)
        role = OTHER if known or found[place].role == END else TIME
        found = renamed(found, place, role, found[place].unit if role == TIME else "")
    return found


def _name_of_rows(found: list[Column], columns: list[list[str]], role: str) -> list[Column]:
    """Let the first column of text name what each row is about, where none does yet."""
    if places_of(found, role):
        return found
    for place in places_of(found, SKIP, VARIANT if role == MARKER else MARKER):
        cells = [cell.strip() for cell in columns[place]]
        if all(cells[:20]) and not np.isfinite(numbers(cells[:20])).any():
            return renamed(found, place, role)
    return found


def as_results(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A short table of results: of variants named in a column, or of one variant a column."""
    rows = len(columns[0]) if columns else 0
    if not 0 < rows < MOST_ROWS or places_of(found, FRAME_TIME, RATE, PROCESSOR):
        return [_undone(column) for column in found]
    times = places_of(found, TIME)
    climbing = [p for p in times if climbs(seconds_of(found[p], columns[p], decimal))]
    if climbing or any(found[p].unit == DATE for p in times):
        if not places_of(found, VARIANT) or not places_of(found, DURATION):
            return [_undone(column) for column in found]
        for place in times:  # when it was measured
            found = renamed(found, place, SKIP)
        times = []
    named = _name_of_rows(found, columns, VARIANT)
    texts = places_of(named, VARIANT)
    amounts = times + places_of(found, DURATION)
    if texts and not amounts:
        amounts = [
            place for place in places_of(named, OTHER)
            if not counts_on(numbers(columns[place], decimal)) and place not in texts
        ]  # fmt: skip
        amounts = amounts if len(amounts) <= _FEW_RESULTS else []
    if texts and amounts:
        repeated = len({cell.strip() for cell in columns[texts[0]]}) * 2 <= rows
        if not repeated and not places_of(found, VARIANT):
            return [_undone(column) for column in found]
        doubts.append("each row is taken for the result of a run of its own")
        return _results(named, columns, amounts, decimal, doubts)
    wide = _wide_results(found, columns, decimal)
    if wide and not texts:
        doubts.append("each column is taken for a variant, each row for a run of each")
        return _results(found, columns, wide, decimal, doubts)
    return [_undone(column) for column in found]


def _undone(column: Column) -> Column:
    """What stands in no table of results: a duration is a number like others."""
    if column.role == DURATION:
        return Column(column.name, OTHER, column.unit)
    return Column(column.name) if column.role == VARIANT else column


def _wide_results(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Columns of a table with one for each variant: positive, of one size, not climbing."""
    if places_of(found, MEMORY, PROCESSOR, RATE, TIME, FRAME_TIME, MARKER):
        return []
    places = [
        place for place in places_of(found, OTHER, DURATION)
        if not counts_on(numbers(columns[place], decimal))
    ]  # fmt: skip
    values = [numbers(columns[place], decimal) for place in places]
    if not 2 <= len(places) <= _FEW_RESULTS or len(columns[0]) > _MOST_WIDE_ROWS:
        return []
    middles = [float(np.nanmedian(one)) for one in values if np.isfinite(one).any()]
    alike = len(middles) == len(places) and min(middles) > 0 and max(middles) < 20 * min(middles)
    climbing = any(climbs(one) for one in values)
    return places if alike and not climbing else []


_FEW_RESULTS, _MOST_WIDE_ROWS = 12, 100


def _results(
    found: list[Column], columns: list[list[str]], amounts: list[int], decimal: str,
    doubts: list[str],
) -> list[Column]:  # fmt: skip
    for place, column in enumerate(found):
        if place in amounts:
            unit = SPAN if column.unit == CLOCK else column.unit
            unit = unit if unit in UNITS[DURATION] else ""
            if not unit:
                unit = reported_unit(column.name, DURATION)
            if not unit:
                unit = unit_by_size(DURATION, numbers(columns[place], decimal))
                doubts.append(f"“{column.name}” names no unit: {unit} was guessed from its values")
            found = renamed(found, place, DURATION, unit)
        elif column.role not in (VARIANT, MARKER):
            found = renamed(found, place, SKIP)
    return found
