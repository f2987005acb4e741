"""Names with a value each, line by line, in rounds: `real 0m2.3s`, `launch: 2.31 s`, `load=7`.

What stands between rounds says what the round below it is of: a heading, or a name that comes more
rarely than the others.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

import numpy as np

from yardstick_core.formats.guessing.naming import names_runs, role_of, stem_of
from yardstick_core.formats.values import dates, unit_of

#: Such a share of the rounds must hold all names.
AGREED = 0.8
MOST_NAMES = 24
_NAMED = re.compile(
    r"\s*([A-Za-z][^:=\t]{0,60}?)(?:\s*[:=]\s*|\t\s*|\s+)(\d+m\d+(?:[.,]\d+)?s|\d+(?::\d+)*(?:[.,]\d+)?)\s*([A-Za-z%]*)\s*"
)
_MINUTES = re.compile(r"(\d+)m(\d+(?:[.,]\d+)?)s")

#: What a row of such a log is of, as far as it says.
HEADING = "variant"
ORNAMENTS = " \t#=*-–—•_:[]<>~"


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """A row for each round; None where lines are no rounds."""
    lines = _unlisted(lines)
    said = [_named(line) for line in lines]
    of_variants = [one and role_of(one[1]) == "variant" for one in said]
    if any(of_variants) and not any(said[: of_variants.index(True)]):
        # what is said first is said of all that follows
        said = [None if of else one for of, one in zip(of_variants, said, strict=True)]
    names = Counter(map(_called, filter(None, said)))
    usual = max(names.values(), default=0)
    valued = {name for name, count in names.items() if 2 * count >= usual}
    if usual < 2 or not valued or len(valued) > MOST_NAMES:
        return None
    blocks: list[tuple[list[str], list[re.Match[str]]]] = [([], [])]
    for line, one in zip(lines, said, strict=True):
        if one is None and blocks[-1][1]:
            blocks.append(([], []))
        if one is None:
            blocks[-1][0].append(line)
        else:
            blocks[-1][1].append(one)
    headings = _headings([above for above, _ in blocks])
    rows = [
        row
        for heading, (_, some) in zip(headings, blocks, strict=True)
        for row in _block(heading, some, valued)
    ]
    filled = sum(valued <= _names_of(one) for one in rows)
    headed = sum(bool(above) for above, _ in blocks)
    several = len(valued) > 1 or headed > 0
    if len(rows) < 2 or headed > len(rows) or not several or filled < AGREED * len(rows):
        return None
    if headed and any(all(sign in line for line in lines) for sign in ",;"):
        return None  # a table of two columns, the first of them words
    if headed and np.isfinite(dates([str(row.get(HEADING, "")) for row in rows])).all():
        return [{"time": row.pop(HEADING), **row} for row in rows]
    return _without_numbers(rows)


def _named(line: str) -> re.Match[str] | None:
    """A name with its value; none where a number within the words says that a line is a heading."""
    one = _NAMED.fullmatch(line)
    heading = one and re.search(r"\d", one[1]) and not one[3] and one[2].isdigit()
    return None if heading else one


def _called(one: re.Match[str]) -> str:
    """The name of a value, without the dots that lead from one to the other."""
    return one[1].rstrip(" \t._…")


def _names_of(row: dict[str, Any]) -> set[str]:
    return {name.partition(" [")[0] for name in row}


def _block(
    heading: str, said: list[re.Match[str]], valued: set[str]
) -> list[dict[str, Any]]:  # fmt: skip
    rows: list[dict[str, Any]] = []
    above: dict[str, Any] = {HEADING: heading} if heading else {}
    row: dict[str, Any] = {}
    for one in said:
        called, value = _valued(one)
        if _called(one) not in valued:
            rows += [row] if row else []
            told = {called: value} if re.search(r"[:=\t]", one[0]) else {HEADING: one[0].strip()}
            above, row = above | told, {}
            continue
        if called in row:
            rows.append(row)
            row = {}
        row = row or dict(above)
        row[called] = value
    return rows + ([row] if row else [])


#: `Program: Loom 4.1`, `Version 4.1`.
_TOLD = re.compile(r"([^\d:=]{1,40}?)(?:\s*[:=]\s*|\s+)(\S.*)")


def _headings(groups: list[list[str]]) -> list[str]:
    """What lines above each block say of it: not what they say of all blocks."""
    headed = [set(group) for group in groups if group]
    common = set.intersection(*headed) if len(headed) > 1 else set()
    own = [[line for line in group if line not in common] for group in groups]
    fewest = min((len(some) for some in own if some), default=0)
    found = []
    for some in own:
        told = [_TOLD.fullmatch(line.strip(ORNAMENTS)) for line in some]
        named = [one[2].strip() for one in told if one and role_of(one[1]) == "variant"]
        text = named[0] if named else " ".join(some[len(some) - fewest :])
        found.append(" ".join(text.strip(ORNAMENTS).split()))
    return found


def _valued(one: re.Match[str]) -> tuple[str, str]:
    """A name with its unit, and its value."""
    name, value, unit = _called(one), one[2], one[3]
    if minutes := _MINUTES.fullmatch(value):
        seconds = 60 * int(minutes[1]) + float(minutes[2].replace(",", "."))
        value, unit = f"{seconds:.9g}", "s"
    return (f"{name} [{unit}]" if unit and unit_of(unit) else name), value


def _without_numbers(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The same, where headings that only count the runs of something name that alone."""
    headings = [str(row.get(HEADING, "")) for row in rows]
    stems = [stem_of(heading).rstrip(" ,;:(-") for heading in headings]
    stems = ["" if names_runs(stem) else stem for stem in stems]
    counted = all(_RUN.search(heading) for heading in headings) or len(set(stems)) > 1
    if not any(stems):  # nothing but the number of each run
        return [{name: cell for name, cell in row.items() if name != HEADING} for row in rows]
    if all(stems) and counted and len(set(stems)) < len(set(headings)):
        return [row | {HEADING: stem} for row, stem in zip(rows, stems, strict=True)]
    return rows


_RUN = re.compile(r"\b(?:run|trial|attempt|try|take|pass|round)[\s_#]*\d+\)?$", re.IGNORECASE)


#: A name with several values: `Launch: 2.31 s, 2.28 s, 2.40 s`.
#: A value is taken whole, so that no line takes longer than it is long.
_ONE = r"(?>\d+(?:\.\d+)?(?:\s?[A-Za-z%]{1,8})?)"
_LISTED = re.compile(
    rf"\s*([A-Za-z][^:=\d\s]{{0,60}}(?: [^:=\d\s]{{1,60}}){{0,5}})(?:\s*[:=]\s*|\s{{2,}})"
    rf"((?:{_ONE}[,;/|\s]+)+{_ONE})\s*"
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
