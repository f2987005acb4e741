"""The program under test, or a companion, as processes: started, watched for their end, ended."""

from __future__ import annotations

import ctypes
import os
import shutil
import signal
import subprocess
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from yardstick_agent.below import append_below, read_below
from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns
from yardstick_agent.sampling import processes
from yardstick_agent.session_user import AGENTS_OWN, SessionUser

LAUNCHED_POLL_SECONDS = 0.02
PR_SET_CHILD_SUBREAPER = 36


class NotStartedError(RuntimeError):
    """The subject could not be started; the message says why."""


@dataclass(frozen=True, slots=True)
class Program:
    """What a rig starts for a variant: its command, environment and log file.

    Without a log file, what it prints is its log. `caches` are files and folders that a script may
    have emptied, `companions` further programs that it may start, by name. `installed` are the
    files and folders it consists of, `settings` folders where its settings files lie. `home` is
    "real" where it cannot do without the home of the person whose machine this is. `prepare` is a
    command that is run before each session, and not measured.
    """

    command: list[str]
    environment: dict[str, str] = field(default_factory=dict)
    log: str = ""
    caches: list[str] = field(default_factory=list)
    companions: dict[str, dict[str, Any]] = field(default_factory=dict)
    installed: list[str] = field(default_factory=list)
    settings: list[str] = field(default_factory=list)
    home: str = ""
    prepare: list[str] = field(default_factory=list)

    def companion(self, name: str) -> Program:
        """One of its companions. Raises NotStartedError where it has none of that name."""
        if name not in self.companions:
            known = ", ".join(sorted(self.companions)) or "none"
            raise NotStartedError(f"this rig knows no companion “{name}”; it knows: {known}")
        return Program(**self.companions[name])


def adopt_orphans() -> None:
    """Make this process the parent of every descendant whose own parent ends."""
    ctypes.CDLL(None).prctl(PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)


def _guard(command: Sequence[str]) -> dict[str, str]:
    """What keeps an interpreter from taking code out of the folder it is started in.

    Python looks there first for a module that it runs by its name, and for what that imports. One
    that runs a file looks beside the file, and is left as it is.
    """
    name, *words = command
    if not Path(name).name.startswith("python"):
        return {}
    for word in words:
        if word in ("-m", "-c"):
            return {"PYTHONSAFEPATH": "1"}
        if not word.startswith("-"):
            break
    return {}


def _why_not(program: str, path: str | None, error: OSError) -> str:
    """Why a program could not be started.

    One that is nowhere counts as forbidden where a folder of the path may not be looked into.
    """
    if shutil.which(program, os.F_OK, path) is None:
        return "there is no such program on this machine"
    return error.strerror or str(error)


class Subject:
    """One start of a program.

    The end of its first process is its end; where that one only launched others and ended well,
    its end is that of the last of them that shows a window.

    `environment` is what all programs of the run are told, before what its own rig says of this
    one. `others` are processes of ours that are not of the subject, `helpers` those that its
    session bus started for it; `shows` tells whether a process has a window on the screen; `user`
    is whose rights it has.
    """

    def __init__(
        self,
        program: Program,
        folder: Path,
        environment: Mapping[str, str],
        changes: Changes,
        *,
        files: tuple[str, ...] = (),
        name: str = "",
        others: Callable[[], set[int]] = set,
        helpers: Callable[[], list[int]] = list,
        shows: Callable[[int], bool] = lambda _: False,
        user: SessionUser = AGENTS_OWN,
    ) -> None:
        self.changes, self.others, self.shows, self.name = changes, others, shows, name
        self.helpers = helpers
        self.output = folder / (f"output-{name}.txt" if name else "output.txt")
        self.log = program.log or self.output.name
        self.started_ns = now_ns()
        try:
            with append_below(self.output) as output:
                self.process = subprocess.Popen(
                    [*program.command, *(str(folder.absolute() / file) for file in files)],
                    cwd=folder,
                    env={**environment, **_guard(program.command), **program.environment},
                    stdin=subprocess.DEVNULL,
                    stdout=output,
                    stderr=subprocess.STDOUT,
                    start_new_session=True,
                    **user.popen,
                )
        except OSError as error:
            path = program.environment.get("PATH", environment.get("PATH"))
            why = _why_not(program.command[0], path, error)
            raise NotStartedError(f"“{program.command[0]}” cannot be started: {why}") from error
        self.exited_ns = 0
        self._first_ended = False
        self._thread = threading.Thread(target=self._reap, name="subject", daemon=True)
        self._thread.start()

    @property
    def pid(self) -> int:
        return self.process.pid

    def _reap(self) -> None:
        code = self.process.wait()
        ended = now_ns()
        self._first_ended = True
        while code == 0 and (left := self._launched()):
            if not any(self.shows(pid) for root in left for pid in processes.tree(root)):
                break
            ended = now_ns()
            time.sleep(LAUNCHED_POLL_SECONDS)
        self.exited_ns = ended
        self.changes.tell()

    def _launched(self) -> list[int]:
        """Processes it started that outlived their parent, and so have become ours."""
        if not self._first_ended:
            return []
        return [
            pid
            for pid in processes.children(os.getpid())
            if pid != self.pid and self._is_mine(pid) and processes.alive(pid)
        ]

    def _is_mine(self, orphan: int) -> bool:
        """Of the session it was started in, or, for the subject, of nobody else's."""
        session, others = processes.session(orphan), self.others()
        return session == self.pid or not (self.name or orphan in others or session in others)

    def roots(self) -> list[int]:
        """Processes that all others of it stem from."""
        return [self.pid, *self._launched(), *self.helpers()]

    def processes(self) -> list[int]:
        """All processes of it that are there."""
        return [pid for root in self.roots() for pid in processes.tree(root)]

    def owns(self, pid: int) -> bool:
        return any(processes.descends_from(pid, root) for root in self.roots())

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
        said = read_below(self.output.parent, self.output.name) or b""
        lines = said.decode(errors="replace").strip().splitlines()
        return lines[-1][:300] if lines else ""

    def wait(self, seconds: float) -> bool:
        """Whether it has ended within `seconds`."""
        self._thread.join(seconds)
        return not self._thread.is_alive()

    def kill(self) -> None:
        """End it and everything it started."""
        stray = self.processes()
        for kind, patience in ((signal.SIGTERM, 2.0), (signal.SIGKILL, 2.0)):
            try:
                os.killpg(self.pid, kind)
            except ProcessLookupError:
                break
            if self.wait(patience):
                break
        for pid in {*stray, *self.processes()}:
            if pid != self.pid and self.owns(pid):
                try:
                    os.kill(pid, signal.SIGKILL)
                except ProcessLookupError:
                    continue
        deadline = time.monotonic() + 2
        while any(map(processes.alive, stray)) and time.monotonic() < deadline:
            time.sleep(0.01)
