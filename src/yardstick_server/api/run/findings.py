"""Findings: what only eyes catch, pinned by a person to a moment or stretch of a run."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.films.clip import MOST_SECONDS as MOST_CLIP_SECONDS
from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.api.pictures import ImageParser, as_png, png_response
from yardstick_server.api.ranged import data_answer
from yardstick_server.api.run.film import still
from yardstick_server.films.models import Film, FindingClip
from yardstick_server.films.tasks import cut_clip
from yardstick_server.notify import notify
from yardstick_server.runs.models import FINDING_KINDS, Finding, Run

MOST_FINDINGS = 500
MOST_SECONDS = 400 * 86_400


class NewFindingSerializer(serializers.Serializer):
    at_s = serializers.FloatField(min_value=0, max_value=MOST_SECONDS)
    until_s = serializers.FloatField(
        min_value=0, max_value=MOST_SECONDS, allow_null=True, default=None,
        help_text="end of the stretch it is about; null for a moment",
    )  # fmt: skip
    kind = serializers.ChoiceField(choices=FINDING_KINDS)
    text = serializers.CharField(max_length=2000)
    kept_picture = serializers.CharField(
        max_length=60, allow_blank=True, default="",
        help_text="name of a picture the agent kept with the run, to go with it",
    )  # fmt: skip

    film_still = serializers.BooleanField(
        default=False, help_text="what the run's film shows at `at_s`, to go with it"
    )
    film_clip = serializers.BooleanField(
        default=False,
        help_text="what the film shows of the stretch, or two seconds before and after the moment, "
        "as a clip of at most 15 s; it is cut after the answer",
    )

    def validate(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["until_s"] is not None and attrs["until_s"] <= attrs["at_s"]:
            raise ValidationError("a stretch ends after it begins")
        return attrs


class FindingChangeSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=FINDING_KINDS, required=False)
    text = serializers.CharField(max_length=2000, required=False)
    withdrawn = serializers.BooleanField(required=False)


class FindingSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    run = serializers.IntegerField()
    at_s = serializers.FloatField()
    until_s = serializers.FloatField(allow_null=True)
    kind = serializers.ChoiceField(choices=FINDING_KINDS)
    text = serializers.CharField()
    by = serializers.CharField()
    created = serializers.DateTimeField()
    withdrawn = serializers.BooleanField(help_text="taken back; may be restored")
    picture = serializers.BooleanField(help_text="whether it has one")
    clip = serializers.CharField(help_text="wanted, ready or failed; empty where none is wanted")
    clip_problem = serializers.CharField(help_text="why it cannot be had")


def body_of(finding: Finding) -> contracts.Finding:
    clip: FindingClip | None = getattr(finding, "clip", None)
    return {
        "id": finding.pk,
        "run": finding.run_id,
        "at_s": finding.at_ns / 1e9,
        "until_s": None if finding.until_ns is None else finding.until_ns / 1e9,
        "kind": finding.kind,
        "text": finding.text,
        "by": finding.by,
        "created": finding.created,
        "withdrawn": finding.withdrawn,
        "picture": len(finding.picture) > 0,
        "clip": clip.state if clip else "",
        "clip_problem": clip.problem if clip else "",
    }


class FindingsView(MemberView):
    for_guests = True

    def run(self, number: int) -> Run:
        return get_object_or_404(Run, pk=number, study__workspace=self.workspace)

    @extend_schema(responses=FindingSerializer(many=True), summary="Findings of a run")
    def get(self, request: Request, run: int) -> Response:
        found = self.run(run).findings.filter(withdrawn=False)
        found = found.select_related("clip").defer("clip__data")
        return Response(FindingSerializer([body_of(one) for one in found], many=True).data)

    @extend_schema(
        request=NewFindingSerializer, responses={201: FindingSerializer}, summary="Pin a finding"
    )
    def post(self, request: Request, run: int) -> Response:
        found = self.run(run)
        values = validated(NewFindingSerializer, request.data)
        if found.findings.count() >= MOST_FINDINGS:
            raise ValidationError(f"a run has at most {MOST_FINDINGS} findings")
        picture = b""
        if values["kept_picture"]:
            kept = found.pictures.filter(name=values["kept_picture"]).first()
            if kept is None:
                raise ValidationError("the run has kept no picture of that name")
            picture = bytes(kept.content)
        elif values["film_still"]:
            picture = still(_film_of(found), values["at_s"])
        _check_clip(found, values)
        until = values["until_s"]
        made = found.findings.create(
            at_ns=round(values["at_s"] * 1e9),
            until_ns=None if until is None else round(until * 1e9),
            kind=values["kind"],
            text=values["text"],
            picture=picture,
            by=request.user.get_username(),
        )
        if values["film_clip"]:
            FindingClip.objects.create(finding=made)
            cut_clip.defer(finding=made.pk)
        notify(self.workspace.pk, "run", study=found.study_id, run=found.pk)
        return Response(FindingSerializer(body_of(made)).data, status=201)


def _film_of(run: Run) -> Film:
    film = Film.objects.filter(run=run, state="ready").first()
    if film is None:
        raise ValidationError("the run has no film that shows anything")
    return film


def _check_clip(run: Run, values: dict[str, Any]) -> None:
    if not values["film_clip"]:
        return
    _film_of(run)
    if values["until_s"] is not None and values["until_s"] - values["at_s"] > MOST_CLIP_SECONDS:
        raise ValidationError(f"a clip may take {MOST_CLIP_SECONDS:g} s: choose a shorter stretch")


class FindingView(MemberView):
    def finding(self, number: int) -> Finding:
        return get_object_or_404(Finding, pk=number, run__study__workspace=self.workspace)

    @extend_schema(
        request=FindingChangeSerializer,
        responses=FindingSerializer,
        summary="Change a finding, take it back or restore it",
    )
    def patch(self, request: Request, finding: int) -> Response:
        found = self.finding(finding)
        body = validated(FindingChangeSerializer, request.data)
        for name, value in body.items():
            setattr(found, name, value)
        found.save(update_fields=[*body])
        notify(self.workspace.pk, "run", study=found.run.study_id, run=found.run_id)
        return Response(FindingSerializer(body_of(found)).data)


class FindingPictureView(FindingView):
    for_guests = True

    parser_classes = [ImageParser]
    http_method_names = ["get", "put", "head", "options"]

    @extend_schema(
        responses={(200, "image/png"): OpenApiTypes.BINARY}, summary="The picture of a finding"
    )
    def get(self, request: Request, finding: int) -> HttpResponse:
        found = self.finding(finding)
        return png_response(found.picture)

    @extend_schema(
        request={"image/*": OpenApiTypes.BINARY},
        responses=FindingSerializer,
        summary="Give a finding a picture: PNG, JPEG or WebP of at most 12 MB",
    )
    def put(self, request: Request, finding: int) -> Response:
        found = self.finding(finding)
        found.picture = as_png(request.data if isinstance(request.data, bytes) else b"")
        found.save(update_fields=["picture"])
        return Response(FindingSerializer(body_of(found)).data)


class FindingClipView(FindingView):
    for_guests = True
    http_method_names = ["get", "head", "options"]

    @extend_schema(
        responses={(code, "video/mp4"): OpenApiTypes.BINARY for code in (200, 206)},
        summary="The clip of a finding, or the part of it that a Range asks for",
    )
    def get(self, request: Request, finding: int) -> HttpResponseBase:
        kept = getattr(self.finding(finding), "clip", None)
        if kept is None or kept.state != "ready":
            return HttpResponse(status=404)
        answer = data_answer(request, bytes(kept.data), "video/mp4", f"clip-{finding}")
        answer.headers["Cache-Control"] = "private, max-age=3600"
        return answer
