"""A connection over which a display tells what is drawn, and nothing else.

It is made by the display's library, which is not asked to read from it afterwards: what comes are
packets of 32 bytes, which compiled code waits for in one call.
"""

from __future__ import annotations

import contextlib
import os
import socket
import struct

import xcffib.damage

from yardstick_agent.display.connection import Connection

_CREATE, _DESTROY = 1, 2
#: Requests: opcode of the extension, its own, length in words; damage, and drawable and level.
_CREATING, _DESTROYING = struct.Struct("=BBHIIBxxx"), struct.Struct("=BBHI")


class DrawnConnection:
    """Which windows are watched is said by one thread at a time, while another one waits."""

    def __init__(self, display: str) -> None:
        self._connection = Connection(display)
        damage = self._connection.extension(xcffib.damage.key)
        damage.QueryVersion(1, 1).reply()
        extension = self._connection.core.QueryExtension(len("DAMAGE"), "DAMAGE").reply()
        self._opcode: int = extension.major_opcode
        #: The number that reports have among what comes.
        self.event: int = extension.first_event
        self.handle: int = self._connection.raw.get_file_descriptor()
        os.set_blocking(self.handle, True)

    def watch(self, window: int) -> int:
        """Have every rectangle told that is drawn in a window; the number to end that by."""
        number: int = self._connection.raw.generate_id()
        level = xcffib.damage.ReportLevel.RawRectangles
        self._ask(_CREATING.pack(self._opcode, _CREATE, _CREATING.size // 4, number, window, level))
        return number

    def leave(self, number: int) -> None:
        self._ask(_DESTROYING.pack(self._opcode, _DESTROY, _DESTROYING.size // 4, number))

    def _ask(self, request: bytes) -> None:
        with contextlib.suppress(OSError):  # the display has ended: whoever waits finds out
            os.write(self.handle, request)

    def shut(self) -> None:
        """Wake whoever waits for good."""
        with contextlib.suppress(OSError), socket.socket(fileno=os.dup(self.handle)) as shutting:
            shutting.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        self._connection.close()
