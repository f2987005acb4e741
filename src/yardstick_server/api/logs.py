"""Bringing in a log: upload, proposal, preview, reading through, keeping."""

from __future__ import annotations

from pathlib import Path
from typing import Any, cast

import numpy as np
from django.conf import settings
from django.http import UnreadablePostError
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.formats.converting.convert import WHAT_IS_READ, converted
from yardstick_core.formats.guessing.guess import Proposal, propose
from yardstick_core.formats.mapping import (
    DURATIONS,
    MARKERS,
    ROLES,
    UNITS,
    MappingError,
    mapping_from,
)
from yardstick_core.formats.preview import preview
from yardstick_core.formats.source import NotALog, look_at
from yardstick_server import contracts
from yardstick_server.api.answers import SeriesRenderer
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import AsItIs, TooLarge, check_room, received, validated
from yardstick_server.logs.models import KeptMapping, LogFile
from yardstick_server.logs.tasks import keep_log, read_log
from yardstick_server.studies.models import Study

MOST_BYTES = 2**30
MOST_OPEN = 100


class ColumnSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=200, allow_blank=True, trim_whitespace=False)
    role = serializers.ChoiceField(choices=ROLES)
    unit = serializers.CharField(max_length=40, allow_blank=True)


class MappingSerializer(serializers.Serializer):
    kind = serializers.CharField(max_length=20)
    columns = ColumnSerializer(many=True)
    separator = serializers.CharField(max_length=2, trim_whitespace=False)
    decimal = serializers.CharField(max_length=1)
    header = serializers.IntegerField()
    frames = serializers.CharField(max_length=12, allow_blank=True)
    markers = serializers.ChoiceField(choices=MARKERS)
    cores = serializers.IntegerField()
    encoding = serializers.CharField(max_length=20, allow_blank=True)
    durations = serializers.ChoiceField(
        choices=DURATIONS, required=False,
        help_text="what several columns of durations are: a run each, or timings of the row's run",
    )  # fmt: skip
    every_s = serializers.FloatField(
        required=False, min_value=0, max_value=86_400,
        help_text="seconds between rows where no column says when; 0 where that is not known",
    )  # fmt: skip
    record = serializers.BooleanField(
        default=False, help_text="a run that went out from here: all about it is known"
    )


class LogSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    study = serializers.IntegerField()
    name = serializers.CharField()
    size = serializers.IntegerField()
    state = serializers.ChoiceField(choices=LogFile.STATES)
    problem = serializers.CharField()
    mapping = MappingSerializer()
    doubts = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(
        child=serializers.ListField(child=serializers.CharField()),
        help_text="the first rows as they stand in the file",
    )
    summary = serializers.DictField(help_text="what was found in all of it, once read through")
    created = serializers.DateTimeField()


class MappedSerializer(serializers.Serializer):
    mapping = MappingSerializer()


class SeenColumnSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()
    unit = serializers.CharField()
    cells = serializers.ListField(child=serializers.CharField())
    least = serializers.FloatField(allow_null=True)
    most = serializers.FloatField(allow_null=True)
    drawn = serializers.ListField(child=serializers.FloatField(), help_text="a few of its values")


class SeenSeriesSerializer(serializers.Serializer):
    name = serializers.CharField()
    unit = serializers.CharField()
    at_s = serializers.ListField(child=serializers.FloatField())
    value = serializers.ListField(child=serializers.FloatField())


class PreviewSerializer(serializers.Serializer):
    columns = SeenColumnSerializer(many=True)
    series = SeenSeriesSerializer(many=True)
    broken = serializers.ListField(child=serializers.DictField())
    rows = serializers.IntegerField()
    seconds = serializers.FloatField()
    marked = serializers.ListField(child=serializers.CharField())
    doubts = serializers.ListField(child=serializers.CharField())


class KeepSerializer(serializers.Serializer):
    variants = serializers.ListField(
        child=serializers.IntegerField(min_value=-1), min_length=1, max_length=1000,
        help_text="by part, the position of its variant; −1 leaves a part",
    )  # fmt: skip
    stretch = serializers.ListField(
        child=serializers.CharField(max_length=120), min_length=1, max_length=2,
        help_text="what the whole of a part is called: step, and name of its frames",
    )  # fmt: skip
    save_as = serializers.CharField(max_length=80, allow_blank=True, default="")
    reason = serializers.CharField(
        max_length=280, allow_blank=True, default="",
        help_text="why they may be compared; without one they are kept apart",
    )  # fmt: skip


class KeptMappingSerializer(serializers.Serializer):
    name = serializers.CharField()
    mapping = MappingSerializer()


class UnitsSerializer(serializers.Serializer):
    units = serializers.DictField(child=serializers.ListField(child=serializers.CharField()))
    kept = KeptMappingSerializer(many=True)


def body_of(log: LogFile, proposal: Proposal | None = None) -> contracts.Log:
    if proposal is None and log.state != "kept":
        try:
            proposal = propose(look_at(log.path))
        except (NotALog, OSError):
            proposal = None
    made = [WHAT_IS_READ[log.made_from]] if log.made_from in WHAT_IS_READ else []
    return {
        "id": log.pk,
        "study": log.study_id,
        "name": log.name,
        "size": log.size,
        "state": log.state,
        "problem": log.problem,
        "mapping": cast(contracts.Mapping, {"record": False, **log.mapping}),
        "doubts": [*made, *proposal.doubts] if proposal else [],
        "rows": proposal.rows[:20] if proposal else [],
        "summary": log.summary,
        "created": log.created,
    }


def brought_log(request: Request, study: Study, most: int = MOST_BYTES) -> tuple[LogFile, Proposal]:
    """The log that a request brings, on the disk, and how it is understood.

    Raises ValidationError, and then nothing of it is kept.
    """
    check_room(request, Path(settings.UPLOADS), most, "a log")
    name = request.query_params.get("name", "").replace("\0", "")[-200:] or "log"
    log: LogFile = study.logs.create(
        workspace=study.workspace, name=name, by=request.user.get_username()
    )
    try:
        log.size, log.sha256 = received(request, log.path, most, "a log")
        log.made_from = converted(log.path)
        return log, propose(look_at(log.path))
    except NotALog as error:
        log.throw_away()
        raise ValidationError(f"“{name}” was not taken: {error}") from error
    except (TooLarge, UnreadablePostError):
        log.throw_away()
        raise


class LogsView(MemberView):
    parser_classes = [AsItIs]

    def study(self, number: int) -> Study:
        return get_object_or_404(Study, pk=number, workspace=self.workspace)

    @extend_schema(responses=LogSerializer(many=True), summary="Logs brought and not yet kept")
    def get(self, request: Request, study: int) -> Response:
        open_logs = self.study(study).logs.exclude(state="kept").order_by("-id")
        return Response(LogSerializer([body_of(log) for log in open_logs], many=True).data)

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={201: LogSerializer},
        parameters=[OpenApiParameter("name", str, required=True, description="name of the file")],
        summary="Bring a log: the file as it is; nothing of it is in the study yet",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        LogFile.sweep()
        if found.logs.exclude(state="kept").count() >= MOST_OPEN:
            raise ValidationError(
                f"{MOST_OPEN} logs wait to be kept or thrown away: see to those first"
            )
        log, proposal = brought_log(request, found, MOST_BYTES)
        log.mapping = {**proposal.mapping.as_dict(), "record": proposal.record}
        log.save()
        return Response(LogSerializer(body_of(log, proposal)).data, status=201)


class OneLogView(MemberView):
    def log(self, number: int) -> LogFile:
        return get_object_or_404(LogFile, pk=number, workspace=self.workspace)

    def mapping(self, request: Request, log: LogFile) -> dict[str, Any]:
        """The mapping a request brings, checked. Raises ValidationError where it makes no sense."""
        body = validated(MappedSerializer, request.data)
        given = dict(body["mapping"])
        if log.mapping.get("record"):
            return log.mapping
        try:
            return {**mapping_from(given).as_dict(), "record": False}
        except MappingError as error:
            raise ValidationError(str(error)) from error


class LogView(OneLogView):
    @extend_schema(responses=LogSerializer, summary="A log that was brought")
    def get(self, request: Request, log: int) -> Response:
        return Response(LogSerializer(body_of(self.log(log))).data)

    @extend_schema(responses={204: None}, summary="Throw a log away; runs made of it stay")
    def delete(self, request: Request, log: int) -> Response:
        found = self.log(log)
        if found.state == "keeping":
            raise ValidationError("it is being kept just now; nothing was thrown away")
        found.throw_away()
        return Response(status=204)


class PreviewView(OneLogView):
    renderer_classes = [SeriesRenderer]

    @extend_schema(
        request=MappedSerializer,
        responses=PreviewSerializer,
        summary="The first rows of a log as a mapping understands them; nothing is kept",
    )
    def post(self, request: Request, log: int) -> Response:
        found = self.log(log)
        given = self.mapping(request, found)
        if given.get("record"):
            return Response(_NOTHING_TO_SAY)
        try:
            seen = preview(look_at(found.path), mapping_from(given))
        except (NotALog, OSError) as error:
            raise ValidationError(str(error)) from error
        for series in seen["series"]:
            series["value"] = np.asarray(series["value"], np.float32)
        return Response(seen)


_NOTHING_TO_SAY: dict[str, Any] = {
    "columns": [], "series": [], "broken": [], "rows": 0, "seconds": 0.0, "marked": [],
    "doubts": [],
}  # fmt: skip


class ScanView(OneLogView):
    @extend_schema(
        request=MappedSerializer, responses=LogSerializer,
        summary="Read a log through by a mapping, to say what is in it; nothing is kept",
    )  # fmt: skip
    def post(self, request: Request, log: int) -> Response:
        found = self.log(log)
        if found.state in ("reading", "keeping", "kept"):
            raise ValidationError("it is being read already, or has been kept")
        found.mapping = self.mapping(request, found)
        found.state, found.problem, found.summary = "reading", "", {}
        found.save()
        read_log.defer(log=found.pk)
        return Response(LogSerializer(body_of(found)).data)


class ImportLogView(OneLogView):
    @extend_schema(
        request=KeepSerializer, responses=LogSerializer,
        summary="Make runs of a log that has been read through; its mapping may be kept too",
    )  # fmt: skip
    def post(self, request: Request, log: int) -> Response:
        found = self.log(log)
        values = validated(KeepSerializer, request.data)
        if found.state != "read":
            raise ValidationError("it has to be read through first")
        known = found.study.study_variants.count()
        if any(variant >= known for variant in values["variants"]):
            raise ValidationError("the study has no such variant")
        if all(variant < 0 for variant in values["variants"]):
            raise ValidationError("no part was chosen to be kept")
        if values["save_as"].strip() and not found.mapping.get("record"):
            KeptMapping.objects.update_or_create(
                workspace=self.workspace, name=values["save_as"].strip(),
                defaults={"mapping": found.mapping},
            )  # fmt: skip
        found.state = "keeping"
        found.save(update_fields=["state"])
        reason = values["reason"].strip()
        accepted = f"{reason} ({request.user.get_username()})" if reason else ""
        keep_log.defer(
            log=found.pk, variants=values["variants"], stretch=values["stretch"], accepted=accepted
        )
        return Response(LogSerializer(body_of(found)).data)


class MappingsView(MemberView):
    @extend_schema(responses=UnitsSerializer, summary="Mappings kept, and the units there are")
    def get(self, request: Request) -> Response:
        kept = [
            {"name": one.name, "mapping": {"record": False, **one.mapping}}
            for one in self.workspace.mappings.all()
        ]
        return Response(UnitsSerializer({"units": UNITS, "kept": kept}).data)
