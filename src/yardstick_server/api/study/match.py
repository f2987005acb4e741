"""Match: what was not alike in the runs of a study, and what persons say of it."""

from __future__ import annotations

from typing import cast

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.match.drift import Drift
from yardstick_core.match.facts import GRADES
from yardstick_core.match.sheet import MACHINE, SETTINGS, WORK, Mismatch
from yardstick_server import contracts
from yardstick_server.analysis.caveats import hot_throughout
from yardstick_server.analysis.judging import kept_analysis
from yardstick_server.analysis.parity import parity_status, preconditions
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.control_runs import (
    TodaySerializer,
    WatchingSerializer,
    today,
    watching,
)
from yardstick_server.api.study.summaries import ParityStatusSerializer
from yardstick_server.studies.models import Study, Waiver


class FoundSerializer(serializers.Serializer):
    value = serializers.CharField()
    runs = serializers.IntegerField()


class ChangedAtSerializer(serializers.Serializer):
    before_run = serializers.IntegerField()
    after_run = serializers.IntegerField()
    before_round = serializers.IntegerField()
    after_round = serializers.IntegerField()
    before = serializers.CharField()
    after = serializers.CharField()


class WaiverSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    text = serializers.CharField()
    reason = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class MismatchSerializer(serializers.Serializer):
    """One thing that was not the same in all runs."""

    identity = serializers.CharField()
    key = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=[MACHINE, SETTINGS, WORK])
    grade = serializers.ChoiceField(choices=GRADES)
    values = serializers.ListField(child=FoundSerializer(many=True), help_text="by variant")
    caused = serializers.CharField(help_text="what it may have done to the readings")
    text = serializers.CharField()
    candidates = serializers.ListField(
        child=serializers.IntegerField(), help_text="variants whose comparison it touches"
    )
    families = serializers.ListField(
        child=serializers.CharField(), help_text="of the metrics it touches, all where empty"
    )
    places = ChangedAtSerializer(many=True, help_text="where it changed from one run to the next")
    is_factor = serializers.BooleanField(help_text="it is what the study compares")
    waived = WaiverSerializer(allow_null=True)


class KeptPreconditionSerializer(serializers.Serializer):
    what = serializers.CharField()
    passed = serializers.IntegerField(help_text="runs in which the agent found it so")
    ticked = serializers.IntegerField(help_text="runs in which a person's word was taken")
    failed = serializers.IntegerField()
    by = serializers.ListField(child=serializers.CharField(), help_text="who ticked it, since when")


class UnreadSerializer(serializers.Serializer):
    why = serializers.CharField()
    runs = serializers.ListField(child=serializers.IntegerField())


class DriftPointSerializer(serializers.Serializer):
    round = serializers.IntegerField()
    variant = serializers.IntegerField()
    value = serializers.FloatField(help_text="from the variant's median; a share or own unit")


class DriftSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    name = serializers.CharField()
    unit = serializers.CharField()
    in_percent = serializers.BooleanField()
    change = serializers.FloatField(help_text="from the first round to the last")
    p = serializers.FloatField()
    drifts = serializers.BooleanField()
    text = serializers.CharField()
    points = DriftPointSerializer(many=True)


class MatchSerializer(serializers.Serializer):
    status = ParityStatusSerializer()
    mismatches = MismatchSerializer(many=True)
    unknown = serializers.ListField(
        child=serializers.CharField(), help_text="what is known of no run"
    )
    alike = serializers.ListField(
        child=serializers.CharField(), help_text="what was the same in all runs, and is not usual"
    )
    unread = UnreadSerializer(many=True, help_text="settings files that could not be read, and why")
    outlived = WaiverSerializer(
        many=True, help_text="waived once, and not found in this way any more"
    )
    preconditions = KeptPreconditionSerializer(many=True)
    drift = DriftSerializer(many=True)
    watching = WatchingSerializer()
    today = TodaySerializer(allow_null=True)


def match_body(study: Study) -> contracts.Match:
    analysis = kept_analysis(study)
    sheet = analysis.sheet
    done = {one.identity: one for one in study.waivers.order_by("at")}
    found = {part.identity for part in sheet.mismatches}
    first = study.first_warm_round
    return {
        "status": parity_status(sheet, analysis.waived),
        "mismatches": [_mismatch(part, done.get(part.identity)) for part in sheet.mismatches],
        "unknown": sheet.unknown,
        "alike": hot_throughout(study),
        "unread": unread(study),
        "outlived": [one for identity, one in done.items() if identity not in found],
        "preconditions": preconditions(study),
        "drift": [_drift(drift, first) for drift in analysis.drifts],
        "watching": watching(analysis),
        "today": today(analysis),
    }


def _mismatch(part: Mismatch, waived: Waiver | None) -> contracts.Mismatch:
    fields = ("identity", "key", "name", "kind", "grade", "caused", "text", "candidates")
    found = {
        **{name: getattr(part, name) for name in (*fields, "families", "places", "is_factor")},
        "values": [[{"value": v, "runs": n} for v, n in side] for side in part.values],
        "waived": waived,
    }
    return cast(contracts.Mismatch, found)


def _drift(drift: Drift, first_warm: int) -> contracts.Drift:
    fields = ("stretch", "metric", "name", "unit", "in_percent", "change", "p", "drifts", "text")
    found = {
        **{name: getattr(drift, name) for name in fields},
        "points": [
            {"round": r - first_warm + 1, "variant": v, "value": x} for r, v, x in drift.points
        ],
    }
    return cast(contracts.Drift, found)


def unread(study: Study) -> list[contracts.Unread]:
    """Why settings files could not be read, each with the runs of which they are not known."""
    found: dict[str, list[int]] = {}
    for run, kept in study.runs.filter(state="read").values_list("pk", "conditions"):
        for why in kept.get("unread", []):
            found.setdefault(why, []).append(run)
    return [{"why": why, "runs": sorted(runs)} for why, runs in found.items()]


class MatchView(StudyView):
    for_guests = True

    @extend_schema(
        responses=MatchSerializer, summary="What was not alike in the runs, and what was said of it"
    )
    def get(self, request: Request, study: int) -> Response:
        return Response(MatchSerializer(match_body(self.study(study))).data)
