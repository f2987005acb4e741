"""Bodies of requests: whole or not at all, and sent at a pace that holds nobody up.

Stands below the framework, where a body that broke off would look like one that has ended.
"""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Iterable
from typing import Any

#: A body must keep this pace on the whole, after a grace for its first bytes.
LEAST_BYTES_A_SECOND = 16 * 1024
GRACE_S = 30.0
_PIECE = 64 * 1024
_LOOK_EVERY_S = 1.0

Application = Callable[[dict[str, Any], Any], Iterable[bytes]]


class BodyBroken(OSError):
    """A body did not come whole; the message says why."""


class Body:
    """The body of one request, of a length said beforehand, as it comes in.

    `read` and `readline` raise BodyBroken where it ends early or was cut off for its pace.
    """

    def __init__(self, stream: Any, length: int, connection: socket.socket | None) -> None:
        self.stream, self.length, self.connection = stream, length, connection
        self.came = 0
        self.began: float | None = None
        self.cut = False

    def read(self, size: int | None = -1) -> bytes:
        """Up to `size` bytes, all that is left where negative."""
        left = self.length - self.came
        wanted = left if size is None or size < 0 else min(size, left)
        parts = []
        while wanted > 0:
            part = self._count(self.stream.read(min(wanted, _PIECE)))
            parts.append(part)
            wanted -= len(part)
        return b"".join(parts)

    def readline(self, size: int | None = -1) -> bytes:
        """One line, up to `size` bytes of it."""
        left = self.length - self.came
        wanted = left if size is None or size < 0 else min(size, left)
        return self._count(self.stream.readline(wanted)) if wanted else b""

    def _count(self, part: bytes) -> bytes:
        if self.cut:
            raise BodyBroken(
                f"it came slower than {LEAST_BYTES_A_SECOND // 1024} KiB/s and was cut off"
            )
        if not part:
            raise BodyBroken(f"it broke off after {self.came} of {self.length} bytes")
        self.came += len(part)
        return part

    def is_late(self, now: float, grace_s: float) -> bool:
        """Whether less has come by now than should have."""
        if self.began is None or self.came >= self.length:
            return False
        return now - self.began > grace_s + self.came / LEAST_BYTES_A_SECOND

    def cut_off(self) -> None:
        """End it: whoever waits for more is told that nothing more comes."""
        self.cut = True
        if self.connection is not None:
            try:
                self.connection.shutdown(socket.SHUT_RD)
            except OSError:
                pass  # it has gone by itself


class BodyTimeoutMiddleware:
    """Hands requests to an application, each with a body that is whole, in time, or broken."""

    def __init__(self, application: Application, grace_s: float = GRACE_S) -> None:
        self.application, self.grace_s = application, grace_s
        self._coming: set[Body] = set()
        self._lock = threading.Lock()
        self._watch: threading.Thread | None = None

    def __call__(self, environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        length = environ.get("CONTENT_LENGTH") or "0"
        if not length.isdigit() or length == "0":
            return self.application(environ, start_response)
        body = Body(environ["wsgi.input"], int(length), environ.get("gunicorn.socket"))
        environ["wsgi.input"] = body
        self._follow(body)
        try:
            return self.application(environ, start_response)
        finally:
            with self._lock:
                self._coming.discard(body)

    def _follow(self, body: Body) -> None:
        body.began = time.monotonic()
        with self._lock:
            self._coming.add(body)
            if self._watch is None:
                self._watch = threading.Thread(target=self._look, name="bodies", daemon=True)
                self._watch.start()

    def _look(self) -> None:
        while True:
            time.sleep(min(_LOOK_EVERY_S, self.grace_s))
            now = time.monotonic()
            with self._lock:
                late = [body for body in self._coming if body.is_late(now, self.grace_s)]
                self._coming.difference_update(late)
            for body in late:
                body.cut_off()
