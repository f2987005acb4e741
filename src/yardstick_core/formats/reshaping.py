"""Tables that are laid out in another way than a row for each run or frame, made into such rows.

Whether a file is one of them is told by how it begins, and ends; only then all of it is read.
"""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np

from yardstick_core.formats import event_lines
from yardstick_core.formats.column_values import climbs, numbers_rows, reported_unit
from yardstick_core.formats.layout import decimal_of, separator_of, usual_width
from yardstick_core.formats.mapping import BLANKS, FRAME_TIME, MEMORY_UNITS, TIME_UNITS
from yardstick_core.formats.naming import (
    is_action,
    names_frames,
    names_runs,
    names_tests,
    names_units,
    names_values,
    role_of,
    stem_of,
    words_of,
)
from yardstick_core.formats.rounds import ORNAMENTS
from yardstick_core.formats.values import cells_of, clocks, dates, numbers, unit_in_cells

Row = dict[str, Any]

LOOKED_AT = 300
FEWEST_ROWS = 2
#: Frames of a variant, or numbers of one line: fewer are something else.
FEWEST_FRAMES = 20
#: Numbers with a decimal comma within quotes, and those that only part thousands by commas.
_QUOTED = re.compile(r'"[+-]?\d+,(?:\d{1,2}|\d{4,})(?:\s?[^\W\d]{1,12})?"')
_POINTED = re.compile(r'\d\.\d|"[+-]?\d{1,3}(?:,\d{3}){2,}')
_BESIDE = re.compile(
    r"\b(?:old|new|before|after|baseline|candidate|current|previous|stable|beta|alt|neu)\b"
)
_FRAMES_MS = (2.0, 500.0)


@dataclass(frozen=True, slots=True)
class Head:
    """How a separated text begins: names of its columns, cells by column, decimal mark."""

    names: list[str]
    columns: list[list[str]]
    separator: str
    decimal: str


def rows_of(text: str) -> list[Row] | None:
    """The rows of a text that is laid out in such a way; None for any other."""
    lines = text.split("\n", LOOKED_AT + 1)
    head = [line for line in lines[:LOOKED_AT] if line.strip()]
    if len(head) == 1:
        return _one_line(head[0]) if not "".join(lines[LOOKED_AT:]).strip() else None
    if frames := _matrix(head, text):
        return frames
    if sections := under_headings(text):
        return sections
    found = _head_of(head)
    if found is None:
        return None
    for reshape in (
        _numbered_frames,
        _events_of_runs,
        _runs_that_begin_and_end,
        _units_in_rows,
        _repeats_of_several,
        _tidy,
        _side_by_side_timings,
        _side_by_side,
        _begun_and_done,
    ):
        make = reshape(found, text)
        if make:
            rows = make(_table(text, found))
            if rows:
                return rows
    return None


def points_for_commas(text: str) -> str | None:
    """A table parted by commas whose decimal commas stand within quotes, parted by semicolons."""
    start = text[:20_000]
    quoted = len(set(_QUOTED.findall(start)))
    if quoted and separator_of(start.split("\n")[:-1]) != ",":
        return None
    if quoted < FEWEST_ROWS or len(set(_POINTED.findall(start))) * 2 > quoted:
        return None
    rows = csv.reader(text.splitlines())
    return "".join(
        ";".join(f'"{cell}"' if ";" in cell else cell for cell in row) + "\n" for row in rows
    )


#: A cell that says what it holds: `run: 1`.
_NAMED = re.compile(r"([^\W\d][\w ]{0,30}?)\s*[:=]\s*(\S.*)")


def named_in_cells(text: str) -> str | None:
    """A table whose cells all begin with what they are, with that above its columns; None for any
    other.
    """
    lines = [line for line in text.split("\n", _MOST_BY_HAND) if line.strip()]
    separator = separator_of(lines)
    if separator in (BLANKS, " ") or not FEWEST_ROWS < len(lines) <= _MOST_BY_HAND:
        return None
    rows = [
        [_NAMED.fullmatch(cell.strip()) for cell in cells_of(line, separator)] for line in lines
    ]
    if len({len(row) for row in rows}) > 1 or len(rows[0]) < 2 or any(None in row for row in rows):
        return None
    names = [[one[1] for one in row if one] for row in rows]
    if any(some != names[0] for some in names) or len(set(names[0])) < len(names[0]):
        return None
    out = io.StringIO()
    values = [[one[2] for one in row if one] for row in rows]
    csv.writer(out, delimiter=separator, lineterminator="\n").writerows([names[0], *values])
    return out.getvalue()


def filled_down(text: str) -> str | None:
    """A table in which what holds for several rows stands in the first of them alone, with that in
    each of them; None for any other.
    """
    lines = [line for line in text.split("\n") if line.strip()]
    head = _head_of(lines[: _MOST_BY_HAND + 1])
    if head is None or len(lines) > _MOST_BY_HAND:
        return None
    table = [row for row in _table(text, head) if sum(map(bool, row)) > 1]
    places = [p for p in range(len(head.names) - 1) if _stands_once(head.names[p], table, p)]
    if not places:
        return None
    for place in places:
        last = ""
        for row in table:
            last = row[place] = row[place] or last
    out = io.StringIO()
    csv.writer(out, delimiter=head.separator, lineterminator="\n").writerows([head.names, *table])
    return out.getvalue()


#: Tables that people fill in are short.
_MOST_BY_HAND = 500


def _stands_once(name: str, table: list[list[str]], place: int) -> bool:
    """Whether a column says at the first of some rows what all of them are of."""
    filled = [n for n, row in enumerate(table) if row[place]]
    if not filled or filled[0] or len(filled) == len(table) or len(filled) < FEWEST_ROWS:
        return False
    lengths = {later - n for n, later in zip(filled, [*filled[1:], len(table)], strict=True)}
    named = role_of(name) == "variant" or names_tests(name)
    return min(lengths) > 1 and (len(lengths) == 1 or named)


def events_of(rows: Sequence[Row]) -> list[Row] | None:
    """Rows whose names say in turn that something began and that it was done, as timings."""
    rows = _with_phases(rows)
    names = list(dict.fromkeys(name for row in rows[:LOOKED_AT] for name in row))
    when = next((name for name in names if role_of(name) == "time"), "")
    if not when:
        return None
    for name in names:
        texts = [str(row.get(name, "")) for row in rows]
        if name != when and not any(text.isdigit() for text in texts[:FEWEST_ROWS]):
            unit = reported_unit(when, "time")
            told = event_lines.told_in([str(row.get(when, "")) for row in rows], texts)
            if told:
                told_in = f" [{unit}]" if unit else ""
                return [
                    {name + (told_in if name in ("begin", "end") else ""): cell
                     for name, cell in one.items()}
                    for one in told
                ]  # fmt: skip
    return None


#: What a column says of each row where it tells the begin of something from its end.
_PHASES = (
    ("b", "e"), ("begin", "end"), ("start", "stop"), ("start", "end"), ("enter", "exit"),
    ("enter", "leave"), ("started", "finished"), ("begin", "done"), ("start", "done"), (">", "<"),
    ("in", "out"), ("open", "close"),
)  # fmt: skip


def _with_phases(rows: Sequence[Row]) -> Sequence[Row]:
    """Rows with a column that says whether something began or ended, as rows that say so in words
    behind its name; others as they are.
    """
    names = list(dict.fromkeys(name for row in rows[:LOOKED_AT] for name in row))
    for phase in names:
        said = {str(row.get(phase, "")).strip().lower() for row in rows[:LOOKED_AT]}
        edges = next((pair for pair in _PHASES if said == set(pair)), None)
        called = [
            name for name in names
            if name != phase and role_of(name) != "time" and all(
                re.search(r"[^\W\d_]", str(row.get(name, ""))) for row in rows[:LOOKED_AT])
        ]  # fmt: skip
        if edges and called:
            return [
                row | {
                    phase: f"{row.get(called[0])} "
                    + ("begin" if str(row.get(phase)).strip().lower() == edges[0] else "end")
                }
                for row in rows
            ]  # fmt: skip
    return rows


def _head_of(lines: list[str]) -> Head | None:
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


def _table(text: str, head: Head) -> Iterable[list[str]]:
    """All rows of a table behind the line of its names, with cells as they stand there."""
    lines = iter(text.split("\n"))
    for line in lines:
        if line.strip():
            break
    for line in lines:
        cells = [cell.strip() for cell in cells_of(line, head.separator)]
        if any(cells):
            yield cells[: len(head.names)] + [""] * (len(head.names) - len(cells))


_Make = Callable[[Iterable[list[str]]], list[Row]]


def _one_line(line: str) -> list[Row] | None:
    """Numbers that stand behind one another in a single line."""
    for sign in (";", ",", "\t", " "):
        cells = [cell.strip() for cell in line.strip().strip(sign).split(sign)]
        decimal = "," if sign != "," and "." not in line else "."
        if len(cells) >= FEWEST_FRAMES and np.isfinite(numbers(cells, decimal)).all():
            return [{"value": float(value)} for value in numbers(cells, decimal)]
    return None


def _matrix(head: list[str], text: str) -> list[Row] | None:
    """Numbers of one kind, many in a line, that go on from line to line."""
    separator = separator_of(head)
    rows = [cells_of(line, separator) for line in head]
    width = usual_width(rows)
    decimal = decimal_of(rows, separator)
    if width < _FEWEST_A_LINE or any(len(row) != width for row in rows[:-1]) or len(rows) < 3:
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


def under_headings(text: str) -> list[Row] | None:
    """A table for each variant, below a line that holds nothing but what it is called.

    The line of names stands above each of them, or once.
    """
    if len(text) > _MOST_OF_SECTIONS:
        return None
    separator = separator_of([line for line in text.split("\n", LOOKED_AT)[:LOOKED_AT] if line])
    if separator in (BLANKS, " "):
        return None
    table = [[cell.strip() for cell in cells_of(line, separator)] for line in text.split("\n")]
    table = [row for row in table if any(row)]
    full = [tuple(row) for row in table if sum(map(bool, row)) > 1]
    if not full:
        return None
    names = max(full, key=full.count)
    if full.count(names) == 1:
        names = full[0]
    below = [
        tuple(row) for row, above in zip(table[1:], table, strict=False)
        if sum(map(bool, above)) == 1
    ]  # fmt: skip
    once_each = len(below) > 1 and set(below) == {names}
    if any(sign.isdigit() for cell in names for sign in cell) and not once_each:
        return None
    comma = decimal_of(table, separator) == ","
    rows: list[Row] = []
    heading = ""
    for row in table:
        if sum(map(bool, row)) == 1 and row[0]:
            heading = row[0].strip(ORNAMENTS)
            said = _SAID.fullmatch(heading)
            if said and role_of(said[1]) == "variant":
                heading = said[2]
        elif tuple(row) != names:
            if not heading:
                return None
            cells = (_DECIMAL_COMMA.sub(r"\1.\2", cell) if comma else cell for cell in row)
            told = zip(names, cells, strict=False)
            rows.append({"variant": heading} | {name: cell for name, cell in told if name})
    counts = Counter(row["variant"] for row in rows)
    if len(counts) < 2 or min(counts.values()) < FEWEST_ROWS:
        return None
    wide = [name for name in names if name and not names_runs(name) and not is_action(name)]
    if all(map(is_action, counts)) and len(wide) > 1:  # a table for each thing that was timed
        return [
            {"variant": name, "test": row["variant"], "duration": row[name]}
            for row in rows for name in wide if row.get(name)
        ]  # fmt: skip
    return rows


#: `version: 4.1`.
_SAID = re.compile(r"([^:=]{1,40}?)\s*[:=]\s*(\S.*)")
_DECIMAL_COMMA = re.compile(r"^([+-]?\d+),(\d+)(?=\D|$)")
#: Tables that people write one below another are short, in characters.
_MOST_OF_SECTIONS = 1_000_000
#: Fewer numbers in a line may each mean something else.
_FEWEST_A_LINE = 4


def _repeats_of_several(head: Head, text: str) -> _Make | None:
    """Repeats of several timings in one row: `cold 1`, `cold 2`, `warm 1`, `warm 2`."""
    places: dict[str, list[int]] = {}
    for place, name in enumerate(head.names):
        cells = head.columns[place]
        numeric = np.isfinite(numbers(cells, head.decimal, unit_in_cells(cells))).all()
        if numeric and stem_of(_bare(name)) != _bare(name):
            places.setdefault(stem_of(_bare(name)), []).append(place)
    counts = {len(some) for some in places.values()}
    if len(places) < 2 or len(counts) != 1 or min(counts) < 2:
        return None
    others = [p for p in range(len(head.names)) if not any(p in some for some in places.values())]

    if not any(role_of(head.names[p]) == "variant" for p in others):
        return _repeats_of_variants(head, places, others)

    def make(rows: Iterable[list[str]]) -> list[Row]:
        return [
            {head.names[p]: cells[p] for p in others}
            | {
                stem + _unit_of(head.names[some[n]]): cells[some[n]].replace(head.decimal, ".")
                for stem, some in places.items()
            }
            for cells in rows
            for n in range(max(counts))
        ]

    return make


def _repeats_of_variants(
    head: Head, places: dict[str, list[int]], others: list[int]
) -> _Make | None:
    """Repeats of several variants in one row, which says what was timed: `old 1`, `old 2`, `new 1`,
    `new 2`. Where the numbered columns are called after what was done, rows are variants.
    """
    if len(others) != 1 or len(set(head.columns[others[0]])) < len(head.columns[0]):
        return None
    done = sum(map(is_action, places)) * 2 > len(places)

    def make(rows: Iterable[list[str]]) -> list[Row]:
        table = list(rows)
        repeats = range(min(map(len, places.values())))

        def told(cells: list[str], place: int) -> str:
            return cells[place].replace(head.decimal, ".")

        if done:
            return [
                {"variant": cells[others[0]]}
                | {
                    stem + _unit_of(head.names[p[n]]): told(cells, p[n])
                    for stem, p in places.items()
                }
                for cells in table
                for n in repeats
            ]
        return [
            {"variant": stem}
            | {cells[others[0]] + _unit_of(head.names[p[n]]): told(cells, p[n]) for cells in table}
            for stem, p in places.items()
            for n in repeats
        ]

    return make


def _unit_of(name: str) -> str:
    unit = reported_unit(name, FRAME_TIME)
    return f" [{unit}]" if unit else ""


def _events_of_runs(head: Head, text: str) -> _Make | None:
    """What began and ended in each of several runs, whose time begins anew: a row for each run."""
    roles = [role_of(name) for name in head.names]
    runs = [
        p for p, name in enumerate(head.names)
        if (names_runs(name) or roles[p] == "variant") and len(set(head.columns[p])) > 1
    ]  # fmt: skip
    begin, end = (
        [p for p, role in enumerate(roles) if role == wanted] for wanted in ("begin", "end")
    )
    if not runs or len(begin) != 1 or len(end) != 1:
        return None
    starts, ends = (numbers(head.columns[p], head.decimal) for p in (begin[0], end[0]))
    named = [
        p for p in range(len(head.names))
        if p not in (*runs, begin[0], end[0]) and _repeated(head.columns[p])
        and not np.isfinite(numbers(head.columns[p], head.decimal)).any()
    ]  # fmt: skip
    whole = np.isfinite(starts).all() and np.isfinite(ends).all() and bool((ends >= starts).all())
    if not named or not whole or not (np.diff(starts) < 0).any():
        return None
    unit = _unit_of(head.names[end[0]])

    def make(rows: Iterable[list[str]]) -> list[Row]:
        made: dict[tuple[str, ...], Row] = {}
        for cells in rows:
            row = made.setdefault(
                tuple(cells[p] for p in runs), {head.names[p]: cells[p] for p in runs}
            )
            first, last = numbers([cells[begin[0]], cells[end[0]]], head.decimal).tolist()
            row[cells[named[0]] + unit] = round(last - first, 9)
        return list(made.values())

    return make


def _runs_that_begin_and_end(head: Head, text: str) -> _Make | None:
    """Rows that are runs of a variant, with when each began and ended."""
    roles = [role_of(name) for name in head.names]
    variant, begin, end = (
        [p for p, role in enumerate(roles) if role == wanted]
        for wanted in ("variant", "begin", "end")
    )
    if not len(variant) == len(begin) == len(end) == 1 or not _repeated(head.columns[variant[0]]):
        return None
    others = [p for p in range(len(roles)) if p not in (variant[0], begin[0], end[0])]
    if any(_repeated(head.columns[p]) and len(set(head.columns[p])) > 1 for p in others):
        return None  # something else tells rows apart

    def instants(cells: list[str]) -> Any:
        found = dates(cells)
        return found if np.isfinite(found).all() else clocks(cells)

    first, last = (instants(head.columns[p]) for p in (begin[0], end[0]))
    if not (np.isfinite(first).all() and np.isfinite(last).all() and (last > first).all()):
        return None

    def make(rows: Iterable[list[str]]) -> list[Row]:
        table = list(rows)
        took = instants([c[end[0]] for c in table]) - instants([c[begin[0]] for c in table])
        return [
            {head.names[variant[0]]: cells[variant[0]], "duration [s]": round(seconds, 9)}
            for cells, seconds in zip(table, took.tolist(), strict=True)
            if seconds > 0
        ]

    return make


def _units_in_rows(head: Head, text: str) -> _Make | None:
    """A row for each of what was measured, its unit behind its name, and a column a variant."""
    labels = head.columns[0]
    told = [reported_unit(label, "other") for label in labels]
    numeric = [np.isfinite(numbers(cells, head.decimal)).all() for cells in head.columns[1:]]
    apart = len(set(labels)) == len(labels) and not np.isfinite(numbers(labels)).any()
    if not all(numeric) or len(numeric) < 2 or not apart or len(set(told)) < 2 or not all(told):
        return None

    def make(rows: Iterable[list[str]]) -> list[Row]:
        table = list(rows)
        return [
            {"variant": stem_of(name)}
            | {cells[0]: cells[place].replace(head.decimal, ".") for cells in table}
            for place, name in enumerate(head.names)
            if place
        ]

    return make


def _tidy(head: Head, text: str) -> _Make | None:
    """A row for each value: a column says what was measured, one how much, and one in which unit.

    What the other columns say alike is one row, with a column for each of what was measured.
    """
    units = [p for p, name in enumerate(head.names) if names_units(name)]
    values = [
        p for p, name in enumerate(head.names)
        if names_values(name) and np.isfinite(numbers(head.columns[p], head.decimal)).mean() > 0.9
    ]  # fmt: skip
    texts = [
        p for p, name in enumerate(head.names)
        if p not in units and not np.isfinite(numbers(head.columns[p], head.decimal)).any()
        and role_of(name) not in ("variant", "time") and _repeated(head.columns[p])
    ]  # fmt: skip
    if len(values) != 1 or len(units) != 1 or not texts:
        return None
    value, unit, what = values[0], units[0], texts[0]
    others = [p for p in range(len(head.names)) if p not in (value, unit, what)]

    def make(rows: Iterable[list[str]]) -> list[Row]:
        made: dict[tuple[str, ...], list[Row]] = {}
        order: list[Row] = []
        for cells in rows:
            name = f"{cells[what]} [{cells[unit]}]" if cells[unit] else cells[what]
            some = made.setdefault(tuple(cells[p] for p in others), [])
            row = next((one for one in some if name not in one), None)
            if row is None:
                row = {head.names[p]: cells[p] for p in others}
                some.append(row)
                order.append(row)
            row[name] = cells[value].replace(head.decimal, ".")
        return order

    return make


def _repeated(cells: list[str]) -> bool:
    return len(set(cells)) * 2 <= len(cells)


def _side_by_side(head: Head, text: str) -> _Make | None:
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
        role_of(_bare(name)) or reported_unit(name, "other") in MEMORY_UNITS for name in names
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
        stem_of(_bare(name)) != _bare(name) or re.search(r"\d", _bare(name))
        or _BESIDE.search(words_of(name))
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
            {"variant": _bare(head.names[place]), f"frame time [{unit}]": value}
            for place in places
            for value in (cells[place].replace(head.decimal, ".") for cells in table)
            if value
        ]

    return make


def by_variant(rows: list[Row]) -> list[Row] | None:
    """Rows whose columns name what was timed and of which variant, as `launch old`, `launch new`,
    `save old` and `save new` do: a row for each variant. None where columns do not pair up so.
    """
    names = list(dict.fromkeys(name for row in rows for name in row))
    for words in (-1, 1, -2, 2, -3, 3):
        parts = {name: _apart(name, words) for name in names}
        found = {
            name: part for name, part in parts.items()
            if part and (_called_variant(part[1]) or is_action(part[0]) > is_action(part[1]))
        }  # fmt: skip
        timed = list(dict.fromkeys(what for what, _, _ in found.values()))
        variants = list(dict.fromkeys(variant for _, variant, _ in found.values()))
        others = [name for name in names if name not in found]
        whole = len(found) == len(timed) * len(variants) and len(timed) > 1 < len(variants)
        if not whole or any(role_of(name) == "variant" for name in others):
            continue
        edges = {what.split()[-1 if words < 0 else 0] for what in timed if " " in what}
        if len(edges) == 1 and all(" " in what for what in timed):
            continue  # a word that all of them share is the variants'
        return [
            {"variant": variant}
            | {name: row[name] for name in others if name in row}
            | {
                what + unit: row[name]
                for name, (what, mine, unit) in found.items()
                if mine == variant and name in row
            }
            for row in rows
            for variant in variants
        ]
    return None


_UNIT = re.compile(
    r"\s*[\[(]\s*(?:ms|s|sec|seconds|µs|us|ns|min)\s*[\])]$|(?<=[a-z0-9)])_(?:ms|s|us|ns)$"
)


_Apart = tuple[str, str, str]


def _apart(name: str, count: int) -> _Apart | None:
    """What was timed, so many first words (last ones where `count` is negative), and the unit; None
    for no more words than that.
    """
    unit = _UNIT.search(name)
    words = re.split(r"[\s_]+", (name[: unit.start()] if unit else name).strip())
    if len(words) <= abs(count):
        return None
    first, last = (words[:count], words[count:]) if count < 0 else (words[count:], words[:count])
    told = unit[0].strip(" _[]()") if unit else ""
    return " ".join(first), " ".join(last).strip("()[]"), f" [{told}]" if told else ""


def _called_variant(word: str) -> bool:
    """Whether variants are called by a word: `old`, `4.2`, and no number of a repeat."""
    return bool(
        _BESIDE.fullmatch(word.lower()) or re.fullmatch(r"[vV]?\d+(?:\.\d+)+\w*|[vV]\d+", word)
    )


def _side_by_side_timings(head: Head, text: str) -> _Make | None:
    """A table whose columns are timings of several variants."""
    if by_variant([dict.fromkeys(head.names, "")]) is None:
        return None
    return lambda rows: (
        by_variant(
            [
                {
                    n: cell.replace(head.decimal, ".")
                    for n, cell in zip(head.names, cells, strict=True)
                    if cell
                }
                for cells in rows
            ]
        )
        or []
    )


def _numbered_frames(head: Head, text: str) -> _Make | None:
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


def _bare(name: str) -> str:
    """A name without its unit."""
    return re.sub(r"\s*[\[(][^\])]*[\])]|[\s_]+(?:ms|s|µs|us|ns)$", "", name).strip() or name


def _begun_and_done(head: Head, text: str) -> _Make | None:
    def rows_of(rows: Iterable[list[str]]) -> list[Row]:
        return [dict(zip(head.names, cells, strict=True)) for cells in rows]

    begins = rows_of(list(row) for row in zip(*head.columns, strict=True))
    if any(is_action(name) for name in head.names) or not events_of(begins):
        return None
    return lambda rows: events_of(rows_of(rows)) or []
