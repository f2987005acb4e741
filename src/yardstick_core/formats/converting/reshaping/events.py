"""What began and was done, made into rows with a timing each."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np

from yardstick_core.formats.converting import event_lines
from yardstick_core.formats.converting.reshaping.table import (
    FEWEST_ROWS,
    LOOKED_AT,
    Head,
    Make,
    Row,
    is_repeated,
    unit_of_name,
)
from yardstick_core.formats.guessing.column_values import reported_unit
from yardstick_core.formats.guessing.naming import is_action, names_runs, role_of
from yardstick_core.formats.values import clocks, dates, numbers


def events_of(rows: Sequence[Row]) -> list[Row] | None:
    """Rows whose names say in turn that something began and that it was done, as timings."""
    rows = _with_phases(rows)
    names = list(dict.fromkeys(name for row in rows[:LOOKED_AT] for name in row))
    when = next((name for name in names if role_of(name) == "time"), "")
    if not when:
        return None
    for name in names:
        texts = [str(row.get(name, "")) for row in rows]
        if name != when and not any(text.isdigit() for text in texts[:FEWEST_ROWS]):
            unit = reported_unit(when, "time")
            told = event_lines.told_in([str(row.get(when, "")) for row in rows], texts)
            if told:
                told_in = f" [{unit}]" if unit else ""
                return [
                    {name + (told_in if name in ("begin", "end") else ""): cell
                     for name, cell in one.items()}
                    for one in told
                ]  # fmt: skip
    return None


#: What a column says of each row where it tells the begin of something from its end.
_PHASES = (
    ("b", "e"), ("begin", "end"), ("start", "stop"), ("start", "end"), ("enter", "exit"),
    ("enter", "leave"), ("started", "finished"), ("begin", "done"), ("start", "done"), (">", "<"),
    ("in", "out"), ("open", "close"),
)  # fmt: skip


def _with_phases(rows: Sequence[Row]) -> Sequence[Row]:
    """Rows with a column that says whether something began or ended, as rows that say so in words
    behind its name; others as they are.
    """
    names = list(dict.fromkeys(name for row in rows[:LOOKED_AT] for name in row))
    for phase in names:
        said = {str(row.get(phase, "")).strip().lower() for row in rows[:LOOKED_AT]}
        edges = next((pair for pair in _PHASES if said == set(pair)), None)
        called = [
            name for name in names
            if name != phase and role_of(name) != "time" and all(
                re.search(r"[^\W\d_]", str(row.get(name, ""))) for row in rows[:LOOKED_AT])
        ]  # fmt: skip
        if edges and called:
            return [
                row | {
                    phase: f"{row.get(called[0])} "
                    + ("begin" if str(row.get(phase)).strip().lower() == edges[0] else "end")
                }
                for row in rows
            ]  # fmt: skip
    return rows


def events_of_runs(head: Head, text: str) -> Make | None:
    """What began and ended in each of several runs, whose time begins anew: a row for each run."""
    roles = [role_of(name) for name in head.names]
    runs = [
        p for p, name in enumerate(head.names)
        if (names_runs(name) or roles[p] == "variant") and len(set(head.columns[p])) > 1
    ]  # fmt: skip
    begin, end = (
        [p for p, role in enumerate(roles) if role == wanted] for wanted in ("begin", "end")
    )
    if not runs or len(begin) != 1 or len(end) != 1:
        return None
    starts, ends = (numbers(head.columns[p], head.decimal) for p in (begin[0], end[0]))
    named = [
        p for p in range(len(head.names))
        if p not in (*runs, begin[0], end[0]) and is_repeated(head.columns[p])
        and not np.isfinite(numbers(head.columns[p], head.decimal)).any()
    ]  # fmt: skip
    whole = np.isfinite(starts).all() and np.isfinite(ends).all() and bool((ends >= starts).all())
    if not named or not whole or not (np.diff(starts) < 0).any():
        return None
    unit = unit_of_name(head.names[end[0]])

    def make(rows: Iterable[list[str]]) -> list[Row]:
        made: dict[tuple[str, ...], Row] = {}
        for cells in rows:
            row = made.setdefault(
                tuple(cells[p] for p in runs), {head.names[p]: cells[p] for p in runs}
            )
            first, last = numbers([cells[begin[0]], cells[end[0]]], head.decimal).tolist()
            row[cells[named[0]] + unit] = round(last - first, 9)
        return list(made.values())

    return make


def runs_that_begin_and_end(head: Head, text: str) -> Make | None:
    """Rows that are runs of a variant, with when each began and ended."""
    roles = [role_of(name) for name in head.names]
    variant, begin, end = (
        [p for p, role in enumerate(roles) if role == wanted]
        for wanted in ("variant", "begin", "end")
    )
    if not len(variant) == len(begin) == len(end) == 1 or not is_repeated(head.columns[variant[0]]):
        return None
    others = [p for p in range(len(roles)) if p not in (variant[0], begin[0], end[0])]
    if any(is_repeated(head.columns[p]) and len(set(head.columns[p])) > 1 for p in others):
        return None  # something else tells rows apart

    def instants(cells: list[str]) -> Any:
        found = dates(cells)
        return found if np.isfinite(found).all() else clocks(cells)

    first, last = (instants(head.columns[p]) for p in (begin[0], end[0]))
    if not (np.isfinite(first).all() and np.isfinite(last).all() and (last > first).all()):
        return None

    def make(rows: Iterable[list[str]]) -> list[Row]:
        table = list(rows)
        took = instants([c[end[0]] for c in table]) - instants([c[begin[0]] for c in table])
        return [
            {head.names[variant[0]]: cells[variant[0]], "duration [s]": round(seconds, 9)}
            for cells, seconds in zip(table, took.tolist(), strict=True)
            if seconds > 0
        ]

    return make


def begun_and_done(head: Head, text: str) -> Make | None:
    def rows_of(rows: Iterable[list[str]]) -> list[Row]:
        return [dict(zip(head.names, cells, strict=True)) for cells in rows]

    begins = rows_of(list(row) for row in zip(*head.columns, strict=True))
    if any(is_action(name) for name in head.names) or not events_of(begins):
        return None
    return lambda rows: events_of(rows_of(rows)) or []
