"""Compiled code that waits for what a display tells and stamps it, without the interpreter.

It is built from `stamping.c` where the project is set up, and is handed to rigs in the agent's
wheel. Where there is none for a machine, the watcher stamps what it is told by itself, at a higher
cost.
"""

from __future__ import annotations

import ctypes
import os
import platform
import select
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import xcffib

from yardstick_agent.display.connection import Connection, Drawn
from yardstick_agent.spool.ring import DRAWN, ENDED, Ring

#: Has no whole types of its own.
_xcffib: Any = xcffib
_CALLS_OF_THE_MACHINE = ("clock_gettime", "nanosleep", "write")

LIBRARY = Path(__file__).with_name(f"stamping-{platform.machine()}.so")


@cache
def _compiled() -> ctypes.CDLL | None:
    try:
        return ctypes.CDLL(str(LIBRARY))
    except OSError:
        return None


def available() -> bool:
    """Whether there is compiled code for this machine."""
    return _compiled() is not None


class Stamping:
    """One thread is in `run`; another takes what it has stamped. Records go through a ring."""

    def __init__(self, connection: Connection, ring: Ring) -> None:
        self.connection, self.ring = connection, ring
        self.ended = False
        self._bell = os.eventfd(0, os.EFD_CLOEXEC | os.EFD_NONBLOCK)
        self._bells = select.poll()
        self._bells.register(self._bell, select.POLLIN)
        ffi, machine = _xcffib.ffi, ctypes.CDLL(None)
        wait = int(ffi.cast("uintptr_t", ffi.addressof(_xcffib.lib, "xcb_wait_for_event")))
        free = int(ffi.cast("uintptr_t", _xcffib.c_free))
        others = [
            ctypes.cast(getattr(machine, name), ctypes.c_void_p).value
            for name in _CALLS_OF_THE_MACHINE
        ]
        self._calls = (ctypes.c_void_p * (2 + len(others)))(wait, free, *others)

    def run(self) -> None:
        """Stamp until the display ends, or until the first event after the ring is stopped."""
        compiled = _compiled()
        assert compiled is not None
        ring = (ctypes.c_char * len(self.ring.memory)).from_buffer(self.ring.memory)
        connection = int(_xcffib.ffi.cast("uintptr_t", self.connection.raw._conn))
        compiled.stamp(
            ctypes.byref(ring), ctypes.c_void_p(connection), self._bell,
            self.connection.drawn_event, self._calls,
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
