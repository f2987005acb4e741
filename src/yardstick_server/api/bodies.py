"""What a request's body holds, once it has been checked; and files, as they come."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path
from typing import Any

from rest_framework.exceptions import APIException, ValidationError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.serializers import BaseSerializer

from yardstick_core.keepable import unkeepable

_PIECE = 2**20
#: What must be left on the disk beside a file that comes in.
_LEFT = 2**28


def validated(kind: type[BaseSerializer[Any]], data: Any, **more: Any) -> Any:
    """The values of a body of a kind. Raises ValidationError, which is answered 400."""
    body = kind(data=data, **more)
    body.is_valid(raise_exception=True)
    # numbers may come as texts, such as "nan", which no limit of a field refuses
    if why := unkeepable(body.validated_data):
        raise ValidationError(why)
    return body.validated_data


class TooLarge(APIException):
    status_code = 413


class AsItIs(BaseParser):
    """Leaves the body where it is, to be read piece by piece."""

    media_type = "*/*"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        return stream


def check_room(request: Request, folder: Path, most: int, what: str) -> None:
    """Raises TooLarge for a body that says it is larger than `most`, or than there is room for."""
    length = int(request.headers.get("Content-Length") or 0)
    if length > most:
        raise TooLarge(_too_large(what, most))
    if length + _LEFT > free_bytes(folder):
        raise TooLarge("there is no room left on the server for this file; nothing was kept")


def free_bytes(folder: Path) -> int:
    """Room left where uploads are kept."""
    folder.mkdir(parents=True, exist_ok=True)
    state = os.statvfs(folder)
    return state.f_bavail * state.f_frsize


def received(request: Request, path: Path, most: int, what: str) -> tuple[int, str]:
    """Write a request's body to a file, piece by piece; its size and SHA-256.

    Raises TooLarge where it goes on beyond what it may have.
    """
    stream, size, seen = request.stream, 0, hashlib.sha256()
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.open("wb") as file:
        while stream is not None and (piece := stream.read(_PIECE)):
            size += len(piece)
            if size > most:
                raise TooLarge(_too_large(what, most))
            seen.update(piece)
            file.write(piece)
    return size, seen.hexdigest()


def _too_large(what: str, most: int) -> str:
    return f"{what} may have at most {most >> 30} GiB, packed or not; nothing was kept"
