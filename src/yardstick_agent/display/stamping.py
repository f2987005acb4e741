"""Compiled code that waits for what a display tells and stamps it, in a thread of its own."""

from __future__ import annotations

import ctypes
import os
import select
from collections.abc import Iterator
from typing import Any

import xcffib

from yardstick_agent.compiled import calls, library
from yardstick_agent.display.connection import Connection, Drawn
from yardstick_agent.spool.ring import DRAWN, ENDED, Ring

#: Has no whole types of its own.
_xcffib: Any = xcffib


class Stamping:
    """One thread is in `run`; another takes what it has stamped. Records go through a ring."""

    def __init__(self, connection: Connection, ring: Ring) -> None:
        self.connection, self.ring = connection, ring
        self.ended = False
        self._bell = os.eventfd(0, os.EFD_CLOEXEC | os.EFD_NONBLOCK)
        self._bells = select.poll()
        self._bells.register(self._bell, select.POLLIN)

    def run(self) -> None:
        """Stamp until the display ends, or until the first event after the ring is stopped."""
        compiled = library()
        assert compiled is not None
        ring = (ctypes.c_char * len(self.ring.memory)).from_buffer(self.ring.memory)
        connection = int(_xcffib.ffi.cast("uintptr_t", self.connection.raw._conn))
        compiled.stamp(
            ctypes.byref(ring), ctypes.c_void_p(connection), self._bell,
            self.connection.drawn_event, calls(),
        )  # fmt: skip

    def wait(self, seconds: float) -> None:
        """Wait until something wants an answer, at most so long."""
        if self._bells.poll(seconds * 1000):
            os.eventfd_read(self._bell)

    def look(self) -> Iterator[tuple[int, Drawn | xcffib.Event]]:
        """What the display told since the last was taken, each with its instant in ns.

        Sets `ended` when it told the end. What came of a request about a window that is gone is
        passed over.
        """
        for one in self.ring.look():
            if one.kind == DRAWN:
                yield one.at_ns, Drawn(*one[1:7])
            elif one.kind == ENDED:
                self.ended = True
            else:
                event = self.connection.event_at(one.address)
                if event is not None:
                    yield one.at_ns, event
