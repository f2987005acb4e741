"""Lines that sum up runs, of one variant each: `4.1: min 12.1 ms, avg 14.5 ms, max 20.3 ms`."""

from __future__ import annotations

import re
from typing import Any

from yardstick_core.formats.converting.rounds import HEADING, ORNAMENTS
from yardstick_core.formats.guessing.naming import is_mean, names_counts, sums_up
from yardstick_core.formats.mapping import TIME_UNITS
from yardstick_core.formats.values import unit_of

#: People write no more of them, and none that are longer.
_MOST, _LONGEST = 200, 400
_PARTS = re.compile(r"\s*[,;|/]\s+")
#: `avg 14.5 ms`, `mean: 3.21s`, `avg = 14.5`.
_TOLD = re.compile(
    r"([A-Za-zÀ-ÿ][A-Za-zÀ-ÿ. ]{0,20}?)\s*[:=]?\s*(\d+(?:\.\d+)?)\s*([A-Za-zµμ]{0,7})"
)
_BEFORE = re.compile(r"(?:release|version|variant|build)\s+", re.IGNORECASE)


def rows_of(text: str) -> list[dict[str, Any]] | None:
    """A row for each variant, of what its line says of it; None for other texts."""
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    if not 1 < len(lines) <= _MOST or max(map(len, lines)) > _LONGEST:
        return None
    rows: list[dict[str, Any]] = []
    for line in lines:
        variant, sign, rest = line.partition(":")
        told = [_TOLD.fullmatch(part.rstrip(". ")) for part in _PARTS.split(rest.strip())]
        if not sign or len(told) < 2 or not all(told):
            return None
        rows.append(
            {HEADING: _BEFORE.sub("", variant.strip(ORNAMENTS), count=1)}
            | {_named(*one.groups()): one[2] for one in told if one and not names_counts(one[1])}
        )
    names = [name for name in rows[0] if name != HEADING]
    alike = all(row.keys() == rows[0].keys() for row in rows)
    means = any(is_mean(name) for name in names)
    return rows if alike and means and all(map(sums_up, names)) else None


def _named(name: str, _: str, unit: str) -> str:
    known = unit_of(unit)
    return f"{name} [{known}]" if known in TIME_UNITS else name
