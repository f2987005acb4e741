"""Proposes how a log is to be understood, from how it begins; a person has the last word."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.convert import flat
from yardstick_core.formats.mapping import (
    BEGIN,
    BLANKS,
    CLOCK,
    DATE,
    DURATION,
    END,
    FRAME_TIME,
    MARKER,
    MEMORY,
    MEMORY_UNITS,
    MOST_COLUMNS,
    OTHER,
    PROCESSOR,
    RATE,
    SEPARATORS,
    SKIP,
    TIME,
    UNITS,
    VARIANT,
    Column,
    Mapping,
)
from yardstick_core.formats.naming import role_of
from yardstick_core.formats.record_table import COLUMNS, is_record, record_mapping
from yardstick_core.formats.source import NotALog, Source, head_of
from yardstick_core.formats.values import cells_of, clocks, dates, numbers

LOOKED_AT = 400
#: A column named like markers, with no more different numbers than this, holds markers.
_FEW_MARKERS = 20

_UNIT_WORDS = {
    "s": r"s|sec(?:onds?)?", "ms": r"ms|msec|milli(?:s(?:econds?)?)?", "µs": r"[µμu]s|micros?",
    "ns": r"ns|nanos?", "min": r"min(?:utes?)?", "KiB": r"kib", "MiB": r"mib", "GiB": r"gib",
    "kB": r"kb", "MB": r"mb", "GB": r"gb", "B": r"bytes?|b", "cores": r"cores?",
    "% of the machine": r"%|percent|pct",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Proposal:
    """A mapping, the first rows as text (shape rows × columns), and what is doubtful about it."""

    mapping: Mapping
    rows: list[list[str]]
    doubts: list[str]
    #: Whether it is a run that went out from here: then nothing is to be guessed.
    record: bool = False


def propose(source: Source) -> Proposal:
    """How a file is probably meant. Raises NotALog where it is no log."""
    if source.kind == "parquet":
        return _propose_parquet(source)
    text = head_of(source)
    lines = [line for line in text.split("\n") if line.strip()]
    if not lines:
        raise NotALog("it holds no line with anything on it")
    if lines[0].lstrip().startswith("{"):
        return _propose_json(source, lines)
    if is_record(cells_of(lines[0], ",")):
        rows = [cells_of(line, ",") for line in lines[1:51]]
        return Proposal(record_mapping("separated", source.encoding), rows, [], record=True)
    return _propose_separated(source, text)


# -- separated text ----------------------------------------------------------------


def _propose_separated(source: Source, text: str) -> Proposal:
    lines = text.split("\n")[: LOOKED_AT + 200]
    separator = _separator(lines)
    rows = [cells_of(line, separator) for line in lines]
    if not any(rows):
        raise NotALog("it holds no row of values")
    width = _usual_width(rows)
    if width > MOST_COLUMNS:
        raise NotALog(f"it has {width:,} columns; a log has at most {MOST_COLUMNS:,}")
    decimal = _decimal(rows, separator)
    header, named, units = _heading(rows, decimal, width)
    body = [row for row in rows[header:] if len(row) == width][:LOOKED_AT]
    if not body:
        raise NotALog("no two lines hold the same number of values")
    names = named or [f"column {n + 1}" for n in range(width)]
    doubts = []
    before = header - bool(named) - bool(units)
    if before > 0:
        what = "line is" if before == 1 else f"{before} lines are"
        doubts.append(f"the first {what} taken for a preamble")
    if units:
        doubts.append("the line below the names is taken for their units")
        names = [
            f"{name} [{unit}]" if unit and unit not in name else name
            for name, unit in zip(names, units, strict=True)
        ]
    if not named:
        doubts.append("no line names the columns: each was guessed from its values")
    odd = sum(len(row) not in (0, width) for row in rows[header:])
    if odd > 0:
        doubts.append(f"{odd} of the first lines have another number of values than {width}")
    if source.encoding == "cp1252":
        doubts.append("the text is not UTF-8; it is read as Windows-1252")
    columns = [list(column) for column in zip(*body, strict=True)]
    mapping = _mapping("separated", names, columns, decimal, doubts, separator, header, source)
    return Proposal(mapping, body[:50], doubts)


def _separator(lines: Sequence[str]) -> str:
    """The sign that parts most lines into the same number of values, more than one."""

    def fitness(sign: str) -> tuple[int, int]:
        counts = [len(cells_of(line, sign)) for line in lines[:100] if line.strip()]
        usual = max(set(counts), key=counts.count)
        return (counts.count(usual) if usual > 1 else 0, usual)

    found = max(
        (s for s in SEPARATORS if s != BLANKS),
        key=lambda s: (fitness(s)[0] * (s != " "), fitness(s)),
    )
    # columns that stand under one another are parted by as many blanks as it takes
    aligned = fitness(BLANKS)[0] > fitness(found)[0] or any("  " in line for line in lines[:50])
    if fitness(BLANKS)[0] and aligned and (found == " " or not fitness(found)[0]):
        return BLANKS
    return found


def _usual_width(rows: Sequence[Sequence[str]]) -> int:
    widths = [len(row) for row in rows if row]
    return max(set(widths), key=widths.count)


_COMMA = re.compile(r"[+-]?\d+,\d+(?:[eE][+-]?\d+)?")


def _decimal(rows: Sequence[Sequence[str]], separator: str) -> str:
    cells = [cell.strip() for row in rows for cell in row]
    commas = sum(_COMMA.fullmatch(cell) is not None for cell in cells)
    points = sum(
        re.fullmatch(r"[+-]?\d+\.\d+(?:[eE][+-]?\d+)?", cell) is not None for cell in cells
    )
    return "," if commas > points and separator != "," else "."


def _is_value(cells: Sequence[str], decimal: str) -> NDArray[np.bool_]:
    """Which cells hold a number, a date or a time of day."""
    return (
        np.isfinite(numbers(cells, decimal))
        | np.isfinite(dates(cells))
        | np.isfinite(clocks(cells))
    )


def _heading(
    rows: Sequence[Sequence[str]], decimal: str, width: int
) -> tuple[int, list[str], list[str]]:
    """Lines before the values, the names of the columns, and their units; each may be none."""
    first = 1
    for place, cells in enumerate(rows[:200]):
        filled = [cell.strip() for cell in cells if cell.strip()]
        if len(cells) == width and filled and _is_value(filled, decimal).sum() * 2 >= len(filled):
            first = place
            break
    else:
        first = _first_of_text(rows, decimal, width)
    best, names_at, names = -1.0, -1, []
    for place in range(min(first, len(rows))):
        cells = _named_cells(rows[place], width)
        filled = [cell for cell in cells if cell]
        if len(cells) != width or not filled or _is_value(filled, decimal).any():
            continue
        known = sum(bool(role_of(cell)) for cell in cells)
        # a line of values that are errors repeats itself, names do not
        score = known + len(set(filled)) / width - (0.5 if _is_units(cells) else 0)
        if score >= best:
            best, names_at, names = score, place, cells
    if names_at < 0:
        return first, [], []
    below = _named_cells(rows[names_at + 1], width) if names_at + 1 < first else []
    if len(below) == width and _is_units(below):
        return names_at + 2, names, [cell.strip("[]() ") for cell in below]
    return names_at + 1, names, []


def _first_of_text(rows: Sequence[Sequence[str]], decimal: str, width: int) -> int:
    """Where no line holds mostly values: the first that holds any of them."""
    for place, cells in enumerate(rows[:200]):
        if len(cells) == width and place and _is_value([c.strip() for c in cells], decimal).any():
            return place
    return 1


def _named_cells(cells: Sequence[str], width: int) -> list[str]:
    """The cells of a line of names, without the sign that it may begin with."""
    found = [cell.strip() for cell in cells]
    if found and found[0] in ("#", "%", "//", ";") and len(found) == width + 1:
        found = found[1:]
    if found:
        found[0] = re.sub(r"^(?:#+|//+|;+|%+\s)\s*", "", found[0])
    return found


def _is_units(cells: Sequence[str]) -> bool:
    """Whether a line holds units and nothing else."""
    plain = [cell.strip("[]() ").lower() for cell in cells]
    known = sum(any(re.fullmatch(p, one) for p in _UNIT_WORDS.values()) for one in plain)
    short = all(len(one) <= 8 for one in plain)
    return known >= 1 and short and known * 2 >= sum(bool(one) for one in plain)


# -- JSON Lines and Parquet -------------------------------------------------------------


def _propose_json(source: Source, lines: Sequence[str]) -> Proposal:
    objects = []
    for line in lines[:LOOKED_AT]:
        try:
            found = json.loads(line)
        except ValueError:
            continue
        if isinstance(found, dict):
            objects.append(flat(found))
    if len(objects) * 2 < min(len(lines), LOOKED_AT):
        raise NotALog("it begins like JSON, but most of its lines are no JSON objects")
    names = list(dict.fromkeys(name for found in objects for name in found))
    if len(names) > MOST_COLUMNS:
        raise NotALog(f"its objects have {len(names):,} fields; a log has at most {MOST_COLUMNS:,}")
    if {"series", "at_ns"} <= set(names) <= set(COLUMNS):
        rows = [[_cell(found.get(name)) for name in COLUMNS] for found in objects[:50]]
        return Proposal(record_mapping("json lines", source.encoding), rows, [], record=True)
    rows = [[_cell(found.get(name)) for name in names] for found in objects]
    doubts: list[str] = []
    broken = min(len(lines), LOOKED_AT) - len(objects)
    if broken:
        doubts.append(f"{broken} of the first lines are no JSON objects")
    columns = [list(column) for column in zip(*rows, strict=True)]
    mapping = _mapping("json lines", names, columns, ".", doubts, ",", 0, source)
    return Proposal(mapping, rows[:50], doubts)


def _cell(value: object) -> str:
    if value is None:
        return ""
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _propose_parquet(source: Source) -> Proposal:
    from yardstick_core.formats.tables import parquet_head

    names, rows = parquet_head(source.path, LOOKED_AT)
    if is_record(names):
        return Proposal(record_mapping("parquet", ""), rows[:50], [], record=True)
    doubts: list[str] = []
    columns = [list(column) for column in zip(*rows, strict=True)] if rows else [[] for _ in names]
    mapping = _mapping("parquet", names, columns, ".", doubts, ",", 0, source)
    return Proposal(mapping, rows[:50], doubts)


# -- columns ---------------------------------------------------------------------


def _mapping(
    kind: str, names: list[str], columns: list[list[str]], decimal: str, doubts: list[str],
    separator: str, header: int, source: Source,
) -> Mapping:  # fmt: skip
    taken: set[str] = set()
    found = []
    for name, cells in zip(names, columns, strict=True):
        column = _column(name, cells, decimal, taken, doubts)
        taken.add(column.role)
        found.append(column)
    found = _clock_beside_date(found, columns, doubts)
    found = _as_events(found, columns, decimal, doubts)
    roles = {column.role for column in found}
    if BEGIN not in roles:
        found = _as_results(found, columns, decimal, doubts)
    roles = {column.role for column in found}
    if not roles & {BEGIN, DURATION}:
        if TIME not in roles:
            found = _time_by_values(found, columns, decimal, doubts)
        found = _frame_time_by_values(found, columns, decimal, doubts)
        found = _memory_by_unit(found, columns, decimal, doubts)
    roles = {column.role for column in found}
    frames = FRAME_TIME if FRAME_TIME in roles else ""
    if not frames and TIME in roles and roles <= {TIME, SKIP, MARKER, VARIANT, OTHER}:
        others = _places(found, OTHER)
        if all(_numbers_rows(numbers(columns[place], decimal)) for place in others):
            for place in others:  # the number of a frame says no more than that it is one
                found = _renamed(found, place, SKIP)
    roles = {column.role for column in found}
    if not roles & {TIME, FRAME_TIME, BEGIN, DURATION}:
        doubts.append("no column was found that says when: choose which one does")
    if not frames and roles <= {TIME, SKIP, MARKER, VARIANT} and TIME in roles:
        frames = TIME
        doubts.append("only times were found: each row is taken for a frame shown at its time")
    return Mapping(
        kind, tuple(found), separator, decimal, header, frames, cores=1, encoding=source.encoding
    )


def _column(
    name: str, cells: list[str], decimal: str, taken: set[str], doubts: list[str]
) -> Column:
    values = numbers(cells, decimal)
    filled = sum(bool(cell.strip()) for cell in cells)
    numeric = bool(filled) and int(np.isfinite(values).sum()) * 2 >= filled
    role = role_of(name)
    if not numeric:
        when = role if role in (BEGIN, END) else TIME
        for unit, read in ((DATE, dates), (CLOCK, clocks)):
            if filled and np.isfinite(read(cells)).sum() * 2 >= filled and when not in taken:
                return Column(name, when, unit)
        if role == VARIANT and VARIANT not in taken:
            return Column(name, VARIANT)
        return Column(name, MARKER if role == MARKER and MARKER not in taken else SKIP)
    few = len({cell.strip() for cell in cells}) <= _FEW_MARKERS
    if role == VARIANT and VARIANT not in taken and few:
        return Column(name, VARIANT)
    if role == MARKER and MARKER not in taken and few:
        return Column(name, MARKER)
    if role in ("", MARKER, VARIANT) or (role in taken and role not in (RATE, DURATION)):
        return Column(name, OTHER, _reported_unit(name, OTHER))
    unit = _reported_unit(name, role)
    if unit:
        return Column(name, role, unit)
    unit = _unit_by_size(role, values)
    if role != RATE:
        doubts.append(f"“{name}” names no unit: {unit} was guessed from its values")
    return Column(name, role, unit)


def _renamed(found: list[Column], place: int, role: str, unit: str = "") -> list[Column]:
    """The same columns, one of them with another meaning."""
    return [*found[:place], Column(found[place].name, role, unit), *found[place + 1 :]]


def _places(found: list[Column], *roles: str) -> list[int]:
    return [place for place, column in enumerate(found) if column.role in roles]


def _clock_beside_date(
    found: list[Column], columns: list[list[str]], doubts: list[str]
) -> list[Column]:
    """Where a column of dates says the same in every row, the time of day beside it is the time."""
    dated = [p for p in _places(found, TIME) if found[p].unit == DATE]
    if not dated or len({cell.strip() for cell in columns[dated[0]]}) > 2:
        return found
    for place in _places(found, SKIP):
        cells = columns[place]
        if np.isfinite(clocks(cells)).sum() * 2 >= len(cells):
            doubts.append(
                f"“{found[dated[0]].name}” is the day, and “{found[place].name}” the time on it"
            )
            return _renamed(_renamed(found, dated[0], SKIP), place, TIME, CLOCK)
    return found


def _as_events(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """Rows that begin and end are timings; a begin without an end is a time."""
    begin, end = _places(found, BEGIN), _places(found, END)
    if begin and end:
        starts, ends = (_seconds(found[p], columns[p], decimal) for p in (begin[0], end[0]))
        there = np.isfinite(starts) & np.isfinite(ends)
        if there.any() and (ends[there] >= starts[there]).mean() > 0.95:
            doubts.append("each row begins and ends: it is taken for a timing, and no frame")
            for place in _places(found, DURATION, TIME):
                found = _renamed(found, place, SKIP)
            return _name_of_rows(found, columns, MARKER)
    for place in (*begin, *end):
        known = _places(found, TIME)
        role = OTHER if known or found[place].role == END else TIME
        found = _renamed(found, place, role, found[place].unit if role == TIME else "")
    return found


def _seconds(column: Column, cells: list[str], decimal: str) -> NDArray[np.float64]:
    if column.unit in (DATE, CLOCK):
        return dates(cells) if column.unit == DATE else clocks(cells)
    return numbers(cells, decimal)


def _name_of_rows(found: list[Column], columns: list[list[str]], role: str) -> list[Column]:
    """Let the first column of text name what each row is about, where none does yet."""
    if _places(found, role):
        return found
    for place in _places(found, SKIP, VARIANT if role == MARKER else MARKER):
        cells = [cell.strip() for cell in columns[place]]
        if all(cells[:20]) and not np.isfinite(numbers(cells[:20])).any():
            return _renamed(found, place, role)
    return found


def _as_results(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A short table of results: of variants named in a column, or of one variant a column."""
    rows = len(columns[0]) if columns else 0
    if not 0 < rows < LOOKED_AT // 2 or _places(found, FRAME_TIME, RATE, PROCESSOR):
        return [_undone(column) for column in found]
    times = _places(found, TIME)
    climbing = [p for p in times if _climbs(numbers(columns[p], decimal))]
    if climbing or any(found[p].unit in (DATE, CLOCK) for p in times):
        if not _places(found, VARIANT) or not _places(found, DURATION):
            return [_undone(column) for column in found]
        for place in times:  # when it was measured
            found = _renamed(found, place, SKIP)
        times = []
    named = _name_of_rows(found, columns, VARIANT)
    texts = _places(named, VARIANT)
    amounts = times + _places(found, DURATION)
    if texts and not amounts:
        amounts = [
            place for place in _places(named, OTHER)
            if not _counts(numbers(columns[place], decimal)) and place not in texts
        ]  # fmt: skip
        amounts = amounts if len(amounts) <= _FEW_RESULTS else []
    if texts and amounts:
        repeated = len({cell.strip() for cell in columns[texts[0]]}) * 2 <= rows
        if not repeated and not _places(found, VARIANT):
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
    if _places(found, MEMORY, PROCESSOR, RATE, TIME, FRAME_TIME, MARKER):
        return []
    places = [
        place for place in _places(found, OTHER, DURATION)
        if not _counts(numbers(columns[place], decimal))
    ]  # fmt: skip
    values = [numbers(columns[place], decimal) for place in places]
    if not 2 <= len(places) <= _FEW_RESULTS or len(columns[0]) > _MOST_WIDE_ROWS:
        return []
    middles = [float(np.nanmedian(one)) for one in values if np.isfinite(one).any()]
    alike = len(middles) == len(places) and min(middles) > 0 and max(middles) < 20 * min(middles)
    climbing = any(_climbs(one) for one in values)
    return places if alike and not climbing else []


_FEW_RESULTS, _MOST_WIDE_ROWS = 12, 100


def _results(
    found: list[Column], columns: list[list[str]], amounts: list[int], decimal: str,
    doubts: list[str],
) -> list[Column]:  # fmt: skip
    for place, column in enumerate(found):
        if place in amounts:
            unit = column.unit if column.unit in UNITS[DURATION] else ""
            if not unit:
                unit = _reported_unit(column.name, DURATION)
            if not unit:
                middle = float(np.nanmedian(np.abs(numbers(columns[place], decimal))))
                unit = "s" if middle < 100 else "ms"
                doubts.append(f"“{column.name}” names no unit: {unit} was guessed from its values")
            found = _renamed(found, place, DURATION, unit)
        elif column.role not in (VARIANT, MARKER):
            found = _renamed(found, place, SKIP)
    return found


def _counts(values: NDArray[np.float64]) -> bool:
    """Whether a column only numbers its rows: whole, one more from row to row or now and then."""
    known = values[np.isfinite(values)]
    if len(known) < 2 or (known != np.round(known)).any():
        return False
    return bool(set(np.diff(known).tolist()) <= {0.0, 1.0}) or (
        len(set(known.tolist())) * 2 <= len(known) and bool(known.max() <= len(known))
    )


def _numbers_rows(values: NDArray[np.float64]) -> bool:
    """Whether a column counts the rows one by one."""
    known = values[np.isfinite(values)]
    return len(known) > 2 and bool((np.diff(known) == 1).all())


def _climbs(values: NDArray[np.float64]) -> bool:
    steps = np.diff(values[np.isfinite(values)])
    return len(steps) > 1 and bool((steps >= 0).all()) and bool(steps.any())


def _reported_unit(name: str, role: str) -> str:
    """A unit written in a column's name: in brackets, or as its last word."""
    last = re.split(r"[\s_.\-]+", name.lower())[-1]
    if last.startswith("%"):
        last = "%"
    for place in (*re.findall(r"[(\[]\s*([^)\]]+?)\s*[)\]]", name.lower()), last):
        for unit, pattern in _UNIT_WORDS.items():
            if re.fullmatch(pattern, place) and (role == OTHER or unit in UNITS[role]):
                return unit
    return ""


def _unit_by_size(role: str, values: NDArray[np.float64]) -> str:
    seen = values[np.isfinite(values)]
    middle = float(np.median(np.abs(seen))) if len(seen) else 0.0
    if role == DURATION:
        return "s" if middle < 100 else "ms"
    if role in (TIME, BEGIN, END):
        steps = np.diff(seen)
        step = float(np.median(steps[steps > 0])) if (steps > 0).any() else middle
        return "s" if step < 2 else "ms" if step < 2000 else "µs" if step < 2e6 else "ns"
    if role == FRAME_TIME:
        return "s" if middle < 0.5 else "ms" if middle < 1000 else "µs" if middle < 1e6 else "ns"
    if role == PROCESSOR:
        return "% of the machine" if float(seen.max(initial=0)) > 4 else "cores"
    if role == MEMORY:
        return "B" if middle > 2e6 else "KiB" if middle > 2e4 else "MiB"
    return "fps"


def _time_by_values(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """Take the first column that only climbs for the time, unless it only numbers the rows."""
    for place, column in enumerate(found):
        values = numbers(columns[place], decimal)
        if column.role == OTHER and len(values) > 3 and _climbs(values) and not _counts(values):
            unit = _reported_unit(column.name, TIME) or _unit_by_size(TIME, values)
            doubts.append(f"“{column.name}” only climbs: it is taken for the time, in {unit}")
            return _renamed(found, place, TIME, unit)
    return found


#: A column is the differences of the time where so many of its values fit, within so much of them
#: or within the last digit that they are written with.
_FITTING, _WITHIN = 0.95, 0.02


def _frame_time_by_values(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A column whose values are the differences of the time is the frame time, whatever its name;
    and so is a single column of numbers that are as large as frame times are.
    """
    times = _places(found, TIME)
    if times and not _places(found, FRAME_TIME):
        at = _seconds(found[times[0]], columns[times[0]], decimal)
        factor = _TO_SECONDS.get(found[times[0]].unit, 1.0)
        for place in _places(found, OTHER, RATE, MEMORY, PROCESSOR):
            unit = _differences_of(at * factor, numbers(columns[place], decimal))
            if unit:
                doubts.append(
                    f"“{found[place].name}” holds the differences of “{found[times[0]].name}”: it "
                    f"is taken for the frame time, in {unit}"
                )
                return _renamed(found, place, FRAME_TIME, unit)
    alone = [
        p for p, column in enumerate(found)
        if column.role not in (SKIP, MARKER) and not _numbers_rows(numbers(columns[p], decimal))
    ]  # fmt: skip
    if not times and len(alone) == 1 and found[alone[0]].role == OTHER:
        values = numbers(columns[alone[0]], decimal)
        middle = float(np.nanmedian(values)) if np.isfinite(values).any() else 0.0
        unit = _unit_by_size(FRAME_TIME, values)
        if middle > 0:
            doubts.append(
                f"the only numbers, around {middle:.3g}, are taken for frame times, in {unit}"
            )
            for place in _places(found, OTHER):
                found = _renamed(found, place, SKIP)  # the number of each frame
            return _renamed(found, alone[0], FRAME_TIME, unit)
    return found


_TO_SECONDS = {"s": 1.0, "ms": 1e-3, "µs": 1e-6, "ns": 1e-9, "min": 60.0}


def _differences_of(at_s: NDArray[np.float64], values: NDArray[np.float64]) -> str:
    """The unit in which values are the differences of instants; empty where they are not."""
    steps = np.diff(at_s)
    if len(steps) < 8:
        return ""
    digit = _last_digit(at_s)
    for unit, factor in _TO_SECONDS.items():
        for mine in (values[1:], values[:-1]):
            there = np.isfinite(steps) & np.isfinite(mine) & (steps > 0)
            if there.sum() < 8:
                continue
            apart = np.abs(mine[there] * factor - steps[there])
            if (apart <= np.maximum(_WITHIN * steps[there], 1.01 * digit)).mean() >= _FITTING and (
                float(np.median(steps[there])) > 2 * digit
            ):
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


def _memory_by_unit(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """A column told in units of memory, of a size that memory has, though its name is unknown."""
    if _places(found, MEMORY):
        return found
    for place in _places(found, OTHER):
        unit = _reported_unit(found[place].name, MEMORY)
        moved = re.search(
            r"read|writ|sent|recv|receiv|disk|net|/s|per s", found[place].name.lower()
        )
        values = numbers(columns[place], decimal)
        middle = float(np.nanmedian(values)) if np.isfinite(values).any() else 0.0
        size = middle * MEMORY_UNITS.get(unit, 0.0)
        if unit and not moved and _LEAST_MEMORY <= size <= _MOST_MEMORY:
            doubts.append(f"“{found[place].name}” is told in {unit}: it is taken for memory")
            return _renamed(found, place, MEMORY, unit)
    return found


_LEAST_MEMORY, _MOST_MEMORY = 2.0**20, 2.0**42
