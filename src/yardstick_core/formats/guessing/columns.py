"""What each column of a log is: by its name, by its values, by what the others are."""

from __future__ import annotations

import re
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.guessing.column_values import (
    climbs,
    counts_on,
    numbers_rows,
    places_of,
    renamed,
    reported_unit,
    seconds_of,
    unit_by_size,
    unit_of_resident,
)
from yardstick_core.formats.guessing.event_rows import as_events
from yardstick_core.formats.guessing.frame_columns import (
    FEWEST_FRAMES,
    FEWEST_ROWS,
    are_numbered_as_frames,
    frame_time_by_values,
    has_frame_numbers,
    number_of_run,
    other_stamps,
    shown_at,
)
from yardstick_core.formats.guessing.naming import (
    names_frames,
    names_ids,
    names_resident,
    of_others,
    role_of,
)
from yardstick_core.formats.guessing.result_columns import are_shares
from yardstick_core.formats.guessing.result_rows import as_results
from yardstick_core.formats.mapping import (
    BEGIN,
    CLOCK,
    DATE,
    DURATION,
    END,
    FRAME_TIME,
    MARKER,
    MEMORY,
    MEMORY_UNITS,
    OTHER,
    PROCESSOR,
    RATE,
    SKIP,
    SPAN,
    TIME,
    TIME_UNITS,
    UNITS,
    VARIANT,
    WRITTEN,
    Column,
)
from yardstick_core.formats.values import clocks, dates, numbers

#: A column named like markers, with no more different numbers than this, holds markers.
_FEW_MARKERS = 20


def columns_of(
    names: list[str], columns: list[list[str]], decimal: str, doubts: list[str]
) -> tuple[list[Column], str]:
    """What columns are, by their names and first cells, and what frames are taken from.

    What is not sure is added to `doubts`.
    """
    taken: set[str] = set()
    found = []
    for name, cells in zip(names, columns, strict=True):
        column = _column(name, cells, decimal, taken, doubts)
        taken.add(column.role)
        found.append(column)
    found = _several_named_after_variants(found, columns, decimal)
    found = _time_of_day_for_date(found, columns, doubts)
    found = as_events(found, columns, decimal, doubts)
    variants = places_of(found, VARIANT)
    roles = {column.role for column in found}
    if not roles & {BEGIN, END}:
        found = as_results(found, columns, decimal, doubts)
    roles = {column.role for column in found}
    if not roles & {BEGIN, END, DURATION} and (shown := shown_at(found, columns, decimal, doubts)):
        return shown, TIME
    if not roles & {BEGIN, END, DURATION}:
        found = _only_times_that_climb(found, columns, decimal, doubts)
        roles = {column.role for column in found}
        if TIME not in roles:
            found = _time_by_values(found, columns, decimal, doubts)
        found = frame_time_by_values(found, columns, decimal, doubts)
        found = _memory_by_unit(found, columns, decimal, doubts)
        found = _marker_by_values(found, columns, doubts)
    return _frames_of(found, columns, decimal, doubts, variants)


def _frames_of(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str],
    variants: list[int],
) -> tuple[list[Column], str]:  # fmt: skip
    """What frames are taken from, and the columns, of which some are understood by that."""
    roles = {column.role for column in found}
    frames = FRAME_TIME if FRAME_TIME in roles else ""
    if not frames and TIME in roles and roles <= {TIME, SKIP, MARKER, VARIANT, OTHER}:
        others = places_of(found, OTHER)
        if all(numbers_rows(numbers(columns[place], decimal)) for place in others):
            for place in others:  # the number of a frame says no more than that it is one
                found = renamed(found, place, SKIP)
    if not frames and TIME in roles and has_frame_numbers(found, columns, decimal):
        frames = TIME
        doubts.append("each row has the number of a frame: it is one, shown at its time")
    if not frames and TIME in roles and are_numbered_as_frames(found, columns, decimal):
        frames = TIME
        doubts.append("rows are numbered, as close as frames: each is one, shown at its time")
    if not frames and (stamps := other_stamps(found, columns, decimal)):
        for place in stamps:
            found = renamed(found, place, SKIP)
    if variants and frames and found[variants[0]].role == SKIP and not places_of(found, MARKER):
        name = found[variants[0]].name
        doubts.append(f"“{name}” says of which run each row is")
        found = renamed(found, variants[0], MARKER)
    for place in places_of(found, OTHER):
        if not frames and names_frames(found[place].name):
            values = numbers(columns[place], decimal)
            if climbs(values) and not numbers_rows(values):
                doubts.append(f"“{found[place].name}” counts frames: no frame time is read from it")
    if frames and not places_of(found, MARKER):
        found = number_of_run(found, columns, decimal, doubts)
    roles = {column.role for column in found}
    if not roles & {TIME, FRAME_TIME, BEGIN, END, DURATION}:
        doubts.append(
            "no column was found that says when: choose which one does, or how far apart rows are"
        )
    enough = bool(columns) and len(columns[0]) >= FEWEST_FRAMES
    bare = enough and roles <= {TIME, SKIP, MARKER, VARIANT} and TIME in roles
    if not frames and bare and _may_be_frames(found, columns, decimal):
        frames = TIME
        doubts.append("only times were found: each row is taken for a frame shown at its time")
    return found, frames


def _may_be_frames(found: list[Column], columns: list[list[str]], decimal: str) -> bool:
    """Whether rows follow one another as frames do, and tell nothing else that changes: no tale."""
    told = [place for place in places_of(found, SKIP) if len(set(columns[place])) > _FEW_MARKERS]
    time = places_of(found, TIME)[0]
    at = seconds_of(found[time], columns[time], decimal)
    steps = np.diff(at[np.isfinite(at)]) * TIME_UNITS.get(found[time].unit, 1e9) / 1e9
    slow = len(steps) and float(np.median(steps)) > _SLOWEST_FRAMES_S
    return not slow and not any(
        re.search(r"[^\W\d_]{2}", cell) for place in told for cell in columns[place][:20]
    )


_SLOWEST_FRAMES_S = 1.0


def _marker_by_values(
    found: list[Column], columns: list[list[str]], doubts: list[str]
) -> list[Column]:
    """A column of text that stays the same over stretches of rows says which stretch it is."""
    if places_of(found, MARKER):
        return found
    for place in places_of(found, SKIP):
        cells = [cell.strip() for cell in columns[place]]
        texts = {cell for cell in cells if cell}
        changes = sum(one != other for one, other in pairwise(cells))
        if np.isfinite(numbers(cells)).any() or np.isfinite(clocks(cells)).any():
            continue
        filled = [n for n, cell in enumerate(cells) if cell]
        if 1 < len(filled) < len(cells) / _RARELY and _all_timed(found, columns, filled):
            doubts.append(f"“{found[place].name}” says something on a few rows: marks")
            return renamed(found, place, MARKER)
        if len(filled) * 2 < len(cells):
            continue
        if 1 < len(texts) <= _FEW_MARKERS and 8 * changes < len(cells):
            doubts.append(f"“{found[place].name}” stays the same over stretches: it marks them")
            return renamed(found, place, MARKER)
    return found


def _all_timed(found: list[Column], columns: list[list[str]], rows: list[int]) -> bool:
    """Whether some rows have a time where others have one."""
    return all(columns[place][n].strip() for place in places_of(found, TIME) for n in rows)


#: A text on one row of so many marks a moment.
_RARELY = 8


def _is_day(cell: str) -> bool:
    """Whether a cell is a date alone, which the time of day of each row may stand beside."""
    return ":" not in cell and bool(np.isfinite(dates([cell])).any())


#: Of fewer rows one time may be that of all.
_FEW_ROWS = 2


def _column(
    name: str, cells: list[str], decimal: str, taken: set[str], doubts: list[str]
) -> Column:
    values = numbers(cells, decimal)
    filled = sum(bool(cell.strip()) for cell in cells)
    numeric = bool(filled) and int(np.isfinite(values).sum()) * 2 >= filled
    role = role_of(name)
    if role == TIME and filled > _FEW_ROWS and len(set(cells)) == 1 and not _is_day(cells[0]):
        return Column(name)  # it says the same of all rows
    if not numeric:
        when = role if role in (BEGIN, END, DURATION) else TIME
        if when == DURATION and TIME not in taken and _are_instants(cells, filled):
            when = TIME
        for unit, read in ((DATE, dates), (CLOCK, clocks), (SPAN, clocks)):
            fits = unit in UNITS[when] and (when == DURATION or when not in taken)
            if filled and fits and np.isfinite(read(cells)).sum() * 2 >= filled:
                return Column(name, when, unit)
        if role == VARIANT and np.isfinite(clocks(cells)).all():
            return Column(name)  # named after its variant
        if role == VARIANT and VARIANT not in taken:
            return Column(name, VARIANT)
        return Column(name, MARKER if role == MARKER and MARKER not in taken else SKIP)
    if (
        role == ""
        and names_ids(name)
        and (_PADDED.match(cells[0].strip()) or not numbers_rows(values))
    ):
        return Column(name)  # its digits count nothing
    few = len({cell.strip() for cell in cells}) <= _FEW_MARKERS
    if role == VARIANT and reported_unit(name, DURATION) in TIME_UNITS:
        return Column(name, OTHER, reported_unit(name, DURATION))  # named after its variant
    if role == VARIANT and VARIANT not in taken and few:
        return Column(name, VARIANT)
    if role == MARKER and MARKER not in taken and few:
        return Column(name, MARKER)
    if role in ("", MARKER, VARIANT) or (role in taken and role not in (RATE, DURATION)):
        return Column(name, OTHER, reported_unit(name, OTHER))
    if role in (MEMORY, TIME) and _is_share(name, cells):
        return Column(name, OTHER, reported_unit(name, OTHER))
    unit = reported_unit(name, role)
    if unit:
        if role == PROCESSOR and unit == "% of the machine":
            unit = _share_of(name, values, doubts)
        return Column(name, role, unit)
    a_second = re.search(r"per (?:s|sec|second)$", name.lower())
    if (
        role in (PROCESSOR, MEMORY, RATE)
        and not a_second
        and (lasts := reported_unit(name, FRAME_TIME))
    ):
        return Column(name, OTHER, lasts)  # how long the processor took for a picture
    if role == PROCESSOR and _is_share(name, cells):
        return Column(name, role, _share_of(name, values, doubts))
    unit = unit_of_resident(values) if names_resident(name) else unit_by_size(role, values)
    if role != RATE:
        doubts.append(f"“{name}” names no unit: {unit} was guessed from its values")
    return Column(name, role, unit)


#: An identity of a fixed width.
_PADDED = re.compile(r"0\d{3}")


def _is_share(name: str, cells: list[str]) -> bool:
    """Whether a number is told in percent."""
    return "%" in name or are_shares(cells)


def _share_of(name: str, values: NDArray[np.float64], doubts: list[str]) -> str:
    """Of what a processor's percent are: what is above 100 is of one core. Else it is doubted."""
    if np.isfinite(values).any() and float(np.nanmax(values)) > _WHOLE_MACHINE:
        return "% of a core"
    if not _SAYS_OF_WHAT.search(name.lower()):
        doubts.append(
            f"“{name}” does not say of what: the whole machine is taken for 100 %, not one core"
        )
    return "% of the machine"


#: A little above 100, for rounding.
_WHOLE_MACHINE = 101.0
_SAYS_OF_WHAT = re.compile(r"machine|system|total|overall|\ball\b|host|gesamt")


def _several_named_after_variants(
    found: list[Column], columns: list[list[str]], decimal: str
) -> list[Column]:
    """Numbers under `driver 512` and `driver 530` are values of those, and name none."""
    named = [place for place, column in enumerate(found) if role_of(column.name) == VARIANT]
    for place in places_of(found, VARIANT):
        if len(named) > 1 and np.isfinite(numbers(columns[place], decimal)).all():
            name = found[place].name
            found = renamed(found, place, OTHER, reported_unit(name, OTHER))
    return found


def _are_instants(cells: list[str], filled: int) -> bool:
    """Whether cells are dates, or clocks that go on: no durations, whatever they are called."""
    at = clocks(cells)
    going_on = len(cells) >= FEWEST_ROWS and climbs(at)
    return bool(filled) and (going_on or int(np.isfinite(dates(cells)).sum()) * 2 >= filled)


def _time_of_day_for_date(
    found: list[Column], columns: list[list[str]], doubts: list[str]
) -> list[Column]:
    """Where a column of dates says the same in every row, the time of day beside it is the time."""
    dated = [p for p in places_of(found, TIME) if found[p].unit == DATE]
    if not dated or len({cell.strip() for cell in columns[dated[0]]}) > 2:
        return found
    for place in places_of(found, SKIP):
        cells = columns[place]
        if np.isfinite(clocks(cells)).sum() * 2 >= len(cells):
            doubts.append(
                f"“{found[dated[0]].name}” is the day, and “{found[place].name}” the time on it"
            )
            return renamed(renamed(found, dated[0], SKIP), place, TIME, CLOCK)
    return found


def _only_times_that_climb(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """What is called a time and goes back as often as on is a number like others."""
    for place in places_of(found, TIME):
        steps = np.diff(seconds_of(found[place], columns[place], decimal))
        steps = steps[np.isfinite(steps)]
        if len(steps) > 3 and (steps < 0).mean() > _MOST_BACK:
            doubts.append(f"“{found[place].name}” goes back again and again: it is no time of rows")
            if found[place].unit in WRITTEN:
                return renamed(found, place, SKIP)
            return renamed(found, place, OTHER, found[place].unit)
    return found


#: A time may go back now and then, where a record is broken or was begun anew.
_MOST_BACK = 0.1


def _time_by_values(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """Take the first column that only climbs for the time, unless it only numbers the rows."""
    for place, column in enumerate(found):
        values = numbers(columns[place], decimal)
        measured = role_of(column.name) in (PROCESSOR, MEMORY, RATE)
        measured |= reported_unit(column.name, MEMORY) in MEMORY_UNITS
        if column.role != OTHER or measured or len(values) <= 3:
            continue
        if climbs(values) and not counts_on(values) and _seldom_the_same(values):
            unit = reported_unit(column.name, TIME) or unit_by_size(TIME, values)
            doubts.append(f"“{column.name}” only climbs: it is taken for the time, in {unit}")
            return renamed(found, place, TIME, unit)
    return found


def _seldom_the_same(values: NDArray[np.float64]) -> bool:
    """Whether a number goes on from row to row: one that stays says of what rows are."""
    steps = np.diff(values[np.isfinite(values)])
    return bool(len(steps)) and float((steps > 0).mean()) > _MOSTLY_ON


_MOSTLY_ON = 0.5


def _memory_by_unit(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A column told in units of memory, of a size that memory has, though its name is unknown."""
    if places_of(found, MEMORY):
        return found
    for place in places_of(found, OTHER):
        unit = reported_unit(found[place].name, MEMORY)
        moved = re.search(
            r"read|writ|sent|recv|receiv|disk|net|/s|per s", found[place].name.lower()
        )
        values = numbers(columns[place], decimal)
        middle = float(np.nanmedian(values)) if np.isfinite(values).any() else 0.0
        size = middle * MEMORY_UNITS.get(unit, 0.0)
        if (
            unit
            and not moved
            and not of_others(found[place].name)
            and _LEAST_MEMORY <= size <= _MOST_MEMORY
        ):
            doubts.append(f"“{found[place].name}” is told in {unit}: it is taken for memory")
            return renamed(found, place, MEMORY, unit)
    return found


_LEAST_MEMORY, _MOST_MEMORY = 2.0**20, 2.0**42
