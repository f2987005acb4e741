"""Listens to what a person does on a display, through the RECORD extension of the X server."""

from __future__ import annotations

import struct
import threading
from collections.abc import Callable
from dataclasses import dataclass

import xcffib
import xcffib.record

from yardstick_agent.clock import LONGEST_LAG_NS, MS, lag_ns, now_ns
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.input import (
    BUTTON_PRESS,
    BUTTON_RELEASE,
    KEY_PRESS,
    KEY_RELEASE,
    MOTION,
    Keyboard,
)

_EVENT = struct.Struct("=BBHIIIIhh")
_EVENT_BYTES = 32
_ALL_CLIENTS, _FROM_SERVER, _END_OF_DATA = 3, 0, 5
_NUMBER_OF_KEYS, _SHIFT_MASK = 1, 1


@dataclass(frozen=True, slots=True)
class Done:
    """A key or button going down or up; keys by keysym, with the place of the pointer."""

    kind: str
    at_ns: int
    code: int
    down: bool
    x: int
    y: int


class Listener:
    """Tells every key and button of a display, whoever or whatever it comes from."""

    def __init__(self, display: str, tell: Callable[[Done], None]) -> None:
        self.tell = tell
        self._last_ns = 0
        self.control, self.data = Connection(display), Connection(display)
        self.keyboard = Keyboard(self.control)
        self.context = self.control.raw.generate_id()
        record = self.control.extension(xcffib.record.key)
        record.QueryVersion(1, 13).reply()
        none8, none16 = (
            xcffib.record.Range8.synthetic(0, 0),
            xcffib.record.Range16.synthetic(0, 0),
        )
        nothing = xcffib.record.ExtRange.synthetic(none8, none16)
        devices = xcffib.record.Range8.synthetic(KEY_PRESS, MOTION)
        wanted = xcffib.record.Range.synthetic(
            none8, none8, nothing, nothing, none8, devices, none8, False, False
        )
        record.CreateContext(self.context, 0, 1, 1, [_ALL_CLIENTS], [wanted])
        self.control.core.GetInputFocus().reply()
        self._thread = threading.Thread(target=self._run, name="listener", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self.control.extension(xcffib.record.key).DisableContext(self.context)
        self.control.raw.flush()
        self._thread.join(2)
        self.control.close()
        self.data.close()

    def _run(self) -> None:
        asked = self.data.extension(xcffib.record.key).EnableContext(self.context)
        while True:
            try:
                reply = asked.reply()
            except (xcffib.ConnectionException, xcffib.ProtocolException):
                return  # the display ended
            if reply.category == _END_OF_DATA:
                return
            if reply.category == _FROM_SERVER:
                self._heard(bytes(reply.data.buf()), now_ns())

    def _heard(self, data: bytes, received_ns: int) -> None:
        for place in range(0, len(data) - _EVENT_BYTES + 1, _EVENT_BYTES):
            kind, detail, _, ms, _, _, _, x, y = _EVENT.unpack_from(data, place)
            (state,) = struct.unpack_from("=H", data, place + 28)
            happened = self._happened(ms, received_ns)
            if kind in (KEY_PRESS, KEY_RELEASE):
                code = self._keysym(detail, bool(state & _SHIFT_MASK))
                self.tell(Done("key", happened, code, kind == KEY_PRESS, x, y))
            elif kind in (BUTTON_PRESS, BUTTON_RELEASE):
                self.tell(Done("button", happened, detail, kind == BUTTON_PRESS, x, y))

    def _happened(self, server_ms: int, received_ns: int) -> int:
        """When the server saw it, however late we are told; never before what it saw earlier.

        What comes of an input is stamped by others: told late, it would seem to come before it.
        """
        lag = lag_ns(server_ms, received_ns)
        seen_ns = received_ns // MS * MS - lag if lag < LONGEST_LAG_NS else received_ns
        self._last_ns = max(seen_ns, self._last_ns)
        return self._last_ns

    def _keysym(self, keycode: int, shifted: bool) -> int:
        """What a key means just now; keys may have been bound anew since the start."""
        reply = self.control.core.GetKeyboardMapping(keycode, _NUMBER_OF_KEYS).reply()
        row = list(reply.keysyms)
        column = 1 if shifted and len(row) > 1 and row[1] else 0
        return int(row[column]) if row else 0
