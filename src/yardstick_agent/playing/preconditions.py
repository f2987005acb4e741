"""What a run needs before it starts, other than waiting: settings of the rig, words of a person."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import time
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any, Protocol

from yardstick_agent import leftovers
from yardstick_agent.children import ending_with_us
from yardstick_agent.playing.player import SessionEnded
from yardstick_agent.sampling import machine
from yardstick_agent.sampling.surroundings import network, power
from yardstick_core.assignment import Confirmed
from yardstick_core.match.conditions import FAILED, PASSED, PREPARED, TICKED
from yardstick_core.script.model import ClearCache, Confirm, Require, Statement

GIB = 2**30
PREPARE_SECONDS = 300
PREPARE_POLL_SECONDS = 0.05


class Note(Protocol):
    """Is told of a precondition: what had to be so, whether it was, what was found and by whom."""

    def __call__(
        self, *, what: str, state: str, found: str = "", by: str = "", since: str = ""
    ) -> None: ...


def prepare_rig(
    before: Iterable[Statement],
    caches: Sequence[Path],
    confirmed: Iterable[Confirmed],
    display: dict[str, Any],
    folder: Path,
    note: Note,
) -> None:
    """Do and check what `every run` asks for. Raises SessionEnded, refused, where it is not met.

    `caches` are the files and folders that are emptied where the script asks for it, `confirmed` is
    what persons have confirmed for this rig, with who and when, `display` what is known of its
    display. `note` is told of each: what, state, and what was found.
    """
    known = {str(one["text"]): one for one in confirmed}
    for wanted in before:
        if isinstance(wanted, ClearCache):
            _clear(caches, wanted.line)
            note(what="cache cleared", state=PASSED)
        elif isinstance(wanted, Confirm):
            if wanted.text not in known:
                note(what=wanted.text, state=FAILED, found="nobody has confirmed it")
                raise _refused(wanted, f"nobody has confirmed for this rig that “{wanted.text}”")
            by = known[wanted.text]
            note(what=wanted.text, state=TICKED, by=by.get("by", ""), since=by.get("at", ""))
        elif isinstance(wanted, Require):
            found = FINDERS[wanted.what](display, folder)
            enough = _enough(wanted, found)
            note(what=str(wanted), state=PASSED if enough else FAILED, found=found)
            if not enough:
                raise _refused(wanted, f"{wanted} is required, and here it is {found}")


def prepare_program(
    command: Sequence[str], folder: Path, must_end: Callable[[], bool], note: Note
) -> None:
    """Run what has to be done before each session, such as switching a link to another release.

    It runs as the agent does, in the person's home, and is not measured; what it prints is kept in
    the run's folder. Raises SessionEnded, refused, where it fails or takes too long.
    """
    if not command:
        return
    if shutil.which(command[0]) is None:
        raise _unprepared(note, f"“{command[0]}” cannot be started: there is no such program")
    began = time.monotonic()
    log = folder / "prepare.log"
    with open(log, "ab") as output:
        process = subprocess.Popen(
            ending_with_us(list(command)), cwd=folder, stdin=subprocess.DEVNULL,
            stdout=output, stderr=subprocess.STDOUT, start_new_session=True,
        )  # fmt: skip
    leftovers.note(folder, process.pid)
    while process.poll() is None:
        took = time.monotonic() - began
        if must_end() or took > PREPARE_SECONDS:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait()
            why = "aborted" if must_end() else f"not done within {PREPARE_SECONDS} s"
            raise _unprepared(note, why)
        time.sleep(PREPARE_POLL_SECONDS)
    took = time.monotonic() - began
    if process.returncode:
        last = log.read_text(errors="replace").strip().splitlines()[-1:]
        said = f": {last[0][:300]}" if last else ""
        raise _unprepared(note, f"it ended with exit status {process.returncode}{said}")
    note(what=PREPARED, state=PASSED, found=f"after {took:.1f} s")


def _unprepared(note: Note, why: str) -> SessionEnded:
    note(what=PREPARED, state=FAILED, found=why)
    return SessionEnded("refused", f"not started: the program's prepare command: {why}")


def _refused(wanted: Statement, why: str) -> SessionEnded:
    return SessionEnded("refused", f"not started: line {wanted.line}: {why}")


def _enough(wanted: Require, found: str) -> bool:
    if wanted.what in ("cores", "memory", "disk"):
        return float(found.split()[0]) >= float(wanted.value)
    return found == wanted.value


def _clear(caches: Sequence[Path], line: int) -> None:
    if not caches:
        raise SessionEnded(
            "refused", f"not started: line {line}: this rig does not say where the caches are"
        )
    for place in caches:
        if place.is_dir() and not place.is_symlink():
            for part in place.iterdir():
                shutil.rmtree(part) if part.is_dir() and not part.is_symlink() else part.unlink()
        elif place.exists() or place.is_symlink():
            place.unlink()


def _display(display: dict[str, Any], _: Path) -> str:
    return f"{display.get('width')}x{display.get('height')}"


FINDERS: dict[str, Callable[[dict[str, Any], Path], str]] = {
    "network": lambda *_: network(),
    "power": lambda *_: power(),
    "display": _display,
    "cores": lambda *_: str(os.cpu_count() or 0),
    "memory": lambda *_: f"{machine.memory_bytes() / GIB:.3g} GiB",
    "disk": lambda _, folder: f"{shutil.disk_usage(folder).free / GIB:.4g} GiB",
}
