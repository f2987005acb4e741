"""Tables of results that are laid out in another way than a row for each run."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

import numpy as np

from yardstick_core.formats.converting.reshaping.frames import BESIDE
from yardstick_core.formats.converting.reshaping.table import (
    FEWEST_ROWS,
    LOOKED_AT,
    Head,
    Make,
    Row,
    bare_name,
    is_repeated,
    unit_of_name,
)
from yardstick_core.formats.converting.rounds import ORNAMENTS
from yardstick_core.formats.guessing.column_values import reported_unit
from yardstick_core.formats.guessing.layout import decimal_of, separator_of
from yardstick_core.formats.guessing.naming import (
    is_action,
    names_runs,
    names_units,
    names_values,
    role_of,
    stem_of,
)
from yardstick_core.formats.mapping import BLANKS
from yardstick_core.formats.values import cells_of, numbers, unit_in_cells


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


def repeats_of_several(head: Head, text: str) -> Make | None:
    """Repeats of several timings in one row: `cold 1`, `cold 2`, `warm 1`, `warm 2`."""
    places: dict[str, list[int]] = {}
    for place, name in enumerate(head.names):
        cells = head.columns[place]
        numeric = np.isfinite(numbers(cells, head.decimal, unit_in_cells(cells))).all()
        if numeric and stem_of(bare_name(name)) != bare_name(name):
            places.setdefault(stem_of(bare_name(name)), []).append(place)
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
                stem + unit_of_name(head.names[some[n]]): cells[some[n]].replace(head.decimal, ".")
                for stem, some in places.items()
            }
            for cells in rows
            for n in range(max(counts))
        ]

    return make


def _repeats_of_variants(
    head: Head, places: dict[str, list[int]], others: list[int]
) -> Make | None:
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
                    stem + unit_of_name(head.names[p[n]]): told(cells, p[n])
                    for stem, p in places.items()
                }
                for cells in table
                for n in repeats
            ]
        return [
            {"variant": stem}
            | {
                cells[others[0]] + unit_of_name(head.names[p[n]]): told(cells, p[n])
                for cells in table
            }
            for stem, p in places.items()
            for n in repeats
        ]

    return make


def units_in_rows(head: Head, text: str) -> Make | None:
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


def tidy(head: Head, text: str) -> Make | None:
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
        and role_of(name) not in ("variant", "time") and is_repeated(head.columns[p])
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
        if words < 0 and _share_a_word(timed):
            continue  # it is the variants'
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


def _share_a_word(timed: list[str]) -> bool:
    """Whether names of what was timed end in the same word, and name something without it."""
    parts = [what.rpartition(" ") for what in timed]
    return len({word for _, _, word in parts}) == 1 and all(is_action(rest) for rest, _, _ in parts)


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
        BESIDE.fullmatch(word.lower()) or re.fullmatch(r"[vV]?\d+(?:\.\d+)+\w*|[vV]\d+", word)
    )


def side_by_side_timings(head: Head, text: str) -> Make | None:
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
