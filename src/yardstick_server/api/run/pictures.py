"""Pictures that rigs keep with a run, and persons look at."""

from __future__ import annotations

import re
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.api.base import MemberView, RigView
from yardstick_server.runs.models import Run, RunPicture

MOST_PICTURE_BYTES = 12_000_000
MOST_PICTURES = 60
PNG = b"\x89PNG\r\n\x1a\n"
NAME = re.compile(r"[a-z0-9-]{1,60}")


class Bytes(BaseParser):
    media_type = "image/png"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> bytes:
        return bytes(stream.read(MOST_PICTURE_BYTES + 1))


def png_of(request: Request) -> bytes:
    """The PNG file in a request's body. Raises ValidationError where it holds none."""
    data = request.data if isinstance(request.data, bytes) else b""
    if not data.startswith(PNG) or len(data) > MOST_PICTURE_BYTES:
        raise ValidationError("a picture is a PNG file of at most 12 MB")
    return data


class KeptSerializer(serializers.Serializer):
    kept = serializers.BooleanField()


class PutRunPicture(RigView):
    parser_classes = [Bytes]

    @extend_schema(request={"image/png": OpenApiTypes.BINARY}, responses={200: KeptSerializer})
    def put(self, request: Request, run: int, name: str) -> Response:
        found = get_object_or_404(Run, pk=run, rig=self.rig)
        if not NAME.fullmatch(name):
            raise ValidationError(f"“{name[:60]}” is no name for a picture")
        data = png_of(request)
        known = found.pictures.filter(name=name).exists()
        if found.state != "running" and not known:
            raise ValidationError(f"the run is {found.state}: it takes no more pictures")
        if not known and found.pictures.count() >= MOST_PICTURES:
            raise ValidationError(f"a run keeps at most {MOST_PICTURES} pictures")
        if found.state == "running":
            RunPicture.objects.update_or_create(run=found, name=name, defaults={"content": data})
        return Response({"kept": True})


class RunPictureView(MemberView):
    for_guests = True

    @extend_schema(
        responses={(200, "image/png"): OpenApiTypes.BINARY}, summary="A picture kept with a run"
    )
    def get(self, request: Request, run: int, name: str) -> HttpResponse:
        found = get_object_or_404(
            RunPicture, run=run, name=name, run__study__workspace=self.workspace
        )
        return HttpResponse(
            bytes(found.content),
            content_type="image/png",
            headers={"Cache-Control": "private, max-age=3600"},
        )
