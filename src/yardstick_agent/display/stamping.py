"""Compiled code that waits for what a display tells and stamps it, in threads of its own."""

from __future__ import annotations

import ctypes
import os
import select
from typing import Any

import xcffib

from yardstick_agent.compiled import calls, library
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.drawn import DrawnConnection
from yardstick_agent.spool.ring import ENDED, Ring, Stamped

#: Has no whole types of its own.
_xcffib: Any = xcffib


class Stamping:
    """One thread is in `run`, one in `run_drawn`; another takes what they have stamped.

    What was drawn goes through `ring`, which may outlive this process, the rest through one in
    memory.
    """

    def __init__(self, display: str, connection: Connection, ring: Ring) -> None:
        self.connection, self.ring = connection, ring
        self.drawn = DrawnConnection(display)
        self.ended = False
        self._others = Ring()
        self._bell = os.eventfd(0, os.EFD_CLOEXEC | os.EFD_NONBLOCK)
        self._bells = select.poll()
        self._bells.register(self._bell, select.POLLIN)

    def run(self) -> None:
        """Stamp what wants an answer until the display ends, or an event after it is stopped."""
        connection = int(_xcffib.ffi.cast("uintptr_t", self.connection.raw._conn))
        _compiled().stamp(
            self._others.address(), ctypes.c_void_p(connection), self._bell, calls()
        )  # fmt: skip

    def run_drawn(self) -> None:
        """Stamp what is drawn until the display ends, or it is stopped."""
        _compiled().stamp_drawn(
            self.ring.address(), self.drawn.handle, self._bell, self.drawn.event, calls()
        )

    def stop(self) -> None:
        """Ask for the end; `run` sees that with the next event."""
        self._others.stop()
        self.ring.stop()
        self.drawn.shut()

    def wait(self, seconds: float) -> None:
        """Wait until something wants an answer, at most so long."""
        if self._bells.poll(seconds * 1000):
            os.eventfd_read(self._bell)

    @property
    def waiting(self) -> bool:
        """Whether there is something to take."""
        return self.ring.waiting or self._others.waiting

    def look(self) -> list[Stamped]:
        """What was stamped and has not been taken, in order of its instants."""
        others, drawn = list(self._others.look()), list(self.ring.look())
        return sorted([*others, *drawn]) if others else drawn

    def take(self) -> None:
        """What was looked at last counts as taken: it is kept elsewhere by now."""
        self._others.take()
        self.ring.take()

    def event(self, stamped: Stamped) -> xcffib.Event | None:
        """What was stamped, other than a drawn rectangle; None of a request about a gone window.

        Sets `ended` when it is the end.
        """
        if stamped.kind == ENDED:
            self.ended = True
            return None
        return self.connection.event_at(stamped.address)


def _compiled() -> ctypes.CDLL:
    compiled = library()
    assert compiled is not None
    return compiled
