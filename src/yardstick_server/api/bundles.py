"""Bundles: a study as one file, made, fetched in parts, and brought in elsewhere."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from django.conf import settings
from django.db.models import QuerySet
from django.http import UnreadablePostError
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.formats.bundle import Bundle, BundleError
from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import AsItIs, TooLarge, check_room, received
from yardstick_server.api.ranged import file_answer
from yardstick_server.api.study.base import StudyView
from yardstick_server.bundles.models import StudyBundle
from yardstick_server.bundles.tasks import read_bundle, write_bundle

MOST_BYTES = 64 << 30
#: So many bundles of a workspace lie about at once.
MOST_OPEN, SHOWN = 20, 20
#: Of those that were brought, so many are remembered once they are done.
FINISHED = 5


class BundleSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    study = serializers.IntegerField(allow_null=True, help_text="it is of, or has become")
    way = serializers.ChoiceField(choices=[StudyBundle.OUT, StudyBundle.IN])
    name = serializers.CharField()
    by = serializers.CharField()
    created = serializers.DateTimeField()
    state = serializers.ChoiceField(choices=StudyBundle.STATES)
    problem = serializers.CharField()
    done = serializers.IntegerField(help_text="of `total`: runs on its way out, bytes in")
    total = serializers.IntegerField()
    size = serializers.IntegerField()
    differs = serializers.ListField(
        child=serializers.CharField(), help_text="what reads another way here than there"
    )
    core_version = serializers.CharField()


def bundle_body(bundle: StudyBundle) -> contracts.Bundle:
    fields = BundleSerializer().fields
    own = {name: getattr(bundle, name) for name in fields if name not in ("id", "study")}
    return cast(contracts.Bundle, {**own, "id": bundle.pk, "study": bundle.study_id})


def _make_room(bundles: QuerySet[StudyBundle], kept: int) -> None:
    """Throw away what is finished, but for the newest few."""
    for old in bundles.filter(state__in=("done", "failed"))[kept:]:
        old.throw_away()


class BundlesOfStudy(StudyView):
    @extend_schema(
        responses=BundleSerializer(many=True), summary="Bundles made of a study, newest first"
    )
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study).bundles.filter(way=StudyBundle.OUT)[:SHOWN]
        return Response(BundleSerializer([bundle_body(one) for one in found], many=True).data)

    @extend_schema(
        request=None,
        responses={201: BundleSerializer},
        summary="Make a bundle: all that is needed to read the study anew or to repeat it",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        StudyBundle.sweep()
        _make_room(found.bundles.filter(way=StudyBundle.OUT), 0)
        if self.workspace.bundles.count() >= MOST_OPEN:
            raise ValidationError(f"{MOST_OPEN} bundles lie about: throw some away first")
        made = self.workspace.bundles.create(
            study=found, way=StudyBundle.OUT, name=f"study-{study}.bundle.zip",
            by=request.user.get_username(),
        )  # fmt: skip
        write_bundle.defer(bundle=made.pk)
        return Response(BundleSerializer(bundle_body(made)).data, status=201)


class BundlesView(MemberView):
    parser_classes = [AsItIs]

    @extend_schema(
        responses=BundleSerializer(many=True), summary="Bundles that were brought, newest first"
    )
    def get(self, request: Request) -> Response:
        found = self.workspace.bundles.filter(way=StudyBundle.IN)[:SHOWN]
        return Response(BundleSerializer([bundle_body(one) for one in found], many=True).data)

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={201: BundleSerializer},
        parameters=[OpenApiParameter("name", str, description="name of the file")],
        summary="Bring a bundle: it becomes a study once all of it has been checked",
    )
    def post(self, request: Request) -> Response:
        StudyBundle.sweep()
        _make_room(self.workspace.bundles.filter(way=StudyBundle.IN), FINISHED)
        if self.workspace.bundles.count() >= MOST_OPEN:
            raise ValidationError(f"{MOST_OPEN} bundles lie about: throw some away first")
        check_room(request, Path(settings.UPLOADS), MOST_BYTES, "a bundle")
        name = request.query_params.get("name", "").replace("\0", "")[-200:] or "bundle"
        made = self.workspace.bundles.create(
            way=StudyBundle.IN, name=name, by=request.user.get_username()
        )
        try:
            made.size, _ = received(request, made.path, MOST_BYTES, "a bundle")
            with Bundle(made.path) as opened:
                made.core_version = opened.manifest.core_version
        except BundleError as error:
            made.throw_away()
            raise ValidationError(f"“{name}” was not taken: {error}") from error
        except (TooLarge, UnreadablePostError):
            made.throw_away()
            raise
        made.save()
        read_bundle.defer(bundle=made.pk)
        return Response(BundleSerializer(bundle_body(made)).data, status=201)


class OneBundleView(MemberView):
    def found(self, bundle: int) -> StudyBundle:
        found: StudyBundle = get_object_or_404(self.workspace.bundles, pk=bundle)
        return found


class BundleView(OneBundleView):
    @extend_schema(responses=BundleSerializer, summary="How far a bundle is")
    def get(self, request: Request, bundle: int) -> Response:
        return Response(BundleSerializer(bundle_body(self.found(bundle))).data)

    @extend_schema(responses={204: None}, summary="Throw a bundle away; a study made of it stays")
    def delete(self, request: Request, bundle: int) -> Response:
        found = self.found(bundle)
        if found.state == "working":
            raise ValidationError("it is being worked on just now; nothing was thrown away")
        found.throw_away()
        return Response(status=204)


class BundleFile(OneBundleView):
    @extend_schema(
        responses={200: OpenApiTypes.BINARY, 206: OpenApiTypes.BINARY},
        summary="The file of a bundle, or the part of it that a Range asks for",
    )
    def get(self, request: Request, bundle: int) -> HttpResponseBase:
        found = self.found(bundle)
        if found.way != StudyBundle.OUT or found.state != "done" or not found.path.exists():
            raise ValidationError("it has no file to be taken: it is not made yet, or thrown away")
        return file_answer(
            request, found.path, "application/zip", f"bundle-{found.pk}", attachment=found.name
        )
