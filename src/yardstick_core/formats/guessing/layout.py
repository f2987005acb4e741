"""How separated text is laid out: by which sign, with which decimal mark, under which heading."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.guessing.naming import names_tests, role_of, sums_up
from yardstick_core.formats.mapping import BLANKS, SEPARATORS
from yardstick_core.formats.values import (
    cells_of,
    clocks,
    dates,
    is_told_in_unit,
    numbers,
    unit_of,
)


def separator_of(lines: Sequence[str]) -> str:
    """The sign that parts most lines into the same number of values, more than one."""

    def fitness(sign: str) -> tuple[int, int]:
        counts = [len(cells_of(line, sign)) for line in lines[:100] if line.strip()]
        usual = max(set(counts), key=counts.count, default=0)
        return (counts.count(usual) if usual > 1 else 0, usual)

    found = max(
        (s for s in SEPARATORS if s != BLANKS),
        key=lambda s: (fitness(s)[0] * (s != " "), fitness(s)),
    )
    # commas may stand within numbers: another sign that parts as many lines comes first
    if found == ",":
        found = next((s for s in ("\t", ";", "|") if fitness(s)[0] >= fitness(",")[0] > 0), found)
    # columns that stand under one another are parted by as many blanks as it takes
    aligned = fitness(BLANKS)[0] > fitness(found)[0] or any("  " in line for line in lines[:50])
    if fitness(BLANKS)[0] and aligned and (found == " " or not fitness(found)[0]):
        return BLANKS
    return found


def usual_width(rows: Sequence[Sequence[str]]) -> int:
    """How many values most rows hold; of two widths as frequent that with more numbers in it."""
    widths = Counter(len(row) for row in rows if row)
    most = max(widths.values(), default=0)
    usual = [width for width, count in widths.items() if count == most]
    if len(usual) == 1:
        return usual[0]

    def in_numbers(width: int) -> int:
        some = [row for row in rows[:100] if len(row) == width]
        return sum(int(np.isfinite(numbers(row)).sum()) for row in some)

    return max(usual, key=in_numbers, default=0)


_MARKED = r"[+-]?\d+{mark}\d+(?:[eE][+-]?\d+)?(?:\s?(?:%|[^\W\d_]{{1,12}}))?"
_COMMA, _POINT = (re.compile(_MARKED.format(mark=mark)) for mark in (",", r"\."))


def decimal_of(rows: Sequence[Sequence[str]], separator: str) -> str:
    # what comes again and again is no measured value: `4.1` may be what a variant is called
    cells = {cell.strip() for row in rows for cell in row}
    commas = sum(_COMMA.fullmatch(cell) is not None for cell in cells)
    points = sum(_POINT.fullmatch(cell) is not None for cell in cells)
    return "," if commas > points and separator != "," else "."


def _is_value(cells: Sequence[str], decimal: str) -> NDArray[np.bool_]:
    """Which cells hold a number, a date or a time of day."""
    told = np.array([is_told_in_unit(cell) for cell in cells], bool)
    return (
        told
        | np.isfinite(numbers(cells, decimal))
        | np.isfinite(dates(cells))
        | np.isfinite(clocks(cells))
    )


class Heading(NamedTuple):
    """Lines before the values, how many of them name the columns, the names, and their units."""

    lines: int
    naming: int = 0
    names: Sequence[str] = ()
    units: Sequence[str] = ()


def heading_of(rows: Sequence[Sequence[str]], decimal: str, width: int) -> Heading:
    """What stands above the values."""
    if grouped := _grouped(rows, decimal, width):
        return grouped
    first = 1
    for place, cells in enumerate(rows[:200]):
        filled = [cell.strip() for cell in cells if cell.strip()]
        if filled and _REMARK.match(cells[0]):
            continue
        if len(cells) == width and filled and _is_value(filled, decimal).sum() * 2 >= len(filled):
            first = place
            break
    else:
        first = _first_of_text(rows, decimal, width)
    if first < len(rows) and _names_numbers(rows, first, decimal, width):
        return Heading(first + 1, 1, [cell.strip() for cell in rows[first]])
    best, names_at, names = -1.0, -1, []
    for place in range(min(first, len(rows))):
        cells = _named_cells(rows[place], width)
        if len(cells) == width - 1 > 1 and first < len(rows):
            cells = _with_nameless(cells, rows[first], decimal)
        filled = [cell for cell in cells if cell]
        if len(cells) == width > 2 and filled[1:] and np.isfinite(clocks(cells[:1])).all():
            cells = ["time", *cells[1:]]  # a tool that begins each line with the time of day
            filled = [cell for cell in cells if cell]
        if len(cells) != width or not filled or _is_value(filled, decimal).any():
            continue
        known = sum(bool(role_of(cell)) for cell in cells)
        # a line of values that are errors repeats itself, names do not
        score = known + len(set(filled)) / width - (0.5 if _is_units(cells) else 0)
        score -= 2 * cells.count("") / width
        if score >= best:
            best, names_at, names = score, place, cells
    if names_at < 0:
        return Heading(first)
    below = _named_cells(rows[names_at + 1], width) if names_at + 1 < first else []
    if len(below) == width and _is_units(below):
        return Heading(names_at + 2, 2, names, [cell.strip("[]()- ") for cell in below])
    return Heading(names_at + 1, 1, names)


def _with_nameless(names: list[str], values: Sequence[str], decimal: str) -> list[str]:
    """Names of one column fewer than there are values: of day and time of day, or of words that
    each row begins with.
    """
    if len(values) != len(names) + 1:
        return names
    told = _is_value([cell.strip() for cell in values], decimal)
    days, times = np.isfinite(dates(values)), np.isfinite(clocks(values))
    for place in range(len(names)):
        if days[place] and times[place + 1] and ":" not in values[place]:
            return [*names[: place + 1], f"{names[place]} time of day", *names[place + 1 :]]
    return ["row", *names] if not told[0] and told[1:].all() else names


#: What begins a line that says something about the file.
_REMARK = re.compile(r"\s*(?:#+|//+)(?:\s|$)")


def _grouped(rows: Sequence[Sequence[str]], decimal: str, width: int) -> Heading | None:
    """A heading of two lines, the upper of which names groups of columns: `,4.1,,4.2,`."""
    for place, line in enumerate(rows[:20]):
        lower = rows[place + 1] if place + 1 < len(rows) else []
        if len(line) != width or len(lower) != width or width < 3:
            continue
        upper = _as_merged(line)
        groups = [n for n, cell in enumerate(upper) if cell.strip()]
        if not groups:
            continue
        spanning = any(later - n > 1 for n, later in zip(groups, [*groups[1:], width], strict=True))
        if (
            len(groups) < 2
            or not spanning
            or not all(cell.strip() for cell in lower[groups[0] or 1 :])
        ):
            continue
        below = [row for row in rows[place + 2 : place + 22] if len(row) == width]
        if len(below) < 2 or not _names_groups(lower, groups, decimal):
            continue
        values = np.array([_is_value([cell.strip() for cell in row], decimal) for row in below])
        if values[:, max(1, groups[0]) :].mean() < _MOSTLY:
            continue
        names = []
        group = ""
        for cell, under in zip(upper, lower, strict=True):
            group = cell.strip() or group
            names.append(f"{group} {under.strip()}".strip())
        return Heading(place + 2, 2, names)
    return None


def _as_merged(cells: Sequence[str]) -> Sequence[str]:
    """A line of groups whose names stand above each of their columns, as merged cells are read:
    with each name once. The cell before them says nothing of the column below it.
    """
    named = [cell.strip() for cell in cells[1:]]
    groups = set(named)
    if "" in groups or len(groups) < 2 or any(named.count(one) < 2 for one in groups):
        return cells
    return [
        "",
        *(
            "" if one == before else one
            for one, before in zip(named, ["", *named[:-1]], strict=True)
        ),
    ]


def _names_groups(lower: Sequence[str], groups: Sequence[int], decimal: str) -> bool:
    """Whether the cells below groups are words, or count the columns of each group."""
    for start, stop in zip(groups, [*groups[1:], len(lower)], strict=True):
        cells = [cell.strip() for cell in lower[start:stop]]
        counted = [str(n + 1) for n in range(len(cells))]
        if cells != counted and _is_value(cells, decimal).any():
            return False
    return True


def _names_numbers(rows: Sequence[Sequence[str]], place: int, decimal: str, width: int) -> bool:
    """Whether a line names its columns by numbers, as in `Run;4.1;4.2`: one of its cells is a word
    where numbers follow, or says that what was timed does.
    """
    below = [
        row for row in rows[place + 1 : place + 21]
        if len(row) == width and not any(map(sums_up, row))
    ]  # fmt: skip
    if (
        any(len(row) == width and sum(map(bool, row)) > 1 for row in rows[:place])
        or len(below) < 2
        or len(rows[place]) != width
        or any(
            _are_clocks([row[column] for row in (rows[place], *below)]) for column in range(width)
        )
    ):
        return False
    runs = [row[0].strip() for row in below if not sums_up(row[0])]
    counted = runs == [str(n + 1) for n in range(len(runs))]
    numbered = [re.sub(r"\W+", " ", run).strip() for run in runs]
    stem = re.sub(r"\W+", " ", rows[place][0]).strip()
    if numbered == [f"{stem} {n + 1}".strip() for n in range(len(runs))] and stem:
        return True  # the name of the runs stands above them
    if not rows[place][0].strip() and all(cell.strip() for cell in rows[place][1:]) and counted:
        return True  # nothing stands above the numbers of the runs
    repeats = [cell.strip() for cell in rows[place] if cell.strip().isdigit()]
    if repeats == [str(n + 1) for n in range(len(repeats))] and len(repeats) > 1:
        words = [cell for cell in rows[place] if re.search(r"[^\W\d_]{2}", cell)]
        if (
            len(words) + len(repeats) == width
            and words
            and not any(row[-len(repeats) :] == rows[place][-len(repeats) :] for row in below)
        ):
            return True  # words, and the numbers of repeats
    bare = [n for n, cell in enumerate(rows[place]) if _BARE.fullmatch(cell.strip())]
    if bare and all(_MEASURED.search(row[n]) for n in bare for row in below):
        return True  # numbers alone, above numbers with their unit or ±
    for column, cell in enumerate(rows[place]):
        word = cell.strip().lstrip("#").strip()
        if word.lower() in _NO_WORDS or not re.search(r"[^\W\d_]{2}", word):
            continue
        if _is_value([word], decimal)[0]:
            continue
        values = _is_value([row[column].strip() for row in below], decimal)
        if values.mean() >= _MOSTLY or names_tests(word):
            return True
    return False


_BARE = re.compile(r"v?\d+(?:\.\d+)*")
_MEASURED = re.compile(r"\d\s?(?:±|[^\W\d_]{1,7}\s*$)")


def _are_clocks(cells: Sequence[str]) -> bool:
    """Whether all cells are times of day: the first of them names nothing then."""
    return all(":" in cell for cell in cells) and bool(np.isfinite(clocks(cells)).all())


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


_UNIT_ALONE = re.compile(r"[\[(][^\[\]()]{1,12}[\])]")


def _named_cells(cells: Sequence[str], width: int) -> list[str]:
    """The cells of a line of names, without the sign that it may begin with.

    Where names are parted by blanks a unit behind one is parted from it: `# time [s]  load`.
    """
    found = [cell.strip() for cell in cells]
    if found and found[0] in ("#", "%", "//", ";") and len(found) > width:
        found = found[1:]
    if len(found) > width:
        joined: list[str] = []
        for cell in found:
            if joined and _UNIT_ALONE.fullmatch(cell):
                joined[-1] += f" {cell}"
            else:
                joined.append(cell)
        found = joined
    if found:
        found[0] = re.sub(r"^(?:#+|//+|;+|%+\s)\s*", "", found[0])
    return found


def _is_units(cells: Sequence[str]) -> bool:
    """Whether a line holds units and nothing else."""
    plain = [cell.strip("[]()- ").lower() for cell in cells]
    known = sum(bool(unit_of(one)) for one in plain)
    short = all(len(one) <= 8 for one in plain)
    return known >= 1 and short and known * 2 >= sum(bool(one) for one in plain)
