"""What a run needs before it starts, other than waiting: settings of the rig, words of a person."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from yardstick_agent.playing.player import SessionEnded
from yardstick_agent.sampling import machine
from yardstick_agent.sampling.surroundings import network, power
from yardstick_agent.subject import Program
from yardstick_core.match.conditions import FAILED, PASSED, TICKED
from yardstick_core.script.model import ClearCache, Confirm, Require, Statement

GIB = 2**30


Note = Callable[..., None]


def prepare_rig(
    before: Iterable[Statement],
    program: Program,
    confirmed: Iterable[dict[str, str]],
    display: dict[str, Any],
    folder: Path,
    note: Note,
) -> None:
    """Do and check what `every run` asks for. Raises SessionEnded, refused, where it is not met.

    `confirmed` is what persons have confirmed for this rig, with who and when; `display` what is
    known of its display. `note` is told of each: what, state, and what was found.
    """
    known = {str(one["text"]): one for one in confirmed}
    for wanted in before:
        if isinstance(wanted, ClearCache):
            _clear(program, wanted.line)
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


def _refused(wanted: Statement, why: str) -> SessionEnded:
    return SessionEnded("refused", f"not started: line {wanted.line}: {why}")


def _enough(wanted: Require, found: str) -> bool:
    if wanted.what in ("cores", "memory", "disk"):
        return float(found.split()[0]) >= float(wanted.value)
    return found == wanted.value


def _clear(program: Program, line: int) -> None:
    if not program.caches:
        raise SessionEnded(
            "refused", f"not started: line {line}: this rig does not say where the caches are"
        )
    for name in program.caches:
        place = Path(name).expanduser()
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
