"""The runs measured last, over all studies: who and what is doing what."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.api.base import MemberView
from yardstick_server.runs.models import Run
from yardstick_server.shelf import active

SHOWN = 12


class LatestRunSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    study = serializers.IntegerField(source="study_id")
    question = serializers.CharField(source="study.question")
    variant = serializers.IntegerField(source="variant.position")
    variant_name = serializers.CharField(source="variant.variant.name")
    baseline = serializers.IntegerField(source="study.baseline")
    rig = serializers.CharField(source="rig.name", default="")
    state = serializers.CharField()
    outcome = serializers.CharField()
    started = serializers.DateTimeField(allow_null=True)
    ended = serializers.DateTimeField(allow_null=True)


class LatestRuns(MemberView):
    @extend_schema(
        parameters=[
            OpenApiParameter("rig", str, description="its name; runs of all rigs otherwise"),
            OpenApiParameter("subject", int, description="runs of one program under test"),
        ],
        responses=LatestRunSerializer(many=True),
        summary="The runs measured last, over all studies, those under way first",
    )
    def get(self, request: Request) -> Response:
        runs = Run.objects.filter(
            study__workspace=self.workspace, started__isnull=False, **active("study__")
        )
        if rig := request.query_params.get("rig"):
            runs = runs.filter(rig__name=rig)
        if subject := request.query_params.get("subject"):
            if not subject.isdecimal() or len(subject) > 12:
                raise ValidationError("`subject` is the number of a program under test")
            runs = runs.filter(study__subject_id=int(subject))
        runs = runs.select_related("study", "variant__variant", "rig").order_by("-started", "-pk")
        return Response(LatestRunSerializer(runs[:SHOWN], many=True).data)
