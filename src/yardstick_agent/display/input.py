"""Sends keys and pointer input to the display through the XTEST extension."""

from __future__ import annotations

import time
from collections.abc import Iterable

import xcffib.xtest

from yardstick_agent.clock import now_ns, sleep_until
from yardstick_agent.display.connection import Connection
from yardstick_core.script import keys

KEY_PRESS, KEY_RELEASE, BUTTON_PRESS, BUTTON_RELEASE, MOTION = 2, 3, 4, 5, 6
BUTTONS = {"left": 1, "middle": 2, "right": 3}
WHEEL = {"up": 4, "down": 5, "left": 6, "right": 7}
TYPING_GAP_NS = 4_000_000
DRAG_GAP_NS = 8_000_000
SHIFT = keys.MODIFIERS["Shift"]


class Keyboard:
    """Which key types which keysym; keysyms no key has are bound to unused keys."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        setup = connection.setup
        self.first, self.last = setup.min_keycode, setup.max_keycode
        self.codes: dict[int, tuple[int, bool]] = {}
        self.unused: list[int] = []
        self._read()

    def _read(self) -> None:
        count = self.last - self.first + 1
        reply = self.connection.core.GetKeyboardMapping(self.first, count).reply()
        self.width = reply.keysyms_per_keycode
        for place in range(count):
            row = list(reply.keysyms[place * self.width : (place + 1) * self.width])
            if not any(row):
                self.unused.append(self.first + place)
            for column in (1, 0):
                if column < len(row) and row[column]:
                    known = self.codes.get(row[column])
                    if known is None or (known[1] and column == 0):
                        self.codes[row[column]] = (self.first + place, column == 1)

    def prepare(self, keysyms: Iterable[int]) -> None:
        """Bind every keysym that no key types yet, once, before anything is measured."""
        missing = [keysym for keysym in dict.fromkeys(keysyms) if keysym not in self.codes]
        for keysym in missing:
            if not self.unused:
                raise ValueError("the keyboard has no unused key left to bind a character to")
            code = self.unused.pop()
            row = [keysym, keysym] + [0] * (self.width - 2)
            self.connection.core.ChangeKeyboardMapping(1, code, self.width, row)
            self.codes[keysym] = (code, False)
        if missing:
            self.connection.core.GetInputFocus().reply()
            time.sleep(0.1)

    def code(self, keysym: int) -> tuple[int, bool]:
        """Key and whether Shift must be held."""
        if keysym not in self.codes:
            self.prepare([keysym])
        return self.codes[keysym]


class Input:
    """Every method sends at once and returns the instant it was sent, in ns."""

    def __init__(self, display: str) -> None:
        self.connection = Connection(display)
        self.test = self.connection.extension(xcffib.xtest.key)
        self.test.GetVersion(2, 2).reply()
        self.keyboard = Keyboard(self.connection)

    def close(self) -> None:
        self.connection.close()

    def _fake(self, kind: int, detail: int, x: int = 0, y: int = 0) -> None:
        root = self.connection.root if kind == MOTION else 0
        self.test.FakeInput(kind, detail, 0, root, x, y, 0)

    def _send(self) -> int:
        at = now_ns()
        self.connection.raw.flush()
        return at

    def press(self, chord: str) -> int:
        codes = []
        for keysym in keys.chord_keysyms(chord):
            code, shifted = self.keyboard.code(keysym)
            if shifted:
                codes.append(self.keyboard.code(SHIFT)[0])
            codes.append(code)
        for code in codes:
            self._fake(KEY_PRESS, code)
        for code in reversed(codes):
            self._fake(KEY_RELEASE, code)
        return self._send()

    def type(self, text: str) -> int:
        """Characters 4 ms apart; the instant of the first."""
        first = 0
        due = now_ns()
        for character in text:
            sleep_until(due)
            code, shifted = self.keyboard.code(keys.character_keysym(character))
            shift = self.keyboard.code(SHIFT)[0]
            if shifted:
                self._fake(KEY_PRESS, shift)
            self._fake(KEY_PRESS, code)
            self._fake(KEY_RELEASE, code)
            if shifted:
                self._fake(KEY_RELEASE, shift)
            at = self._send()
            first = first or at
            due += TYPING_GAP_NS
        return first or now_ns()

    def move(self, x: int, y: int) -> int:
        self._fake(MOTION, 0, x, y)
        return self._send()

    def click(self, x: int, y: int, button: str, double: bool) -> int:
        self._fake(MOTION, 0, x, y)
        for _ in range(2 if double else 1):
            self._fake(BUTTON_PRESS, BUTTONS[button])
            self._fake(BUTTON_RELEASE, BUTTONS[button])
        return self._send()

    def scroll(self, direction: str, notches: int, place: tuple[int, int] | None) -> int:
        if place is not None:
            self._fake(MOTION, 0, *place)
        for _ in range(notches):
            self._fake(BUTTON_PRESS, WHEEL[direction])
            self._fake(BUTTON_RELEASE, WHEEL[direction])
        return self._send()

    def drag(self, start: tuple[int, int], end: tuple[int, int], over_ns: int) -> int:
        """Press, move in even steps of about 8 ms, release; the instant of the press."""
        self._fake(MOTION, 0, *start)
        self._fake(BUTTON_PRESS, BUTTONS["left"])
        at = self._send()
        steps = max(1, over_ns // DRAG_GAP_NS)
        for step in range(1, steps + 1):
            sleep_until(at + over_ns * step // steps)
            x = start[0] + (end[0] - start[0]) * step // steps
            y = start[1] + (end[1] - start[1]) * step // steps
            self.move(x, y)
        self._fake(BUTTON_RELEASE, BUTTONS["left"])
        self._send()
        return at
