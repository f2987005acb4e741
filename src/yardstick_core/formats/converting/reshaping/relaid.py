"""Tables whose cells are laid out anew before they are read: what stands once, or within them."""

from __future__ import annotations

import csv
import io
import re

import numpy as np

from yardstick_core.formats.converting.reshaping.table import FEWEST_ROWS, head_of, table_of
from yardstick_core.formats.guessing.layout import (
    decimal_of,
    heading_of,
    separator_of,
    usual_width,
)
from yardstick_core.formats.guessing.naming import is_action, names_tests, role_of
from yardstick_core.formats.mapping import BLANKS
from yardstick_core.formats.values import (
    cells_of,
    clocks,
    is_told_in_unit,
    numbers,
    unit_in_cells,
)

#: Numbers with a decimal comma within quotes, and those that only part thousands by commas.
_QUOTED = re.compile(r'"[+-]?\d+,(?:\d{1,2}|\d{4,})(?:\s?[^\W\d]{1,12})?"')
_POINTED = re.compile(r'\d\.\d|"[+-]?\d{1,3}(?:,\d{3}){2,}')


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


def blanks_in_cells(text: str) -> str | None:
    """Columns parted by two blanks or more, with single ones within their cells, parted by
    semicolons; None for any other text. The first column may have no name.
    """
    lines = [line.rstrip() for line in text.split("\n", _MOST_BY_HAND) if line.strip()]
    if not FEWEST_ROWS < len(lines) < _MOST_BY_HAND or any("\t" in line for line in lines):
        return None
    rows = [re.split(r" {2,}", line.strip()) for line in lines]
    width = len(rows[-1])
    if len(rows[0]) == width - 1 and lines[0].startswith("  "):
        rows[0].insert(0, _NAMELESS)
    single = {len(line.split()) for line in lines}
    if width < 2 or {len(row) for row in rows} != {width} or len(single) == 1:
        return None
    value = np.isfinite(numbers(rows[-1], unit="s")).sum() or sum(map(is_told_in_unit, rows[-1]))
    named = not any(map(is_told_in_unit, rows[0])) and not re.search(r"\d:\d|:$", lines[0])
    if not value or not named or any(row[0].endswith(":") for row in rows):
        return None
    out = io.StringIO()
    csv.writer(out, delimiter=";", lineterminator="\n").writerows(rows)
    return out.getvalue()


_NAMELESS = "name"
#: What stands before the number of a release.
_RELEASE = re.compile(r"(?i)^(?:release|version|build|variant|rev(?:ision)?)\s+(?=\S)")


def variants_above(text: str) -> str | None:
    """A table under two lines of names, the upper of variants and the lower of what was timed,
    under one: `open 4.1`; None for any other.
    """
    lines = [line for line in text.split("\n", _MOST_BY_HAND) if line.strip()]
    separator = separator_of(lines)
    if separator in (BLANKS, " ") or not FEWEST_ROWS + 1 < len(lines) <= _MOST_BY_HAND:
        return None
    rows = [[cell.strip() for cell in cells_of(line, separator)] for line in lines]
    width = usual_width(rows)
    heading = heading_of(rows, decimal_of(rows, separator), width)
    if heading.naming < 2 or heading.units:
        return None
    upper, lower = rows[heading.lines - 2], rows[heading.lines - 1]
    names, group, timed = [], "", []
    for above, below in zip(upper, lower, strict=True):
        group = _RELEASE.sub("", above) or group
        bare, bracket, unit = below.partition("[" if "[" in below else "(")
        names.append(f"{bare} {group} {bracket}{unit}".strip())
        timed += [below] if group and below else []
    if len(set(names)) < width or not all(map(is_action, timed)):
        return None
    out = io.StringIO()
    writer = csv.writer(out, delimiter=separator, lineterminator="\n")
    writer.writerows([names, *rows[heading.lines :]])
    return out.getvalue()


#: Numbers in a cell, parted by blanks or signs.
_EACH = re.compile(r"(?>\d+(?:\.\d+)?(?:\s?[a-zµ]{1,3})?)")
_SEVERAL = re.compile(rf"{_EACH.pattern}(?:(?:\s*[;,/|]\s*|\s+){_EACH.pattern})+")


def lists_in_cells(text: str) -> str | None:
    """A table with the values of all runs of a row in one cell, with a row for each; None for any
    other.
    """
    head = head_of([line for line in text.split("\n") if line.strip()][: _MOST_BY_HAND + 1])
    if head is None or len(text) > _MOST_CHARACTERS:
        return None
    table = list(table_of(text, head))
    places = [
        p for p in range(1, len(head.names)) if all(_SEVERAL.fullmatch(row[p]) for row in table)
    ]
    if len(places) != 1:
        return None
    cells = head.columns[places[0]]
    single = numbers(cells, head.decimal, unit_in_cells(cells))  # `1 234`, `2,5 s`: one number each
    if np.isfinite(single).any() or np.isfinite(clocks(cells)).any():
        return None
    out = io.StringIO()
    writer = csv.writer(out, delimiter=head.separator, lineterminator="\n")
    writer.writerow(head.names)
    for row in table:
        for value in _EACH.findall(row[places[0]]):
            writer.writerow([value.strip() if p == places[0] else row[p] for p in range(len(row))])
    return out.getvalue()


_MOST_CHARACTERS = 100_000


def filled_down(text: str) -> str | None:
    """A table in which what holds for several rows stands in the first of them alone, with that in
    each of them; None for any other.
    """
    lines = [line for line in text.split("\n") if line.strip()]
    head = head_of(lines[: _MOST_BY_HAND + 1])
    if head is None or len(lines) > _MOST_BY_HAND:
        return None
    table = [row for row in table_of(text, head) if sum(map(bool, row)) > 1]
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
