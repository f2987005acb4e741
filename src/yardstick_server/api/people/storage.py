"""What a workspace takes on the server, and how much films may."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.db.models import Sum
from django.db.models.functions import Length
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server import contracts
from yardstick_server.accounts.models import Workspace
from yardstick_server.api.base import OwnerView
from yardstick_server.api.bodies import free_bytes, validated
from yardstick_server.films.models import Film, bytes_of_films
from yardstick_server.traces.models import Chunk

LARGEST = 10
GIB = 1 << 30


class LargeFilmSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    study = serializers.CharField()
    variant = serializers.CharField()
    bytes = serializers.IntegerField()


class StorageSerializer(serializers.Serializer):
    """Bytes, of this workspace alone but for the room that is left."""

    records = serializers.IntegerField(help_text="what rigs have measured, packed")
    films = serializers.IntegerField()
    film_bytes_limit = serializers.IntegerField(help_text="what films may take")
    bundles = serializers.IntegerField(help_text="bundles and logs on their way, gone in days")
    free = serializers.IntegerField(help_text="left where films are kept")
    largest = LargeFilmSerializer(many=True, help_text="the largest films")


class FilmLimitSerializer(serializers.Serializer):
    film_bytes_limit = serializers.IntegerField(min_value=0, max_value=1000 * 1024 * GIB)


def _body(workspace: Workspace) -> contracts.Storage:
    chunks = Chunk.objects.filter(run__study__workspace=workspace)
    films = Film.objects.filter(run__study__workspace=workspace).select_related(
        "run__study", "run__variant__variant"
    )
    passing = sum(
        workspace_files.aggregate(all=Sum("size"))["all"] or 0
        for workspace_files in (workspace.bundles, workspace.logs)
    )
    return {
        "records": chunks.aggregate(all=Sum(Length("data")))["all"] or 0,
        "films": bytes_of_films(workspace),
        "film_bytes_limit": workspace.film_bytes_limit,
        "bundles": passing,
        "free": free_bytes(Path(settings.FILMS)),
        "largest": [
            {
                "run": film.run_id,
                "study": film.run.study.question,
                "variant": film.run.variant.variant.name,
                "bytes": film.size,
            }
            for film in films.order_by("-size")[:LARGEST]
        ],
    }


class StorageView(OwnerView):
    @extend_schema(responses=StorageSerializer, summary="What the workspace takes on the server")
    def get(self, request: Request) -> Response:
        return Response(StorageSerializer(_body(self.workspace)).data)

    @extend_schema(
        request=FilmLimitSerializer, responses=StorageSerializer,
        summary="Say how much films may take; what is there stays",
    )  # fmt: skip
    def patch(self, request: Request) -> Response:
        workspace = self.workspace
        workspace.film_bytes_limit = validated(FilmLimitSerializer, request.data)[
            "film_bytes_limit"
        ]
        workspace.save(update_fields=["film_bytes_limit"])
        return Response(StorageSerializer(_body(workspace)).data)
