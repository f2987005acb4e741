"""Rows that are timings: each begins and ends, or took so long."""

from __future__ import annotations

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
)
from yardstick_core.formats.guessing.naming import (
    is_action,
    names_frames,
    names_steps,
    role_of,
    words_of,
)
from yardstick_core.formats.mapping import (
    BEGIN,
    CLOCK,
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
    TIME_UNITS,
    VARIANT,
    WRITTEN,
    Column,
)
from yardstick_core.formats.values import clocks, numbers

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
            if _are_frames(found, columns, starts, ends):
                why = "each row begins where the last one ended: it is taken for a frame"
            else:
                numbered = are_numbered_frames(found, columns, decimal)
                why = "each row has the number of a frame: it is one, shown when it ended"
                why = why if numbered else ""
            if why:
                doubts.append(why)
                shown = renamed(found, end[0], TIME, found[end[0]].unit)
                return [column if column.role == TIME else Column(column.name) for column in shown]
            found = _in_the_unit_of_what_took(found, begin[0], end[0], starts, ends, doubts)
            doubts.append("each row begins and ends: it is taken for a timing, and no frame")
            for place in places_of(found, DURATION, TIME, FRAME_TIME):
                found = renamed(found, place, SKIP)
            return name_of_rows(found, columns, MARKER)
    if lap := _laps(found, columns):
        total, each = lap
        doubts.append(f"“{found[total].name}” is the sum of “{found[each].name}”: laps of one run")
        bare = [Column(column.name) for column in found]
        bare = renamed(bare, total, END, found[total].unit or CLOCK)
        return name_of_rows(renamed(bare, each, DURATION, SPAN), columns, MARKER)
    if not begin and not end and (both := _from_one_to_other(found, columns, decimal)):
        first, last = both
        names = f"from “{found[first].name}” to “{found[last].name}”"
        doubts.append(f"each row is {names}: it is taken for a timing")
        bare = [Column(column.name) for column in found]
        for place, role in ((first, BEGIN), (last, END)):
            bare = renamed(bare, place, role, found[place].unit)
        return name_of_rows(bare, columns, MARKER)
    instants = begin or end or places_of(found, TIME)
    took = places_of(found, DURATION) or [
        place for place in places_of(found, OTHER) if found[place].unit in TIME_UNITS
    ]
    if (begin or end) and not took:
        # what is called a time and goes back, or stands beside a date, is how long it took
        dated = any(found[place].unit in WRITTEN for place in (*begin, *end))
        took = [
            place for place in places_of(found, TIME)
            if dated or not climbs(seconds_of(found[place], columns[place], decimal))
        ]  # fmt: skip
    if (
        len(instants) == 1
        and len(took) == 1
        and _took(found, columns, decimal, instants[0], took[0])
    ):
        place = instants[0]
        role = found[place].role if found[place].role != TIME else END
        which = "began" if role == BEGIN else "ended"
        doubts.append(f"each row says when something {which} and how long it took: a timing")
        found = renamed(found, place, role, found[place].unit)
        length = found[took[0]]
        unit = (
            length.unit
            if length.unit in (*TIME_UNITS, SPAN)
            else unit_by_size(DURATION, numbers(columns[took[0]], decimal))
        )
        found = renamed(found, took[0], DURATION, unit)
        found = [c if c.role in (role, DURATION, MARKER) else Column(c.name) for c in found]
        return name_of_rows(found, columns, MARKER)
    for place in (*begin, *end):
        known = places_of(found, TIME)
        role = OTHER if known or found[place].role == END else TIME
        found = renamed(found, place, role, found[place].unit if role == TIME else "")
    return found


def _from_one_to_other(
    found: list[Column], columns: list[list[str]], decimal: str
) -> tuple[int, int] | None:
    """Two instants of each row, of one unit, the second of them soon after the first: what was done
    and when it was answered.
    """
    places = [p for p in places_of(found, TIME, OTHER) if found[p].unit in (*TIME_UNITS, *WRITTEN)]
    if len(places) != 2 or found[places[0]].unit != found[places[1]].unit:
        return None
    others = [p for p in places_of(found, OTHER) if p not in places]
    if any(not counts_on(numbers(columns[p], decimal)) for p in others):
        return None
    first, last = (seconds_of(found[p], columns[p], decimal) for p in places)
    if len(first) < FEWEST_FRAMES or not (np.isfinite(first).all() and np.isfinite(last).all()):
        return None
    factor = TIME_UNITS.get(found[places[0]].unit, 1e9) / 1e9
    steps, took = np.diff(first) * factor, (last - first) * factor
    apart = float(np.median(steps)) > LEAST_APART_S and bool((steps > 0).all())
    soon = bool((took > 0).all() and (took[:-1] < steps).all())
    return (places[0], places[1]) if apart and soon else None


def _laps(found: list[Column], columns: list[list[str]]) -> tuple[int, int] | None:
    """A clock that goes on, and the one that says by how much each time."""
    clocked = {
        place: clocks(columns[place]) for place in places_of(found, TIME, OTHER, SKIP)
        if columns[place] and np.isfinite(clocks(columns[place])).all()
    }  # fmt: skip
    for total, at in clocked.items():
        for each, took in clocked.items():
            steps = np.diff(at, prepend=0.0)
            near = np.abs(steps - took) < _LAST_DIGITS_S
            if total != each and len(at) > 2 and climbs(at) and near[1:].all() and np.ptp(took):
                return total, each
    return None


#: What is lost where laps and their sum are written with few digits, s.
_LAST_DIGITS_S = 0.11


def _in_the_unit_of_what_took(
    found: list[Column], begin: int, end: int, starts: NDArray[np.float64],
    ends: NDArray[np.float64], doubts: list[str],
) -> list[Column]:  # fmt: skip
    """Instants whose unit nothing tells: how long a person's work takes tells it, and that nobody
    sits at one for a day.
    """
    if any(found[p].unit in WRITTEN or reported_unit(found[p].name, BEGIN) for p in (begin, end)):
        return found
    unit = unit_by_size(DURATION, ends - starts)
    whole = float(np.nanmax(ends) - np.nanmin(starts))
    smaller = ["s", "ms", "µs", "ns"]
    while whole * TIME_UNITS[unit] > _LONGEST_LOG_NS and unit in smaller[:-1]:
        unit = smaller[smaller.index(unit) + 1]
    doubts[:] = [doubt for doubt in doubts if " names no unit: " not in doubt]
    for place in (begin, end):
        name = found[place].name
        doubts.append(f"“{name}” names no unit: {unit} was guessed from how long they took")
        found = renamed(found, place, found[place].role, unit)
    return found


_LONGEST_LOG_NS = 86_400e9


def _took(
    found: list[Column], columns: list[list[str]], decimal: str, instant: int, length: int
) -> bool:
    """Whether rows are events: instants that climb, far enough apart for what took so long."""
    at = seconds_of(found[instant], columns[instant], decimal)
    at = at * TIME_UNITS.get(found[instant].unit, 1e9) / 1e9
    steps = np.diff(at[np.isfinite(at)])
    if not len(steps) or (steps < 0).any():
        return False
    marker = places_of(found, MARKER)
    again = bool(marker) and _come_again(columns[marker[0]])
    apart = float(np.median(steps)) > LEAST_APART_S
    evenly = len(steps) > 2 and bool(np.ptp(steps) <= 0.01 * np.median(steps))
    other = places_of(found, FRAME_TIME, RATE, VARIANT)
    if again and not other and (apart or found[length].role == DURATION):
        return True
    if evenly and not marker and not reported_unit(found[length].name, DURATION):
        return False  # samples, taken at a steady pace
    if len(steps) >= MOST_ROWS:
        return False
    named = role_of(found[instant].name) in (BEGIN, END) or found[length].role == DURATION
    long = middle_s(found[length], columns[length], decimal) > LONGER_THAN_FRAMES_S
    beside = places_of(found, FRAME_TIME, RATE, PROCESSOR, MEMORY, VARIANT)
    return not beside and (named or long) and apart


def _come_again(cells: list[str]) -> bool:
    """Whether rows are named in turn by a few names, as events are, and not stretch by stretch."""
    names = [cell.strip() for cell in cells if cell.strip()]
    changes = sum(one != other for one, other in pairwise(names))
    return 1 < len(set(names)) * 2 <= len(names) and 4 * changes > len(names)


#: Events of a person's work are further apart than frames, s.
LEAST_APART_S = 0.2


#: So many rows that follow one another without a name of their own are frames.
FEWEST_FRAMES = 8


def _are_frames(
    found: list[Column], columns: list[list[str]], starts: NDArray[np.float64],
    ends: NDArray[np.float64],
) -> bool:  # fmt: skip
    """Whether rows that begin and end follow one another, and nothing names them."""
    if len(starts) < FEWEST_FRAMES or _named_rows(found, columns):
        return False
    apart = np.abs(starts[1:] - ends[:-1])
    usual = float(np.nanmedian(ends - starts))
    return bool((apart <= 0.05 * usual).mean() > 0.9)


def are_numbered_frames(found: list[Column], columns: list[list[str]], decimal: str) -> bool:
    """Whether a column that is called after frames counts the rows."""
    return len(columns[0]) >= FEWEST_FRAMES and any(
        names_frames(column.name) and numbers_rows(numbers(cells, decimal))
        for column, cells in zip(found, columns, strict=True)
    )


def _named_rows(found: list[Column], columns: list[list[str]]) -> bool:
    return bool(places_of(name_of_rows(found, columns, MARKER), MARKER))


def name_of_rows(found: list[Column], columns: list[list[str]], role: str) -> list[Column]:
    """Let the first column of text name what each row is about, where none does yet."""
    if places_of(found, role):
        return found
    texts = []
    for place in places_of(found, SKIP, VARIANT if role == MARKER else MARKER):
        cells = [cell.strip() for cell in columns[place]]
        again = 2 * len(set(cells)) <= len(cells)
        named = role == VARIANT and again and names_steps(found[place].name)
        if named or {cell.lower() for cell in cells} <= _LEVELS:
            continue
        if all(cells[:20]) and not np.isfinite(numbers(cells[:20])).any():
            texts.append(place)
    if role == MARKER:
        texts.sort(key=lambda place: words_of(found[place].name) not in _MESSAGES)
    several = [place for place in texts if len(set(columns[place])) > 1]
    for place in several or texts:  # what is the same in all rows tells nothing apart
        done = role == VARIANT and sum(map(is_action, columns[place])) * 2 > len(columns[place])
        if not done or role_of(found[place].name) == VARIANT:
            return renamed(found, place, role)
    return found


#: How grave lines of a log are, which names none of them; and what their texts stand under.
_LEVELS = {
    "trace", "debug", "info", "information", "notice", "warn", "warning", "error", "fatal",
    "critical", "verbose",
}  # fmt: skip
_MESSAGES = ("msg", "message", "text", "what", "description", "meldung", "nachricht", "mensaje")


#: A duration that is usually longer than this, s, is no length of a frame.
LONGER_THAN_FRAMES_S = 0.5


def middle_s(column: Column, cells: list[str], decimal: str) -> float:
    values = seconds_of(column, cells, decimal)
    if not np.isfinite(values).any():
        return 0.0
    return float(np.nanmedian(values)) * TIME_UNITS.get(column.unit, 1e9) / 1e9
