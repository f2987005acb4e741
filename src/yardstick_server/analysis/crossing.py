"""Crossed factors of a study: its cells, what each factor does, and what works with what."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass
from typing import TypedDict

from yardstick_core.compare import text
from yardstick_core.compare.crossed import (
    Crossed,
    CrossedMetric,
    Effect,
    Interaction,
    Place,
    change_of,
    crossed_together,
    in_words,
    interaction_words,
)
from yardstick_core.compare.difference import RAW_BAND
from yardstick_core.compare.estimate import Estimate
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.compare.study import is_withheld, step_of
from yardstick_core.record import DISTURBED, FINISHED, ROUND
from yardstick_server import contracts
from yardstick_server.analysis.judging import kept_analysis
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study, StudyVariant, WorksPicture

WORKS, REMARK, CANNOT_OPEN, NOT_STARTED = (
    "works", "works with a remark", "cannot open", "does not start",
)  # fmt: skip
NOT_MEASURED = "not measured"


@dataclass(frozen=True, slots=True)
class Grid:
    """The levels of both factors, the baseline's first, and which variant stands in which cell."""

    rows: tuple[str, ...]
    columns: tuple[str, ...]
    cells: dict[Place, StudyVariant]
    base: Place


def grid_of(study: Study) -> Grid | None:
    """The cells of a study whose factors are crossed; None where they are not."""
    parts = [part for part in study.variants if part.first_level and part.second_level]
    if not study.second_factor or not parts:
        return None
    said = [(one["first"], one["second"]) for one in study.missing_cells]
    rows = list(dict.fromkeys([*(p.first_level for p in parts), *(first for first, _ in said)]))
    columns = list(dict.fromkeys([*(p.second_level for p in parts), *(s for _, s in said)]))
    base = next((part for part in parts if part.position == study.baseline), parts[0])
    place = (rows.index(base.first_level), columns.index(base.second_level))
    cells = {(rows.index(p.first_level), columns.index(p.second_level)): p for p in parts}
    return Grid(tuple(rows), tuple(columns), cells, place)


def crossing_body(study: Study, metric: str, stretch: list[str]) -> contracts.Crossing:
    """What the page of crossed factors shows, for one metric; nothing but factors without cells."""
    grid = grid_of(study)
    body: contracts.Crossing = {
        "factor": study.factor, "second_factor": study.second_factor,
        "baseline": study.baseline, "band": RAW_BAND,
        "variants": [
            {
                "position": part.position, "name": part.variant.name,
                "first": part.first_level, "second": part.second_level,
                "works": part.works, "note": part.works_note,
            }
            for part in study.variants
        ],
        "missing": study.missing_cells,
        "rows": [], "columns": [], "cells": [], "metrics": [], "chosen": None, "base": None,
    }  # fmt: skip
    if grid is None:
        return body
    analysis = kept_analysis(study)
    judgement = analysis.compared.at_look()
    rows = [row for row in judgement.rows if row.counted and any(row.samples)]
    rows.sort(key=lambda row: (not row.deciding, not row.metric.primary))
    judged = list(zip(rows, _crossed(rows, grid, judgement.alpha), strict=True))
    chosen = next(
        (pair for pair in judged if (pair[0].metric.key, list(pair[0].stretch))
         == (metric, stretch)), judged[0] if judged else None,
    )  # fmt: skip
    return {
        **body,
        "rows": list(grid.rows),
        "columns": list(grid.columns),
        "base": list(grid.base),
        "cells": _cells(study, grid),
        "metrics": [_in_short(row, found, grid) for row, found in judged],
        "chosen": None if chosen is None else _whole(*chosen, grid),
    }


def _crossed(rows: list[Row], grid: Grid, alpha: float) -> list[Crossed]:
    """All metrics together: what is chance among so many is told of none."""
    metrics = [
        CrossedMetric(
            row.metric,
            {
                place: row.samples[part.position]
                for place, part in grid.cells.items()
                if not is_withheld(row, part.position)
            },
            step_of(row),
        )
        for row in rows
    ]
    return crossed_together(metrics, len(grid.rows), len(grid.columns), grid.base, alpha)


def _in_short(row: Row, found: Crossed, grid: Grid) -> contracts.CrossedMetric:
    """A metric in the list: of each step of the second factor whether one number will do."""
    apart = [part.variant.name for part in grid.cells.values() if is_withheld(row, part.position)]
    held = f"Held back: the runs of {', '.join(apart)} were not measured alike." if apart else ""
    return {
        "metric": row.metric.key,
        "stretch": list(row.stretch),
        "label": qualified_label(row),
        "deciding": row.deciding,
        "steps": [
            {
                "column": main.column,
                "answer": main.answer,
                "rounds": main.rounds_to_decide,
                "interactions": [
                    _interaction(one, row) for one in found.interactions
                    if one.column == main.column
                ],
                "effects": [
                    _effect(one, row, grid) for one in found.along_columns
                    if one.candidate[1] == main.column
                ],
                "number": None if main.estimate is None else {
                    **_gain(main.estimate), "text": change_of(row.metric, main.estimate),
                },
                "sentence": held or in_words(found, grid.rows, grid.columns, main.column),
            }
            for main in found.main
        ],
    }  # fmt: skip


def _whole(row: Row, found: Crossed, grid: Grid) -> contracts.CrossedWhole:
    return {
        **_in_short(row, found, grid),
        "unit": row.metric.unit,
        "higher_is_better": row.metric.higher_is_better,
        "readings": [
            {
                "row": r,
                "column": c,
                "text": "" if (value := row.medians[part.position]) is None
                else text.quantity(row.metric, value),
                "withheld": is_withheld(row, part.position),
                "samples": [
                    {"run": one.run, "round": one.round, "value": one.value}
                    for one in row.samples[part.position]
                ],
            }
            for (r, c), part in sorted(grid.cells.items())
        ],
        "along_columns": [_effect(one, row, grid) for one in found.along_columns],
        "along_rows": [_effect(one, row, grid) for one in found.along_rows],
        "missing": [list(place) for place in found.missing],
    }  # fmt: skip


def _effect(one: Effect, row: Row, grid: Grid) -> contracts.CrossedEffect:
    """Against the study's baseline it is what the board says, which allows for all metrics."""
    difference = row.differences[grid.cells[one.candidate].position]
    of_board = one.baseline == grid.base and difference is not None
    return {
        "from_cell": list(one.baseline),
        "to_cell": list(one.candidate),
        "verdict": difference.verdict if of_board and difference else one.verdict,
        **_gain(one.estimate),
        "text": change_of(row.metric, one.estimate),
    }


def _interaction(one: Interaction, row: Row) -> contracts.CrossedInteraction:
    return {
        "row": one.row,
        "base_row": one.base_row,
        "column": one.column,
        "base_column": one.base_column,
        "verdict": one.verdict,
        **_gain(one.estimate),
        "text": interaction_words(one, row.metric),
        "rounds": one.rounds_to_decide,
    }


class _Gain(TypedDict):
    gain: float | None
    low: float | None
    high: float | None


def _gain(found: Estimate) -> _Gain:
    """On the scale of the rule: what is compared in its own unit is stretched to it."""
    if found.gain is None:
        return {"gain": None, "low": None, "high": None}
    scale = 1.0 if found.on_logs or not found.band > 0 else RAW_BAND / found.band
    values = (found.gain.estimate, found.gain.low, found.gain.high)
    gain, low, high = (scale * one if math.isfinite(one) else None for one in values)
    return {"gain": gain, "low": low, "high": high}


# -- what works with what ----------------------------------------------------------------


def _cells(study: Study, grid: Grid) -> list[contracts.CrossedCell]:
    """Every cell of the grid: its variant, whether it works, who says so, and why it is missing."""
    why = {(one["first"], one["second"]): one["note"] for one in study.missing_cells}
    runs = list(
        Run.objects.filter(study=study, state="read", purpose=ROUND, left_out="")
        .prefetch_related("findings").order_by("round")
    )  # fmt: skip
    pictured = set(
        WorksPicture.objects.filter(variant__study=study).values_list("variant", flat=True)
    )
    found: list[contracts.CrossedCell] = []
    for r, first in enumerate(grid.rows):
        for c, second in enumerate(grid.columns):
            part = grid.cells.get((r, c))
            note = why.get((first, second), "")
            state: _State = {"state": NOT_MEASURED, "note": note, "by": "", "run": None}
            if part is not None:
                own = [run for run in runs if run.variant_id == part.pk]
                state = _works(part, own)
            found.append(
                {
                    "row": r, "column": c,
                    "position": None if part is None else part.position,
                    "variant": "" if part is None else part.variant.name,
                    "picture": bool(part and part.works and part.pk in pictured),
                    **state,
                }
            )  # fmt: skip
    return found


class _State(TypedDict):
    state: str
    note: str
    by: str
    run: int | None


def _works(part: StudyVariant, runs: list[Run]) -> _State:
    """A person's word where there is one; else what the runs and their findings say."""
    if part.works:
        return {"state": part.works, "note": part.works_note, "by": part.works_by, "run": None}
    if not runs:
        return {"state": NOT_MEASURED, "note": "", "by": "", "run": None}
    outcomes = Counter(run.outcome for run in runs)
    if outcomes["not started"] == len(runs):
        return {"state": NOT_STARTED, "note": runs[0].detail[:300], "by": "", "run": runs[0].pk}
    whole = outcomes[FINISHED] + outcomes[DISTURBED]
    if not whole:
        return {"state": CANNOT_OPEN, "note": runs[0].detail[:300], "by": "", "run": runs[0].pk}
    remarks = [(run, one) for run in runs for one in run.findings.all() if not one.withdrawn]
    if remarks:
        run, first = remarks[0]
        more = f", and {len(remarks) - 1} more" if len(remarks) > 1 else ""
        return {"state": REMARK, "note": f"{first.text}{more}"[:300], "by": "", "run": run.pk}
    failed = len(runs) - whole
    note = f"{failed} of {len(runs)} runs did not finish" if failed else ""
    return {"state": REMARK if failed else WORKS, "note": note, "by": "", "run": None}
