"""The first rows of a log as a mapping understands them, and what they would draw."""

from __future__ import annotations

import math
from dataclasses import asdict
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from yardstick_core.formats.log import LogReader
from yardstick_core.formats.mapping import CLOCK, DATE, SKIP, TEXTS, Mapping
from yardstick_core.formats.source import Source
from yardstick_core.formats.tables import rows
from yardstick_core.streams.counters import drawn, drawn_name, drawn_unit

SHOWN_ROWS = 12
DRAWN_SAMPLES = 1500
DRAWN_OF_A_COLUMN = 80
#: Drift between frame times and times worth a word.
_WORTH = 0.02


def preview(source: Source, mapping: Mapping) -> dict[str, Any]:
    """What the beginning of a file comes to: cells, series to plot, broken lines, doubts.

    Reads one block. Raises NotALog where that is none.
    """
    some = next(iter(rows(source, mapping)), None)
    reader = LogReader(source, mapping)
    pieces = [] if some is None else list(reader.of_rows(some))
    summary = reader.summary
    return {
        "columns": _columns(some, mapping),
        "series": _series(pieces, mapping),
        "broken": [asdict(one) for one in summary.first_broken[:20]],
        "rows": summary.rows,
        "seconds": sum(part.seconds for part in summary.parts),
        "marked": [part.name for part in summary.parts if part.name][:40],
        "doubts": _doubts(summary),
    }


def _columns(some: Any, mapping: Mapping) -> list[dict[str, Any]]:
    found = []
    for place, column in enumerate(mapping.columns):
        cells: list[str] = []
        if some is not None and column.role in TEXTS:
            cells = some.texts[place][:SHOWN_ROWS]
        elif some is not None and column.role != SKIP:
            cells = [_cell(v, column.unit) for v in some.numbers[place][:SHOWN_ROWS].tolist()]
        seen = some.numbers.get(place) if some is not None else None
        found.append(
            {
                "name": column.name, "role": column.role, "unit": column.unit, "cells": cells,
                **_extent(seen),
            }
        )  # fmt: skip
    return found


def _cell(value: float, unit: str) -> str:
    """A value as it is shown: instants as people write them, and not as seconds since 1970.

    >>> _cell(1796032693.011, DATE), _cell(36001.5, CLOCK), _cell(0.2500, "s")
    ('2026-11-30 09:58:13.011', '10:00:01.500', '0.25')
    """
    if not math.isfinite(value):
        return "—"
    if unit not in (DATE, CLOCK):
        return f"{value:.9g}"
    at = datetime.fromtimestamp(0, UTC) + timedelta(milliseconds=round(1000 * value))
    return at.isoformat(" ", "milliseconds")[: -len("+00:00")][0 if unit == DATE else 11 :]


def _extent(values: Any) -> dict[str, Any]:
    """The smallest and largest value of a column, and a few of them, evenly apart, to draw."""
    known = np.empty(0) if values is None else values[np.isfinite(values)]
    if not len(known):
        return {"least": None, "most": None, "drawn": []}
    step = max(1, len(known) // DRAWN_OF_A_COLUMN)
    drawn = known[::step][:DRAWN_OF_A_COLUMN].tolist()
    return {"least": float(known.min()), "most": float(known.max()), "drawn": drawn}


def _series(pieces: list[Any], mapping: Mapping) -> list[dict[str, Any]]:
    """What the first part draws, a few samples of each stream."""
    found: list[dict[str, Any]] = []
    for stream in dict.fromkeys(p.stream for p in pieces if p.part == 0 and p.stream):
        mine = [p for p in pieces if p.part == 0 and p.stream == stream]
        at = np.concatenate([p.instants for p in mine])[: DRAWN_SAMPLES + 1]
        if stream == "frames":
            name, unit, values = "frame time", "ms", np.diff(at) / 1e6
            at = at[1:]
        else:
            held = np.concatenate([p.values for p in mine])[: DRAWN_SAMPLES + 1]
            name, unit = drawn_name(stream), drawn_unit(stream)
            at, values = drawn(stream, at, held)
        found.append({"name": name, "unit": unit, "at_s": at / 1e9, "value": values})
    return found


def _doubts(summary: Any) -> list[str]:
    found = []
    if summary.repeats:
        found.append(f"{summary.repeats} rows have the same time as the row before")
    if summary.gaps:
        found.append(
            f"{summary.gaps} gaps in the time, the longest {summary.longest_gap_s:.3g} s: the "
            "record has nothing there"
        )
    seconds = sum(part.seconds for part in summary.parts)
    if seconds and abs(summary.drift_s) > _WORTH * seconds:
        found.append(
            f"frame times and times part by {abs(summary.drift_s):.3g} s over {seconds:.3g} s: one "
            "of the units may be wrong"
        )
    for name, count in summary.missing.items():
        found.append(f"{count} values of “{name}” are missing")
    return found
