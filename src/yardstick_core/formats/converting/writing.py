"""Puts rows that a file was made into in its place: as JSON lines, or as separated text."""

from __future__ import annotations

import csv
import io
import json
import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from yardstick_core.formats.converting import documents
from yardstick_core.formats.guessing.naming import role_of
from yardstick_core.formats.source import NotALog, encoding_of
from yardstick_core.formats.values import numbers, unit_in_cells

#: What such a file may take, as it is and unpacked: it is held in memory at once.
MOST_BYTES, MOST_UNPACKED = 32 << 20, 100 << 20


def apart_from_units(rows: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows whose fields hold numbers alone: the unit that stands behind all of them is in the name.

    >>> apart_from_units([{"ft": "16.6ms"}, {"ft": "0.5 s"}, {"note": "a"}])
    [{'ft [ms]': 16.6}, {'ft [ms]': 500.0}, {'note': 'a'}]
    >>> apart_from_units([{"take": "1"}, {"take": "2"}])
    [{'take': 1}, {'take': 2}]
    """
    found = list(rows)
    units = {
        name: unit_in_cells([str(row[name]) for row in found if isinstance(row.get(name), str)])
        for name in dict.fromkeys(name for row in found for name in row)
    }

    def told(name: str, value: Any) -> tuple[str, Any]:
        if not isinstance(value, str):
            return name, value
        unit = units[name]
        number = float(numbers([value], ".", unit)[0]) if not value.endswith("%") else math.nan
        plain = not math.isfinite(number) or (not unit and role_of(name) == "variant")
        if not unit and value.strip().isdecimal() and not plain:
            return name, int(value)
        return (f"{name} [{unit}]" if unit else name), value if plain else number

    return [dict(told(name, value) for name, value in row.items()) for row in found]


def csv_of(table: documents.Table) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(row for row in table if any(row))
    return out.getvalue()


def text_of(path: Path) -> str:
    """The text of a file in the encoding that it is written in."""
    data = path.read_bytes()
    return data.decode(encoding_of(data[:65_536]), "replace")


def lines_of(rows: Iterable[dict[str, Any]]) -> str:
    """Rows as JSON lines; those with nothing in them are left out."""
    return "".join(json.dumps(row, ensure_ascii=False) + "\n" for row in rows if row)


def replace(path: Path, text: str) -> None:
    waiting = path.with_name(f"{path.name}.new")
    waiting.write_text(text, encoding="utf-8")
    waiting.replace(path)


def check_size(path: Path, what: str) -> None:
    if path.stat().st_size > MOST_BYTES:
        raise NotALog(f"{what} may have at most {MOST_BYTES >> 20} MiB: save it as CSV")
