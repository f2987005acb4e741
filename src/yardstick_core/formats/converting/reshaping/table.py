"""How a table begins that is to be laid out anew, and its rows."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np

from yardstick_core.formats.guessing.column_values import reported_unit
from yardstick_core.formats.guessing.layout import decimal_of, separator_of, usual_width
from yardstick_core.formats.mapping import BLANKS, FRAME_TIME
from yardstick_core.formats.values import cells_of, numbers

Row = dict[str, Any]


LOOKED_AT = 300


FEWEST_ROWS = 2


#: Frames of a variant, or numbers of one line: fewer are something else.
FEWEST_FRAMES = 20


@dataclass(frozen=True, slots=True)
class Head:
    """How a separated text begins: names of its columns, cells by column, decimal mark."""

    names: list[str]
    columns: list[list[str]]
    separator: str
    decimal: str


def head_of(lines: list[str]) -> Head | None:
    separator = separator_of(lines)
    rows = [cells_of(line, separator) for line in lines]
    width = usual_width(rows)
    rows = [[cell.strip() for cell in row] for row in rows if len(row) == width]
    if width < 2 or len(rows) < 1 + FEWEST_ROWS or separator == BLANKS:
        return None
    names = rows[0]
    if not all(names) or np.isfinite(numbers(names)).all() or len(set(names)) < width:
        return None
    decimal = decimal_of(rows, separator)
    return Head(names, [list(column) for column in zip(*rows[1:], strict=True)], separator, decimal)


def table_of(text: str, head: Head) -> Iterable[list[str]]:
    """All rows of a table behind the line of its names, with cells as they stand there."""
    lines = iter(text.split("\n"))
    for line in lines:
        if line.strip():
            break
    for line in lines:
        cells = [cell.strip() for cell in cells_of(line, head.separator)]
        if any(cells):
            yield cells[: len(head.names)] + [""] * (len(head.names) - len(cells))


Make = Callable[[Iterable[list[str]]], list[Row]]


def unit_of_name(name: str) -> str:
    unit = reported_unit(name, FRAME_TIME)
    return f" [{unit}]" if unit else ""


def is_repeated(cells: list[str]) -> bool:
    return len(set(cells)) * 2 <= len(cells)


def bare_name(name: str) -> str:
    """A name without its unit."""
    return re.sub(r"\s*[\[(][^\])]*[\])]|[\s_]+(?:ms|s|µs|us|ns)$", "", name).strip() or name
