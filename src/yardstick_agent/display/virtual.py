"""A virtual display of our own: an X server without screen, and a window manager on it."""

from __future__ import annotations

import atexit
import os
import secrets
import shutil
import struct
import subprocess
import tempfile
import time
from functools import lru_cache
from pathlib import Path
from types import TracebackType

from yardstick_agent.children import ending_with_us
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.errors import DisplayError
from yardstick_agent.home import PERSONS
from yardstick_agent.session_user import AGENTS_OWN, SessionUser

#: An entry of an authority file that holds for every display.
FAMILY_WILD = 0xFFFF
#: Without menus and without keys that start programs: no script may start anything by input.
MANAGED = Path(__file__).with_name("openbox.xml")

MANAGER_SECONDS = 10.0


def _program(name: str, package: str) -> str:
    found = shutil.which(name)
    if found is None:
        raise DisplayError(f"{name} is not installed: apt-get install {package}")
    return found


@lru_cache(maxsize=1)
def authority() -> Path:
    """The file with the cookie of all displays of this process, readable by its user alone.

    Whoever has no cookie can neither look at such a display nor type into it. What this process
    starts is told of it by XAUTHORITY.
    """
    number, name = tempfile.mkstemp(prefix="noble-yardstick-x-")
    scheme, cookie = b"MIT-MAGIC-COOKIE-1", secrets.token_bytes(16)
    parts = (b"", b"", scheme, cookie)
    entry = struct.pack(">H", FAMILY_WILD)
    entry += b"".join(struct.pack(">H", len(part)) + part for part in parts)
    with os.fdopen(number, "wb") as file:
        file.write(entry)
    atexit.register(Path(name).unlink, missing_ok=True)
    os.environ["XAUTHORITY"] = name
    return Path(name)


class VirtualDisplay:
    """Starts on entering, ends on leaving; `name` is what DISPLAY is set to, `user` whose it is."""

    def __init__(
        self, width: int = 1280, height: int = 800, *, manager: bool = True,
        user: SessionUser = AGENTS_OWN,
    ) -> None:  # fmt: skip
        self.size = (width, height)
        self.manager, self.user = manager, user
        self.name = ""
        self.processes: list[subprocess.Popen[bytes]] = []

    def __enter__(self) -> VirtualDisplay:
        try:
            self._start()
        except BaseException:
            self.stop()
            raise
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.stop()

    def _start(self) -> None:
        self.user.give(authority())
        reader, writer = os.pipe()
        width, height = self.size
        command = [
            *(_program("Xvfb", "xvfb"), "-displayfd", str(writer)),
            *("-screen", "0", f"{width}x{height}x24", "-nolisten", "tcp", "-noreset"),
            *("-auth", str(authority())),
        ]
        self.processes.append(
            subprocess.Popen(
                ending_with_us(command),
                pass_fds=[writer],
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
                **self.user.popen,
            )
        )
        os.close(writer)
        with os.fdopen(reader) as answer:
            number = answer.readline().strip()
        if not number:
            raise DisplayError("the virtual display ended before it was ready")
        self.name = f":{number}"
        if self.manager:
            self._start_manager()

    def _start_manager(self) -> None:
        nowhere = dict.fromkeys(PERSONS, "/nonexistent")  # it keeps nothing in anybody's home
        environment = {**os.environ, **nowhere, "DISPLAY": self.name}
        manager = subprocess.Popen(
            ending_with_us(
                [_program("openbox", "openbox"), "--sm-disable", "--config-file", str(MANAGED)]
            ),
            env=environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
            **self.user.popen,
        )
        self.processes.append(manager)
        connection = Connection(self.name)
        deadline = time.monotonic() + MANAGER_SECONDS
        while not connection.has_manager():
            if time.monotonic() > deadline or manager.poll() is not None:
                raise DisplayError("the window manager did not start")
            time.sleep(0.01)
        if not connection.shows_windows(MANAGER_SECONDS):
            raise DisplayError("the window manager shows no windows")
        connection.close()

    def stop(self) -> None:
        for process in reversed(self.processes):
            if process.poll() is None:
                process.terminate()
        for process in reversed(self.processes):
            try:
                process.wait(5)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self.processes.clear()

    @property
    def process_ids(self) -> list[int]:
        return [process.pid for process in self.processes]
