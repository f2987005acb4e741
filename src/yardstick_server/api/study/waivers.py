"""What persons say of that which was not alike, and checks of whether today is like last time."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.analysis.judging import StudyAnalysis, judge_study
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.match import MatchSerializer, match_body
from yardstick_server.notify import notify
from yardstick_server.studies.models import Study

MOST_CHECKS = 20


class SettleSerializer(serializers.Serializer):
    identity = serializers.RegexField(r"^[0-9a-f]{16}$")
    reason = serializers.CharField(
        max_length=400, help_text="why the comparison stands all the same; stays with the study"
    )


class ChecksSerializer(serializers.Serializer):
    variant = serializers.IntegerField(min_value=0)
    runs = serializers.IntegerField(min_value=2, max_value=MOST_CHECKS, default=3)


class WaiversView(StudyView):
    @extend_schema(
        request=SettleSerializer,
        responses={201: MatchSerializer},
        summary="Settle something that was not alike, with a reason",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(SettleSerializer, request.data)
        identity = body["identity"]
        part = next(
            (p for p in StudyAnalysis(found).sheet.mismatches if p.identity == identity), None
        )
        if part is None:
            raise ValidationError(
                "this is not found in the runs any more: look at the sheet again, nothing was kept"
            )
        found.waivers.update_or_create(
            identity=identity,
            defaults={
                "text": part.text,
                "reason": body["reason"],
                "by": request.user.get_username(),
            },
        )
        return self.judged_again(found, 201)

    def judged_again(self, study: Study, status: int = 200) -> Response:
        judge_study(study)
        notify(self.workspace.pk, "board", study=study.pk)
        return Response(MatchSerializer(match_body(study)).data, status=status)


class WaiverView(WaiversView):
    http_method_names = ["delete", "options"]

    @extend_schema(responses=MatchSerializer, summary="Take back what was said of it")
    def delete(self, request: Request, study: int, waiver: int) -> Response:
        found = self.study(study)
        get_object_or_404(found.waivers, pk=waiver).delete()
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
        body = validated(ChecksSerializer, request.data)
        part = get_object_or_404(found.study_variants, position=body["variant"])
        if not part.variant.program:
            raise ValidationError(f"{part.variant.name} is measured elsewhere: no rig starts it")
        found.add_checks(part, body["runs"])
        notify(self.workspace.pk, "run", study=study)
        return Response(MatchSerializer(match_body(found)).data, status=201)
