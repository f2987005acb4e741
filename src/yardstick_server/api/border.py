"""What may come in at all: bodies, paths and texts that everything behind here can keep.

The database keeps no NUL and no half of a surrogate pair, numbers have 64 bits, and whoever nests
lists a thousand deep means no good: all that is refused before any view sees it.
"""

from __future__ import annotations

import json
import logging
import re
from collections.abc import Callable
from typing import Any
from urllib.parse import unquote

from django.http import HttpRequest, HttpResponse, JsonResponse
from rest_framework import serializers
from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

from yardstick_core.keepable import UNKEEPABLE, cut, mended, unkeepable

MOST_JSON_BYTES = 8 << 20
#: Where a secret stands: in an address after these words, or in a header after its scheme.
_SECRET = re.compile(
    r"(/(?:join|sign-in|shared|invitations)/|Authorization: \w+ |[?&](?:link|token)=)"
    r"[^\s/?&\"\']+"
)


class CarefulJSONParser(JSONParser):
    """JSON that can be kept: finite numbers of 64 bits, whole characters, not too deep."""

    mends = False

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        body = stream.read(MOST_JSON_BYTES + 1)
        if len(body) > MOST_JSON_BYTES:
            raise ParseError(f"a body may have at most {MOST_JSON_BYTES >> 20} MiB")
        try:
            found = json.loads(body.decode("utf-8"))
            if self.mends:
                found = mended(found)
        except (ValueError, RecursionError) as error:
            raise ParseError(f"the body is no JSON that can be read: {str(error)[:200]}") from None
        trouble = unkeepable(found)
        if trouble:
            raise ParseError(f"{trouble}: nothing was changed")
        return found


class MendingJSONParser(CarefulJSONParser):
    """The same for rigs: what a program under test said goes in as far as it can be kept."""

    mends = True


_BOUNDARY = re.compile(r";\s*boundary=\S", re.IGNORECASE)


class WholeAddresses:
    """Refuses what nothing behind here can look up or read, before anything looks at it.

    Addresses with characters that cannot be kept; forms that do not say where their parts end,
    which would be read for a page's token before the route is asked.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        query = unquote(request.META.get("QUERY_STRING", ""), errors="surrogateescape")
        if UNKEEPABLE.search(request.path) or UNKEEPABLE.search(query):
            detail = "the address holds a character that cannot be kept"
            return JsonResponse({"detail": detail}, status=400)
        kind = request.META.get("CONTENT_TYPE", "")
        if kind.lower().startswith("multipart/") and not _BOUNDARY.search(kind):
            detail = "this form does not say where its parts end; send JSON, or a file as it is"
            return JsonResponse({"detail": detail}, status=415)
        return self.get_response(request)


class WithoutSecrets(logging.Filter):
    """Takes what lets somebody in out of what is logged: links and tokens, wherever they stand."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.msg, record.args = _SECRET.sub(r"\1…", record.getMessage()), ()
        return True


class CutField(serializers.CharField):
    """A text of any length and content, kept as far as it can be: a rig's last words.

    What does not fit is cut with a mark, and what cannot be kept becomes a sign that can.
    """

    def __init__(self, *, most: int, **options: Any) -> None:
        self.most = most
        super().__init__(**options)

    def run_validation(self, data: Any = serializers.empty) -> Any:
        # before the checks of a text field, which would refuse it
        return super().run_validation(cut(data, self.most) if isinstance(data, str) else data)
