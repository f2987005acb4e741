"""Proposes how a log is to be understood, from how it begins; a person has the last word."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.mapping import (
    DATE,
    FRAME_TIME,
    MARKER,
    MEMORY,
    MOST_COLUMNS,
    OTHER,
    PROCESSOR,
    RATE,
    SEPARATORS,
    SKIP,
    TIME,
    UNITS,
    Column,
    Mapping,
)
from yardstick_core.formats.record_table import COLUMNS, is_record, record_mapping
from yardstick_core.formats.source import NotALog, Source, head_of
from yardstick_core.formats.values import cells_of, dates, numbers

LOOKED_AT = 400
#: A column named like markers, with no more different numbers than this, holds markers.
_FEW_MARKERS = 20

#: What names say, the more telling first.
_NAMES = (
    (
        FRAME_TIME,
        r"frame.?time|frame.?(?:duration|length|interval)|between.?(?:frames|presents?)"
        r"|^frames?[ _.\[(-]*(?:[mnu\u00b5\u03bc]?s(?:ec)?)[\])]?$",
    ),
    (RATE, r"\bfps\b|frame.?rate|frames?.?per.?s"),
    (PROCESSOR, r"\bcpu\b|processor"),
    (MEMORY, r"\bmem(?:ory)?\b|\brss\b|resident|working.?set"),
    (MARKER, r"\bmark(?:er)?s?\b|label|\bevents?\b|phase|\bstep\b|scene|section|remark|note"),
    (TIME, r"\btime\b|elapsed|time.?stamp|\bseconds?\b|clock|\bat\b|instant|\bdate\b"),
)
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
    header = _header_lines(rows, decimal, width)
    named = rows[header - 1] if header and len(rows[header - 1]) == width else []
    body = [row for row in rows[header:] if len(row) == width][:LOOKED_AT]
    if not body:
        raise NotALog("no two lines hold the same number of values")
    names = [cell.strip() for cell in named] or [f"column {n + 1}" for n in range(width)]
    doubts = []
    if header > 1:
        doubts.append(f"the first {header - 1} lines are taken for a preamble")
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

    return max((s for s in SEPARATORS), key=lambda s: (fitness(s)[0] * (s != " "), fitness(s)))


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


def _header_lines(rows: Sequence[Sequence[str]], decimal: str, width: int) -> int:
    """Lines before the first that holds mostly numbers, the names included."""
    for place, cells in enumerate(rows[:200]):
        filled = [cell.strip() for cell in cells if cell.strip()]
        numeric = np.isfinite(numbers(filled, decimal)) | np.isfinite(dates(filled))
        if len(cells) == width and filled and numeric.sum() * 2 >= len(filled):
            return place
    return 1


# -- JSON Lines and Parquet -------------------------------------------------------------


def _propose_json(source: Source, lines: Sequence[str]) -> Proposal:
    objects = []
    for line in lines[:LOOKED_AT]:
        try:
            found = json.loads(line)
        except ValueError:
            continue
        if isinstance(found, dict):
            objects.append(found)
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
    if TIME not in taken and FRAME_TIME not in taken:
        found = _time_by_values(found, columns, decimal, doubts)
    roles = {column.role for column in found}
    frames = FRAME_TIME if FRAME_TIME in roles else ""
    if not frames and roles <= {TIME, SKIP, MARKER}:
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
    words = re.sub(r"[_\-.]+", " ", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name)).lower()
    role = next((role for role, pattern in _NAMES if re.search(pattern, words)), "")
    if not numeric:
        if filled and np.isfinite(dates(cells)).sum() * 2 >= filled and TIME not in taken:
            return Column(name, TIME, DATE)
        return Column(name, MARKER if role == MARKER and MARKER not in taken else SKIP)
    few = len({cell.strip() for cell in cells}) <= _FEW_MARKERS
    if role == MARKER and MARKER not in taken and few:
        return Column(name, MARKER)
    if role in ("", MARKER) or (role in taken and role != RATE):
        return Column(name, OTHER, _reported_unit(name, OTHER))
    unit = _reported_unit(name, role)
    if unit:
        return Column(name, role, unit)
    unit = _unit_by_size(role, values)
    if role != RATE:
        doubts.append(f"“{name}” names no unit: {unit} was guessed from its values")
    return Column(name, role, unit)


def _reported_unit(name: str, role: str) -> str:
    """A unit written in a column's name: in brackets, or as its last word."""
    last = re.split(r"[\s_.\-]+", name.lower())[-1]
    for place in (*re.findall(r"[(\[]\s*([^)\]]+?)\s*[)\]]", name.lower()), last):
        for unit, pattern in _UNIT_WORDS.items():
            if re.fullmatch(pattern, place) and (role == OTHER or unit in UNITS[role]):
                return unit
    return ""


def _unit_by_size(role: str, values: NDArray[np.float64]) -> str:
    seen = values[np.isfinite(values)]
    middle = float(np.median(np.abs(seen))) if len(seen) else 0.0
    if role == TIME:
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
    """Take the first column that only climbs for the time."""
    for place, column in enumerate(found):
        values = numbers(columns[place], decimal)
        steps = np.diff(values)
        if column.role == OTHER and len(steps) > 2 and bool((steps >= 0).all()) and steps.any():
            unit = _unit_by_size(TIME, values)
            doubts.append(f"“{column.name}” only climbs: it is taken for the time, in {unit}")
            return [*found[:place], Column(column.name, TIME, unit), *found[place + 1 :]]
    return found
