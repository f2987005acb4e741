"""Lines that say their numbers in words, as programs write them into their logs.

`[10:00:01.204] INFO render: frame 12 took 14.1 ms` is one: what stands before a number is its name,
what stands behind it its unit, and a time may begin the line. `real 0m2.3s` is one name with its
value: such lines follow one another in the same order, and each round of them is a row, of what the
line above them says.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from yardstick_core.formats import event_lines
from yardstick_core.formats.event_lines import WHEN
from yardstick_core.formats.mapping import TIME_UNITS
from yardstick_core.formats.naming import LONGEST_NAME, stem_of
from yardstick_core.formats.values import unit_of

#: So many of the first lines are looked at, and such a share of them must say the same.
LOOKED_AT, AGREED = 200, 0.8
FEWEST_LINES = 3
#: Of a longer line nothing is read: whoever brings a file chooses the text.
LONGEST_LINE = 1000
MOST_NAMES = 24

_NUMBER = re.compile(r"(?<![\w.\-])[+-]?\d+(?:[.,]\d+)?(?![\w.]*\d)")
#: What parts the words before a number from those that belong to it.
_PARTED = re.compile(r"[:,;=()\[\]{}|<>]")
_TELLS = re.compile(r"[A-Za-z]{2}")
_UNIT = re.compile(r"\s?([A-Za-zµμ%]+)")
_NAMED = re.compile(
    r"\s*([A-Za-z][^:=\t]{0,60}?)(?:\s*[:=]\s*|\t\s*|\s+)(\d+m[\d.,]+s|\d+(?::\d+)*(?:[.,]\d+)?)\s*([A-Za-z%]*)\s*"
)
_MINUTES = re.compile(r"(\d+)m([\d.,]+)s")


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """Rows of a log of sentences, or of names with a value each; None where it is neither."""
    filled = [line[:LONGEST_LINE] for line in lines if line.strip()]
    if len(filled) < FEWEST_LINES:
        return None
    return (
        _numbered_runs(filled)
        or _sentences(filled)
        or event_lines.rows_of(filled)
        or _rounds(filled)
    )


def _sentences(lines: list[str]) -> list[dict[str, Any]] | None:
    shapes = Counter(map(_shape, lines[:LOOKED_AT]))
    shape, agreed = shapes.most_common(1)[0]
    headings = _headings([_shape(line) == shape for line in lines], lines)
    looked_at = sum(line not in headings for line in lines[:LOOKED_AT])
    if agreed < AGREED * looked_at or "#" not in shape or _is_table(shape):
        return None
    first = next(line for line in lines if _shape(line) == shape)
    names = _names(first)
    if not any(_TELLS.search(name) for name in names):
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
            heading = line.strip(_ORNAMENTS)
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
        rows.append((stem_of(one["named"]), one["value"].replace(",", "."), unit or "s"))
    stems = Counter(stem for stem, _, _ in rows)
    if len(stems) < 2 or min(stems.values()) < 2:
        return None
    return [{HEADING: stem, f"duration [{unit}]": value} for stem, value, unit in rows]


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
            words, end = f"{words} [{unit[1]}]", unit.end()
        name, again = words[:LONGEST_NAME], 2
        while name in names or name == "time":
            name, again = f"{words} {again}", again + 1
        names.append(name)
    return names


def _rounds(lines: list[str]) -> list[dict[str, Any]] | None:
    """Names with a value each, in rounds: a name that comes again begins the next row.

    Lines between rounds are headings that say what the round below them is of. A name that comes
    more rarely than the others says it too, until it comes again.
    """
    lines = _unlisted(lines)
    said = [_NAMED.fullmatch(line) for line in lines]
    names = Counter(one[1].strip() for one in said if one and not _is_heading(one))
    usual = max(names.values(), default=0)
    valued = {name for name, count in names.items() if 2 * count >= usual}
    if usual < 2 or not valued or len(valued) > MOST_NAMES:
        return None
    rows: list[dict[str, Any]] = []
    heading, above, row = "", {}, {}  # type: str, dict[str, str], dict[str, Any]
    headed = 0
    for line, one in zip(lines, said, strict=True):
        name = one[1].strip() if one else ""
        if one and name in valued and not _is_heading(one):
            called, value = _valued(one)
            if called in row:
                rows.append(row)
                row = {}
            row = row or ({HEADING: heading} if heading else {}) | above
            row[called] = value
            continue
        if row:
            rows.append(row)
            row = {}
            heading = ""
        if one and names[name] and not _is_heading(one):
            above = above | {name: _valued(one)[1]}
        else:
            heading, headed = " ".join(f"{heading} {line.strip(_ORNAMENTS)}".split()), headed + 1
    rows += [row] if row else []
    filled = sum(len(set(one) - {HEADING} - set(above)) == len(valued) for one in rows)
    several = len(valued) > 1 or headed > 0
    if len(rows) < 2 or headed > len(rows) or not several or filled < AGREED * len(rows):
        return None
    if headed and any(all(sign in line for line in lines) for sign in ",;"):
        return None  # a table of two columns, the first of them words
    return _without_numbers(rows)


#: A name with several values: `Launch: 2.31 s, 2.28 s, 2.40 s`.
_LISTED = re.compile(
    r"\s*([A-Za-z][^:=\d]{0,60}?)\s*[:=]\s*((?:\d+(?:\.\d+)?\s?[A-Za-z%]{0,8}[,;\s]+)+\d+(?:\.\d+)?\s?[A-Za-z%]{0,8})\s*"
)


def _unlisted(lines: list[str]) -> list[str]:
    """Lines of names with several values each, as rounds of names with one; others as they are."""
    listed = [_LISTED.fullmatch(line) for line in lines]
    if sum(map(bool, listed)) * 2 < len(lines):
        return lines
    made: list[str] = []
    block: list[tuple[str, list[str]]] = []

    def close() -> None:
        for n in range(max((len(values) for _, values in block), default=0)):
            made.extend(f"{name}: {values[n]}" for name, values in block if n < len(values))
        block.clear()

    for line, one in zip(lines, listed, strict=True):
        if one is None:
            close()
            made.append(line)
        else:
            values = re.findall(r"\d+(?:\.\d+)?\s?[A-Za-z%]{0,8}", one[2])
            block.append((one[1], [value.strip() for value in values]))
    close()
    return made


#: What a row of such a log is of, as far as it says.
HEADING = "variant"
_ORNAMENTS = " \t#=*-_:[]<>~"
_RUN_NUMBER = re.compile(
    r"[\s,;:(#\-\u2013/]*\b(?:run|trial|attempt|try|take|pass|round|iteration|lauf|durchlauf|essai|prueba)?"
    r"[\s#.:]*\d+\)?$",
    re.IGNORECASE,
)


def _is_heading(one: re.Match[str]) -> bool:
    """Whether a number within the words says that a line is about more than one value."""
    return bool(re.search(r"\d", one[1])) and not one[3] and one[2].isdigit()


def _valued(one: re.Match[str]) -> tuple[str, str]:
    """A name with its unit, and its value."""
    name, value, unit = one[1].strip(), one[2], one[3]
    if minutes := _MINUTES.fullmatch(value):
        seconds = 60 * int(minutes[1]) + float(minutes[2].replace(",", "."))
        value, unit = f"{seconds:.9g}", "s"
    return (f"{name} [{unit}]" if unit and unit_of(unit) else name), value


def _without_numbers(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The same, where headings that only count the runs of something name that alone."""
    stems = [_RUN_NUMBER.sub("", str(row.get(HEADING, ""))) for row in rows]
    if all(stems) and len(set(stems)) < len({row[HEADING] for row in rows}):
        return [row | {HEADING: stem} for row, stem in zip(rows, stems, strict=True)]
    if not any(stems):  # nothing but the number of each run
        return [{name: cell for name, cell in row.items() if name != HEADING} for row in rows]
    return rows
