"""Judges studies with the core, and keeps what comes out."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Any

from django.db import transaction

from yardstick_core import CORE_VERSION
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import Judgement, judge
from yardstick_core.match.beside import Held, observer_cost
from yardstick_core.match.drift import Drift, drifts
from yardstick_core.match.sheet import Sheet
from yardstick_core.match.touching import held_back, touches
from yardstick_core.readings import METRICS, Reading
from yardstick_server.analysis.board import board_of
from yardstick_server.analysis.models import StudyJudgement
from yardstick_server.analysis.parity import settled, sheet_of, standing
from yardstick_server.analysis.reservations import reservations
from yardstick_server.runs.models import BY_HAND, CONTROL, ROUND
from yardstick_server.studies.models import Study


class Evidence:
    """What is known of a study, each part read or worked out once, when it is asked for.

    The baseline is the study's own, or the variant at another position.
    """

    def __init__(self, study: Study, baseline: int | None = None) -> None:
        self.study = study
        self.baseline = study.baseline if baseline is None else baseline

    @cached_property
    def names(self) -> list[str]:
        return names_of(self.study)

    @cached_property
    def runs(self) -> list[JudgedRun]:
        return judged_runs(self.study)

    @cached_property
    def sheet(self) -> Sheet:
        """What was not alike in the runs that are compared."""
        return sheet_of(self.study, self.baseline)

    @cached_property
    def settled(self) -> set[str]:
        return settled(self.study)

    @cached_property
    def judgement(self) -> Judgement:
        """The study judged by its own plan and terms.

        What was not alike in its runs, and is not settled, stands beside the verdicts it touches.
        """
        found = touches(self.sheet.partings, self.settled)
        judgement = judge(
            self.runs,
            self.names,
            self.baseline,
            alpha=self.study.plan.core().alpha,
            terms=self.study.terms,
            touches=found,
        )
        drifting = [drift.words for drift in drifts(judgement.rows) if drift.drifts]
        watching = [held.words for held in self.costs_of_watching if held.matters]
        held = held_back(found, self.names)
        notes = (*held, *reservations(self.study), *judgement.notes, *drifting, *watching)
        return replace(judgement, notes=notes)

    @cached_property
    def drifts(self) -> list[Drift]:
        return drifts(self.judgement.rows)

    @cached_property
    def costs_of_watching(self) -> list[Held]:
        """What sampling costs, from the study's control runs."""
        return observer_cost(self.runs, judged_runs(self.study, CONTROL), self.names)

    @cached_property
    def board(self) -> dict[str, Any]:
        machine = machine_mib(self.study)
        return {
            **board_of(self.judgement, self.names, self.baseline, machine),
            "match": standing(self.sheet, self.settled),
        }


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


def names_of(study: Study) -> list[str]:
    return [part.variant.name for part in study.variants]


def judgement_of(study: Study, baseline: int | None = None) -> Judgement:
    """Judge a study against its own baseline or another variant; worked out, not kept."""
    return Evidence(study, baseline).judgement


def judge_study(study: Study) -> Judgement:
    """Judge a study and keep its board. Two workers take turns over one study."""
    with transaction.atomic():
        study = Study.objects.select_for_update().get(pk=study.pk)
        evidence = Evidence(study)
        StudyJudgement.objects.update_or_create(
            study=study, defaults={"board": evidence.board, "core_version": CORE_VERSION}
        )
    return evidence.judgement
