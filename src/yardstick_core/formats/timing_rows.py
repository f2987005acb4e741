"""Rows that are timings: events that begin and end, and tables of results."""

from __future__ import annotations

import re
from collections import Counter
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.column_values import (
    climbs,
    counts_on,
    numbers_rows,
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
    TIME_UNITS,
    UNITS,
    VARIANT,
    WRITTEN,
    Column,
)
from yardstick_core.formats.naming import (
    is_action,
    is_mean,
    names_frames,
    names_runs,
    names_tests,
    role_of,
    stem_of,
    sums_up,
    without_number,
)
from yardstick_core.formats.values import clocks, dates, numbers

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
                numbered = _numbered_frames(found, columns, decimal)
                why = "each row has the number of a frame: it is one, shown when it ended"
                why = why if numbered else ""
            if why:
                doubts.append(why)
                shown = renamed(found, end[0], TIME, found[end[0]].unit)
                return [column if column.role == TIME else Column(column.name) for column in shown]
            found = _in_the_unit_of_what_took(found, begin[0], end[0], ends - starts, doubts)
            doubts.append("each row begins and ends: it is taken for a timing, and no frame")
            for place in places_of(found, DURATION, TIME, FRAME_TIME):
                found = renamed(found, place, SKIP)
            return _name_of_rows(found, columns, MARKER)
    if lap := _laps(found, columns):
        total, each = lap
        doubts.append(f"“{found[total].name}” is the sum of “{found[each].name}”: laps of one run")
        bare = [Column(column.name) for column in found]
        bare = renamed(bare, total, END, found[total].unit or CLOCK)
        return _name_of_rows(renamed(bare, each, DURATION, SPAN), columns, MARKER)
    instants = begin or end or places_of(found, TIME)
    took = places_of(found, DURATION) or [
        place for place in places_of(found, OTHER) if found[place].unit in TIME_UNITS
    ]
    if (begin or end) and not took:  # what is called a time and goes back is how long it took
        took = [
            place for place in places_of(found, TIME)
            if not climbs(seconds_of(found[place], columns[place], decimal))
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
        return _name_of_rows(found, columns, MARKER)
    for place in (*begin, *end):
        known = places_of(found, TIME)
        role = OTHER if known or found[place].role == END else TIME
        found = renamed(found, place, role, found[place].unit if role == TIME else "")
    return found


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
    found: list[Column], begin: int, end: int, took: NDArray[np.float64], doubts: list[str]
) -> list[Column]:
    """Instants whose unit nothing tells: how long a person's work takes tells it."""
    if any(found[p].unit in WRITTEN or reported_unit(found[p].name, BEGIN) for p in (begin, end)):
        return found
    unit = unit_by_size(DURATION, took)
    doubts[:] = [doubt for doubt in doubts if " names no unit: " not in doubt]
    for place in (begin, end):
        name = found[place].name
        doubts.append(f"“{name}” names no unit: {unit} was guessed from how long they took")
        found = renamed(found, place, found[place].role, unit)
    return found


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
    long = _middle_s(found[length], columns[length], decimal) > LONGER_THAN_FRAMES_S
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
_FEWEST_FRAMES = 8


def _are_frames(
    found: list[Column], columns: list[list[str]], starts: NDArray[np.float64],
    ends: NDArray[np.float64],
) -> bool:  # fmt: skip
    """Whether rows that begin and end follow one another, and nothing names them."""
    if len(starts) < _FEWEST_FRAMES or _named_rows(found, columns):
        return False
    apart = np.abs(starts[1:] - ends[:-1])
    usual = float(np.nanmedian(ends - starts))
    return bool((apart <= 0.05 * usual).mean() > 0.9)


def _numbered_frames(found: list[Column], columns: list[list[str]], decimal: str) -> bool:
    """Whether a column that is called after frames counts the rows."""
    return len(columns[0]) >= _FEWEST_FRAMES and any(
        names_frames(column.name) and numbers_rows(numbers(cells, decimal))
        for column, cells in zip(found, columns, strict=True)
    )


def _named_rows(found: list[Column], columns: list[list[str]]) -> bool:
    return bool(places_of(_name_of_rows(found, columns, MARKER), MARKER))


def _name_of_rows(found: list[Column], columns: list[list[str]], role: str) -> list[Column]:
    """Let the first column of text name what each row is about, where none does yet."""
    if places_of(found, role):
        return found
    texts = []
    for place in places_of(found, SKIP, VARIANT if role == MARKER else MARKER):
        cells = [cell.strip() for cell in columns[place]]
        if all(cells[:20]) and not np.isfinite(numbers(cells[:20])).any():
            texts.append(place)
    several = [place for place in texts if len(set(columns[place])) > 1]
    for place in several or texts:  # what is the same in all rows tells nothing apart
        done = role == VARIANT and sum(map(is_action, columns[place])) * 2 > len(columns[place])
        if not done or role_of(found[place].name) == VARIANT:
            return renamed(found, place, role)
    return found


def as_results(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A short table of results: of variants named in a column, or of one variant a column."""
    rows = len(columns[0]) if columns else 0
    others = places_of(found, FRAME_TIME, RATE)
    if not places_of(found, VARIANT):
        others += places_of(found, PROCESSOR)
    if not 0 < rows < MOST_ROWS or others or _numbered_frames(found, columns, decimal):
        return [_undone(column) for column in found]
    found = _days_apart(_clocked_results(found, columns), columns)
    times = places_of(found, TIME)
    climbing = [p for p in times if climbs(seconds_of(found[p], columns[p], decimal))]
    if climbing and _nothing_but_counts(found, columns, decimal, climbing[0]):
        found = renamed(found, climbing[0], DURATION, found[climbing[0]].unit)
        times, climbing = [p for p in times if p != climbing[0]], climbing[1:]
    if climbing or any(found[p].unit == DATE for p in times):
        if not places_of(found, VARIANT) or not places_of(found, DURATION):
            return [_undone(column) for column in found]
        for place in times:  # when it was measured
            found = renamed(found, place, SKIP)
        times = []
    if not places_of(found, VARIANT) and (repeats := _repeats(found, columns, decimal)):
        place = next(p for p, cells in enumerate(columns) if _all_told_apart(cells, decimal))
        timed = sum(map(is_action, columns[place])) * 2 > rows
        what = "the timing" if timed else "the variant"
        doubts.append(f"“{found[place].name}” names {what} of each row, each column is a run of it")
        named = [c if c.role != MARKER else Column(c.name) for c in found]
        named = renamed(named, place, MARKER if timed else VARIANT)
        return _results(named, columns, repeats, decimal, doubts)
    named = _name_of_rows(found, columns, VARIANT)
    texts = places_of(named, VARIANT)
    if not texts and (done := _named_after_actions(found, columns)):
        bare = [Column(c.name) if c.role == MARKER else c for c in found]
        named, texts = renamed(bare, done[0], MARKER), done
    amounts = times + places_of(found, DURATION)
    if texts and not amounts:
        amounts = [
            place for place in places_of(named, OTHER)
            if not counts_on(numbers(columns[place], decimal)) and place not in texts
        ]  # fmt: skip
        told = [place for place in amounts if reported_unit(found[place].name, DURATION)]
        amounts = told or (amounts if len(amounts) <= _FEW_RESULTS else [])
    if texts and amounts and (done := _timed_actions(found, columns, decimal)):
        amounts = sorted({*amounts, *done} - set(texts))
    if texts and amounts:
        repeated = len({cell.strip() for cell in columns[texts[0]]}) * 2 <= rows
        if not repeated and not places_of(found, VARIANT):
            if table := _timings_by_variant(found, columns, decimal, doubts):
                return table
            return [_undone(column) for column in found]
        runs = [found[place].name for place in amounts if not sums_up(found[place].name)]
        several = len(set(map(without_number, runs))) > 1
        doubts.append(
            "each row is taken for the result of a run of its own"
            + (", each column for a timing of it" if several else "")
        )
        return _results(named, columns, amounts, decimal, doubts)
    if not texts and (alone := _long_durations(found, columns, decimal)):
        doubts.append("each row is taken for the result of a run of its own")
        return _results(found, columns, alone, decimal, doubts)
    if not texts and (actions := _actions(found, columns, decimal)):
        doubts.append("each row is taken for a run, each column for a timing of it")
        return _results(found, columns, actions, decimal, doubts)
    wide = _wide_results(found, columns, decimal)
    if wide and not texts and (first := _before_repeats(found, wide)) is not None:
        doubts.append(
            f"“{found[first].name}” is taken for the variant, each column for a run of it"
        )
        wide = [place for place in wide if place != first]
        return _results(renamed(found, first, VARIANT), columns, wide, decimal, doubts)
    if wide and not texts:
        doubts.append("each column is taken for a variant, each row for a run of each")
        return _results(found, columns, wide, decimal, doubts)
    return [_undone(column) for column in found]


def _nothing_but_counts(
    found: list[Column], columns: list[list[str]], decimal: str, time: int
) -> bool:
    """Whether rows of variants in turn hold one number, and else only counts: results that somebody
    sorted, and no time of rows.
    """
    variants = places_of(found, VARIANT)
    if not variants or found[time].unit not in TIME_UNITS:
        return False
    names = [cell.strip() for cell in columns[variants[0]]]
    again = len(set(names)) * 2 <= len(names) and len(set(names)) > 1
    others = [
        place for place, column in enumerate(found)
        if column.role in (OTHER, PROCESSOR, MEMORY) and place != time
    ]  # fmt: skip
    return again and any(names_runs(found[p].name) for p in others) and all(
        len(columns[p]) >= len(set(columns[p])) and _whole_and_small(numbers(columns[p], decimal))
        for p in others
    )  # fmt: skip


def _whole_and_small(values: NDArray[np.float64]) -> bool:
    """Whether numbers count no further than there are rows."""
    return bool(np.isfinite(values).all() and (values == np.round(values)).all()) and bool(
        values.min() >= 0 and values.max() <= len(values)
    )


def _named_after_actions(found: list[Column], columns: list[list[str]]) -> list[int]:
    """Columns whose cells say what was done while it was timed."""
    return [
        place
        for place in places_of(found, SKIP, MARKER)
        if sum(map(is_action, columns[place])) * 2 > len(columns[place])
    ]


def _repeats(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Columns of numbers that are called the same but for a number, beside names of the rows."""
    if not any(_all_told_apart(cells, decimal) for cells in columns):
        return []
    places = [
        place for place in places_of(found, OTHER, DURATION)
        if _stem(found[place]) != _BRACKETS.sub("", found[place].name).strip()
        and not counts_on(numbers(columns[place], decimal))
    ]  # fmt: skip
    stems = Counter(_stem(found[place]) for place in places)
    worded = any(sign.isalpha() for stem in stems for sign in stem)
    return places if min(stems.values(), default=0) > 1 and (worded or len(stems) > 1) else []


def _stem(column: Column) -> str:
    return stem_of(_BRACKETS.sub("", column.name))


_BRACKETS = re.compile(r"[\[(][^\])]*[\])]")


def _all_told_apart(cells: list[str], decimal: str) -> bool:
    """Whether each row has a text of its own."""
    texts = [cell.strip() for cell in cells]
    read = (numbers(texts, decimal), clocks(texts), dates(texts))
    words = not any(np.isfinite(values).any() for values in read)
    return words and all(texts) and len(set(texts)) == len(texts)


#: A duration that is usually longer than this, s, is no length of a frame.
LONGER_THAN_FRAMES_S = 0.5


def _long_durations(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Columns named as durations in a table without names of variants, longer than frames are."""
    return [
        place
        for place in places_of(found, DURATION)
        if _middle_s(found[place], columns[place], decimal) > LONGER_THAN_FRAMES_S
        and not (
            len(columns[0]) >= _FEWEST_FRAMES
            and climbs(seconds_of(found[place], columns[place], decimal))
        )
    ]


def _middle_s(column: Column, cells: list[str], decimal: str) -> float:
    values = seconds_of(column, cells, decimal)
    if not np.isfinite(values).any():
        return 0.0
    return float(np.nanmedian(values)) * TIME_UNITS.get(column.unit, 1e9) / 1e9


def _clocked_results(found: list[Column], columns: list[list[str]]) -> list[Column]:
    """Several columns of minutes and seconds are numbers beside one another, and not the time."""
    clocked = [
        place for place in places_of(found, TIME, SKIP) if np.isfinite(clocks(columns[place])).all()
    ]
    climbing = all if len(columns[0]) < _FEW_ROWS else any  # of few rows one climbs by chance
    if len(clocked) < 2 or climbing(climbs(clocks(columns[place])) for place in clocked):
        return found
    for place in clocked:
        found = renamed(found, place, OTHER, CLOCK)
    return found


def _days_apart(found: list[Column], columns: list[list[str]]) -> list[Column]:
    """A column of days that come again says when results were taken, and not when rows were."""
    for place in places_of(found, TIME):
        days = {cell.strip() for cell in columns[place]}
        if (
            found[place].unit == DATE
            and len(days) * 2 <= len(columns[place])
            and places_of(found, VARIANT)
        ):
            found = renamed(found, place, SKIP)
    return found


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
        if not counts_on(numbers(columns[place], decimal)) and not _are_shares(columns[place])
    ]  # fmt: skip
    values = [seconds_of(found[place], columns[place], decimal) for place in places]
    if not 2 <= len(places) <= _FEW_RESULTS or len(columns[0]) > _MOST_WIDE_ROWS:
        return []
    middles = [float(np.nanmedian(one)) for one in values if np.isfinite(one).any()]
    alike = len(middles) == len(places) and min(middles) > 0 and max(middles) < 20 * min(middles)
    climbs_by_chance = all if len(columns[0]) < _FEW_ROWS else any
    climbing = climbs_by_chance(climbs(one) for one in values)
    return places if alike and not climbing else []


#: Of fewer rows one column or another climbs by chance.
_FEW_ROWS = 6


def _are_shares(cells: list[str]) -> bool:
    """Whether a column is told in percent: how much of another, and no duration."""
    return all("%" in cell for cell in cells if cell.strip())


def _timings_by_variant(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column] | None:
    """A table with a row for each timing and a column for each variant; None for another."""
    bare = [Column(c.name) if c.role == MARKER else c for c in found]
    named = [place for place, cells in enumerate(columns) if _all_told_apart(cells, decimal)]
    wide = _wide_results(bare, columns, decimal)
    if not named or not wide:
        return None
    name = found[named[0]].name
    doubts.append(f"“{name}” says what was timed in each row, each column is a variant")
    return _results(renamed(bare, named[0], MARKER), columns, wide, decimal, doubts)


def _actions(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Two or more columns that are called after what was timed, and not after variants."""
    if places_of(found, TIME, MARKER):
        return []
    places = [
        place for place in places_of(found, OTHER, DURATION, BEGIN, END)
        if is_action(found[place].name) and found[place].unit in (*TIME_UNITS, CLOCK, SPAN, "")
        and not counts_on(numbers(columns[place], decimal))
    ]  # fmt: skip
    if not 2 <= len(places) <= _FEW_RESULTS:
        return []
    return sorted([*places, *_alike(found, columns, decimal, places)])


def _timed_actions(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Several columns of numbers that are called after what was done."""
    places = [
        place for place in places_of(found, OTHER, TIME, DURATION)
        if is_action(found[place].name) and not counts_on(numbers(columns[place], decimal))
        and np.isfinite(numbers(columns[place], decimal)).any()
    ]  # fmt: skip
    return places if len(places) > 1 else []


def _alike(
    found: list[Column], columns: list[list[str]], decimal: str, places: list[int]
) -> list[int]:
    """Further columns in the unit of some, and as large: timings of a name that says nothing."""
    units = {reported_unit(found[place].name, DURATION) for place in places}
    usual = [_middle_s(found[place], columns[place], decimal) for place in places]
    more = []
    for place in places_of(found, OTHER, DURATION):
        values = numbers(columns[place], decimal)
        same = reported_unit(found[place].name, OTHER) in units and not counts_on(values)
        middle = _middle_s(found[place], columns[place], decimal)
        near = min(usual) / _FAR < middle < max(usual) * _FAR
        if place not in places and same and near and np.isfinite(values).all():
            more.append(place)
    return more


#: Timings of one run are not further apart than by this factor.
_FAR = 30


def are_timings(found: list[Column]) -> bool:
    """Whether several columns of durations are timings of the run that their row is.

    Columns that differ by a number alone are repeats, each a run of its own.
    """
    names = [found[place].name for place in places_of(found, DURATION)]
    if len({without_number(name) for name in names}) < 2 or places_of(found, MARKER):
        return False
    return bool(places_of(found, VARIANT)) or sum(map(is_action, names)) > 1


def _before_repeats(found: list[Column], places: list[int]) -> int | None:
    """The column before those that are only numbered, 1, 2, 3: repeats of what it names."""
    numbered = [place for place in places if re.fullmatch(r"#?\d+", found[place].name.strip())]
    counted = [int(found[place].name.strip().lstrip("#")) for place in numbered]
    first = numbered[0] - 1 if numbered else -1
    steps = counted == list(range(counted[0], counted[0] + len(counted))) if counted else False
    return first if len(counted) > 1 and counted[0] in (0, 1) and steps and first >= 0 else None


_FEW_RESULTS, _MOST_WIDE_ROWS = 12, 100


def _results(
    found: list[Column], columns: list[list[str]], amounts: list[int], decimal: str,
    doubts: list[str],
) -> list[Column]:  # fmt: skip
    for place in places_of(found, MARKER):
        if sum(bool(cell.strip()) for cell in columns[place]) * 2 <= len(columns[place]):
            found = renamed(found, place, SKIP)  # a remark on a few rows
    shares = [place for place in amounts if _are_shares(columns[place])]
    if len(shares) < len(amounts):  # a difference, and no duration
        amounts = [place for place in amounts if place not in shares]
    summaries = [place for place in amounts if sums_up(found[place].name)]
    if len(summaries) == len(amounts):
        doubts.append("what is a mean already counts as one run: how its runs differed is unknown")
        summaries = [place for place in amounts if not is_mean(found[place].name)]
    if 0 < len(summaries) < len(amounts):
        names = " and ".join(f"“{found[place].name}”" for place in summaries)
        verb = "sum" if len(summaries) > 1 else "sums"
        doubts.append(f"{names} {verb} up the others: no result of a run, left out")
        amounts = [place for place in amounts if place not in summaries]
    if any("±" in cell for place in amounts for cell in columns[place]):
        doubts.append(
            "what stands before ± is a mean, which counts as one run: how runs differed is unknown"
        )
    if places_of(found, VARIANT) and not places_of(found, MARKER):
        found = _what_was_timed(found, columns, amounts, doubts)
    labels = [cell.strip() for cells in columns for cell in cells if sums_up(cell)]
    if labels:
        doubts.append(f"the row “{labels[0]}” sums up others: it is no run")
    meters = [f"“{found[place].name}”" for place in places_of(found, MEMORY, PROCESSOR)]
    if meters := [name for name in meters if name not in {f"“{found[p].name}”" for p in amounts}]:
        doubts.append(
            f"{' and '.join(meters)} left out: of results only how long they took is read"
        )
    guessed: dict[str, list[str]] = {}
    for place, column in enumerate(found):
        if place in amounts:
            unit = SPAN if column.unit == CLOCK else column.unit
            unit = unit if unit in UNITS[DURATION] else ""
            if not unit or (column.role == TIME and unit in TIME_UNITS):
                unit = reported_unit(column.name, DURATION)
            if not unit and column.role == TIME:  # it was guessed as if it said when
                doubts[:] = [one for one in doubts if not one.startswith(_bare_of(column.name))]
            if not unit:
                unit = unit_by_size(DURATION, numbers(columns[place], decimal))
                guessed.setdefault(unit, []).append(f"“{column.name}”")
            found = renamed(found, place, DURATION, unit)
        elif column.role not in (VARIANT, MARKER):
            found = renamed(found, place, SKIP)
    for unit, bare in guessed.items():
        few = f"{', '.join(bare)} {'name' if len(bare) > 1 else 'names'}"
        said = few if len(bare) <= _FEW_NAMES else f"{len(bare)} columns name"
        doubts.append(f"{said} no unit: {unit} was guessed from the values")
    return found


def _bare_of(name: str) -> str:
    """How the doubt begins that a column names no unit."""
    return f"“{name}” names no unit: "


def _what_was_timed(
    found: list[Column], columns: list[list[str]], amounts: list[int], doubts: list[str]
) -> list[Column]:
    """A column of words that come again with each variant says what was timed; else it is doubted
    that nothing does.
    """
    alone = len({without_number(_stem(found[place])) for place in amounts}) == 1
    apart = [place for place in _telling_apart(found, columns) if place not in amounts]
    named = [
        place
        for place in apart
        if names_tests(found[place].name) or place in _named_after_actions(found, columns)
    ]
    timed = (named or apart)[0] if alone and apart else -1
    for place in apart:
        name = found[place].name
        if place in named and place == timed:
            doubts.append(f"“{name}” says what was timed in each row")
        elif place == timed:
            doubts.append(
                f"“{name}” tells rows of one variant apart: what was timed is judged for each of it"
            )
        else:
            doubts.append(f"“{name}” tells rows of one variant apart, and is left out")
    return renamed(found, timed, MARKER) if timed >= 0 else found


def _telling_apart(found: list[Column], columns: list[list[str]]) -> list[int]:
    """Columns of words that come again with each variant."""
    runs = [n for n, row in enumerate(zip(*columns, strict=True)) if not any(map(sums_up, row))]
    variants = [columns[places_of(found, VARIANT)[0]][n].strip() for n in runs]
    apart = []
    for place in places_of(found, SKIP):
        cells = [columns[place][n].strip() for n in runs]
        words = set(cells)
        pairs = set(zip(variants, cells, strict=True))
        crossed = len(pairs) == len(words) * len(set(variants))
        again = 1 < len(words) * 2 <= len(cells) and all(cells)  # remarks are not in all rows
        number = np.isfinite(numbers(cells)).any() or np.isfinite(dates(cells)).any()
        if crossed and again and not number:
            apart.append(place)
    return apart


_FEW_NAMES = 4
