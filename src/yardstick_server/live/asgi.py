"""The live server: `GET /events` streams what happens in the watcher's workspace."""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import Awaitable, Callable
from http.cookies import SimpleCookie
from typing import Any

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yardstick_server.settings")
django.setup()

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore
from django.db import close_old_connections

from yardstick_server.accounts.models import Member
from yardstick_server.live.hub import Hub

Send = Callable[[dict[str, Any]], Awaitable[None]]
Receive = Callable[[], Awaitable[dict[str, Any]]]

KEEP_ALIVE_SECONDS = 15.0
#: So often it is asked again whether a watcher is still signed in.
CHECK_SECONDS = 15.0
hub = Hub()


async def application(scope: dict[str, Any], receive: Receive, send: Send) -> None:
    if scope["type"] == "lifespan":
        await _lifespan(receive, send)
    elif scope["type"] == "http":
        await _http(scope, receive, send)


async def _lifespan(receive: Receive, send: Send) -> None:
    while True:
        message = await receive()
        if message["type"] == "lifespan.startup":
            hub.start()
            await send({"type": "lifespan.startup.complete"})
        else:
            await hub.stop()
            await send({"type": "lifespan.shutdown.complete"})
            return


async def _http(scope: dict[str, Any], receive: Receive, send: Send) -> None:
    headers = {name.decode(): value.decode("latin-1") for name, value in scope["headers"]}
    if scope["path"] != "/events" or scope["method"] != "GET":
        await _answer(send, 404, b"there is nothing here but /events")
        return
    workspace = await sync_to_async(_workspace)(headers.get("cookie", ""))
    if workspace is None:
        await _answer(send, 401, b"sign in first")
        return
    cookies = headers.get("cookie", "")
    await _stream(workspace, lambda: sync_to_async(_workspace)(cookies), receive, send)


def _workspace(cookies: str) -> int | None:
    """The workspace of whoever is signed in, None for a stranger."""
    cookie = SimpleCookie(cookies).get(settings.SESSION_COOKIE_NAME)
    if cookie is None:
        return None
    close_old_connections()
    session = SessionStore(cookie.value)
    user = session.get(SESSION_KEY)
    members = Member.objects.select_related("user").filter(user_id=user, user__is_active=True)
    found = members.first() if user else None
    close_old_connections()
    if found is None or session.get(HASH_SESSION_KEY) != found.user.get_session_auth_hash():
        return None
    return found.workspace_id


def _cors() -> list[tuple[bytes, bytes]]:
    return [
        (b"access-control-allow-origin", settings.WEB_ORIGIN.encode()),
        (b"access-control-allow-credentials", b"true"),
        (b"cache-control", b"no-store"),
    ]


async def _answer(send: Send, status: int, body: bytes) -> None:
    headers = [(b"content-type", b"text/plain"), *_cors()]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})


async def _stream(
    workspace: int, asked_again: Callable[[], Awaitable[int | None]], receive: Receive, send: Send
) -> None:
    """Send a workspace's events until the watcher leaves, or may not see them any more."""
    headers = [(b"content-type", b"text/event-stream"), *_cors()]
    left = asyncio.create_task(_until_left(receive))
    async with hub.watching(workspace) as queue:
        await send({"type": "http.response.start", "status": 200, "headers": headers})
        await _push(send, b": hello\n\n")
        checked = time.monotonic()
        while not left.done():
            if time.monotonic() - checked > CHECK_SECONDS:
                checked = time.monotonic()
                if await asked_again() != workspace:
                    break
            try:
                text = await asyncio.wait_for(queue.get(), KEEP_ALIVE_SECONDS)
                await _push(send, f"data: {text}\n\n".encode())
            except TimeoutError:
                await _push(send, b": still here\n\n")
    left.cancel()
    await send({"type": "http.response.body", "body": b""})


async def _push(send: Send, body: bytes) -> None:
    await send({"type": "http.response.body", "body": body, "more_body": True})


async def _until_left(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        continue
