"""Studies: the list for Home, and one in full."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.accounts.member_views import MemberView
from yardstick_server.accounts.visitors import GUEST
from yardstick_server.analysis.views import VERDICTS, board
from yardstick_server.runs.models import Run
from yardstick_server.runs.views import RunSummarySerializer, summary
from yardstick_server.studies.base import StudyView
from yardstick_server.studies.models import Study
from yardstick_server.studies.script_views import ScriptSerializer, script_body


class TickSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    label = serializers.CharField()
    gain = serializers.FloatField()
    band = serializers.FloatField()
    verdict = serializers.ChoiceField(choices=VERDICTS)


class StandoutSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    verdict = serializers.ChoiceField(choices=VERDICTS)
    label = serializers.CharField()
    words = serializers.CharField()


class AlikeSerializer(serializers.Serializer):
    runs = serializers.IntegerField()
    found = serializers.IntegerField()
    unsettled = serializers.IntegerField()
    grave = serializers.IntegerField(help_text="of the unsettled, those that hold verdicts back")
    settled = serializers.IntegerField()


class StudySummarySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    question = serializers.CharField()
    subject = serializers.CharField()
    variants = serializers.ListField(child=serializers.CharField())
    baseline = serializers.IntegerField()
    headline = serializers.CharField()
    state = serializers.ChoiceField(
        choices=["not measured", "running", "waiting for a rig", "measured"]
    )
    runs_done = serializers.IntegerField()
    runs_total = serializers.IntegerField()
    troubles = serializers.IntegerField(help_text="runs that did not finish")
    match = AlikeSerializer(help_text="what was not alike in its runs")
    rigs = serializers.ListField(child=serializers.CharField())
    ticks = TickSerializer(many=True)
    standouts = StandoutSerializer(
        many=True, help_text="where each candidate is furthest ahead and behind"
    )


class VariantSerializer(serializers.Serializer):
    name = serializers.CharField()
    program = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    position = serializers.IntegerField()


class OtherVariantSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    program = serializers.CharField()


class StudySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    question = serializers.CharField()
    why = serializers.CharField()
    subject = serializers.CharField()
    maker = serializers.CharField()
    factor = serializers.CharField()
    baseline = serializers.IntegerField(help_text="position of the variant compared with")
    created = serializers.DateTimeField()
    state = serializers.CharField()
    headline = serializers.CharField()
    metrics = serializers.IntegerField()
    profiles = serializers.IntegerField()
    match = AlikeSerializer(help_text="what was not alike in its runs")
    variants = VariantSerializer(many=True)
    others = OtherVariantSerializer(many=True, help_text="of the subject, not in this study")
    script = ScriptSerializer()
    runs = RunSummarySerializer(many=True)


def study_state(runs: list[Run]) -> str:
    """How far a study is, in words."""
    if not runs:
        return "not measured"
    if any(run.state == "running" for run in runs):
        return "running"
    if any(run.state == "queued" for run in runs):
        return "waiting for a rig"
    return "measured"


def study_summary(study: Study) -> dict[str, Any]:
    runs = [
        run
        for run in study.runs.select_related("rig", "variant").order_by("round", "place")
        if run.state != "withdrawn"
    ]
    judged = board(study)
    done = [run for run in runs if run.state in ("measured", "read")]
    return {
        "id": study.pk,
        "question": study.question,
        "subject": study.subject.name,
        "variants": [part.variant.name for part in study.variants],
        "baseline": study.baseline,
        "headline": judged["headline"],
        "state": study_state(runs),
        "runs_done": len(done),
        "runs_total": len(runs),
        "troubles": sum(run.outcome not in ("", "finished") for run in runs),
        "match": judged["match"],
        "rigs": sorted({run.rig.name for run in runs if run.rig}),
        "standouts": judged.get("standouts", []),
        "ticks": [
            {
                "variant": index,
                "label": row["label"],
                "gain": difference["gain"],
                "band": difference["band"],
                "verdict": difference["verdict"],
            }
            for row in judged["rows"]
            for index, difference in enumerate(row["differences"])
            if difference and difference["gain"] is not None
        ],
    }


class NewStudySerializer(serializers.Serializer):
    like = serializers.IntegerField(help_text="study whose variants, script and terms it takes")
    question = serializers.CharField(max_length=200)


class StudyList(MemberView):
    @extend_schema(responses=StudySummarySerializer(many=True), summary="All studies, newest first")
    def get(self, request: Request) -> Response:
        studies = Study.objects.filter(workspace=self.workspace).select_related("subject")
        body = [study_summary(study) for study in studies.order_by("-created")]
        return Response(StudySummarySerializer(body, many=True).data)

    @extend_schema(
        request=NewStudySerializer,
        responses={201: StudySummarySerializer},
        summary="Ask another question about the same variants, with the same session",
    )
    def post(self, request: Request) -> Response:
        body = NewStudySerializer(data=request.data)
        body.is_valid(raise_exception=True)
        like = get_object_or_404(Study, pk=body.validated_data["like"], workspace=self.workspace)
        study = like.another(body.validated_data["question"])
        return Response(StudySummarySerializer(study_summary(study)).data, status=201)


def study_body(found: Study) -> dict[str, Any]:
    runs = list(found.runs.select_related("variant", "rig").order_by("round", "place"))
    judged = board(found)
    variants = found.variants
    used = [part.variant_id for part in variants]
    return {
        "id": found.pk,
        "question": found.question,
        "why": found.why,
        "subject": found.subject.name,
        "maker": found.subject.maker,
        "factor": found.factor,
        "baseline": found.baseline,
        "created": found.created,
        "state": study_state(runs),
        "headline": judged["headline"],
        "metrics": sum(row["judged"] for row in judged["rows"]),
        "profiles": found.profiles.count(),
        "match": judged["match"],
        "variants": [
            {
                "name": part.variant.name,
                "program": part.variant.program,
                "tags": part.variant.tags,
                "position": part.position,
            }
            for part in variants
        ],
        "others": list(found.subject.variants.exclude(pk__in=used).order_by("id")),
        "script": script_body(found),
        "runs": [summary(run) for run in runs],
    }


class StudyDetail(StudyView):
    for_guests = True

    @extend_schema(responses=StudySerializer, summary="A study in full")
    def get(self, request: Request, study: int) -> Response:
        body = study_body(self.study(study))
        if request.user.member.role == GUEST:
            body["others"] = []  # a guest's link shows this study, not what else there is
        return Response(StudySerializer(body).data)
