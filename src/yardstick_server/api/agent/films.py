"""Takes the film of a run in, piece by piece, and its end; docs/ingest.md describes it."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.streams.entries import LATEST_NS
from yardstick_server.api.agent.ingest import OctetStreamParser
from yardstick_server.api.base import RigView
from yardstick_server.api.bodies import validated
from yardstick_server.films import keeping
from yardstick_server.runs.models import Run

MOST_BYTES = 64 << 30


class FilmBytesSerializer(serializers.Serializer):
    held = serializers.IntegerField(help_text="bytes of it that are kept: go on from there")


class FilmEndSerializer(serializers.Serializer):
    size = serializers.IntegerField(min_value=1, max_value=MOST_BYTES)
    sha256 = serializers.RegexField(r"^[0-9a-f]{64}$")
    began_ns = serializers.IntegerField(
        min_value=-LATEST_NS, max_value=LATEST_NS,
        help_text="when its first picture was taken, since the run began",
    )  # fmt: skip


class PutFilm(RigView):
    parser_classes = [OctetStreamParser]

    def found(self, run: int) -> Run:
        return get_object_or_404(
            Run.objects.select_related("study__workspace"), pk=run, rig=self.rig
        )

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={200: FilmBytesSerializer},
        parameters=[OpenApiParameter("at", int, description="byte of the film it begins at")],
    )
    def put(self, request: Request, run: int) -> Response:
        found = self.found(run)
        at = request.query_params.get("at", "0")
        if not at.isascii() or not at.isdigit() or int(at) > MOST_BYTES:
            raise ValidationError("`at` is the byte of the film that the piece begins with")
        data = request.data if isinstance(request.data, bytes) else b""
        try:
            held = keeping.append(found, int(at), data)
        except keeping.FilmRefused as refused:
            raise ValidationError(str(refused)) from refused
        return Response({"held": held})


class EndFilm(RigView):
    @extend_schema(request=FilmEndSerializer, responses={200: None, 409: FilmBytesSerializer})
    def post(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run.objects.select_related("study"), pk=run, rig=self.rig)
        body = validated(FilmEndSerializer, request.data)
        if keeping.end(found, keeping.FilmEnd(**body)):
            return Response({"kept": True})
        detail = "the film that came is not the one that was sent: send it again"
        return Response({"detail": detail, "held": 0}, status=409)
