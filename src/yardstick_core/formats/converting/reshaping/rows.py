"""Tables that are laid out in another way than a row for each run or frame, made into such rows.

Whether a file is one of them is told by how it begins, and ends; only then all of it is read.
"""

from __future__ import annotations

from pathlib import Path

from yardstick_core.formats.converting.reshaping import relaid
from yardstick_core.formats.converting.reshaping.events import (
    begun_and_done,
    events_of_runs,
    runs_that_begin_and_end,
)
from yardstick_core.formats.converting.reshaping.frames import (
    matrix,
    numbered_frames,
    one_line,
    side_by_side,
)
from yardstick_core.formats.converting.reshaping.results import (
    repeats_of_several,
    side_by_side_timings,
    tidy,
    under_headings,
    units_in_rows,
)
from yardstick_core.formats.converting.reshaping.table import LOOKED_AT, Row, head_of, table_of
from yardstick_core.formats.converting.writing import lines_of, replace, text_of
from yardstick_core.formats.source import NotALog


def reshaped(path: Path) -> str:
    """Put rows in place of a table that is laid out in another way."""
    try:
        text = text_of(path)
    except NotALog:
        return ""
    if (pointed := relaid.points_for_commas(text)) is not None:
        replace(path, pointed)
        text = pointed
    for lay_out in (
        relaid.named_in_cells, relaid.lists_in_cells, relaid.filled_down, relaid.variants_above,
    ):  # fmt: skip
        if (laid_out := lay_out(text)) is not None:
            replace(path, laid_out)
            text = laid_out
    rows = _rows_of(text)
    if rows:
        replace(path, lines_of(rows))
    return "table of another shape" if rows else ""


def _rows_of(text: str) -> list[Row] | None:
    """The rows of a text that is laid out in such a way; None for any other."""
    lines = text.split("\n", LOOKED_AT + 1)
    head = [line for line in lines[:LOOKED_AT] if line.strip()]
    if len(head) == 1:
        return one_line(head[0]) if not "".join(lines[LOOKED_AT:]).strip() else None
    if frames := matrix(head, text):
        return frames
    if sections := under_headings(text):
        return sections
    found = head_of(head)
    if found is None:
        return None
    for reshape in (
        numbered_frames,
        events_of_runs,
        runs_that_begin_and_end,
        units_in_rows,
        repeats_of_several,
        tidy,
        side_by_side_timings,
        side_by_side,
        begun_and_done,
    ):
        make = reshape(found, text)
        if make:
            rows = make(table_of(text, found))
            if rows:
                return rows
    return None
