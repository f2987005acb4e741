"""Fixtures: the files that sessions work on, known by their content."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.file_names import is_fixture_name
from yardstick_server import contracts
from yardstick_server.api.base import MemberView, RigView
from yardstick_server.api.bodies import validated
from yardstick_server.inventory.models import Fixture
from yardstick_server.shelf import DELETED, active
from yardstick_server.studies.using import users_of

MOST_BYTES = 64 * 1024 * 1024
MOST_FIXTURES = 500


class UserOfFixtureSerializer(serializers.Serializer):
    study = serializers.IntegerField()
    question = serializers.CharField()


class FixtureSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    sha256 = serializers.CharField()
    size = serializers.IntegerField(help_text="bytes")
    used_by = UserOfFixtureSerializer(many=True)


class FileParser(BaseParser):
    """The body as bytes, refused above the limit before it is read whole."""

    media_type = "application/octet-stream"

    def parse(self, stream, media_type=None, parser_context=None) -> bytes:  # type: ignore[no-untyped-def]
        body: bytes = stream.read(MOST_BYTES + 1)
        if len(body) > MOST_BYTES:
            raise ValidationError(f"a fixture may have at most {MOST_BYTES // 2**20} MiB")
        return body


def described(
    fixture: Fixture, users: dict[str, list[contracts.UserOfFixture]]
) -> contracts.Fixture:
    return {
        "id": fixture.pk,
        "name": fixture.name,
        "sha256": fixture.sha256,
        "size": fixture.size,
        "used_by": users.get(fixture.name, []),
    }


class FixturesView(MemberView):
    @extend_schema(responses=FixtureSerializer(many=True), summary="The files sessions work on")
    def get(self, request: Request) -> Response:
        users = users_of(self.workspace)
        found = self.workspace.fixtures.filter(**active()).defer("content").order_by("name")
        body = [described(fixture, users) for fixture in found]
        return Response(FixtureSerializer(body, many=True).data)


class FixtureView(MemberView):
    parser_classes = [FileParser]
    for_builds = True

    @extend_schema(
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        summary="A fixture's content",
    )
    def get(self, request: Request, name: str) -> HttpResponse:
        return download(get_object_or_404(self.workspace.fixtures, name=name))

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={200: FixtureSerializer},
        summary="Keep a file under a name; runs measured before keep the checksum they had",
    )
    def put(self, request: Request, name: str) -> Response:
        if not is_fixture_name(name):
            raise ValidationError("a plain file name that begins with a letter or digit")
        content = request.data if isinstance(request.data, bytes) else b""
        if not content:
            raise ValidationError("the file is empty; nothing was kept")
        known = self.workspace.fixtures.filter(name=name).exists()
        if not known and self.workspace.fixtures.count() >= MOST_FIXTURES:
            raise ValidationError(f"a workspace keeps at most {MOST_FIXTURES} fixtures")
        fixture = Fixture.keep(self.workspace, name, content)
        return Response(FixtureSerializer(described(fixture, users_of(self.workspace))).data)

    @extend_schema(
        responses={204: None},
        summary="Delete a fixture that no script works on; it can be brought back",
    )
    def delete(self, request: Request, name: str) -> Response:
        fixture = get_object_or_404(self.workspace.fixtures.defer("content"), name=name)
        users = users_of(self.workspace).get(name, [])
        if users:
            raise ValidationError(f"a session works on it: “{users[0]['question']}”; it was kept")
        fixture.move_to(DELETED, request.user.get_username())
        return Response(status=204)


class FixtureNameSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=200)

    def validate_name(self, name: str) -> str:
        if not is_fixture_name(name):
            raise serializers.ValidationError(
                "a plain file name that begins with a letter or digit"
            )
        return name


class FixtureNameView(MemberView):
    @extend_schema(
        request=FixtureNameSerializer,
        responses=FixtureSerializer,
        summary="Rename a fixture that no script names",
    )
    def put(self, request: Request, name: str) -> Response:
        fixture = get_object_or_404(self.workspace.fixtures.defer("content"), name=name)
        body = validated(FixtureNameSerializer, request.data)
        users, wanted = users_of(self.workspace).get(name, []), body["name"]
        if users:
            raise ValidationError(
                f"a session names it: “{users[0]['question']}”; change its script first"
            )
        if self.workspace.fixtures.filter(name=wanted).exclude(pk=fixture.pk).exists():
            raise ValidationError("there is a file of this name already, perhaps a deleted one")
        fixture.name = wanted
        fixture.save(update_fields=["name"])
        return Response(FixtureSerializer(described(fixture, {})).data)


def download(fixture: Fixture) -> HttpResponse:
    """A fixture as a file to be saved, never as something a browser shows."""
    response = HttpResponse(bytes(fixture.content), content_type="application/octet-stream")
    response["Content-Disposition"] = "attachment"
    return response


class FixtureDownload(RigView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, sha256: str) -> HttpResponse:
        found = Fixture.objects.filter(workspace=self.rig.workspace, sha256=sha256).first()
        if found is None:
            return HttpResponse(status=404)
        return download(found)
