"""Proposes how a log is to be understood, from how it begins; a person has the last word."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.column_values import UNIT_WORDS
from yardstick_core.formats.columns import columns_of
from yardstick_core.formats.convert import flat
from yardstick_core.formats.mapping import (
    BLANKS,
    EACH_A_RUN,
    MOST_COLUMNS,
    OF_ONE_RUN,
    SEPARATORS,
    Mapping,
)
from yardstick_core.formats.naming import role_of
from yardstick_core.formats.record_table import COLUMNS, is_record, record_mapping
from yardstick_core.formats.source import NotALog, Source, head_of
from yardstick_core.formats.timing_rows import are_timings
from yardstick_core.formats.values import (
    cells_of,
    clocks,
    dates,
    numbers,
    unit_in_cells,
    without_unit,
)

LOOKED_AT = 400


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
    for place, cells in enumerate(columns):
        word = unit_in_cells(cells)
        if any(re.fullmatch(pattern, word) for pattern in UNIT_WORDS.values()):
            columns[place] = [without_unit(cell, word) for cell in cells]
            if not re.search(r"[\[(]", names[place]):
                names = [*names[:place], f"{names[place]} [{word}]", *names[place + 1 :]]
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
    if first < len(rows) and _names_numbers(rows, first, decimal, width):
        return first + 1, [cell.strip() for cell in rows[first]], []
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


def _names_numbers(rows: Sequence[Sequence[str]], place: int, decimal: str, width: int) -> bool:
    """Whether a line names its columns by numbers, as in `Run;4.1;4.2`: one of its cells is a word
    where numbers follow.
    """
    below = [row for row in rows[place + 1 : place + 21] if len(row) == width]
    if any(len(row) == width for row in rows[:place]) or len(below) < 2:
        return False
    for column, cell in enumerate(rows[place]):
        word = cell.strip().lstrip("#").strip()
        if word.lower() in _NO_WORDS or not re.search(r"[^\W\d_]{2}", word):
            continue
        if _is_value([word], decimal)[0]:
            continue
        values = _is_value([row[column].strip() for row in below], decimal)
        if values.mean() >= _MOSTLY:
            return True
    return False


#: Written where a value is missing.
_NO_WORDS = ("nan", "null", "none", "n/a", "na", "err", "error", "inf")
_MOSTLY = 0.7


def _first_of_text(rows: Sequence[Sequence[str]], decimal: str, width: int) -> int:
    """Where no line holds mostly values: the first that holds any of them.

    The very first line is one where its values stand where those of the second do: it is no line of
    names then, and nothing that was measured is passed over.
    """
    valued = [
        (place, _is_value([cell.strip() for cell in cells], decimal))
        for place, cells in enumerate(rows[:200])
        if len(cells) == width
    ]
    valued = [(place, found) for place, found in valued if found.any()]
    if len(valued) > 1 and valued[0][0] == 0 and not np.array_equal(valued[0][1], valued[1][1]):
        valued = valued[1:]
    return valued[0][0] if valued else 1


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
    known = sum(any(re.fullmatch(p, one) for p in UNIT_WORDS.values()) for one in plain)
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


def _mapping(
    kind: str, names: list[str], columns: list[list[str]], decimal: str, doubts: list[str],
    separator: str, header: int, source: Source,
) -> Mapping:  # fmt: skip
    found, frames = columns_of(names, columns, decimal, doubts)
    return Mapping(
        kind, tuple(found), separator, decimal, header, frames, cores=1, encoding=source.encoding,
        durations=OF_ONE_RUN if are_timings(found) else EACH_A_RUN,
    )  # fmt: skip
