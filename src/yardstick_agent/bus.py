"""The session bus of a run: its own, so that no program is handed over to one of another run."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path
from types import TracebackType

from yardstick_agent.children import ending_with_us
from yardstick_agent.sampling import processes
from yardstick_agent.session_user import AGENTS_OWN, SessionUser

#: Told to programs where there is no bus: they must not start one of their own behind our back.
NOWHERE = "unix:path=/nonexistent"
#: The bus for screen readers and the like starts helpers of its own: off unless a program wants it.
NO_ACCESSIBILITY = {"NO_AT_BRIDGE": "1", "GTK_A11Y": "none"}


class SessionBus:
    """Starts on entering, ends on leaving; without Debian's dbus-daemon there is none."""

    def __init__(
        self, runtime: Path, environment: dict[str, str], user: SessionUser = AGENTS_OWN
    ) -> None:
        self.runtime, self.environment, self.user = runtime, environment, user
        self.process: subprocess.Popen[bytes] | None = None
        self.address = NOWHERE

    def __enter__(self) -> SessionBus:
        tool = shutil.which("dbus-daemon")
        if tool is None:
            return self
        reader, writer = os.pipe()
        command = [
            *(tool, "--session", "--nofork", "--nopidfile", "--nosyslog"),
            *(f"--address=unix:path={self.runtime}/bus", f"--print-address={writer}"),
        ]
        # What it starts for a program is told what it was told, and so lives in the run's home.
        self.process = subprocess.Popen(
            ending_with_us(command),
            env=self.environment,
            pass_fds=[writer],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            **self.user.popen,
        )
        os.close(writer)
        with os.fdopen(reader) as answer:
            self.address = answer.readline().strip() or NOWHERE
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if self.process is None:
            return
        self.process.terminate()
        try:
            self.process.wait(2)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()

    @property
    def process_ids(self) -> list[int]:
        return [self.process.pid] if self.process else []

    @property
    def kind(self) -> str:
        """How a run says which bus its programs had."""
        return "its own" if self.process else "none"

    def helpers(self) -> list[int]:
        """Processes that the bus started because a program asked for what they offer."""
        return processes.children(self.process.pid) if self.process else []

    @property
    def told(self) -> dict[str, str]:
        """What programs are told of it."""
        return {"DBUS_SESSION_BUS_ADDRESS": self.address, **NO_ACCESSIBILITY}
