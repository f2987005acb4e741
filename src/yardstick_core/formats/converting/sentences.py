"""Lines that say their numbers in words, as programs write them into their logs.

`[10:00:01.204] INFO render: frame 12 took 14.1 ms` is one: what stands before a number is its name,
what stands behind it its unit, and a time may begin the line. Lines of one name with its value
each are read by `rounds`.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from yardstick_core.formats.converting import event_lines, results_in_words, rounds
from yardstick_core.formats.converting.rounds import HEADING, ORNAMENTS
from yardstick_core.formats.converting.worded_numbers import (
    NUMBER,
    TELLS,
    names_of,
    parted,
    shape_of,
)
from yardstick_core.formats.guessing.naming import names_frames, role_of

#: So many of the first lines are looked at, and such a share of them must say the same.
LOOKED_AT, AGREED = 200, 0.8
FEWEST_LINES = 3
#: Of a longer line nothing is read: whoever brings a file chooses the text.
LONGEST_LINE = 1000


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """Rows of a log of sentences, or of names with a value each; None where it is neither."""
    filled = [line[:LONGEST_LINE] for line in lines if line.strip()]
    if len(filled) < FEWEST_LINES:
        return None
    return (
        results_in_words.rows_of(filled)
        or _sentences(filled)
        or event_lines.rows_of(filled)
        or rounds.rows_of(filled)
    )


def _sentences(lines: list[str]) -> list[dict[str, Any]] | None:
    shapes = Counter(map(_shape, lines[:LOOKED_AT]))
    shape, agreed = shapes.most_common(1)[0]
    headings = _headings([_shape(line) == shape for line in lines], lines)
    looked_at = sum(line not in headings for line in lines[:LOOKED_AT])
    if agreed < AGREED * looked_at or "#" not in shape:
        return None
    first = next(line for line in lines if _shape(line) == shape)
    names = names_of(parted(first)[1])
    nameless = sum(re.fullmatch(r"value(?: \d+)?", name) is not None for name in names)
    if not any(TELLS.search(name) for name in names) or 2 * nameless > len(names):
        return None
    if _is_table(shape) and (any(name.startswith("value") for name in names) or "|" not in shape):
        return None
    rows = []
    heading = ""
    for line in lines:
        when, rest = parted(line)
        said: dict[str, Any] = {"time": when} if when else {}
        if _shape(line) == shape:
            above = {HEADING: heading} if heading else {}
            said |= above | dict(zip(names, NUMBER.findall(rest), strict=True))
        elif line in headings:
            heading = line.strip(ORNAMENTS)
            continue
        rows.append(said or {"other line": line})  # it has no time: it is counted as broken
    return rows


def hold_measures(rows: list[dict[str, Any]]) -> bool:
    """Whether what was made of sentences measures anything: it has a unit, or a known name."""
    names = {name for row in rows for name in row} - {"time", "other line"}
    return any(" [" in name or role_of(name) or names_frames(name) for name in names)


def _headings(of_shape: list[bool], lines: list[str]) -> set[str]:
    """Lines that each stand above some that say the same; none where others are elsewhere."""
    found = []
    for number, (same, line) in enumerate(zip(of_shape, lines, strict=True)):
        if not same:
            if parted(line)[0] or sum(of_shape[number + 1 : number + 3]) < 2:
                return set()
            found.append(line)
    return set(found) if len(set(found)) > 1 else set()


def _shape(line: str) -> str:
    """A line without its numbers."""
    when, rest = parted(line)
    return ("@" if when else "") + shape_of(rest)


def _is_table(shape: str) -> bool:
    """Whether values are parted by signs, and not by words: a table with a text that stays."""
    return bool(re.search(r"[;|\t]|,(?! )|#\s+#", shape))
