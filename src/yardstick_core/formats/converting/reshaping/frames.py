"""Frame times that are laid out in another way than a row for each."""

from __future__ import annotations

import re
from collections.abc import Iterable
from itertools import pairwise

import numpy as np

from yardstick_core.formats.converting.reshaping.table import (
    FEWEST_FRAMES,
    Head,
    Make,
    Row,
    bare_name,
)
from yardstick_core.formats.guessing.column_values import climbs, numbers_rows, reported_unit
from yardstick_core.formats.guessing.layout import decimal_of, separator_of, usual_width
from yardstick_core.formats.guessing.naming import (
    names_frames,
    names_runs,
    role_of,
    stem_of,
    words_of,
)
from yardstick_core.formats.mapping import FRAME_TIME, MEMORY_UNITS, TIME_UNITS
from yardstick_core.formats.values import cells_of, numbers

BESIDE = re.compile(
    r"\b(?:old|new|before|after|baseline|candidate|current|previous|stable|beta|alt|neu)\b"
)


_FRAMES_MS = (2.0, 500.0)


def one_line(line: str) -> list[Row] | None:
    """Numbers that stand behind one another in a single line."""
    for sign in (";", ",", "\t", " "):
        cells = [cell.strip() for cell in line.strip().strip(sign).split(sign)]
        decimal = "," if sign != "," and "." not in line else "."
        if len(cells) >= FEWEST_FRAMES and np.isfinite(numbers(cells, decimal)).all():
            return [{"value": float(value)} for value in numbers(cells, decimal)]
    return None


def matrix(head: list[str], text: str) -> list[Row] | None:
    """Numbers of one kind, many in a line, that go on from line to line."""
    separator = separator_of(head)
    rows = [cells_of(line.rstrip(f" {separator}"), separator) for line in head]
    width = usual_width(rows)
    decimal = decimal_of(rows, separator)
    fewest = 2 if width >= FEWEST_FRAMES else 3
    if width < _FEWEST_A_LINE or any(len(row) != width for row in rows[:-1]) or len(rows) < fewest:
        return None
    values = np.array([numbers(row, decimal) for row in rows[:-1]])
    if not np.isfinite(values).all() or (values <= 0).any():
        return None
    middles = np.median(values, axis=0)
    if middles.max() > 2 * middles.min() or any(climbs(column) for column in values.T):
        return None
    every = (cells_of(line, separator) for line in text.split("\n") if line.strip())
    found = numbers([cell for cells in every for cell in cells], decimal)
    return [{"value": float(value)} for value in found[np.isfinite(found)]]


#: Fewer numbers in a line may each mean something else.
_FEWEST_A_LINE = 4


def side_by_side(head: Head, text: str) -> Make | None:
    """Frame times of several variants, a column for each: columns that end before others do, or are
    called as variants are.
    """
    if len(head.columns[0]) < FEWEST_FRAMES:
        return None
    places, counts = [], []
    for place, cells in enumerate(head.columns):
        values = numbers(cells, head.decimal)
        filled = [cell for cell in cells if cell]
        if numbers_rows(values) and (names_frames(head.names[place]) or not place):
            counts.append(place)
        elif len(filled) < FEWEST_FRAMES or not np.isfinite(values[: len(filled)]).all():
            return None
        else:
            places.append(place)
    if len(places) < 2 or len(counts) > 1:
        return None
    names = [head.names[place] for place in places]
    units = {reported_unit(name, FRAME_TIME) for name in names}
    if len(units) > 1 or any(
        role_of(bare_name(name)) or reported_unit(name, "other") in MEMORY_UNITS for name in names
    ):
        return None
    unit = units.pop() or "ms"
    usual = [float(np.nanmedian(numbers(head.columns[p], head.decimal))) for p in places]
    ms = [one * TIME_UNITS[unit] / 1e6 for one in usual]
    if not all(_FRAMES_MS[0] < one < _FRAMES_MS[1] for one in ms) or max(ms) > 4 * min(ms):
        return None
    if any(climbs(numbers(head.columns[p], head.decimal)) for p in places):
        return None
    called = all(
        stem_of(bare_name(name)) != bare_name(name) or re.search(r"\d", bare_name(name))
        or BESIDE.search(words_of(name))
        for name in names
    )  # fmt: skip
    last = next(line for line in reversed(text.split("\n")) if line.strip())
    ends = [cell.strip() for cell in cells_of(last, head.separator)]
    ragged = len(ends) < len(head.names) or not all(ends[p] for p in places)
    if not (called or ragged):
        return None

    def make(rows: Iterable[list[str]]) -> list[Row]:
        table = list(rows)
        return [
            {"variant": bare_name(head.names[place]), f"frame time [{unit}]": value}
            for place in places
            for value in (cells[place].replace(head.decimal, ".") for cells in table)
            if value
        ]

    return make


def numbered_frames(head: Head, text: str) -> Make | None:
    """A row for each frame, with the variant and the run that it is of: one name says both."""
    variant = [p for p, name in enumerate(head.names) if role_of(name) == "variant"]
    run = [
        p for p, name in enumerate(head.names)
        if p not in variant and names_runs(name) and _in_stretches(head.columns[p])
    ]  # fmt: skip
    if len(variant) != 1 or len(run) != 1:
        return None

    def make(rows: Iterable[list[str]]) -> list[Row]:
        others = [p for p in range(len(head.names)) if p not in (variant[0], run[0])]
        made = []
        for cells in rows:
            of, number = cells[variant[0]], cells[run[0]]
            row: Row = {"variant": number if of in number else f"{of} run {number}"}
            for p in others:
                row[head.names[p]] = cells[p].replace(head.decimal, ".")
            made.append(row)
        return made

    return make


def _in_stretches(cells: list[str]) -> bool:
    """Whether cells stay the same for as many rows as frames do that are of one run."""
    changes = sum(one != other for one, other in pairwise(cells))
    return len(cells) >= FEWEST_FRAMES * (changes + 1)
