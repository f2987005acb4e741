"""Processes started together and stopped together."""

from __future__ import annotations

import os
import signal
import subprocess
import threading
import time
from dataclasses import dataclass, field

from yardstick_command.install import say
from yardstick_command.places import STATE

RESTART_SECONDS = 2.0


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


class Together:
    """Starts parts in order, starts again those that end by themselves, stops all."""

    def __init__(self, parts: list[Part]) -> None:
        self.parts = parts
        self.stopping = threading.Event()

    def start(self) -> None:
        for part in self.parts:
            part.start()

    def wait(self) -> None:
        """Until told to stop; a part that ends meanwhile is started again."""
        for kind in (signal.SIGINT, signal.SIGTERM):
            signal.signal(kind, lambda *_: self.stopping.set())
        while not self.stopping.wait(0.5):
            for part in self.parts:
                if part.process is not None and part.process.poll() is not None:
                    code = part.process.returncode
                    log = STATE / f"{part.name}.log"
                    say(f"{part.name} ended with status {code}, starting it again; see {log}")
                    time.sleep(RESTART_SECONDS)
                    part.start()

    def stop(self) -> None:
        for part in reversed(self.parts):
            part.stop()
