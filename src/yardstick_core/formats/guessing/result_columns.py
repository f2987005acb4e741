"""Which columns of a table of results hold what was timed, its variants or its repeats."""

from __future__ import annotations

import re
from collections import Counter

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.guessing.column_values import (
    climbs,
    counts_on,
    places_of,
    renamed,
    reported_unit,
    seconds_of,
)
from yardstick_core.formats.guessing.event_rows import FEWEST_FRAMES, LONGER_THAN_FRAMES_S, middle_s
from yardstick_core.formats.guessing.naming import is_action, names_runs, stem_of, words_of
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
    Column,
)
from yardstick_core.formats.values import clocks, dates, numbers


def has_nothing_but_counts(
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


def named_after_actions(found: list[Column], columns: list[list[str]]) -> list[int]:
    """Columns whose cells say what was done while it was timed."""
    return [
        place
        for place in places_of(found, SKIP, MARKER)
        if sum(map(is_action, columns[place])) * 2 > len(columns[place])
    ]


def repeats_of(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Columns of numbers that are called the same but for a number, beside names of the rows."""
    if not any(are_all_told_apart(cells, decimal) for cells in columns):
        return []
    places = [
        place for place in places_of(found, OTHER, DURATION)
        if stem_of_column(found[place]) != _BRACKETS.sub("", found[place].name).strip()
        and not counts_on(numbers(columns[place], decimal))
    ]  # fmt: skip
    stems = Counter(stem_of_column(found[place]) for place in places)
    worded = any(sign.isalpha() for stem in stems for sign in stem)
    return places if min(stems.values(), default=0) > 1 and (worded or len(stems) > 1) else []


def stem_of_column(column: Column) -> str:
    return stem_of(_BRACKETS.sub("", column.name))


_BRACKETS = re.compile(r"[\[(][^\])]*[\])]")


def are_all_told_apart(cells: list[str], decimal: str) -> bool:
    """Whether each row has a text of its own."""
    texts = [cell.strip() for cell in cells]
    read = (numbers(texts, decimal), clocks(texts), dates(texts))
    words = not any(np.isfinite(values).any() for values in read)
    return words and all(texts) and len(set(texts)) == len(texts)


def of_command(found: list[Column]) -> bool:
    """Whether rows say what a system says of a command: `real` and `user`, or a wall clock."""
    named = {words_of(column.name) for column in found}
    return {"real", "user"} <= named or any("wall clock" in one.name.lower() for one in found)


def long_durations(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Columns named as durations in a table without names of variants, longer than frames are.

    What a system says of a command, what runs are numbered beside, and what is too little for a
    record of frames is none of frames, however short it is.
    """
    of_no_frames = (
        of_command(found)
        or len(columns[0]) < FEWEST_FRAMES
        or any(names_runs(column.name) for column in found)
    )
    return [
        place
        for place in places_of(found, DURATION)
        if (of_no_frames or middle_s(found[place], columns[place], decimal) > LONGER_THAN_FRAMES_S)
        and not (
            len(columns[0]) >= FEWEST_FRAMES
            and climbs(seconds_of(found[place], columns[place], decimal))
        )
    ]


def clocked_results(found: list[Column], columns: list[list[str]]) -> list[Column]:
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


def wide_results(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Columns of a table with one for each variant: positive, of one size, not climbing."""
    if places_of(found, MEMORY, PROCESSOR, RATE, TIME, FRAME_TIME, MARKER):
        return []
    places = [
        place for place in places_of(found, OTHER, DURATION)
        if not counts_on(numbers(columns[place], decimal)) and not are_shares(columns[place])
    ]  # fmt: skip
    values = [seconds_of(found[place], columns[place], decimal) for place in places]
    if not 2 <= len(places) <= FEW_RESULTS or len(columns[0]) > _MOST_WIDE_ROWS:
        return []
    middles = [float(np.nanmedian(one)) for one in values if np.isfinite(one).any()]
    alike = len(middles) == len(places) and min(middles) > 0 and max(middles) < 20 * min(middles)
    climbs_by_chance = all if len(columns[0]) < _FEW_ROWS else any
    climbing = climbs_by_chance(climbs(one) for one in values)
    return places if alike and not climbing else []


#: Of fewer rows one column or another climbs by chance.
_FEW_ROWS = 6


def are_shares(cells: list[str]) -> bool:
    """Whether a column is told in percent: how much of another, and no duration."""
    return all("%" in cell for cell in cells if cell.strip())


def actions_of(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Two or more columns that are called after what was timed, and not after variants."""
    if places_of(found, TIME, MARKER):
        return []
    places = [
        place for place in places_of(found, OTHER, DURATION, BEGIN, END)
        if is_action(found[place].name) and found[place].unit in (*TIME_UNITS, CLOCK, SPAN, "")
        and not counts_on(numbers(columns[place], decimal))
    ]  # fmt: skip
    if not 2 <= len(places) <= FEW_RESULTS:
        return []
    return sorted([*places, *_alike(found, columns, decimal, places)])


def timed_actions(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
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
    usual = [middle_s(found[place], columns[place], decimal) for place in places]
    more = []
    for place in places_of(found, OTHER, DURATION):
        values = numbers(columns[place], decimal)
        same = reported_unit(found[place].name, OTHER) in units and not counts_on(values)
        middle = middle_s(found[place], columns[place], decimal)
        near = min(usual) / _FAR < middle < max(usual) * _FAR
        if place not in places and same and near and np.isfinite(values).all():
            more.append(place)
    return more


#: Timings of one run are not further apart than by this factor.
_FAR = 30


def before_repeats(found: list[Column], places: list[int]) -> int | None:
    """The column before those that are only numbered, 1, 2, 3: repeats of what it names."""
    numbered = [place for place in places if re.fullmatch(r"#?\d+", found[place].name.strip())]
    counted = [int(found[place].name.strip().lstrip("#")) for place in numbered]
    first = numbered[0] - 1 if numbered else -1
    steps = counted == list(range(counted[0], counted[0] + len(counted))) if counted else False
    return first if len(counted) > 1 and counted[0] in (0, 1) and steps and first >= 0 else None


FEW_RESULTS, _MOST_WIDE_ROWS = 12, 100
