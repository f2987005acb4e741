"""Pictures that persons give: taken in whatever kind they come, kept and shown as PNG."""

from __future__ import annotations

import io
from typing import Any

from django.http import HttpResponse
from PIL import Image
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import BaseParser

MOST_UPLOAD_BYTES = 12_000_000
MOST_PIXELS = 40_000_000


class ImageParser(BaseParser):
    """The body as bytes, whatever kind of picture it says it is."""

    media_type = "image/*"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> bytes:
        return bytes(stream.read(MOST_UPLOAD_BYTES + 1))


def as_png(data: bytes) -> bytes:
    """A picture drawn anew as PNG, without whatever else its file carried.

    Raises ValidationError for what is no picture, or too large a one.
    """
    if len(data) > MOST_UPLOAD_BYTES:
        raise ValidationError("a picture may have at most 12 MB")
    try:
        with Image.open(io.BytesIO(data), formats=["PNG", "JPEG", "WEBP"]) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise ValidationError("a picture may have at most 40 million pixels")
            plain = picture.convert("RGB")
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise ValidationError("this is no PNG, JPEG or WebP picture") from error
    written = io.BytesIO()
    plain.save(written, "PNG")
    return written.getvalue()


def png_response(picture: bytes | memoryview) -> HttpResponse:
    """A kept picture, or 404 where there is none."""
    if not picture:
        return HttpResponse(status=404)
    return HttpResponse(
        bytes(picture),
        content_type="image/png",
        headers={"Cache-Control": "private, max-age=600"},
    )
