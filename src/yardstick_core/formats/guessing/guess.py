"""Proposes how a log is to be understood, from how it begins; a person has the last word."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from yardstick_core.formats.converting.json_tables import flat
from yardstick_core.formats.guessing.column_values import places_of, renamed
from yardstick_core.formats.guessing.columns import columns_of
from yardstick_core.formats.guessing.layout import decimal_of, heading_of, separator_of, usual_width
from yardstick_core.formats.guessing.naming import (
    names_runs,
    number_repeats,
    role_of,
    sums_up,
    words_of,
)
from yardstick_core.formats.guessing.result_rows import are_timings
from yardstick_core.formats.mapping import (
    BEGIN,
    DURATION,
    EACH_A_RUN,
    END,
    FRAME_TIME,
    MARKER,
    MEMORY,
    MOMENTS,
    MOST_COLUMNS,
    OF_ONE_RUN,
    OTHER,
    PROCESSOR,
    RATE,
    RUNS,
    SKIP,
    TIME,
    TIME_UNITS,
    VARIANT,
    Column,
    Mapping,
)
from yardstick_core.formats.record_table import COLUMNS, is_record, record_mapping
from yardstick_core.formats.source import OLDER_ENCODINGS, NotALog, Source, head_of
from yardstick_core.formats.values import cells_of, numbers, unit_in_cells

LOOKED_AT = 400
#: So many rows may have one below them that sums them up, and says nothing of what columns are.
_FEWEST_SUMMED_UP = 8


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
    separator = separator_of(lines)
    rows = [cells_of(line, separator) for line in lines]
    if not any(rows):
        raise NotALog("it holds no row of values")
    width = usual_width(rows)
    if width > MOST_COLUMNS:
        raise NotALog(f"it has {width:,} columns; a log has at most {MOST_COLUMNS:,}")
    decimal = decimal_of(rows, separator)
    heading = heading_of(rows, decimal, width)
    header, named, units = heading.lines, heading.names, heading.units
    body = [row for row in rows[header:] if len(row) == width][:LOOKED_AT]
    if not body:
        raise NotALog("no two lines hold the same number of values")
    names = list(named) or [f"column {n + 1}" for n in range(width)]
    doubts = []
    summary = next((cell.strip() for cell in body[-1] if sums_up(cell)), "")
    if len(body) > _FEWEST_SUMMED_UP and summary:
        body.pop()
        doubts.append(f"the row “{summary}” sums up others: it is left out")
    before = header - heading.naming
    if before > 0:
        what = "line is" if before == 1 else f"{before} lines are"
        doubts.append(f"the first {what} taken for a preamble")
    elif heading.naming > 1 and not units:
        doubts.append("the first two lines together are taken for the names of the columns")
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
    if source.encoding in OLDER_ENCODINGS:
        doubts.append(f"the text is not UTF-8; it is read as {OLDER_ENCODINGS[source.encoding]}")
    columns = [list(column) for column in zip(*body, strict=True)]
    mapping = _mapping("separated", names, columns, decimal, doubts, separator, header, source)
    return Proposal(mapping, body[:50], doubts)


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
    if not names:
        raise NotALog("its objects hold no value")
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


def _mapping(
    kind: str, names: list[str], columns: list[list[str]], decimal: str, doubts: list[str],
    separator: str, header: int, source: Source,
) -> Mapping:  # fmt: skip
    named = list(names)
    columns = list(columns)
    counts: dict[int, list[str]] = {}  # `Run 1`, `Run 2`: numbers of the rows
    for place, cells in enumerate(columns):
        if unit := unit_in_cells(cells):
            values = numbers(cells, decimal, unit)
            columns[place] = [
                "" if math.isnan(v) else f"{v:.12g}".replace(".", decimal) for v in values
            ]
            if not re.search(r"[\[(]", names[place]):
                named[place] = f"{names[place]} [{unit}]"
        elif (
            cells
            and re.search(r"[^\W\d_]", cells[0])
            and number_repeats([cell for cell in cells if not sums_up(cell)])
        ):
            counts[place] = [re.sub(r"\D+", "", cell) for cell in cells]
            columns[place] = counts[place]
    found, frames = columns_of(named, columns, decimal, doubts)
    found = _readable(found, columns, decimal, doubts)
    found = [
        replace(one, role=SKIP, unit="") if place in counts and one.role == OTHER else one
        for place, one in enumerate(found)
    ]
    if kind != "separated":  # their fields are found by their names
        found = [replace(one, name=name) for one, name in zip(found, names, strict=True)]
    every_s = _period_of(found, columns, decimal, doubts)
    return Mapping(
        kind, tuple(found), separator, decimal, header, frames, cores=1, every_s=every_s,
        encoding=source.encoding,
        durations=OF_ONE_RUN if are_timings(found) else EACH_A_RUN,
        markers=RUNS if any(map(_names_runs, found)) else MOMENTS,
    )  # fmt: skip


def _period_of(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> float:
    """How far apart rows are, s, where no column says when and one says that; 0 for others."""
    if places_of(found, TIME, FRAME_TIME, BEGIN, END, DURATION):
        return 0.0
    for place in places_of(found, OTHER):
        factor = TIME_UNITS.get(found[place].unit, 0.0) / 1e9
        if factor and words_of(found[place].name) in _PERIODS:
            every_s = float(np.nanmedian(numbers(columns[place], decimal))) * factor
            if not every_s > 0:
                continue
            doubts[:] = [doubt for doubt in doubts if not doubt.startswith("no column was found")]
            doubts.append(f"rows come every {every_s:g} s, as “{found[place].name}” says")
            return every_s
    return 0.0


_PERIODS = ("period", "interval", "sample interval", "sampling interval")


def _readable(
    found: list[Column], columns: list[list[str]], decimal: str, doubts: list[str]
) -> list[Column]:
    """Columns of numbers whose cells hold none are left out, so that no row breaks for them."""
    for place in places_of(found, OTHER, RATE, MEMORY, PROCESSOR):
        cells = columns[place]
        filled = sum(bool(cell.strip()) for cell in cells)
        read = int(np.isfinite(numbers(cells, decimal, found[place].unit)).sum())
        if 2 * read < filled:
            doubts.append(f"“{found[place].name}” holds no plain numbers, and is left out")
            found = renamed(found, place, SKIP)
    return found


def _names_runs(column: Column) -> bool:
    """Whether a marker says of which variant rows are: where it changes, another run begins."""
    named = role_of(column.name) == VARIANT or names_runs(column.name)
    return column.role == MARKER and named
