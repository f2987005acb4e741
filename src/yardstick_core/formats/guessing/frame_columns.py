"""Which columns of a log say how long frames lasted, or when they were shown."""

from __future__ import annotations

import re

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
from yardstick_core.formats.guessing.event_rows import LONGER_THAN_FRAMES_S, MOST_ROWS
from yardstick_core.formats.guessing.naming import names_counts, names_frames, names_runs, words_of
from yardstick_core.formats.mapping import (
    DURATION,
    FRAME_TIME,
    MARKER,
    MEMORY,
    OTHER,
    PROCESSOR,
    RATE,
    SKIP,
    TIME,
    TIME_UNITS,
    UNITS,
    Column,
)
from yardstick_core.formats.values import clocks, numbers


def number_of_run(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A column called after runs, whose number stays the same for many frames, tells them apart."""
    for place in places_of(found, OTHER, SKIP):
        values = numbers(columns[place], decimal)
        counted = np.isfinite(values).all() and set(np.diff(values).tolist()) <= {0.0, 1.0}
        changes = int(np.count_nonzero(np.diff(values)))
        if names_runs(found[place].name) and counted and FEWEST_FRAMES * changes < len(values):
            doubts.append(f"“{found[place].name}” says of which run each row is")
            return renamed(found, place, MARKER)
    return found


def has_frame_numbers(found: list[Column], columns: list[list[str]], decimal: str) -> bool:
    return len(columns[0]) >= FEWEST_FRAMES and any(
        names_frames(found[place].name) and numbers_rows(numbers(columns[place], decimal))
        for place in places_of(found, OTHER)
    )


def are_numbered_as_frames(found: list[Column], columns: list[list[str]], decimal: str) -> bool:
    """Whether rows that something counts follow one another as frames do: closer than meters are
    read, and not at a steady pace.
    """
    if len(columns[0]) < FEWEST_FRAMES or not any(
        numbers_rows(numbers(columns[place], decimal)) for place in places_of(found, OTHER)
    ):
        return False
    column = found[places_of(found, TIME)[0]]
    at = seconds_of(column, columns[places_of(found, TIME)[0]], decimal)
    steps = np.diff(at[np.isfinite(at)]) * TIME_UNITS.get(column.unit, 1e9) / 1e9
    middle = float(np.median(steps)) if len(steps) else 0.0
    varied = float(np.mean(np.abs(steps - middle))) > _STEADY * middle if middle else False
    return _SHORTEST_S < middle < _CLOSER_THAN_READ_S and varied


#: Meters are seldom read more often than this, s, and at a pace that varies less.
_CLOSER_THAN_READ_S, _STEADY = 0.045, 0.02


def other_stamps(found: list[Column], columns: list[list[str]], decimal: str) -> list[int]:
    """Further instants beside the time of rows that follow one another as frames do; none where
    anything else is in the file.
    """
    times, others = places_of(found, TIME), places_of(found, OTHER)
    if not times or not others or {c.role for c in found} - {TIME, OTHER, SKIP, MARKER}:
        return []
    unit = TIME_UNITS.get(found[times[0]].unit, 1e9) / 1e9
    at = seconds_of(found[times[0]], columns[times[0]], decimal) * unit
    steps = np.diff(at[np.isfinite(at)])
    frames = len(steps) > 7 and _SHORTEST_S < float(np.median(steps)) < _LONGEST_S
    beside = [place for place in others if found[place].unit in TIME_UNITS]
    same = len(beside) == len(others) and all(
        climbs(numbers(columns[place], decimal)) for place in beside
    )
    return beside if frames and same else []


def shown_at(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column] | None:
    """Of several instants of each row, on one clock and as close as frames, the one at which it was
    shown: named so, or the last. None where there are fewer.
    """
    at: dict[int, NDArray[np.float64]] = {}
    for place, column in enumerate(found):
        values = numbers(columns[place], decimal)
        unit = column.unit if column.unit in TIME_UNITS else unit_by_size(TIME, values)
        seconds = values * TIME_UNITS.get(unit, np.nan) / 1e9
        steps = np.diff(seconds)
        if len(steps) < FEWEST_ROWS - 1 or not (steps >= 0).all() or numbers_rows(values):
            continue
        if _SHORTEST_S < float(np.median(steps)) < _LONGEST_S:
            at[place] = seconds
    middles = np.sort([np.median(seconds) for seconds in at.values()])
    near = [
        place for place, seconds in at.items()
        if np.diff(
            np.searchsorted(middles, np.median(seconds) + np.array([-1, 1]) * _OF_A_FRAME_S)
        )[0] >= _FEWEST_INSTANTS
    ]  # fmt: skip
    if len(near) < _FEWEST_INSTANTS:
        return None
    named = [place for place in near if _SHOWN.search(words_of(found[place].name))]
    last = max(named or near, key=lambda place: float(np.median(at[place])))
    unit = found[last].unit
    unit = unit if unit in TIME_UNITS else unit_by_size(TIME, numbers(columns[last], decimal))
    doubts[:] = [doubt for doubt in doubts if " names no unit: " not in doubt]
    doubts.append(
        f"each row holds {len(near)} instants of a frame: it was shown at “{found[last].name}”, "
        f"in {unit}"
    )
    return [
        Column(column.name, TIME, unit) if place == last
        else Column(column.name) if place in near or column.role == TIME else column
        for place, column in enumerate(found)
    ]  # fmt: skip


#: So many instants of one row, within so many seconds of one another, are those of a frame.
_FEWEST_INSTANTS, _OF_A_FRAME_S = 4, 1.0
_SHOWN = re.compile(r"complet|present|display|shown|visible|\bflip|on screen|scan ?out")


#: Frames usually follow one another within these times, s.
_SHORTEST_S, _LONGEST_S = 0.0005, 0.12


#: A column is the differences of the time where so many of its values fit, within so much of them
#: or within the last digit that they are written with.
_FITTING, _WITHIN = 0.95, 0.02


def frame_time_by_values(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A column whose values are the differences of the time is the frame time, whatever its name;
    and so is a single column of numbers that are as large as frame times are.
    """
    times = places_of(found, TIME)
    if times and not places_of(found, FRAME_TIME):
        at = seconds_of(found[times[0]], columns[times[0]], decimal)
        factor = TIME_UNITS.get(found[times[0]].unit, 1e9) / 1e9
        for place in places_of(found, OTHER, RATE, MEMORY, PROCESSOR):
            unit = _differences_of(at * factor, numbers(columns[place], decimal))
            if unit and reported_unit(found[place].name, OTHER) in ("", *TIME_UNITS):
                doubts.append(
                    f"“{found[place].name}” holds the differences of “{found[times[0]].name}”: it "
                    f"is taken for the frame time, in {unit}"
                )
                return renamed(found, place, FRAME_TIME, unit)
    if not times and not places_of(found, FRAME_TIME):
        for prove, why in (
            (_sum_of_others, "the sum of the columns beside it"),
            (_only_lengths, "the only time, beside the number of each row"),
            (_inverse_of_rate, "a second divided by the rate"),
        ):
            proved = prove(found, columns, decimal)
            if proved is not None:
                name, values = found[proved].name, numbers(columns[proved], decimal)
                unit = reported_unit(name, FRAME_TIME) or unit_by_size(FRAME_TIME, values)
                doubts.append(f"“{name}” is {why}: it is taken for the frame time, in {unit}")
                return renamed(found, proved, FRAME_TIME, unit)
    several = len(places_of(found, OTHER)) > 1
    alone = [
        p for p, column in enumerate(found)
        if column.role not in (SKIP, MARKER)
        and not (counts_on if several else numbers_rows)(numbers(columns[p], decimal))
    ]  # fmt: skip
    if (
        not times
        and not places_of(found, FRAME_TIME)
        and len(alone) == 1
        and not _labelled(found, columns)
        and found[alone[0]].role == OTHER
        and found[alone[0]].unit in ("", *TIME_UNITS)
    ):
        values = numbers(columns[alone[0]], decimal)
        middle = float(np.nanmedian(values)) if np.isfinite(values).any() else 0.0
        name = found[alone[0]].name
        unit = reported_unit(name, FRAME_TIME) or unit_by_size(FRAME_TIME, values)
        seconds = middle * TIME_UNITS[unit] / 1e9
        if len(values) < MOST_ROWS and seconds > LONGER_THAN_FRAMES_S:
            doubts.append("each row is taken for the result of a run of its own")
            return [
                Column(name, DURATION, unit) if place == alone[0] else Column(column.name)
                for place, column in enumerate(found)
            ]
        if names_counts(name):
            return found
        if middle > 0:
            doubts.append(
                f"the only numbers, around {middle:.3g}, are taken for frame times, in {unit}"
            )
            for place in places_of(found, OTHER):
                found = renamed(found, place, SKIP)  # the number of each frame
            return renamed(found, alone[0], FRAME_TIME, unit)
    return found


#: Parts of what a frame takes: fewer columns add up by accident.
_FEWEST_PARTS, FEWEST_FRAMES = 2, 20


def _sum_of_others(found: list[Column], columns: list[list[str]], decimal: str) -> int | None:
    """The column that the other numbers of its row add up to, as the phases of a frame do."""
    places = [
        place for place in places_of(found, OTHER)
        if reported_unit(found[place].name, OTHER) in ("", *TIME_UNITS)
        and not numbers_rows(numbers(columns[place], decimal))
    ]  # fmt: skip
    if len(places) <= _FEWEST_PARTS or len(columns[0]) < FEWEST_FRAMES:
        return None
    values = np.array([numbers(columns[place], decimal) for place in places])
    whole = np.nansum(values, axis=0)
    for place, total in zip(places, values, strict=True):
        there = np.isfinite(total) & (total > 0)
        if there.sum() < FEWEST_FRAMES or (values[:, there] < 0).any():
            continue
        apart = np.abs(whole[there] - 2 * total[there])
        if (apart <= _WITHIN * total[there]).mean() >= _FITTING:
            return place
    return None


def _inverse_of_rate(found: list[Column], columns: list[list[str]], decimal: str) -> int | None:
    """The column that is how long a frame takes at the rate beside it."""
    rates = places_of(found, RATE)
    if len(rates) != 1 or len(columns[0]) < FEWEST_ROWS:
        return None
    rate = numbers(columns[rates[0]], decimal)
    for place in places_of(found, OTHER):
        if found[place].unit in TIME_UNITS:
            lengths = numbers(columns[place], decimal) * TIME_UNITS[found[place].unit] / 1e9
            there = np.isfinite(lengths) & np.isfinite(rate)
            near = np.abs(lengths[there] * rate[there] - 1) < _WITHIN
            if there.sum() >= FEWEST_ROWS and near.mean() >= _FITTING and np.ptp(rate[there]):
                return place
    return None


FEWEST_ROWS = 8


def _only_lengths(found: list[Column], columns: list[list[str]], decimal: str) -> int | None:
    """The one column of numbers in a unit of time, where another counts the rows."""
    counted = [
        place for place, column in enumerate(found)
        if column.role in (SKIP, OTHER) and numbers_rows(numbers(columns[place], decimal))
    ]  # fmt: skip
    lengths = [place for place in places_of(found, OTHER) if found[place].unit in TIME_UNITS]
    if len(lengths) != 1 or not set(counted) - set(lengths) or len(columns[0]) < FEWEST_FRAMES:
        return None
    seconds = numbers(columns[lengths[0]], decimal) * TIME_UNITS[found[lengths[0]].unit] / 1e9
    middle = float(np.nanmedian(seconds)) if np.isfinite(seconds).any() else 0.0
    return lengths[0] if _SHORTEST_S < middle < LONGER_THAN_FRAMES_S else None


def _labelled(found: list[Column], columns: list[list[str]]) -> bool:
    """Whether each row has a name of its own: its number is the value of something else each."""
    for place in places_of(found, SKIP):
        cells = [cell.strip() for cell in columns[place]]
        text = not np.isfinite(numbers(cells)).any() and not np.isfinite(clocks(cells)).any()
        if text and all(cells) and len(set(cells)) == len(cells):
            return True
    return False


def _differences_of(at_s: NDArray[np.float64], values: NDArray[np.float64]) -> str:
    """The unit in which values are the differences of instants; empty where they are not."""
    steps = np.diff(at_s)
    if len(steps) < 8:
        return ""
    digit = _last_digit(at_s)
    for unit in UNITS[FRAME_TIME]:
        factor = TIME_UNITS[unit] / 1e9
        for mine in (values[1:], values[:-1]):
            there = np.isfinite(steps) & np.isfinite(mine) & (steps > 0)
            if there.sum() < 8 or not np.ptp(mine[there]):
                continue  # one number all along proves nothing
            lengths, whole = mine[there] * factor, float(steps[there].sum())
            near = np.abs(lengths - steps[there]) <= np.maximum(
                _WITHIN * steps[there], 1.01 * digit
            )
            # what is lost with the last digit of each is not lost of all of them together
            together = abs(float(lengths.sum()) - whole) <= _WITHIN * whole + 2 * digit
            if near.mean() >= _FITTING and together and np.median(steps[there]) > 2 * digit:
                return unit
    return ""


def _last_digit(at_s: NDArray[np.float64]) -> float:
    """The smallest step that instants are written in, s: 0.001 for milliseconds."""
    known = at_s[np.isfinite(at_s)][:50]
    for places in range(9):
        if np.abs(known - np.round(known, places)).max(initial=0) < 1e-12 * max(
            1.0, float(np.abs(known).max(initial=0))
        ):
            return float(10.0**-places)
    return 1e-9
