"""Derives readings and judges studies with the core, and keeps what comes out."""

from __future__ import annotations

import math
from dataclasses import asdict, replace
from typing import Any

from django.db import transaction

from yardstick_core import CORE_VERSION
from yardstick_core.compare import words
from yardstick_core.compare.difference import Difference
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.growing import growing
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import Judgement, Row, judge, label, standout
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.match.beside import Held, observer_cost
from yardstick_core.match.conditions import conditions
from yardstick_core.match.drift import drifts
from yardstick_core.match.touching import touches
from yardstick_core.readings import METRICS, Reading, derive
from yardstick_core.script import parse, unequal_work
from yardstick_server.analysis.disturbed import mark_disturbed
from yardstick_server.analysis.models import RunReading, StudyJudgement
from yardstick_server.analysis.parity import settled, sheet_of, standing
from yardstick_server.analysis.records import run_record
from yardstick_server.runs.models import BROUGHT_IN, BY_HAND, CONTROL, ROUND, Run
from yardstick_server.studies.models import Study
from yardstick_server.traces.drawing import keep_overviews

TIMED_BY_HAND = "timed by hand"


def keep_readings(run: Run) -> None:
    """Derive a run's readings from its streams and replace those kept before."""
    record = run_record(run)
    readings = derive(record)
    keep_overviews(run, record)
    run.conditions = asdict(conditions(record.journal))
    with transaction.atomic():
        run.readings.all().delete()
        RunReading.objects.bulk_create(
            RunReading(
                run=run,
                stretch=list(reading.stretch),
                metric=reading.metric,
                value=reading.value,
                plus_minus=reading.plus_minus,
                longer_than=reading.longer_than,
                warning=reading.warning or (TIMED_BY_HAND if run.origin == BY_HAND else ""),
                core_version=CORE_VERSION,
            )
            for reading in readings
        )
        mark_disturbed(run.study)
        Run.objects.filter(pk=run.pk).update(conditions=run.conditions)
        Run.objects.filter(pk=run.pk, state="measured").update(state="read")


def judged_runs(study: Study, purpose: str = ROUND) -> list[JudgedRun]:
    """The study's runs of a purpose with their readings, in the order taken."""
    runs = (
        study.runs.filter(state="read", purpose=purpose)
        .select_related("variant", "rig", "facts", "script")
        .prefetch_related("readings")
    )
    ladders = {version.pk: version.ladder.name for version in study.scripts.all() if version.ladder}
    return [
        JudgedRun(
            run.pk,
            run.variant.position,
            run.round,
            run.cold,
            run.outcome,
            tuple(
                Reading(tuple(r.stretch), r.metric, r.value, r.plus_minus, r.longer_than, r.warning)
                for r in run.readings.all()
                if r.metric in METRICS
            ),
            run.rig.name if run.rig else "",
            str(run.facts.facts.get("boot", "")) if run.facts else "",
            run.left_out,
            f"{ladders[run.script_id]} {run.level}" if run.level else "",
            run.origin == BY_HAND,
        )
        for run in runs.order_by("round", "place")
    ]


def machine_mib(study: Study) -> float | None:
    """Memory of the machine that measured a study, where it is one and known."""
    sizes = {
        run.facts.facts.get("memory_bytes")
        for run in study.runs.filter(facts__isnull=False).select_related("facts")
    }
    size = sizes.pop() if len(sizes) == 1 else None
    return size / 2**20 if isinstance(size, int) else None


def with_unequal_work(study: Study, notes: tuple[str, ...]) -> list[str]:
    """What is not equal in the work of the variants, and then what else cannot be concluded."""
    tags = {part.variant.name: frozenset(part.variant.tags) for part in study.variants}
    return [*unequal_work(parse(study.script.text), tags), *brought_in(study), *notes]


def brought_in(study: Study) -> list[str]:
    """The reservation under which runs that were brought in stand beside the measured ones."""
    runs = study.runs.filter(origin=BROUGHT_IN, left_out="", state="read").select_related("variant")
    found = []
    for run in runs.order_by("id"):
        unknown = ", ".join(run.came_from.get("unknown", []))
        known = f"nothing is known of {unknown}" if unknown else _other_machine(study, run)
        found.append(
            f"run {run.pk} of {run.variant.variant.name} was brought in from "
            f"“{run.came_from.get('file', 'a file')}”, not measured here: {known}. "
            f"Let in: {run.let_in}"
        )
    return found


#: What of a machine makes a difference worth a word between a run brought in and those measured.
_COMPARED_FACTS = {
    "processor": "processor", "cores": "cores", "memory_bytes": "memory", "system": "system",
    "kernel": "kernel", "graphics": "graphics", "display": "display",
}  # fmt: skip


def _other_machine(study: Study, run: Run) -> str:
    """What is different about the machine of a run that was brought in with its facts."""
    theirs = run.came_from.get("machine") or {}
    latest = study.runs.filter(facts__isnull=False).select_related("facts").order_by("-id").first()
    if latest is None:
        return "its machine is stated in its file"
    ours = latest.facts.facts
    parted = [
        f"{name} {theirs.get(key, 'unknown')} and not {ours.get(key, 'unknown')}"
        for key, name in _COMPARED_FACTS.items()
        if theirs.get(key) != ours.get(key)
    ]
    if not parted:
        return "its machine was like the one the newest run was measured on"
    return f"its machine was another than that of the newest run: {', '.join(parted)}"


def names_of(study: Study) -> list[str]:
    return [part.variant.name for part in study.variants]


def judgement_of(study: Study, baseline: int | None = None) -> Judgement:
    """Judge a study by its own plan and terms, against its own baseline or another variant.

    What was not alike in its runs, and is not settled, stands beside the verdicts it touches.
    """
    base = study.baseline if baseline is None else baseline
    runs, names = judged_runs(study), names_of(study)
    sheet = sheet_of(study, base)
    judgement = judge(
        runs,
        names,
        base,
        alpha=study.plan.core().alpha,
        terms=study.terms,
        touches=touches(sheet.partings, settled(study)),
    )
    drifting = [drift.words for drift in drifts(judgement.rows) if drift.drifts]
    watching = [held.words for held in costs_of_watching(study, runs) if held.matters]
    notes = with_unequal_work(study, judgement.notes)
    return replace(judgement, notes=(*notes, *drifting, *watching))


def costs_of_watching(study: Study, runs: list[JudgedRun]) -> list[Held]:
    """What sampling costs, from the study's control runs."""
    return observer_cost(runs, judged_runs(study, CONTROL), names_of(study))


def board_against(study: Study, baseline: int) -> dict[str, Any]:
    """The board of a study with another of its variants as baseline; worked out, not kept."""
    return board_of(judgement_of(study, baseline), names_of(study), baseline, machine_mib(study))


def judge_study(study: Study) -> Judgement:
    """Judge a study and keep its board. Two workers take turns over one study."""
    with transaction.atomic():
        study = Study.objects.select_for_update().get(pk=study.pk)
        judgement = judgement_of(study)
        board = board_of(judgement, names_of(study), study.baseline, machine_mib(study))
        board["match"] = standing(study)
        StudyJudgement.objects.update_or_create(
            study=study, defaults={"board": board, "core_version": CORE_VERSION}
        )
    return judgement


def board_of(
    judgement: Judgement, names: list[str], baseline: int = 0, machine: float | None = None
) -> dict[str, Any]:
    """A judgement as JSON, with every number also in words."""
    return {
        "headline": judgement.headline,
        "variants": names,
        "baseline": baseline,
        "counts": judgement.counts,
        "standouts": _standouts(judgement, baseline),
        "level": words.level(judgement.alpha),
        "notes": judgement.notes,
        "growing": [
            {"stretch": one.stretch, "variant": one.variant, "kind": one.kind, "words": one.words}
            for one in growing(judgement.rows, names, machine)
        ],
        "ladders": [asdict(reading) for reading in judgement.ladders],
        "rows": [_row(row, baseline) for row in judgement.rows],
    }


def _standouts(judgement: Judgement, baseline: int) -> list[dict[str, Any]]:
    """Where each candidate is furthest ahead and furthest behind."""
    found = []
    for index in range(len(judgement.counts)):
        for verdict in (AHEAD, BEHIND):
            row = standout(list(judgement.rows), index, verdict)
            difference = row.differences[index] if row and index != baseline else None
            if row and difference:
                where = f" in {row.stretch[0]}" if len(row.stretch) > 1 else ""
                found.append(
                    {
                        "variant": index,
                        "verdict": verdict,
                        "label": label(row) + where,
                        "words": _in_short(difference),
                    }
                )
    return found


def _in_short(difference: Difference) -> str:
    """The change, with percent where that is a number people can picture."""
    if 1 / 4 <= difference.ratio <= 4:
        return f"{difference.change_words}, {difference.percent_words}"
    return difference.change_words


def _row(row: Row, baseline: int) -> dict[str, Any]:
    known = [value for value in (row.medians[baseline], *row.medians) if value is not None]
    factor, unit = words.unit_scale(row.metric, known[0] if known else 1.0)
    return {
        "stretch": row.stretch,
        "label": label(row),
        "metric": row.metric.key,
        "name": row.metric.name,
        "definition": row.metric.definition,
        "higher_is_better": row.metric.higher_is_better,
        "judged": row.metric.judged,
        "can_count": METRICS[row.metric.key].judged,
        "primary": row.metric.primary,
        "in_percent": row.metric.on_logs,
        "unit": unit,
        "unit_factor": factor,
        "material": _material(row),
        "material_share": 100 * row.metric.material_share if row.metric.on_logs else None,
        "material_amount": row.metric.material_amount,
        "amount_unit": "pt" if row.metric.unit == "%" else row.metric.unit,
        "medians": [
            None
            if value is None
            else {
                "value": value,
                "text": ("> " if longer else "") + words.number(row.metric, value * factor),
            }
            for value, longer in zip(row.medians, row.longer, strict=True)
        ],
        "samples": _samples(row.samples),
        "cold": _samples(row.cold),
        "left_out": _samples(row.left_out),
        "differences": [None if d is None else _finite(asdict(d)) for d in row.differences],
        "sentence": row.sentence,
        "warnings": row.warnings,
    }


def _samples(sides: tuple[tuple[Sample, ...], ...]) -> list[list[dict[str, Any]]]:
    return [[sample._asdict() for sample in side] for side in sides]


def _material(row: Row) -> str:
    metric = row.metric
    if not metric.on_logs:
        return words.signed(metric, metric.material_amount).lstrip("+")
    share = f"{100 * metric.material_share:.0f}{words.THIN}%"
    if not metric.material_amount:
        return share
    return f"{share} and {words.quantity(metric, metric.material_amount)}"


def _finite(difference: dict[str, Any]) -> dict[str, Any]:
    """Numbers that JSON cannot say become null."""
    return {
        key: None if isinstance(value, float) and not math.isfinite(value) else value
        for key, value in difference.items()
    }
