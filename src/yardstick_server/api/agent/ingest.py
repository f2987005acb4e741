"""Takes chunks in, one at a time or many in one message."""

from __future__ import annotations

import hashlib

from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.streams import batch
from yardstick_core.streams import chunk as packed
from yardstick_server.api.base import RigView
from yardstick_server.runs.models import Run
from yardstick_server.traces.keeping import check_place, keep_all, keep_chunk

MOST_CHUNK_BYTES = 8 * 1024 * 1024


class OctetStreamParser(BaseParser):
    """The body as bytes, refused above the limit before it is read whole."""

    media_type = "application/octet-stream"

    def parse(self, stream, media_type=None, parser_context=None) -> bytes:  # type: ignore[no-untyped-def]
        body: bytes = stream.read(MOST_CHUNK_BYTES + 1)
        if len(body) > MOST_CHUNK_BYTES:
            raise ValidationError(f"a chunk may have at most {MOST_CHUNK_BYTES} bytes")
        return body


class ChunkKeptSerializer(serializers.Serializer):
    kept = serializers.BooleanField()
    samples = serializers.IntegerField()


class PutChunk(RigView):
    own_transactions = True  # keeps one row
    parser_classes = [OctetStreamParser]

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={200: ChunkKeptSerializer, 201: ChunkKeptSerializer},
        parameters=[OpenApiParameter("Chunk-SHA256", str, OpenApiParameter.HEADER, required=True)],
    )
    def put(self, request: Request, run: int, stream: str, sequence: int) -> Response:
        found = get_object_or_404(Run, pk=run, rig=self.rig)
        # An empty body is not given to the parser at all.
        data = request.data if isinstance(request.data, bytes) else b""
        sha256 = hashlib.sha256(data).hexdigest()
        if request.headers.get("Chunk-SHA256", "") != sha256:
            raise ValidationError(
                "the checksum does not fit the content: nothing was kept, send the chunk again"
            )
        check_place(stream, sequence)
        kept = keep_chunk(found, stream, sequence, data, sha256)
        return Response(
            {"kept": kept, "samples": packed.read_head(data).count}, status=201 if kept else 200
        )


class ChunksKeptSerializer(serializers.Serializer):
    kept = serializers.IntegerField()
    known = serializers.IntegerField(help_text="that were there already, the same")


class PutChunks(RigView):
    """Many chunks in one message; either all of them are good, or none is kept."""

    own_transactions = True  # keeps them in one, and tries again where another sends the same
    parser_classes = [OctetStreamParser]

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={200: ChunksKeptSerializer},
    )
    def post(self, request: Request, run: int) -> Response:
        found = get_object_or_404(Run.objects.only("state"), pk=run, rig=self.rig.pk)
        data = request.data if isinstance(request.data, bytes) else b""
        try:
            pieces = batch.unpack(data)
        except packed.ChunkError as error:
            raise ValidationError(f"{error}: nothing was kept, send it again") from error
        kept = keep_all(found, pieces)
        return Response({"kept": kept, "known": len(pieces) - kept})
