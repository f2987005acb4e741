"""Takes a build to the gate: a study of its own, rounds, a second look at failures, the outcome."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict
from datetime import timedelta
from math import isfinite
from typing import Any

from django.db import transaction
from django.utils import timezone

from yardstick_core.compare.endings import ending_notes
from yardstick_core.compare.gate import (
    CONFIRMING_ROUNDS,
    NOT_KNOWN,
    NOT_MEASURED,
    NOT_SLOWER,
    GateRow,
    confirmed,
    gate_plan,
    gate_rows,
    outcome,
    to_confirm,
    yearly_false_failures,
)
from yardstick_core.compare.materiality import MetricOfStretch
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.plan import FIXED
from yardstick_core.record import DISTURBED, ROUND
from yardstick_server.analysis.judging import StudyAnalysis
from yardstick_server.gates.models import Gate
from yardstick_server.gates.results import release_confirmation_rounds
from yardstick_server.inventory.models import Variant
from yardstick_server.runs.rounds import TO_COME
from yardstick_server.shelf import ARCHIVED
from yardstick_server.studies.models import Study, StudyPlan

BASELINE, BUILD = 0, 1
#: The rate of builds is taken from so many days.
RATE_DAYS = 30


def ask(
    study: Study, build: str, program: str, *, wanted: list[MetricOfStretch], tolerance: float,
    rounds: int, by: str, start: dict[str, Any] | None = None,
) -> Gate:  # fmt: skip
    """A study of a build against the baseline of a study; nothing of it is measured yet.

    `start` is what rigs are wanted to start under the name of the `program`. Without a program no
    rig starts it: its results will be brought in.
    """
    with transaction.atomic():
        base = study.variants[study.baseline].variant
        made = study.another(f"Is {build} slower than {base.name}?"[:200])
        made.study_variants.all().delete()
        variant = Variant.objects.create(
            subject=study.subject, name=build, program=program, start=start or {}, tags=base.tags
        )
        for position, one in ((BASELINE, base), (BUILD, variant)):
            made.study_variants.create(variant=one, position=position)
        made.baseline = BASELINE
        made.why = f"A build at the gate of “{study.question}”."
        made.save(update_fields=["baseline", "why"])
        plan = gate_plan(rounds, study.plan.cold_rounds)
        # results are all there at once: nobody looks at them one after another
        stop = plan.stop if program else FIXED
        StudyPlan.objects.filter(study=made).update(
            stop=stop, cap=plan.cap, rounds=plan.rounds, control_rounds=0
        )
        gate: Gate = Gate.objects.create(
            asked_of=study, study=made, build=build, by=by, tolerance=tolerance, rounds=rounds,
            wanted=[[metric, list(stretch)] for metric, stretch in wanted],
            results=not program, state=Gate.MEASURING if program else Gate.GATHERING,
        )  # fmt: skip
    return gate


def fresh_rounds(study: Study) -> list[int]:
    """The rounds that a failure is held against just now; none where nothing is."""
    gate = Gate.objects.filter(study=study, state=Gate.CONFIRMING).first()
    return list(gate.fresh) if gate else []


def follow(study: Study) -> bool:
    """Go on with the gate of a study once its rounds are done; whether it has been decided."""
    with transaction.atomic():
        gate = Gate.objects.select_for_update().filter(study=study).first()
        if gate is None or gate.state in (Gate.GATHERING, Gate.DONE):
            return False
        plan = study.plan
        if plan.state not in ("ended", "stopped") or study.runs.filter(TO_COME).exists():
            return False
        analysis = StudyAnalysis(study)
        rows = rows_of(gate, analysis)
        if plan.state == "stopped":
            return _end(gate, rows, NOT_MEASURED, f"the plan was stopped: {plan.reason}")
        if gate.state == Gate.CONFIRMING:
            first = [_row(kept) for kept in gate.first_rows]
            again = confirmed(
                analysis.compared, BASELINE, BUILD, to_confirm(first), gate.fresh, gate.tolerance
            )
            return _end(gate, first, *outcome(first, again))
        if to_confirm(rows):
            gate.first_rows = [_kept(row) for row in rows]
            gate.fresh = (
                release_confirmation_rounds(gate)
                if gate.results
                else study.add_rounds(CONFIRMING_ROUNDS)
            )
            if not gate.fresh:
                why = f"{outcome(rows)[1]}, and there are too few results for that"
                return _end(gate, rows, NOT_KNOWN, why)
            gate.state = Gate.CONFIRMING
            gate.save()
            return False
        decided, why = outcome(rows)
        if decided == NOT_MEASURED:
            why = f"{why}; {plan.reason}"
        elif broken := unfinished(study) or fails_more_often(analysis):
            decided, why = NOT_MEASURED, broken
        elif decided == NOT_SLOWER and (failed := ending_notes(*_ended(analysis))):
            why = f"{why}; {failed[0]}"
        return _end(gate, rows, decided, why)


def unfinished(study: Study) -> str:
    """What became of the build's runs where half of them or more did not finish; else empty."""
    runs = study.runs.filter(
        state="read", purpose=ROUND, cold=False, left_out="", variant__position=BUILD
    )
    ended = Counter(runs.values_list("outcome", flat=True))
    broken = {name: n for name, n in ended.items() if name not in ("finished", "disturbed")}
    if 2 * sum(broken.values()) < ended.total() or not broken:
        return ""
    said = ", ".join(f"{n} {name}" for name, n in broken.items())
    return f"of {ended.total()} runs of the build, {said}"


def fails_more_often(analysis: StudyAnalysis) -> str:
    """What is said where the build surely fails more often than its baseline; else empty."""
    if BUILD not in analysis.judgement.failing:
        return ""
    return ending_notes(*_ended(analysis))[0]


def _ended(analysis: StudyAnalysis) -> tuple[list[JudgedRun], list[str], int, float]:
    return analysis.runs, analysis.names, BASELINE, analysis.judgement.alpha


def disturbed(study: Study) -> str:
    """How many runs count for nothing because other programs took too much; else empty."""
    runs = study.runs.filter(state="read", purpose=ROUND, cold=False, left_out="")
    lost = runs.filter(outcome=DISTURBED).count()
    if not lost:
        return ""
    return f"of {runs.count()} runs, {lost} were disturbed by other programs and are not compared"


def rows_of(gate: Gate, analysis: StudyAnalysis) -> list[GateRow]:
    """How its rows stand now."""
    wanted = [(metric, tuple(stretch)) for metric, stretch in gate.wanted]
    return gate_rows(analysis.compared, BUILD, wanted, gate.tolerance)


def _end(gate: Gate, rows: list[GateRow], decided: str, why: str) -> bool:
    if decided == NOT_KNOWN and (lost := disturbed(gate.study)):
        why = f"{why}; {lost}"
    gate.rows, gate.outcome, gate.why = [_kept(row) for row in rows], decided, why
    gate.state, gate.ended = Gate.DONE, timezone.now()
    gate.save()
    if decided == NOT_SLOWER:  # what passed needs nobody: it is found by its link
        gate.study.move_to(ARCHIVED, gate.by)
        gate.study.variants[BUILD].variant.move_to(ARCHIVED, gate.by)
    return True


def give_up(gate: Gate, why: str) -> None:
    """End a gate that nobody waits for any more."""
    with transaction.atomic():
        gate = Gate.objects.select_for_update().get(pk=gate.pk)
        if gate.state != Gate.DONE:
            _end(gate, rows_of(gate, StudyAnalysis(gate.study)), NOT_MEASURED, why)


def _kept(row: GateRow) -> dict[str, Any]:
    """A row as JSON; a size that nobody knows is null."""
    return {**asdict(row), "smallest": row.smallest if isfinite(row.smallest) else None}


def _row(kept: dict[str, Any]) -> GateRow:
    smallest = kept["smallest"]
    return GateRow(
        **{
            **kept,
            "stretch": tuple(kept["stretch"]),
            "smallest": float("nan") if smallest is None else smallest,
        }
    )


def false_failures_a_year(study: Study) -> tuple[float, int]:
    """How many builds a year will fail wrongly at the rate of the last month, and that rate."""
    since = timezone.now() - timedelta(days=RATE_DAYS)
    recent = study.gates.filter(at__gte=since)
    builds = recent.count()
    oldest = recent.order_by("at").values_list("at", flat=True).first()
    days = (timezone.now() - oldest).total_seconds() / 86_400 if oldest else RATE_DAYS
    return yearly_false_failures(builds, max(days, 7.0)), builds
