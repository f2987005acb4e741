"""The description of the API, for those who write programs against it."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from drf_spectacular.generators import SchemaGenerator
from drf_spectacular.openapi import AutoSchema
from drf_spectacular.utils import extend_schema
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import BaseSerializer
from rest_framework.views import APIView

from yardstick_server.api.access import IsMember
from yardstick_server.api.answers import SeriesRenderer


class Described(AutoSchema):
    """Describes views; of lists that may hold nothing in a place, this is said too."""

    def _map_serializer_field(
        self, field: Any, direction: Any, bypass_extensions: bool = False
    ) -> Any:
        found = super()._map_serializer_field(field, direction, bypass_extensions)
        child = getattr(field, "child", None)
        if isinstance(child, BaseSerializer) and child.allow_null and "items" in found:
            found["items"] = {"allOf": [found["items"]], "nullable": True}
        return found


@lru_cache(maxsize=1)
def described() -> dict[str, Any]:
    """The same for everybody and as long as the server runs: described once."""
    return dict(SchemaGenerator().get_schema(request=None, public=True))


class SchemaView(APIView):
    permission_classes: list[type[BasePermission]] = [IsMember]
    renderer_classes = [SeriesRenderer]

    @extend_schema(responses={200: dict}, summary="This description of the API, OpenAPI 3")
    def get(self, request: Request) -> Response:
        return Response(described())
