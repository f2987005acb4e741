"""Drafts a script from a person's work: `python -m yardstick_agent.playing.drafting RUN`.

The program is started on the rig's display, or on a virtual one; what is done there by keyboard and
pointer is heard, and what comes of it seen. On a virtual display the person works through pictures
elsewhere: what they do arrives in `hands.jsonl` and is sent to the display from here.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
import time
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path
from typing import Any

from yardstick_agent import leftovers
from yardstick_agent.bus import SessionBus
from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns
from yardstick_agent.display.connection import GONE, Connection
from yardstick_agent.display.input import Input
from yardstick_agent.display.listening import Done, Listener
from yardstick_agent.display.picture import Screen, png
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.display.watcher import Watcher
from yardstick_agent.display.windows import Window
from yardstick_agent.files import FolderWatch
from yardstick_agent.home import run_home
from yardstick_agent.session_user import user_of_session
from yardstick_agent.started import Started
from yardstick_agent.subject import NotStartedError, Program, Subject, adopt_orphans
from yardstick_core.assignment import LocalAssignment
from yardstick_core.script import at_every_level, keys
from yardstick_core.script.draft import Heard, draft

PICTURE_SECONDS = 0.2
HANDS_SECONDS = 0.03
FRAME_SPACING_NS = 20_000_000


class Drafting:
    """Everything that lives while a person works and is listened to."""

    def __init__(self, folder: Path, assignment: LocalAssignment) -> None:
        self.folder, self.assignment = folder, assignment
        self.program = Program(**assignment["program"])
        self.user = user_of_session(folder, assignment)
        self.changes, self.stopping = Changes(), threading.Event()
        self.heard: list[Heard] = []
        self.began_ns = now_ns()
        self.first_window = ""
        self.titled_until: dict[int, int] = {}
        self.started = Started()
        self._last_picture_ns = 0

    def run(self) -> str:
        """Listen until told to stop or the program ends; the drafted script."""
        with ExitStack() as stack:
            display, ours = str(self.assignment.get("display") or ""), set[int]()
            if not display:
                virtual = stack.enter_context(VirtualDisplay(user=self.user))
                display = virtual.name
                ours = set(virtual.process_ids)
                leftovers.note(self.folder, *ours)
            home = run_home(self.folder, self.program.home == "real", self.user)
            told = {**home.environment, "DISPLAY": display}
            bus = stack.enter_context(SessionBus(home.runtime, told, self.user))
            leftovers.note(self.folder, *bus.process_ids)
            ours |= set(bus.process_ids)
            self.inputs = Input(display)
            stack.callback(self.inputs.close)
            self.origins = Connection(display)
            stack.callback(self.origins.close)
            self.screen = Screen(self.inputs.connection)
            self.watcher = Watcher(display, self.started.belongs, self._changed, self.changes)
            work = FolderWatch(self.folder / "work", self.changes)
            for observer in (self.watcher, work):
                observer.start()
                stack.callback(observer.stop)
            work.follow(self.program.log or "output.txt")
            listener = Listener(display, self._done)
            listener.start()
            stack.callback(listener.stop)
            folder = self.folder / "work"
            subject = self.started.start(
                "",
                lambda: Subject(
                    self.program, folder, {**told, **bus.told}, self.changes,
                    others=lambda: ours, helpers=bus.helpers, user=self.user,
                ),
            )  # fmt: skip
            stack.callback(subject.kill)
            leftovers.note(self.folder, subject.pid)
            self._follow(work, subject)
        return self._drafted()

    def _changed(self, pictures: Sequence[int]) -> None:
        """Of many pictures in a row some are enough to know how long it went on."""
        for at_ns in pictures:
            if at_ns - self._last_picture_ns >= FRAME_SPACING_NS:
                self._last_picture_ns = at_ns
                self.heard.append(Heard("picture", at_ns))

    def _done(self, what: Done) -> None:
        window = self._under(what.x, what.y) if what.kind == "button" else None
        x, y, title = what.x, what.y, ""
        if window is not None:
            left, top = self._origin(window)
            x, y = x - left, y - top
            title = "" if window is self.watcher.main_window() else window.title
        self.heard.append(Heard(what.kind, what.at_ns, what.code, what.down, x, y, title))

    def _under(self, x: int, y: int) -> Window | None:
        """The smallest window of the program at a place of the screen; else its main one."""
        found = []
        for window in list(self.watcher.windows.values()):
            left, top = self._origin(window) if window.visible else (0, 0)
            inside = left <= x < left + window.width and top <= y < top + window.height
            if window.visible and inside and not window.popup:
                found.append(window)
        smallest = min(found, key=lambda w: w.width * w.height, default=None)
        return smallest or self.watcher.main_window()

    def _origin(self, window: Window) -> tuple[int, int]:
        try:
            return self.origins.origin(window.id)
        except GONE:
            return 0, 0

    # -- the loop ------------------------------------------------------------------

    def _follow(self, work: FolderWatch, subject: Subject) -> None:
        """Show pictures, act for whoever works from elsewhere, note windows, until the end."""
        shown: dict[int, tuple[bool, str]] = {}
        hands = self.folder / "hands.jsonl"
        acted, next_picture = 0, 0.0
        while not self.stopping.wait(HANDS_SECONDS) and not subject.exited_ns:
            acted = self._act(hands, acted)
            self._windows(shown)
            if time.monotonic() >= next_picture:
                next_picture = time.monotonic() + PICTURE_SECONDS
                self._show()
        if subject.exited_ns:
            self.heard.append(Heard("exited", subject.exited_ns))
        for log in work.logs.values():
            self.heard += [Heard("log", line.at_ns, title=line.text) for line in log.lines]

    def _windows(self, shown: dict[int, tuple[bool, str]]) -> None:
        """Note windows that have come and gone; the first one is part of the launch."""
        for window in list(self.watcher.windows.values()):
            if window.popup:
                continue
            self._titles(window)
            before = shown.get(window.id, (False, ""))[0]
            if window.visible == before:
                continue
            shown[window.id] = (window.visible, window.title)
            if window.visible and not self.first_window:
                self.first_window = window.title
            elif window.visible:
                self.heard.append(Heard("shown", window.shown_ns, title=window.title))
            else:
                self.heard.append(Heard("gone", window.gone_ns, title=window.title))

    def _titles(self, window: Window) -> None:
        """Note what a window has been called since this was last looked at."""
        told = self.titled_until.get(window.id, 0)
        names = [*(before for _, before in window.renamed[1:]), window.title]
        for (at, _), title in zip(window.renamed, names, strict=False):
            if at > told:
                self.heard.append(Heard("titled", at, title=title))
                self.titled_until[window.id] = at

    def _show(self) -> None:
        for name, data in (("picture.png", png(self.screen.take())), ("live.json", self._state())):
            waiting = self.folder / f"{name}.new"
            waiting.write_bytes(data)
            waiting.replace(self.folder / name)

    def _state(self) -> bytes:
        done = sum(heard.kind in ("key", "button") and heard.down for heard in self.heard)
        state = {"elapsed_ns": now_ns() - self.began_ns, "line": 0, "heard": done}
        return json.dumps(state).encode()

    def _act(self, hands: Path, acted: int) -> int:
        """Send what a person elsewhere has done since; how much of it has been sent by now."""
        try:
            lines = hands.read_text().splitlines()
        except OSError:
            return acted
        for line in lines[acted:]:
            self._do(json.loads(line))
        return len(lines)

    def _do(self, hand: dict[str, Any]) -> None:
        inputs, kind = self.inputs, hand["kind"]
        x, y = int(hand.get("x", 0)), int(hand.get("y", 0))
        if kind == "press" and keys.unknown_key(hand["keys"]) is None:
            inputs.press(hand["keys"])
        elif kind == "type":
            inputs.type(hand["keys"][:200])
        elif kind == "click":
            inputs.click(x, y, hand.get("button", "left"), False)
        elif kind == "scroll":
            inputs.scroll(hand.get("way", "down"), min(20, int(hand.get("notches", 1))), (x, y))
        elif kind == "drag":
            end = (int(hand["to_x"]), int(hand["to_y"]))
            inputs.drag((x, y), end, min(3_000, int(hand.get("ms", 200))) * 1_000_000)

    def _drafted(self) -> str:
        title = f"Work with {self.first_window or 'the program'}"
        files = [
            fixture.file
            for script in at_every_level(self.assignment["script"])[:1]
            for fixture in script.fixtures
        ]
        return draft(self.heard, title, self.first_window, files)


def main() -> None:
    os.umask(0o077)
    folder = Path(sys.argv[1]).resolve()
    adopt_orphans()
    drafting = Drafting(folder, json.loads((folder / "assignment.json").read_text()))
    for kind in (signal.SIGTERM, signal.SIGINT):
        signal.signal(kind, lambda *_: drafting.stopping.set())
    try:
        text = drafting.run()
    except NotStartedError as error:
        (folder / "failed").write_text(str(error))
        sys.exit(1)
    (folder / "draft.session").write_text(text, encoding="utf-8")
    os._exit(0)


if __name__ == "__main__":
    main()
