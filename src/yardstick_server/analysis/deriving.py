"""Derives the readings of a run from its streams with the core, and keeps them."""

from __future__ import annotations

from dataclasses import asdict

from django.db import transaction

from yardstick_core import CORE_VERSION
from yardstick_core.match.conditions import conditions
from yardstick_core.readings import derive
from yardstick_server.analysis.disturbed import mark_disturbed
from yardstick_server.analysis.drawing import keep_overviews
from yardstick_server.analysis.models import RunReading
from yardstick_server.analysis.records import run_record
from yardstick_server.analysis.shown import shown_readings
from yardstick_server.runs.models import BY_HAND, Run

TIMED_BY_HAND, FILMED_ELSEWHERE, TYPED_IN = "timed by hand", "filmed elsewhere", "typed in"


def keep_readings(run: Run) -> None:
    """Derive a run's readings from its streams and replace those kept before."""
    record = run_record(run)
    readings = derive(record) + shown_readings(run, record.journal)
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
                right_censored=reading.right_censored,
                warning=reading.warning or _warning(run),
                core_version=CORE_VERSION,
            )
            for reading in readings
        )
        mark_disturbed(run.study, run)
        Run.objects.filter(pk=run.pk).update(conditions=run.conditions)
        Run.objects.filter(pk=run.pk, state="measured").update(state="read")


def _warning(run: Run) -> str:
    """What stands beside every reading of a run that no rig measured."""
    if run.origin == BY_HAND:
        return TIMED_BY_HAND
    if run.import_source.get("typed"):
        return TYPED_IN
    return FILMED_ELSEWHERE if run.import_source.get("film") else ""
