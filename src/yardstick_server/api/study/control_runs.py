"""Runs beside the rounds: what watching costs, and whether today is like last time."""

from __future__ import annotations

from collections.abc import Iterable
from typing import cast

from rest_framework import serializers

from yardstick_core.match.control_runs import PairedComparison, like_last_time, today_in_a_sentence
from yardstick_core.match.facts import GRADES
from yardstick_core.match.parity import Changed, changed_since
from yardstick_core.record import CHECK, CONTROL
from yardstick_server import contracts
from yardstick_server.analysis.board import finite
from yardstick_server.analysis.judging import StudyAnalysis, judged_runs
from yardstick_server.analysis.parity import run_conditions_of
from yardstick_server.api.study.read import DifferenceSerializer
from yardstick_server.studies.models import Study


class PairedComparisonSerializer(serializers.Serializer):
    """One metric of one variant in two kinds of runs."""

    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    name = serializers.CharField()
    variant = serializers.IntegerField()
    text = serializers.CharField()
    matters = serializers.BooleanField()
    difference = DifferenceSerializer()


class WatchingSerializer(serializers.Serializer):
    runs = serializers.IntegerField(help_text="control runs that have been read")
    planned = serializers.IntegerField(help_text="control rounds the plan asks for")
    costs = PairedComparisonSerializer(many=True)


class ChangedSerializer(serializers.Serializer):
    name = serializers.CharField()
    grade = serializers.ChoiceField(choices=GRADES)
    before = serializers.CharField()
    now = serializers.CharField()


class TodaySerializer(serializers.Serializer):
    runs = serializers.ListField(child=serializers.IntegerField())
    read = serializers.IntegerField(help_text="how many of them have been read")
    variant = serializers.IntegerField()
    at = serializers.DateTimeField(allow_null=True)
    sentence = serializers.CharField()
    changed = ChangedSerializer(many=True, help_text="what is not as it was last time")
    comparisons = PairedComparisonSerializer(many=True)


def watching(analysis: StudyAnalysis) -> contracts.Watching:
    """What sampling costs, as far as control runs tell."""
    study = analysis.study
    return {
        "runs": study.runs.filter(purpose=CONTROL, state="read").count(),
        "planned": study.plan.control_rounds,
        "costs": _bodies(analysis.observer_overhead),
    }


def today(analysis: StudyAnalysis) -> contracts.Today | None:
    """The newest check: a variant measured anew against its runs of before."""
    study = analysis.study
    newest = study.runs.filter(purpose=CHECK).exclude(state="withdrawn").order_by("round").first()
    if newest is None:
        return None
    runs = study.runs.filter(purpose=CHECK, round=newest.round).exclude(state="withdrawn")
    fresh = [run for run in judged_runs(study, CHECK) if run.round == newest.round]
    compared = like_last_time(analysis.runs, fresh, analysis.names)
    found = {
        "runs": [run.pk for run in runs],
        "read": len(fresh),
        "variant": newest.variant.position,
        "at": newest.started,
        "sentence": today_in_a_sentence(compared),
        "changed": _changed(study, newest.variant.position, {run.run for run in fresh}),
        "comparisons": _bodies(compared),
    }
    return cast(contracts.Today, found)


def _changed(study: Study, variant: int, fresh: set[int]) -> list[Changed]:
    """What is not as it was when the variant's runs that count were measured."""
    earlier = [run for run in run_conditions_of(study) if run.variant == variant]
    now = [run for run in run_conditions_of(study, CHECK) if run.run in fresh]
    return list(changed_since(earlier, now))


def _bodies(compared: Iterable[PairedComparison]) -> list[contracts.PairedComparison]:
    said = ("stretch", "metric", "name", "variant", "text", "matters")
    found = [
        {**{name: getattr(one, name) for name in said}, "difference": finite(one.difference)}
        for one in compared
    ]
    return cast(list[contracts.PairedComparison], found)
