"""What a request's body holds, once it has been checked."""

from __future__ import annotations

from typing import Any

from rest_framework.serializers import BaseSerializer


def validated(kind: type[BaseSerializer[Any]], data: Any, **more: Any) -> Any:
    """The values of a body of a kind. Raises ValidationError, which is answered 400."""
    body = kind(data=data, **more)
    body.is_valid(raise_exception=True)
    return body.validated_data
