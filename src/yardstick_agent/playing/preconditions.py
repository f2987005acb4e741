"""What a run needs before it starts, other than waiting: settings of the rig, words of a person."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from yardstick_agent.playing.player import SessionEnded
from yardstick_agent.sampling import machine
from yardstick_agent.subject import Program
from yardstick_core.script.model import ClearCache, Confirm, Require, Statement

NETWORKS = Path("/sys/class/net")
POWER = Path("/sys/class/power_supply")
GIB = 2**30


def prepare_rig(
    before: Iterable[Statement],
    program: Program,
    confirmed: Iterable[str],
    display: dict[str, Any],
    folder: Path,
) -> None:
    """Do and check what `every run` asks for. Raises SessionEnded, refused, where it is not met.

    `confirmed` is what persons have confirmed for this rig, `display` what is known of its display.
    """
    known = set(confirmed)
    for wanted in before:
        if isinstance(wanted, ClearCache):
            _clear(program, wanted.line)
        elif isinstance(wanted, Confirm) and wanted.text not in known:
            raise _refused(wanted, f"nobody has confirmed for this rig that “{wanted.text}”")
        elif isinstance(wanted, Require):
            found = FINDERS[wanted.what](display, folder)
            if not _enough(wanted, found):
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


def network(networks: Path = NETWORKS) -> str:
    """Whether any network but the machine's own is up: on or off."""
    try:
        states = [
            (place / "operstate").read_text().strip()
            for place in networks.iterdir()
            if place.name != "lo"
        ]
    except OSError:
        states = []
    return "on" if "up" in states or "unknown" in states else "off"


def power(supplies: Path = POWER) -> str:
    """What the machine runs on: battery where one is there and being emptied, else mains."""
    try:
        found = [(place / "status").read_text().strip() for place in supplies.glob("*/")
                 if (place / "status").exists()]  # fmt: skip
    except OSError:
        found = []
    return "battery" if "Discharging" in found else "mains"


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
