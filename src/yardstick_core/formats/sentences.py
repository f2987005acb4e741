"""Lines that say their numbers in words, as programs write them into their logs.

`[10:00:01.204] INFO render: frame 12 took 14.1 ms` is one: what stands before a number is its name,
what stands behind it its unit, and a time may begin the line. `real 0m2.3s` is one name with its
value: such lines follow one another in the same order, and each round of them is a row.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from yardstick_core.formats.column_values import UNIT_WORDS
from yardstick_core.formats.naming import LONGEST_NAME

#: So many of the first lines are looked at, and such a share of them must say the same.
LOOKED_AT, AGREED = 200, 0.8
FEWEST_LINES = 3
#: Of a longer line nothing is read: whoever brings a file chooses the text.
LONGEST_LINE = 1000
MOST_NAMES = 24

_WHEN = re.compile(
    r"\s*[\[(]?((?:\d{4}[-/.]\d\d[-/.]\d\d[T ])?\d{1,2}:\d\d:\d\d(?:[.,]\d{1,9})?"
    r"(?:Z|[+-]\d\d:?\d\d)?)[\])]?(?=[\s:,])"
)
_NUMBER = re.compile(r"(?<![\w.\-])[+-]?\d+(?:[.,]\d+)?(?![\w.]*\d)")
#: What parts the words before a number from those that belong to it.
_PARTED = re.compile(r"[:,;=()\[\]{}|<>]")
_TELLS = re.compile(r"[A-Za-z]{2}")
_UNIT = re.compile(r"\s?([A-Za-zµμ%]+)")
_NAMED = re.compile(
    r"\s*([A-Za-z][^:=\t]{0,60}?)(?:\s*[:=]\s*|\t\s*|\s+)(\d+m[\d.,]+s|\d[\d:.,]*)\s*([A-Za-z%]*)\s*"
)
_MINUTES = re.compile(r"(\d+)m([\d.,]+)s")


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """Rows of a log of sentences, or of names with a value each; None where it is neither."""
    filled = [line[:LONGEST_LINE] for line in lines if line.strip()]
    if len(filled) < FEWEST_LINES:
        return None
    return _sentences(filled) or _rounds(filled)


def _sentences(lines: list[str]) -> list[dict[str, Any]] | None:
    shapes = Counter(map(_shape, lines[:LOOKED_AT]))
    shape, agreed = shapes.most_common(1)[0]
    looked_at = min(len(lines), LOOKED_AT)
    if agreed < AGREED * looked_at or "#" not in shape or _is_table(shape):
        return None
    first = next(line for line in lines if _shape(line) == shape)
    names = _names(first)
    if not any(_TELLS.search(name) for name in names):
        return None
    rows = []
    for line in lines:
        when, rest = _parted(line)
        said: dict[str, Any] = {"time": when} if when else {}
        if _shape(line) == shape:
            said |= dict(zip(names, _NUMBER.findall(rest), strict=True))
        rows.append(said or {"other line": line})  # it has no time: it is counted as broken
    return rows


def _parted(line: str) -> tuple[str, str]:
    """The time that begins a line, and the rest of it."""
    found = _WHEN.match(line)
    return (found[1], line[found.end() :]) if found else ("", line)


def _shape(line: str) -> str:
    """A line without its numbers."""
    when, rest = _parted(line)
    return ("@" if when else "") + re.sub(r"\s+", " ", _NUMBER.sub("#", rest)).strip()


def _is_table(shape: str) -> bool:
    """Whether values are parted by signs, and not by words: a table with a text that stays."""
    return bool(re.search(r"[;|\t]|,(?! )|#\s+#", shape))


def _names(line: str) -> list[str]:
    """What each number of a line is called: the words before it, and its unit."""
    _, rest = _parted(line)
    names: list[str] = []
    end = 0
    for found in _NUMBER.finditer(rest):
        before = _PARTED.split(rest[end : found.start()].strip().rstrip(":= "))[-1]
        words = " ".join(before.split()[-3:]).strip("- ") or "value"
        unit = _UNIT.match(rest, found.end())
        end = found.end()
        if unit and _is_unit(unit[1]):
            words, end = f"{words} [{unit[1]}]", unit.end()
        name, again = words[:LONGEST_NAME], 2
        while name in names or name == "time":
            name, again = f"{words} {again}", again + 1
        names.append(name)
    return names


def _is_unit(word: str) -> bool:
    return any(re.fullmatch(pattern, word.lower()) for pattern in UNIT_WORDS.values())


def _rounds(lines: list[str]) -> list[dict[str, Any]] | None:
    """Names with a value each, in rounds: a name that comes again begins the next row."""
    found = [_NAMED.fullmatch(line) for line in lines]
    known = [one for one in found if one]
    names = Counter(one[1].strip() for one in known)
    rounds = min(names.values(), default=0)
    if len(known) < AGREED * len(lines) or not 2 <= len(names) <= MOST_NAMES or rounds < 2:
        return None
    rows: list[dict[str, Any]] = [{}]
    for one in known:
        name, value, unit = one[1].strip(), one[2], one[3]
        if minutes := _MINUTES.fullmatch(value):
            seconds = 60 * int(minutes[1]) + float(minutes[2].replace(",", "."))
            value, unit = f"{seconds:.9g}", "s"
        said = f"{name} [{unit}]" if unit and _is_unit(unit) else name
        if said in rows[-1]:
            rows.append({})
        rows[-1][said] = value
    return rows
