"""Processes started together and stopped together."""

from __future__ import annotations

import os
import signal
import subprocess
import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Protocol

from yardstick_command.install import Missing, say
from yardstick_command.places import STATE

#: First pause before a part that ended is started again, the longest one, and for how long one
#: must hold to be taken for well.
RESTART_SECONDS, LONGEST_SECONDS, STEADY_SECONDS = 1.0, 30.0, 60.0


@dataclass
class Part:
    """One process of the whole: its command, and what it says, which goes to a log file.

    The kernel ends it when this command is gone, however that came about.
    """

    name: str
    command: list[str]
    environment: dict[str, str] = field(default_factory=dict)
    patience: float = 10.0
    process: subprocess.Popen[bytes] | None = None

    def ended(self) -> int | None:
        """The status it ended with by itself; None while it runs, or was never started."""
        return self.process.poll() if self.process is not None else None

    def start(self) -> None:
        log = open(STATE / f"{self.name}.log", "ab")  # noqa: SIM115
        self.process = subprocess.Popen(
            ["setpriv", "--pdeathsig", "TERM", "--", *self.command],
            env={**os.environ, **self.environment},
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
        log.close()

    def stop(self) -> None:
        if self.process is None or self.process.poll() is not None:
            return
        self.process.send_signal(signal.SIGTERM)
        try:
            self.process.wait(self.patience)
        except subprocess.TimeoutExpired:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()


class Supervised(Protocol):
    """Something that can be started again: a part, or the database below all parts."""

    @property
    def name(self) -> str: ...

    def start(self) -> None: ...

    def ended(self) -> int | None:
        """The status it ended with by itself; None while it runs, or was never started."""


@dataclass
class _Wait:
    """How long a part that ended is waited for, until when, and when it was started again."""

    pause: float
    due: float | None = None
    started: float = 0.0


class Together:
    """Starts parts in order, starts again those that end by themselves, stops all.

    `below` is what all of them need and what is started and stopped elsewhere. What ends again and
    again is waited for longer each time, and holds up no other.
    """

    def __init__(self, parts: list[Part], below: Sequence[Supervised] = ()) -> None:
        self.parts = parts
        self.below = below
        self.stopping = threading.Event()
        self._waits: dict[str, _Wait] = {}

    def start(self) -> None:
        for part in self.parts:
            part.start()

    def wait(self) -> None:
        """Until told to stop; a part that ends meanwhile is started again."""
        for kind in (signal.SIGINT, signal.SIGTERM):
            signal.signal(kind, lambda *_: self.stopping.set())
        while not self.stopping.wait(0.5):
            self.look()

    def look(self) -> None:
        """Start again what has ended by itself, once its time has come."""
        for part in (*self.below, *self.parts):
            now, code = time.monotonic(), part.ended()
            wait = self._waits.setdefault(part.name, _Wait(RESTART_SECONDS))
            if code is None:
                if now > wait.started + STEADY_SECONDS:
                    wait.pause = RESTART_SECONDS
            elif wait.due is None:
                log = STATE / f"{part.name}.log"
                say(
                    f"{part.name} ended with status {code}, starting it again in "
                    f"{wait.pause:.0f} s; see {log}"
                )
                wait.due = now + wait.pause
            elif now >= wait.due:
                wait.pause, wait.due = min(LONGEST_SECONDS, 2 * wait.pause), None
                wait.started = now
                try:
                    part.start()
                except Missing as trouble:
                    say(f"{part.name} could not be started: {trouble}")

    def stop(self) -> None:
        for part in reversed(self.parts):
            part.stop()
