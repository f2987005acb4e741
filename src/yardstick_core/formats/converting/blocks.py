"""Tables printed again and again, with the time above each, as tools that watch a system do.

`10:00:01 up 3 days`, below it the names of columns and a row for each process, and the same a
second later: one table, with the time in each row.
"""

from __future__ import annotations

import re
from collections import Counter
from itertools import pairwise

import numpy as np

from yardstick_core.formats.values import dates, numbers

FEWEST, FEWEST_NAMES, LONGEST_LINE = 2, 3, 1000
#: Of more names than these, each of which is looked for in the whole text, the rarer are left.
MOST_HEADS = 6
#: Such a share of the tables have a time above them.
AGREED = 0.9
_CLOCK = re.compile(r"(?<![\d:.])\d{1,2}:\d\d:\d\d(?:[.,]\d{1,9})?(?: [AP]M)?(?![\d:])")
_NAMES = re.compile(r"[^\d,;|\t]+")

Table = list[list[str]]


def rows_of(lines: list[str]) -> Table | None:
    """The names of the columns with `time` before them, and all rows; None for other text.

    >>> names = "PID RES COMMAND"
    >>> rows_of(["10:00:01", names, "7 40 loom", "10:00:02", names, "7 41 loom"])[1:]
    [['10:00:01', '7', '40', 'loom'], ['10:00:02', '7', '41', 'loom']]
    """
    lines = [line[:LONGEST_LINE] for line in lines]
    heads: Counter[tuple[str, ...]] = Counter()
    for line, below in pairwise(lines):
        names = tuple(line.split()) if _NAMES.fullmatch(line) else ()
        if len(names) >= FEWEST_NAMES and _row(below.split(), len(names)):
            heads[names] += 1
    tables = [
        table for names, count in heads.most_common(MOST_HEADS)
        if count >= FEWEST and (table := _below(lines, list(names))) is not None
    ]  # fmt: skip
    return max(tables, key=len, default=None)


def _below(lines: list[str], names: list[str]) -> Table | None:
    """What stands below each line of these names, with the time above it."""
    table: Table = []
    stamps: list[str] = []
    stamp, within = "", False
    for line in lines:
        cells = line.split()
        if cells == names:
            stamps.append(stamp)
            stamp, within = "", True
        elif within and (row := _row(cells, len(names))):
            table.append([stamps[-1], *row])
        else:
            within = False
            stamp = _stamp(line) or stamp
    told = sum(map(bool, stamps))
    if not table or told < FEWEST or told < AGREED * len(stamps) or len(set(stamps)) < FEWEST:
        return None
    return [["time", *names], *(row for row in table if row[0])]


def _row(cells: list[str], width: int) -> list[str]:
    """A row of so many cells, the last of which may have blanks in it; none for another line."""
    if len(cells) < width or not any(cell[0].isdigit() for cell in cells):
        return []
    row = [*cells[: width - 1], " ".join(cells[width - 1 :])]
    valued = bool(np.isfinite(numbers(row)).any())
    return row if valued and not _CLOCK.match(cells[0]) else []


def _stamp(line: str) -> str:
    """The date, or the time of day, that a line holds."""
    if ":" not in line:
        return ""
    if np.isfinite(dates([line]))[0]:
        return line.strip()
    found = _CLOCK.search(line)
    return found[0] if found else ""
