"""One listener per process hands every notification to the watchers it concerns."""

from __future__ import annotations

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator
from typing import Any

import psycopg
from django.conf import settings

from yardstick_server.notify import CHANNEL

RECONNECT_SECONDS = 1.0
MOST_WAITING = 200


class Hub:
    """Watchers of a workspace subscribe; a slow one loses its oldest events, never the server."""

    def __init__(self) -> None:
        self.watchers: dict[asyncio.Queue[str], int] = {}
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        self._task = asyncio.create_task(self._listen())

    async def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task

    @contextlib.asynccontextmanager
    async def watching(self, workspace: int) -> AsyncIterator[asyncio.Queue[str]]:
        queue: asyncio.Queue[str] = asyncio.Queue(MOST_WAITING)
        self.watchers[queue] = workspace
        try:
            yield queue
        finally:
            del self.watchers[queue]

    async def _listen(self) -> None:
        while True:
            try:
                await self._listen_once()
            except psycopg.OperationalError:
                await asyncio.sleep(RECONNECT_SECONDS)

    async def _listen_once(self) -> None:
        database = settings.DATABASES["default"]
        connection = await psycopg.AsyncConnection.connect(
            host=database["HOST"],
            port=database["PORT"],
            dbname=database["NAME"],
            user=database["USER"],
            password=database["PASSWORD"],
            autocommit=True,
        )
        async with connection:
            await connection.execute(f"LISTEN {CHANNEL}")
            self.hand_out(None, json.dumps({"kind": "again"}))
            async for message in connection.notifies():
                told: dict[str, Any] = json.loads(message.payload)
                self.hand_out(told["workspace"], message.payload)

    def hand_out(self, workspace: int | None, text: str) -> None:
        """Give an event to the watchers of a workspace, or to all."""
        for queue, watched in self.watchers.items():
            if workspace is not None and watched != workspace:
                continue
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(text)
