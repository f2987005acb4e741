"""Tells all who watch that something changed."""

from __future__ import annotations

import json
from typing import Any

from django.db import connection

CHANNEL = "yardstick"
#: PostgreSQL takes payloads below 8000 bytes.
MOST_BYTES = 7900


def notify(workspace: int, kind: str, **details: Any) -> None:
    """Tell the watchers of a workspace; those who get it look up what they need.

    Details too long for one notification are left out.
    """
    text = json.dumps({"workspace": workspace, "kind": kind, **details}, separators=(",", ":"))
    if len(text) > MOST_BYTES:
        details.get("progress", {}).pop("beats", None)
        text = json.dumps({"workspace": workspace, "kind": kind, **details}, separators=(",", ":"))
    if len(text) > MOST_BYTES:
        details.pop("progress", None)
        text = json.dumps({"workspace": workspace, "kind": kind, **details}, separators=(",", ":"))
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, text])
