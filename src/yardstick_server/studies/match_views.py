"""Match: what was not alike in the runs of a study, and what persons say of it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.match.beside import Held, like_last_time, today_in_a_sentence
from yardstick_core.match.drift import Drift, drifts
from yardstick_core.match.facts import GRADES
from yardstick_core.match.parity import MACHINE, SETTINGS, WORK, Parting
from yardstick_server.analysis.judging import (
    costs_of_watching,
    judge_study,
    judged_runs,
    judgement_of,
    names_of,
)
from yardstick_server.analysis.parity import sheet_of, standing
from yardstick_server.live.notify import notify
from yardstick_server.runs.models import CHECK, CONTROL
from yardstick_server.studies.models import Settlement, Study
from yardstick_server.studies.views import AlikeSerializer, StudyView

MOST_CHECKS = 20


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


class SettlementSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    words = serializers.CharField()
    reason = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class PartingSerializer(serializers.Serializer):
    """One thing that was not the same in all runs."""

    identity = serializers.CharField()
    key = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.ChoiceField(choices=[MACHINE, SETTINGS, WORK])
    grade = serializers.ChoiceField(choices=GRADES)
    values = serializers.ListField(child=FoundSerializer(many=True), help_text="by variant")
    caused = serializers.CharField(help_text="what it may have done to the readings")
    words = serializers.CharField()
    candidates = serializers.ListField(
        child=serializers.IntegerField(), help_text="variants whose comparison it touches"
    )
    families = serializers.ListField(
        child=serializers.CharField(), help_text="of the metrics it touches, all where empty"
    )
    places = ChangedAtSerializer(many=True, help_text="where it changed from one run to the next")
    is_factor = serializers.BooleanField(help_text="it is what the study compares")
    settled = SettlementSerializer(allow_null=True)


class KeptPreconditionSerializer(serializers.Serializer):
    what = serializers.CharField()
    passed = serializers.IntegerField(help_text="runs in which the agent found it so")
    ticked = serializers.IntegerField(help_text="runs in which a person's word was taken")
    failed = serializers.IntegerField()
    by = serializers.ListField(child=serializers.CharField(), help_text="who ticked it, since when")


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
    words = serializers.CharField()
    points = DriftPointSerializer(many=True)


class HeldSerializer(serializers.Serializer):
    """One metric of one variant in two kinds of runs."""

    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    name = serializers.CharField()
    variant = serializers.IntegerField()
    words = serializers.CharField()
    verdict = serializers.CharField()
    matters = serializers.BooleanField()
    change_words = serializers.CharField()
    percent_words = serializers.CharField()
    interval_words = serializers.CharField()
    gain = serializers.FloatField(allow_null=True)
    gain_low = serializers.FloatField(allow_null=True)
    gain_high = serializers.FloatField(allow_null=True)
    band = serializers.FloatField(allow_null=True)


class WatchingSerializer(serializers.Serializer):
    runs = serializers.IntegerField(help_text="control runs that have been read")
    planned = serializers.IntegerField(help_text="control rounds the plan asks for")
    costs = HeldSerializer(many=True)


class TodaySerializer(serializers.Serializer):
    runs = serializers.ListField(child=serializers.IntegerField())
    read = serializers.IntegerField(help_text="how many of them have been read")
    variant = serializers.IntegerField()
    at = serializers.DateTimeField(allow_null=True)
    sentence = serializers.CharField()
    held = HeldSerializer(many=True)


class MatchSerializer(serializers.Serializer):
    standing = AlikeSerializer()
    partings = PartingSerializer(many=True)
    unknown = serializers.ListField(
        child=serializers.CharField(), help_text="what is known of no run"
    )
    outlived = SettlementSerializer(
        many=True, help_text="settled once, and not found in this way any more"
    )
    preconditions = KeptPreconditionSerializer(many=True)
    drift = DriftSerializer(many=True)
    watching = WatchingSerializer()
    today = TodaySerializer(allow_null=True)


class SettleSerializer(serializers.Serializer):
    identity = serializers.RegexField(r"^[0-9a-f]{16}$")
    reason = serializers.CharField(
        max_length=400, help_text="why the comparison stands all the same; stays with the study"
    )


class ChecksSerializer(serializers.Serializer):
    variant = serializers.IntegerField(min_value=0)
    runs = serializers.IntegerField(min_value=2, max_value=MOST_CHECKS, default=3)


def match_body(study: Study) -> dict[str, Any]:
    sheet = sheet_of(study)
    done = {one.identity: one for one in study.settlements.order_by("at")}
    found = {part.identity for part in sheet.partings}
    return {
        "standing": standing(study),
        "partings": [_parting(part, done.get(part.identity)) for part in sheet.partings],
        "unknown": sheet.unknown,
        "outlived": [one for identity, one in done.items() if identity not in found],
        "preconditions": preconditions(study),
        "drift": [_drift(drift) for drift in drifts(judgement_of(study).rows)],
        "watching": _watching(study),
        "today": _today(study),
    }


def _parting(part: Parting, settled: Settlement | None) -> dict[str, Any]:
    fields = ("identity", "key", "name", "kind", "grade", "caused", "words", "candidates")
    return {
        **{name: getattr(part, name) for name in (*fields, "families", "places", "is_factor")},
        "values": [[{"value": v, "runs": n} for v, n in side] for side in part.values],
        "settled": settled,
    }


def _drift(drift: Drift) -> dict[str, Any]:
    fields = ("stretch", "metric", "name", "unit", "in_percent", "change", "p", "drifts", "words")
    return {
        **{name: getattr(drift, name) for name in fields},
        "points": [{"round": r, "variant": v, "value": x} for r, v, x in drift.points],
    }


def _held(held: Iterable[Held]) -> list[dict[str, Any]]:
    said = ("verdict", "change_words", "percent_words", "interval_words")
    numbers = ("gain", "gain_low", "gain_high", "band")
    return [
        {
            **{name: getattr(one, name) for name in ("stretch", "metric", "name", "variant")},
            "words": one.words,
            "matters": one.matters,
            **{name: getattr(one.difference, name) for name in said},
            **{name: _number(getattr(one.difference, name)) for name in numbers},
        }
        for one in held
    ]


def _number(value: float) -> float | None:
    return value if value == value else None


def _watching(study: Study) -> dict[str, Any]:
    return {
        "runs": study.runs.filter(purpose=CONTROL, state="read").count(),
        "planned": study.plan.control_rounds,
        "costs": _held(costs_of_watching(study, judged_runs(study))),
    }


def _today(study: Study) -> dict[str, Any] | None:
    """The newest check: a variant measured anew against its runs of before."""
    newest = study.runs.filter(purpose=CHECK).exclude(state="withdrawn").order_by("round").first()
    if newest is None:
        return None
    runs = study.runs.filter(purpose=CHECK, round=newest.round).exclude(state="withdrawn")
    fresh = [run for run in judged_runs(study, CHECK) if run.round == newest.round]
    held = like_last_time(judged_runs(study), fresh, names_of(study))
    return {
        "runs": [run.pk for run in runs],
        "read": len(fresh),
        "variant": newest.variant.position,
        "at": newest.started,
        "sentence": today_in_a_sentence(held),
        "held": _held(held),
    }


def preconditions(study: Study) -> list[dict[str, Any]]:
    """What the script asked for before its runs, and how it was found, over all of them."""
    found: dict[str, Counter[str]] = {}
    by: dict[str, dict[str, None]] = {}
    for kept in study.runs.filter(state="read").values_list("conditions", flat=True):
        for one in kept.get("preconditions", []):
            found.setdefault(one["what"], Counter())[one["state"]] += 1
            if one["by"]:
                since = f", {one['at'][:10]}" if one["at"] else ""
                by.setdefault(one["what"], {})[f"{one['by']}{since}"] = None
    return [
        {
            "what": what,
            **{state: counted[state] for state in ("passed", "ticked", "failed")},
            "by": list(by.get(what, {})),
        }
        for what, counted in found.items()
    ]


class MatchView(StudyView):
    for_guests = True

    @extend_schema(
        responses=MatchSerializer, summary="What was not alike in the runs, and what was said of it"
    )
    def get(self, request: Request, study: int) -> Response:
        return Response(MatchSerializer(match_body(self.study(study))).data)


class SettlementsView(StudyView):
    @extend_schema(
        request=SettleSerializer,
        responses={201: MatchSerializer},
        summary="Settle something that was not alike, with a reason",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = SettleSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        identity = body.validated_data["identity"]
        part = next((p for p in sheet_of(found).partings if p.identity == identity), None)
        if part is None:
            raise ValidationError(
                "this is not found in the runs any more: look at the sheet again, nothing was kept"
            )
        found.settlements.update_or_create(
            identity=identity,
            defaults={
                "words": part.words,
                "reason": body.validated_data["reason"],
                "by": request.user.get_username(),
            },
        )
        return self.judged_again(found, 201)

    def judged_again(self, study: Study, status: int = 200) -> Response:
        judge_study(study)
        notify(self.workspace.pk, "board", study=study.pk)
        return Response(MatchSerializer(match_body(study)).data, status=status)


class SettlementView(SettlementsView):
    http_method_names = ["delete", "options"]

    @extend_schema(responses=MatchSerializer, summary="Take back what was said of it")
    def delete(self, request: Request, study: int, settlement: int) -> Response:
        found = self.study(study)
        get_object_or_404(found.settlements, pk=settlement).delete()
        return self.judged_again(found)


class ChecksView(StudyView):
    for_builds = True

    @extend_schema(
        request=ChecksSerializer,
        responses={201: MatchSerializer},
        summary="Measure a variant anew: is today like last time?",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = ChecksSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        part = get_object_or_404(found.study_variants, position=body.validated_data["variant"])
        found.add_checks(part, body.validated_data["runs"])
        notify(self.workspace.pk, "run", study=study)
        return Response(MatchSerializer(match_body(found)).data, status=201)
