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
from yardstick_core.formats.converting.event_lines import WHEN
from yardstick_core.formats.converting.results_in_words import JOINING
from yardstick_core.formats.converting.rounds import HEADING, ORNAMENTS
from yardstick_core.formats.guessing.naming import LONGEST_NAME
from yardstick_core.formats.values import unit_of

#: So many of the first lines are looked at, and such a share of them must say the same.
LOOKED_AT, AGREED = 200, 0.8
FEWEST_LINES = 3
#: Of a longer line nothing is read: whoever brings a file chooses the text.
LONGEST_LINE = 1000

_NUMBER = re.compile(r"(?<![\w.\-])[+-]?\d+(?:[.,]\d+)?(?![\w.]*\d)")
#: What parts the words before a number from those that belong to it.
_PARTED = re.compile(r"[:,;=()\[\]{}|<>]")
_TELLS = re.compile(r"[A-Za-z]{2}")
_UNIT = re.compile(r"\s?([A-Za-zµμ%]+)")
_PART = re.compile(r"\s?\(([A-Za-z][A-Za-z ]{1,20})\)")
_AFTER = re.compile(r"(?:in|after)", re.IGNORECASE)
#: What parts the numbers of a list, and a word behind a number that is what it counts.
_LISTS = re.compile(r"\s*[,/]\s*")
_FOLLOWS = re.compile(r" ([A-Za-z]{3,20})(?=[,;]|$)")


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
    names = _names(first)
    nameless = sum(re.fullmatch(r"value(?: \d+)?", name) is not None for name in names)
    if not any(_TELLS.search(name) for name in names) or 2 * nameless > len(names):
        return None
    if _is_table(shape) and (any(name.startswith("value") for name in names) or "|" not in shape):
        return None
    rows = []
    heading = ""
    for line in lines:
        when, rest = _parted(line)
        said: dict[str, Any] = {"time": when} if when else {}
        if _shape(line) == shape:
            above = {HEADING: heading} if heading else {}
            said |= above | dict(zip(names, _NUMBER.findall(rest), strict=True))
        elif line in headings:
            heading = line.strip(ORNAMENTS)
            continue
        rows.append(said or {"other line": line})  # it has no time: it is counted as broken
    return rows


def _headings(of_shape: list[bool], lines: list[str]) -> set[str]:
    """Lines that each stand above some that say the same; none where others are elsewhere."""
    found = []
    for number, (same, line) in enumerate(zip(of_shape, lines, strict=True)):
        if not same:
            if _parted(line)[0] or sum(of_shape[number + 1 : number + 3]) < 2:
                return set()
            found.append(line)
    return set(found) if len(set(found)) > 1 else set()


def _parted(line: str) -> tuple[str, str]:
    """The time that begins a line, and the rest of it."""
    found = WHEN.match(line)
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
    end, base, first = 0, "", ""
    for found in _NUMBER.finditer(rest):
        before = _PARTED.split(rest[end : found.start()].strip().rstrip(":= "))[-1]
        words = " ".join(before.split()[-3:]).strip("- +")
        follows = _FOLLOWS.match(rest, found.end())
        if not words and follows and not unit_of(follows[1]):
            words = follows[1]
        if not words and _TELLS.search(base) and _LISTS.fullmatch(rest, end, found.start()):
            words = base  # `load: 0.5, 0.6, 0.7`
        if not words and first and "=" in rest[end : found.start()]:
            words = first  # `start 2 s (kernel) + 3 s (rest) = 5 s`
        words = JOINING.sub("", words) or words
        if _AFTER.fullmatch(words):
            words = f"{names[-1]} took" if names and _TELLS.search(names[-1]) else "took"
        first = first or words
        unit = _UNIT.match(rest, found.end())
        end = found.end()
        if unit and unit_of(unit[1]):
            end = unit.end()
            part = _PART.match(rest, end)
            words = f"{first} {part[1]}".strip() if part else words
            end = part.end() if part else end
        words = base = words or "value"
        if unit and unit_of(unit[1]):
            words = f"{words} [{unit[1]}]" if unit_of(unit[1]) != "fps" else unit[1]
        name, again = words[:LONGEST_NAME], 2
        while name in names or name == "time":
            name, again = f"{words} {again}", again + 1
        names.append(name)
    return names
