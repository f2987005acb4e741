"""Lines that say their numbers in words, as programs write them into their logs.

`[10:00:01.204] INFO render: frame 12 took 14.1 ms` is one: what stands before a number is its name,
what stands behind it its unit, and a time may begin the line. Lines of one name with its value
each are read by `rounds`.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from yardstick_core.formats import event_lines, reshaping, rounds
from yardstick_core.formats.event_lines import WHEN
from yardstick_core.formats.mapping import TIME_UNITS
from yardstick_core.formats.naming import LONGEST_NAME, stem_of
from yardstick_core.formats.rounds import HEADING, ORNAMENTS
from yardstick_core.formats.values import unit_of

#: So many of the first lines are looked at, and such a share of them must say the same.
LOOKED_AT, AGREED = 200, 0.8
FEWEST_LINES = 3
#: People write no more numbers below one another.
MOST_BY_HAND = 5000
#: Of a longer line nothing is read: whoever brings a file chooses the text.
LONGEST_LINE = 1000

_NUMBER = re.compile(r"(?<![\w.\-])[+-]?\d+(?:[.,]\d+)?(?![\w.]*\d)")
#: What parts the words before a number from those that belong to it.
_PARTED = re.compile(r"[:,;=()\[\]{}|<>]")
_TELLS = re.compile(r"[A-Za-z]{2}")
_UNIT = re.compile(r"\s?([A-Za-zµμ%]+)")


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """Rows of a log of sentences, or of names with a value each; None where it is neither."""
    filled = [line[:LONGEST_LINE] for line in lines if line.strip()]
    if len(filled) < FEWEST_LINES:
        return None
    return (
        _numbered_runs(filled)
        or _results_in_words(filled)
        or _sentences(filled)
        or event_lines.rows_of(filled)
        or rounds.rows_of(filled)
    )


_BARE = re.compile(r"\s*(\d+(?::\d\d)*(?:[.,]\d+)?)\s?([a-zA-Zµμ]{0,8})\s*")


def numbers_under_headings(lines: list[str]) -> list[dict[str, Any]] | None:
    """Numbers alone, a line each, of what the heading above them says."""
    if len(lines) > MOST_BY_HAND:
        return None
    rows: list[dict[str, Any]] = []
    heading = ""
    for line in lines:
        found = _BARE.fullmatch(line[:LONGEST_LINE])
        if not line.strip():
            continue
        if found is None:
            heading = line.strip(ORNAMENTS)
        elif not heading or (found[2] and unit_of(found[2]) not in TIME_UNITS):
            return None
        else:
            rows.append({HEADING: heading, f"duration [{unit_of(found[2]) or 's'}]": found[1]})
    counts = Counter(row[HEADING] for row in rows)
    return rows if len(counts) > 1 and min(counts.values()) > 1 else None


def _sentences(lines: list[str]) -> list[dict[str, Any]] | None:
    shapes = Counter(map(_shape, lines[:LOOKED_AT]))
    shape, agreed = shapes.most_common(1)[0]
    headings = _headings([_shape(line) == shape for line in lines], lines)
    looked_at = sum(line not in headings for line in lines[:LOOKED_AT])
    if agreed < AGREED * looked_at or "#" not in shape or _is_table(shape):
        return None
    first = next(line for line in lines if _shape(line) == shape)
    names = _names(first)
    nameless = sum(re.fullmatch(r"value(?: \d+)?", name) is not None for name in names)
    if not any(_TELLS.search(name) for name in names) or 2 * nameless > len(names):
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


#: A run by its number, and how long it took: `4.1 run 2: 3.05 s`.
_RUN = re.compile(
    r"\s*(?P<named>[^:=\t]{1,80}?)\s*[:=\t]\s*(?P<value>\d+(?::\d\d)*(?:[.,]\d+)?)\s*(?P<unit>[a-zA-Zµμ]{0,8})[.\s]*"
)


def _numbered_runs(lines: list[str]) -> list[dict[str, Any]] | None:
    """Lines of a run each, named after variant and number, with one value."""
    found = [_RUN.fullmatch(line) for line in lines]
    rows = []
    for one in found:
        if one is None or stem_of(one["named"]) == one["named"].strip():
            return None
        unit = unit_of(one["unit"])
        if one["unit"] and unit not in TIME_UNITS:
            return None
        rows.append(
            (stem_of(one["named"]).strip(ORNAMENTS), one["value"].replace(",", "."), unit or "s")
        )
    stems = Counter(stem for stem, _, _ in rows)
    if len(stems) < 2 or min(stems.values()) < 2:
        return None
    return [{HEADING: stem, f"duration [{unit}]": value} for stem, value, unit in rows]


#: A value with its unit, wherever it stands in a line, and the number of a run.
_TOLD = re.compile(r"(?<![\w.,:])(\d+(?::\d\d)*(?:[.,]\d+)?)\s?([A-Za-zµμ]{1,12})(?!\w)")
_OF_RUN = re.compile(
    r"\b(?:run|trial|attempt|try|take|pass|round|iteration|lauf|versuch|essai|prueba|poging)\s*#?\d+"
    r"(?:\s+of\b)?|#\d+\b",
    re.IGNORECASE,
)
_JOINING = re.compile(r"\s*\b(?:took|takes|in|was|is|after|needed|of|for)\b\s*$", re.IGNORECASE)
_MOST_LABELS = 12


def _results_in_words(lines: list[str]) -> list[dict[str, Any]] | None:
    """Lines that say how long one run took, and of which variant, in whatever order."""
    if len({_parted(line)[0] for line in lines} - {""}) > _MOST_LABELS:
        return None  # they begin with a time
    rows = []
    for line in lines:
        told = [one for one in _TOLD.finditer(line) if unit_of(one[2]) in TIME_UNITS]
        if len(told) != 1 or len(lines) > MOST_BY_HAND:
            return None
        before = _JOINING.sub("", line[: told[0].start()].strip(f"{ORNAMENTS} -([,;"))
        label = _OF_RUN.sub(" ", f"{before} {line[told[0].end() :]}")
        label = re.sub(r"[\s\[\](){}=:;,|]+", " ", label).strip(f"{ORNAMENTS} .-")
        rows.append((label, told[0][1].replace(",", "."), unit_of(told[0][2])))
    labels = Counter(label for label, _, _ in rows)
    if not 1 < len(labels) <= _MOST_LABELS or min(labels.values()) < 2 or not all(labels):
        return None
    if reshaping.by_variant([dict.fromkeys(labels, "")]):
        return None  # they say what was timed, too
    return [{HEADING: label, f"duration [{unit}]": value} for label, value, unit in rows]


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
    end = 0
    for found in _NUMBER.finditer(rest):
        before = _PARTED.split(rest[end : found.start()].strip().rstrip(":= "))[-1]
        words = " ".join(before.split()[-3:]).strip("- ") or "value"
        unit = _UNIT.match(rest, found.end())
        end = found.end()
        if unit and unit_of(unit[1]):
            told = f"{words} [{unit[1]}]" if unit_of(unit[1]) != "fps" else unit[1]
            words, end = told, unit.end()
        name, again = words[:LONGEST_NAME], 2
        while name in names or name == "time":
            name, again = f"{words} {again}", again + 1
        names.append(name)
    return names
