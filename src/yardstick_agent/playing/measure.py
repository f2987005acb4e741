"""Measures one run in a process of its own: `python -m yardstick_agent.playing.measure RUN`.

The run's folder holds `assignment.json`; everything measured is written beside it. The process
that sends the record is another, so that sending never disturbs measuring.
"""

from __future__ import annotations

import json
import os
import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from itertools import pairwise
from pathlib import Path
from typing import Any

from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.input import Input
from yardstick_agent.display.picture import screen_picture
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.display.watcher import Watcher
from yardstick_agent.files import FolderWatch
from yardstick_agent.playing.conditions import Scene
from yardstick_agent.playing.player import Player, SessionEnded
from yardstick_agent.sampling import machine
from yardstick_agent.sampling.sampler import Sampler
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_agent.subject import NotStartedError, Program, Subject
from yardstick_core.script import keys, parse, schedule
from yardstick_core.script.check import walk
from yardstick_core.script.model import Press, Script, Type
from yardstick_core.script.schedule import Schedule

LIVE_SECONDS = 0.4
PICTURE_SECONDS = 0.5
LIVE_REACH_NS = 3_000_000_000
BEAT_NS = 50_000_000


class Measurement:
    """Everything that lives while one run is measured."""

    def __init__(self, folder: Path, assignment: dict[str, Any]) -> None:
        self.folder, self.assignment = folder, assignment
        self.script: Script = parse(assignment["script"], assignment.get("values"))
        self.schedule: Schedule = schedule(self.script, assignment.get("tags", ()))
        self.program = Program(**assignment["program"])
        self.spool = SpoolWriter(folder, now_ns())
        self.changes = Changes()
        self.stopping = threading.Event()
        self.display_processes: list[int] = []
        self.subject: Subject | None = None
        self.player: Player | None = None

    def run(self) -> str:
        """Play the session and note how it ended; the outcome."""
        with ExitStack() as stack:
            stack.callback(self.spool.close)
            display = self._display(stack)
            scene = self._observers(stack, display)
            inputs = Input(display)
            stack.callback(inputs.close)
            inputs.keyboard.prepare(_keysyms(self.script))
            facts = machine.facts(inputs.connection.describe())
            self.spool.journal("facts", now_ns(), facts=facts, clock_ns=self.spool.origin_ns)
            self.player = Player(
                scene, inputs, self.spool, self.changes,
                lambda: self._start_subject(display), self.stopping.is_set,
            )  # fmt: skip
            if self.assignment.get("pictures"):
                stack.enter_context(self._pictured(display))
            with self._told_live():
                outcome, detail = self._play(self.player)
            watcher = scene.watcher
            self.spool.journal(
                "observer",
                now_ns(),
                frames=watcher.frames,
                starved=watcher.starved,
                longest_lag_ms=watcher.longest_lag_ns / 1e6,
            )
            self.spool.journal("outcome", now_ns(), outcome=outcome, detail=detail)
            return outcome

    def _play(self, player: Player) -> tuple[str, str]:
        try:
            player.settle(self.script.before)
            player.play(self.schedule)
            if player.wrong:
                return "wrong result", "; ".join(player.wrong)
            return "finished", ""
        except SessionEnded as end:
            return end.outcome, end.detail
        except NotStartedError as error:
            return "not started", str(error)
        finally:
            if self.subject is not None and not self.subject.exited_ns:
                self.subject.kill()

    def _display(self, stack: ExitStack) -> str:
        given = self.assignment.get("display")
        if given:
            return str(given)
        display = stack.enter_context(VirtualDisplay())
        self.display_processes = display.process_ids
        (self.folder / "processes.json").write_text(json.dumps(display.process_ids))
        return display.name

    def _observers(self, stack: ExitStack, display: str) -> Scene:
        watcher = Watcher(display, self._belongs, self.spool.frame, self.changes)
        folder = FolderWatch(self.folder / "work", self.program.log, self.changes)
        self.sampler = Sampler(self.spool.counter, self._own_processes)
        for observer in (watcher, folder, self.sampler):
            observer.start()
            stack.callback(observer.stop)
        self.watcher = watcher
        return Scene(watcher, folder, busy=self.sampler.busy_share)

    def _start_subject(self, display: str) -> Subject:
        self.subject = Subject(self.program, self.folder / "work", display, self.changes)
        self.sampler.follow(self.subject.pid)
        return self.subject

    def _belongs(self, pid: int) -> bool:
        return self.subject is not None and self.subject.owns(pid)

    def _own_processes(self) -> list[int]:
        return [os.getpid(), os.getppid(), *self.display_processes]

    @contextmanager
    def _told_live(self) -> Iterator[None]:
        """Replace live.json twice a second while the session plays."""
        done = threading.Event()

        def tell() -> None:
            while not done.wait(LIVE_SECONDS):
                self.spool.live(self._live_state())

        thread = threading.Thread(target=tell, name="live", daemon=True)
        thread.start()
        try:
            yield
        finally:
            done.set()
            thread.join()
            self.spool.live(self._live_state())

    @contextmanager
    def _pictured(self, display: str) -> Iterator[None]:
        """Replace picture.png twice a second: only in rehearsals, for it costs processor time.

        The last one shows the subject before it was ended.
        """
        done = threading.Event()

        def draw() -> None:
            connection = Connection(display)
            try:
                while not done.wait(PICTURE_SECONDS):
                    waiting = self.folder / "picture.new"
                    waiting.write_bytes(screen_picture(connection))
                    waiting.replace(self.folder / "picture.png")
            finally:
                connection.close()

        thread = threading.Thread(target=draw, name="pictures", daemon=True)
        thread.start()
        try:
            yield
        finally:
            done.set()
            thread.join(2)

    def _live_state(self) -> dict[str, Any]:
        player = self.player
        used = self.sampler.latest
        return {
            "elapsed_ns": now_ns() - self.spool.origin_ns,
            "step": player.step if player else "",
            "position": player.position if player else 0,
            "line": self._line(),
            "operations": len(self.schedule.operations),
            "beats": self._beats(),
            "processor_seconds": used.processor_seconds,
            "resident": used.resident,
        }

    def _line(self) -> int:
        """The line of the script that is played, or was last."""
        operations = self.schedule.operations
        place = min(self.player.position if self.player else 0, len(operations) - 1)
        return operations[place].line if operations else 0

    def _beats(self) -> list[list[float]]:
        """The last three seconds in beats of 50 ms: number, frames ended, longest of them in ms."""
        now = now_ns()
        origin = self.spool.origin_ns
        beats: dict[int, list[float]] = {}
        for before, at in pairwise(self.watcher.recent_frames(now - LIVE_REACH_NS)):
            number = (at - origin) // BEAT_NS
            beat = beats.setdefault(number, [number, 0, 0.0])
            beat[1] += 1
            beat[2] = max(beat[2], round((at - before) / 1e6, 2))
        return [beat for number, beat in beats.items() if origin + (number + 1) * BEAT_NS < now]


def _keysyms(script: Script) -> list[int]:
    found: list[int] = []
    for statement in walk(script.steps):
        if isinstance(statement, Press):
            found += keys.chord_keysyms(statement.chord)
        elif isinstance(statement, Type):
            found += [keys.character_keysym(character) for character in statement.text]
    return found


def main() -> None:
    folder = Path(sys.argv[1]).resolve()
    sys.setswitchinterval(0.0005)
    assignment = json.loads((folder / "assignment.json").read_text())
    measurement = Measurement(folder, assignment)
    for kind in (signal.SIGTERM, signal.SIGINT):
        signal.signal(kind, lambda *_: measurement.stopping.set())
    measurement.run()


if __name__ == "__main__":
    main()
