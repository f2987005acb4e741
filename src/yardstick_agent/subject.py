"""The program under test as a process: started, watched for its end, ended."""

from __future__ import annotations

import os
import signal
import subprocess
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns
from yardstick_agent.sampling import processes

PASSED_ON = ("PATH", "HOME", "USER", "LANG", "LC_ALL", "TZ", "XDG_RUNTIME_DIR")


class NotStartedError(RuntimeError):
    """The subject could not be started; the message says why."""


@dataclass(frozen=True, slots=True)
class Program:
    """What a rig starts for a variant: its command, environment and log file."""

    command: list[str]
    environment: dict[str, str] = field(default_factory=dict)
    log: str = ""


class Subject:
    """One start of the program; the end of its first process is its end."""

    def __init__(self, program: Program, folder: Path, display: str, changes: Changes) -> None:
        self.changes = changes
        self.output = folder / "output.txt"
        environment = {name: os.environ[name] for name in PASSED_ON if name in os.environ}
        environment |= {"DISPLAY": display, "LANG": environment.get("LANG", "C.UTF-8")}
        environment |= program.environment
        self.started_ns = now_ns()
        try:
            with open(self.output, "ab") as output:
                self.process = subprocess.Popen(
                    program.command,
                    cwd=folder,
                    env=environment,
                    stdin=subprocess.DEVNULL,
                    stdout=output,
                    stderr=subprocess.STDOUT,
                    start_new_session=True,
                )
        except OSError as error:
            raise NotStartedError(
                f"“{program.command[0]}” cannot be started: {error.strerror or error}"
            ) from error
        self.exited_ns = 0
        self._thread = threading.Thread(target=self._reap, name="subject", daemon=True)
        self._thread.start()

    @property
    def pid(self) -> int:
        return self.process.pid

    def _reap(self) -> None:
        self.process.wait()
        self.exited_ns = now_ns()
        self.changes.tell()

    def owns(self, pid: int) -> bool:
        return processes.descends_from(pid, self.pid)

    def ending(self) -> str:
        """How it ended, in words."""
        code = self.process.returncode
        if code is None:
            return "still running"
        if code < 0:
            return f"killed by {signal.Signals(-code).name}"
        return f"ended with exit status {code}"

    def last_output(self) -> str:
        """The last line it printed, which often says why it ended."""
        lines = self.output.read_text(errors="replace").strip().splitlines()
        return lines[-1][:300] if lines else ""

    def wait(self, seconds: float) -> bool:
        """Whether it has ended within `seconds`."""
        self._thread.join(seconds)
        return not self._thread.is_alive()

    def kill(self) -> None:
        """End it and everything it started."""
        stray = processes.tree(self.pid)
        for kind, patience in ((signal.SIGTERM, 2.0), (signal.SIGKILL, 2.0)):
            try:
                os.killpg(self.pid, kind)
            except ProcessLookupError:
                break
            if self.wait(patience):
                break
        for pid in stray:
            if pid != self.pid and processes.descends_from(pid, self.pid):
                try:
                    os.kill(pid, signal.SIGKILL)
                except ProcessLookupError:
                    continue
        deadline = time.monotonic() + 2
        while any(os.path.exists(f"/proc/{pid}") for pid in stray) and time.monotonic() < deadline:
            time.sleep(0.01)
