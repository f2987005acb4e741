"""Lines of names with their values: `t=32.3 frame=8.1`."""

from __future__ import annotations

import re
from pathlib import Path

from yardstick_core.formats.converting.event_lines import WHEN
from yardstick_core.formats.converting.writing import apart_from_units, lines_of, text_of

#: Whoever brings a file chooses the text: each sign can be read in one way only, so that no line
#: takes longer than it is long.
_PAIR = re.compile(r"(?<![\w.])([^\W\d][\w.]*)\s?[=:]\s?(\"[^\"]*\"|[^\s,;\"]+)")
_PAIRS = re.compile(
    rb"[A-Za-z_\x80-\xff][\w.\x80-\xff]*=(?:\"[^\"]*\"|[^\s,;=\"]+)"
    rb"(?:[\s,;]+[A-Za-z_\x80-\xff][\w.\x80-\xff]*=(?:\"[^\"]*\"|[^\s,;=\"]+))+"
)


#: So many pairs in each of the first lines make them rows, whatever else is in them.
_FEWEST_PAIRS, _FIRST_LINES = 3, 8


def are_pairs(start: bytes) -> bool:
    lines = start.split(b"\n")
    if _PAIRS.fullmatch(lines[0].strip()):
        return True
    texts = [
        line.decode("utf-8", "replace")[:1000] for line in lines[:_FIRST_LINES] if line.strip()
    ]
    names = [tuple(name for name, _ in _EQUAL.findall(text)) for text in texts]
    alike = len(set(names)) == 1 and len(names) > 2
    return alike and len(names[0]) >= _FEWEST_PAIRS and not texts[0].lstrip().startswith(("{", "<"))


#: A pair with an equals sign, which may have blanks behind it.
_EQUAL = re.compile(r"(?<![\w.])([^\W\d][\w.]*)=\s*(\"[^\"]*\"|[^\s,;\"=]+)")


def of_pairs(path: Path) -> str:
    rows = []
    for line in text_of(path).splitlines():
        when = WHEN.match(line)
        row = {"time": when[1]} if when else {}
        pairs = _EQUAL.findall(line) if "=" in line else _PAIR.findall(line)
        rows.append(row | {name: value.strip('"') for name, value in pairs})
    return lines_of(apart_from_units(rows))
