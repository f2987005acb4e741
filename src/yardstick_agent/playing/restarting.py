"""A session that goes on after its machine was restarted: where it was, and how long that took.

The clock of a run begins anew with the machine. What spans the restart is told by the clock on the
wall, whose error is part of it.
"""

from __future__ import annotations

import json
import os
import subprocess
import threading
import time
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from yardstick_agent.clock import now_ns, wall_s
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.errors import DisplayError
from yardstick_agent.sampling.machine import memory_used
from yardstick_agent.sampling.sources import Roots
from yardstick_core.streams.entries import RestartedEntry

#: What is kept of a run that waits for its machine, beside its record.
FILE = "restarting.json"
#: How far the clock on the wall may be set anew by a restart, where it keeps time by itself.
WALL_ERROR_NS = 1_000_000_000
COMMAND_SECONDS = 60
LOOK_FOR_DISPLAY_S = 0.1
#: What boot loaders leave in the firmware's variables: µs from power-on to starting the kernel.
KERNEL_STARTED = "LoaderTimeExecUSec-4a67b082-0a4c-41cf-b6c7-440b29bb8c4f"


class SessionSuspended(Exception):
    """The session goes on after a restart of the machine."""


@dataclass(frozen=True, slots=True)
class Suspended:
    """Where a session was: instants in ns since the run began; those in s are on the wall.

    `position` is the operation to go on with, `boot` the start of the machine it ran in until then.
    `wrong`, `unanswered` and `unsaid` are what was found wanting so far: it counts at the end.
    `back_ns` is when the agent was started anew, on the clock of that start of the machine.
    """

    position: int
    laps: int
    step: str
    open: list[dict[str, Any]]
    anchors: dict[str, int]
    asked_s: float
    origin_s: float
    boot: str
    within_s: float
    by_hand: bool
    wrong: list[str]
    unanswered: list[str]
    unsaid: list[str]
    back_ns: int | None = None

    def keep(self, folder: Path) -> None:
        waiting = folder / f"{FILE}.new"
        waiting.write_text(json.dumps(asdict(self)))
        waiting.replace(folder / FILE)


def suspended(folder: Path) -> Suspended | None:
    """What a run's folder says of a session that waits; None where none does, or it is damaged."""
    try:
        return Suspended(**json.loads((folder / FILE).read_text()))
    except (OSError, ValueError, TypeError):
        return None


def asking_now(folder: Path) -> Suspended | None:
    """Have all that was recorded on the disk, and count from now on.

    What it took the agent to end programs and to write is not the machine's; and whoever switches
    it off does so without a word to it.
    """
    waiting = suspended(folder)
    os.sync()
    if waiting is not None:
        waiting = replace(waiting, asked_s=wall_s())
        waiting.keep(folder)
        os.sync()
    return waiting


def boot_id(roots: Roots) -> str:
    """Which start of the machine this is; empty where that cannot be told."""
    try:
        return (roots.proc / "sys/kernel/random/boot_id").read_text().strip()
    except OSError:
        return ""


def came_back(waiting: Suspended, roots: Roots) -> bool:
    """Whether the machine has been started anew since."""
    now = boot_id(roots)
    return bool(now) and now != waiting.boot


def continued_origin_ns(waiting: Suspended) -> int:
    """When the run began, on the clock of this start of the machine."""
    return now_ns() - round((wall_s() - waiting.origin_s) * 1e9)


def wait_for_display(name: str, within_s: float, stopping: threading.Event) -> int | None:
    """Wait until a rig's own display can be reached: an agent may be started before it.

    When that was, ns; None where it could at once, for then nobody saw it come. Raises DisplayError
    where it does not come within so long.
    """
    until, seen_missing = time.monotonic() + within_s, False
    while True:
        try:
            Connection(name).close()
            return now_ns() if seen_missing else None
        except DisplayError:
            if time.monotonic() > until or stopping.wait(LOOK_FOR_DISPLAY_S):
                raise
            seen_missing = True


def told(waiting: Suspended, roots: Roots, origin_ns: int) -> RestartedEntry:
    """The journal's entry of what the restart took, and of the memory in use on the whole machine
    then; of the step as long as the player has not said what was under way.

    `back` is when the agent was started, which its rig's sign-in does: what it takes itself until
    it goes on is not the machine's.
    """
    now, uptime = now_ns(), _uptime_s(roots)
    back = (now if waiting.back_ns is None else waiting.back_ns) - origin_ns
    kernel = None if uptime is None else now - origin_ns - round(uptime * 1e9)
    return {
        "kind": "restarted",
        "at": now,
        "path": (waiting.step,),
        "asked": round((waiting.asked_s - waiting.origin_s) * 1e9),
        "kernel": kernel,
        "back": back,
        "plus_minus": WALL_ERROR_NS,
        "firmware_ns": _firmware_ns(roots),
        "memory_bytes": memory_used(),
        "by_hand": waiting.by_hand,
        "simulated": roots.simulated,
    }


def _firmware_ns(roots: Roots) -> int | None:
    """What passed from power-on to the kernel's start, where the boot loader left word of it."""
    try:
        said = (roots.sys / "firmware/efi/efivars" / KERNEL_STARTED).read_bytes()
        return int(said[4:].decode("utf-16-le").rstrip("\0")) * 1000  # four bytes of attributes
    except (OSError, ValueError):
        return None


def _uptime_s(roots: Roots) -> float | None:
    try:
        return float((roots.proc / "uptime").read_text().split()[0])
    except (OSError, ValueError, IndexError):
        return None


def restart(allowed: dict[str, Any]) -> str:
    """Have the machine restarted as its owner's file says; what was wrong, empty where nothing."""
    command = [str(word) for word in allowed.get("command", ())]
    if not command:
        return "the rig's file names no command that restarts it"
    try:
        done = subprocess.run(
            command, capture_output=True, text=True, timeout=COMMAND_SECONDS,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        return f"{command[0]} did not restart the machine: {error}"
    return f"{command[0]} ended with {done.returncode}" if done.returncode else ""
