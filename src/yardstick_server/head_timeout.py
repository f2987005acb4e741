"""A worker of gunicorn's that waits only so long for the head of a request.

Each thread serves one connection: a few that send half a head and no more would hold all of them.
A proxy that reads whole heads first keeps them away; without one, this does.
"""

from __future__ import annotations

import socket
import threading
import time
from typing import Any

from gunicorn.workers.gthread import ThreadWorker

#: A head must have come whole so long after its first byte.
HEAD_SECONDS = 5.0
_LOOK_EVERY_SECONDS = 0.5


class HeadTimeoutWorker(ThreadWorker):
    """Threads; a connection whose head takes too long is ended, which frees its thread."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._coming: dict[Any, float] = {}
        self._coming_lock = threading.Lock()

    def init_process(self) -> None:
        threading.Thread(target=self._look, name="heads", daemon=True).start()
        super().init_process()

    def handle(self, conn: Any) -> Any:
        with self._coming_lock:
            self._coming[conn] = time.monotonic()
        try:
            return super().handle(conn)
        finally:
            self._head_came(conn)

    def handle_request(self, req: Any, conn: Any) -> Any:
        self._head_came(conn)
        return super().handle_request(req, conn)

    def _head_came(self, conn: Any) -> None:
        with self._coming_lock:
            self._coming.pop(conn, None)

    def _look(self) -> None:
        while True:
            time.sleep(_LOOK_EVERY_SECONDS)
            self.end_late(time.monotonic() - HEAD_SECONDS)

    def end_late(self, before: float) -> None:
        """End connections whose head began before an instant of the monotonic clock."""
        with self._coming_lock:
            late = [conn for conn, began in self._coming.items() if began < before]
        for conn in late:
            try:
                conn.sock.shutdown(socket.SHUT_RDWR)
            except OSError:
                continue  # it has gone by itself
