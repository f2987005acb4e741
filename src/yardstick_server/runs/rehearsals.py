"""Rehearsals: a script, kept or not, played once on a rig while somebody watches."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.record import OUTCOMES
from yardstick_core.script import ScriptError, parse
from yardstick_server.accounts.member_views import MemberView, RigView
from yardstick_server.inventory.models import Fixture
from yardstick_server.runs.models import Rehearsal
from yardstick_server.studies.models import Study

MOST_PICTURE_BYTES = 12_000_000
PNG = b"\x89PNG\r\n\x1a\n"


class NewRehearsalSerializer(serializers.Serializer):
    variant = serializers.IntegerField(min_value=0, help_text="position of the variant")
    text = serializers.CharField(max_length=200_000, trim_whitespace=False)


class RehearsedTimingSerializer(serializers.Serializer):
    path = serializers.ListField(child=serializers.CharField(max_length=200), max_length=20)
    seconds = serializers.FloatField()
    longer_than = serializers.BooleanField()


class TellSerializer(serializers.Serializer):
    line = serializers.IntegerField(min_value=0)
    elapsed_ns = serializers.IntegerField(min_value=0)
    outcome = serializers.ChoiceField(choices=OUTCOMES, required=False)
    detail = serializers.CharField(max_length=4000, allow_blank=True, required=False)
    timings = RehearsedTimingSerializer(many=True, required=False, max_length=2000)


class RehearsalSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    variant = serializers.IntegerField()
    state = serializers.ChoiceField(choices=["waits", "plays", "ended"])
    line = serializers.IntegerField(help_text="the line of the script that is played, or was last")
    elapsed_s = serializers.FloatField()
    outcome = serializers.CharField()
    detail = serializers.CharField()
    timings = RehearsedTimingSerializer(many=True)
    pictures = serializers.IntegerField(help_text="how many pictures have come")


class RehearsalAssignmentSerializer(serializers.Serializer):
    rehearsal = serializers.IntegerField()
    title = serializers.CharField()
    script = serializers.CharField()
    program = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    fixtures = serializers.ListField(child=serializers.DictField())


class StopAskedSerializer(serializers.Serializer):
    stop = serializers.BooleanField()


def body_of(found: Rehearsal) -> dict[str, Any]:
    return {
        "id": found.pk,
        "variant": found.variant.position,
        "state": found.state,
        "line": found.line,
        "elapsed_s": found.elapsed_ns / 1e9,
        "outcome": found.outcome,
        "detail": found.detail,
        "timings": found.timings,
        "pictures": found.pictures,
    }


class RehearsalsView(MemberView):
    """The newest rehearsal of a study; a new one takes its place."""

    @extend_schema(
        responses={200: RehearsalSerializer, 204: None}, summary="The newest rehearsal of a study"
    )
    def get(self, request: Request, study: int) -> Response:
        found = get_object_or_404(Study, pk=study, workspace=self.workspace)
        newest = found.rehearsals.select_related("variant").order_by("-id").first()
        if newest is None:
            return Response(status=204)
        return Response(RehearsalSerializer(body_of(newest)).data)

    @extend_schema(
        request=NewRehearsalSerializer,
        responses={201: RehearsalSerializer},
        summary="Play a script once on a variant; nothing of it is kept as a measurement",
    )
    def post(self, request: Request, study: int) -> Response:
        found = get_object_or_404(Study, pk=study, workspace=self.workspace)
        body = NewRehearsalSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        values = body.validated_data
        variant = get_object_or_404(found.study_variants, position=values["variant"])
        try:
            script = parse(values["text"])
        except ScriptError as error:
            raise ValidationError(f"the script cannot be played: {error}") from error
        have = set(self.workspace.fixtures.values_list("name", flat=True))
        missing = [fixture.file for fixture in script.fixtures if fixture.file not in have]
        if missing:
            raise ValidationError(f"no fixture is called {', '.join(missing)}")
        found.rehearsals.exclude(state="ended").update(stop_asked=True)
        found.rehearsals.filter(state="waits").delete()
        made = found.rehearsals.create(variant=variant, text=values["text"])
        return Response(RehearsalSerializer(body_of(made)).data, status=201)


class OneRehearsal(MemberView):
    def rehearsal(self, number: int) -> Rehearsal:
        found: Rehearsal = get_object_or_404(
            Rehearsal.objects.select_related("variant"),
            pk=number,
            study__workspace=self.workspace,
        )
        return found


class StopRehearsal(OneRehearsal):
    @extend_schema(request=None, responses=RehearsalSerializer, summary="Stop a rehearsal")
    def post(self, request: Request, rehearsal: int) -> Response:
        found = self.rehearsal(rehearsal)
        # Asked a second time, its rig has not listened: the rehearsal is over without it.
        if found.state == "waits" or (found.state == "plays" and found.stop_asked):
            found.state, found.outcome = "ended", "aborted"
        found.stop_asked = True
        found.save(update_fields=["stop_asked", "state", "outcome"])
        return Response(RehearsalSerializer(body_of(found)).data)


class RehearsalPicture(OneRehearsal):
    @extend_schema(
        responses={(200, "image/png"): OpenApiTypes.BINARY, 204: None},
        summary="The newest picture of the screen",
    )
    def get(self, request: Request, rehearsal: int) -> HttpResponse:
        found = self.rehearsal(rehearsal)
        if not found.picture:
            return HttpResponse(status=204)
        return HttpResponse(
            bytes(found.picture), content_type="image/png", headers={"Cache-Control": "no-store"}
        )


class TakeRehearsal(RigView):
    @extend_schema(request=None, responses={200: RehearsalAssignmentSerializer, 204: None})
    def post(self, request: Request) -> Response:
        if self.rig.paused:
            return Response(status=204)
        with transaction.atomic():
            found = (
                Rehearsal.objects.select_for_update(skip_locked=True, of=("self",))
                .select_related("variant__variant", "study")
                .filter(state="waits", study__workspace=self.rig.workspace)
                .order_by("id")
                .first()
            )
            if found is None:
                return Response(status=204)
            found.state, found.rig = "plays", self.rig
            found.save(update_fields=["state", "rig"])
        variant = found.variant.variant
        names = [fixture.file for fixture in parse(found.text).fixtures]
        fixtures = Fixture.objects.filter(workspace=self.rig.workspace, name__in=names)
        body = {
            "rehearsal": found.pk,
            "title": f"rehearsal of {variant.name}",
            "script": found.text,
            "program": variant.program,
            "tags": variant.tags,
            "fixtures": [{"name": f.name, "sha256": f.sha256, "size": f.size} for f in fixtures],
        }
        return Response(RehearsalAssignmentSerializer(body).data)


class TellRehearsal(RigView):
    @extend_schema(request=TellSerializer, responses=StopAskedSerializer)
    def post(self, request: Request, rehearsal: int) -> Response:
        found = get_object_or_404(Rehearsal, pk=rehearsal, rig=self.rig)
        body = TellSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        values = body.validated_data
        if found.state != "ended":
            found.line, found.elapsed_ns = values["line"], values["elapsed_ns"]
            if "outcome" in values:
                found.state, found.outcome = "ended", values["outcome"]
                found.detail, found.timings = values.get("detail", ""), values.get("timings", [])
            found.save(
                update_fields=["line", "elapsed_ns", "state", "outcome", "detail", "timings"]
            )
        return Response({"stop": found.stop_asked})


class Bytes(BaseParser):
    media_type = "image/png"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> bytes:
        return bytes(stream.read(MOST_PICTURE_BYTES + 1))


class ShowRehearsal(RigView):
    parser_classes = [Bytes]

    @extend_schema(request={"image/png": OpenApiTypes.BINARY}, responses={200: StopAskedSerializer})
    def put(self, request: Request, rehearsal: int) -> Response:
        found = get_object_or_404(Rehearsal, pk=rehearsal, rig=self.rig)
        data = request.data if isinstance(request.data, bytes) else b""
        if not data.startswith(PNG) or len(data) > MOST_PICTURE_BYTES:
            raise ValidationError("a picture is a PNG file of at most 12 MB")
        found.picture, found.pictures = data, found.pictures + 1
        found.save(update_fields=["picture", "pictures"])
        return Response({"stop": found.stop_asked})
