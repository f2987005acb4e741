"""What is answered where something below the server cannot work, or a request came in half."""

from __future__ import annotations

import logging
from typing import Any

from django.db import InterfaceError, OperationalError
from django.http import UnreadablePostError
from psycopg import OperationalError as Below
from rest_framework.exceptions import ValidationError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from yardstick_core.script import ScriptError
from yardstick_server.traces.keeping import ChunkConflict, ChunkRefused

RETRY_AFTER_S = 2
MOST_DETAIL = 2000
_log = logging.getLogger(__name__)


def answer(error: Exception, context: dict[str, Any]) -> Response | None:
    """A database that is away, full or out of connections: 503, for whoever asks may come again. A
    body that did not come whole: 408. Values that make no session: 400.

    Everything else is answered as usual. What was asked for has not been done: a request either
    commits as a whole or leaves nothing.
    """
    if isinstance(error, UnreadablePostError):
        detail = f"what was sent did not come whole: {error}; nothing was kept, send it again"
        return Response({"detail": detail}, status=408)
    if isinstance(error, ChunkRefused):
        return exception_handler(ValidationError(str(error)), context)
    if isinstance(error, ChunkConflict):
        return Response({"detail": str(error)}, status=409)
    if isinstance(error, ScriptError):
        detail = f"this makes a session that cannot be played; nothing was changed: {error}"
        return Response({"detail": detail[:MOST_DETAIL]}, status=400)
    if not isinstance(error, (OperationalError, InterfaceError, Below)):
        return exception_handler(error, context)
    _log.warning("the database cannot work: %s", error)
    detail = "the database cannot take this just now; nothing was changed, try again"
    return Response({"detail": detail}, status=503, headers={"Retry-After": str(RETRY_AFTER_S)})
