"""Files that are fetched in parts: a player, or a download that goes on, asks by Range."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

from django.http import HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from rest_framework.request import Request

_PIECE = 2**20
_RANGE = re.compile(r"bytes=(\d{1,15})-(\d{0,15})")


def file_answer(
    request: Request, path: Path, media: str, tag: str, attachment: str = ""
) -> HttpResponseBase:
    """A file, or the part of it that a Range asks for; `tag` tells one version from another."""
    size = path.stat().st_size
    answer = _answer(request, size, f'"{tag}-{size}"', media, partial(_stretch, path))
    if attachment and answer.status_code in (200, 206):
        answer.headers["Content-Disposition"] = f'attachment; filename="{attachment}"'
    return answer


def data_answer(request: Request, data: bytes, media: str, tag: str) -> HttpResponseBase:
    """Bytes at hand, or the part of them that a Range asks for."""

    def stretch(first: int, last: int) -> Iterator[bytes]:
        yield data[first : last + 1]

    return _answer(request, len(data), f'"{tag}-{len(data)}"', media, stretch)


def _answer(
    request: Request, size: int, tag: str, media: str,
    stretch: Callable[[int, int], Iterator[bytes]],
) -> HttpResponseBase:  # fmt: skip
    first, last = 0, size - 1
    asked = _RANGE.fullmatch(request.headers.get("Range", ""))
    partly = asked is not None and request.headers.get("If-Range", tag) == tag
    if asked is not None and partly:
        first, last = int(asked[1]), min(last, int(asked[2] or last))
        if first > last:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    answer = StreamingHttpResponse(
        stretch(first, last), content_type=media, status=206 if partly else 200
    )
    answer.headers["Content-Length"] = str(last - first + 1)
    answer.headers["Accept-Ranges"], answer.headers["ETag"] = "bytes", tag
    if partly:
        answer.headers["Content-Range"] = f"bytes {first}-{last}/{size}"
    return answer


def _stretch(path: Path, first: int, last: int) -> Iterator[bytes]:
    """A file from one byte to another, a piece at a time."""
    left = last - first + 1
    with path.open("rb") as file:
        file.seek(first)
        while left and (piece := file.read(min(_PIECE, left))):
            left -= len(piece)
            yield piece
