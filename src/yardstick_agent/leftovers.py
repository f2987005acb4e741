"""What a run has started is written down at once, so that it can be ended by whoever comes after.

A process is known by its number and the moment it started: a number alone may have been given to
another one since. Programs and what they start are known too by a mark in their environment, which
holds also for helpers that have left parent and session behind.
"""

from __future__ import annotations

import json
import os
import signal
import time
from pathlib import Path

from yardstick_agent import home
from yardstick_agent.sampling import processes

FILE = "processes.jsonl"
PATIENCE_SECONDS = 2.0


def note(folder: Path, *pids: int) -> None:
    """Remember processes that were started for the run in this folder."""
    with open(folder / FILE, "a", encoding="utf-8") as file:
        for pid in pids:
            started = processes.started(pid)
            if started is not None:
                file.write(json.dumps({"pid": pid, "started": started}) + "\n")


def end_all(folder: Path) -> int:
    """End every process of the run that is still there, with all it started; how many were."""
    found = _noted(folder) | set(processes.told(home.MARK, str(folder)))
    for kind in (signal.SIGTERM, signal.SIGKILL):
        for pid in found:
            try:
                os.kill(pid, kind)
            except ProcessLookupError:
                continue
        deadline = time.monotonic() + PATIENCE_SECONDS
        while any(map(processes.alive, found)) and time.monotonic() < deadline:
            time.sleep(0.02)
    home.remove_runtime(folder)
    return len(found)


def _noted(folder: Path) -> set[int]:
    """Processes noted for a run that are still there, with all that stem from them."""
    try:
        lines = (folder / FILE).read_text(encoding="utf-8").splitlines()
    except OSError:
        return set()
    noted = []
    for line in lines:
        try:
            noted.append(json.loads(line))
        except ValueError:
            continue  # torn by a sudden end
    alive = [entry["pid"] for entry in noted if processes.started(entry["pid"]) == entry["started"]]
    found = {pid for root in alive for pid in processes.tree(root)}
    # Its number is not given away while one of a session is left: where another process has it
    # by now, there is nobody of ours in it any more.
    sessions = {
        entry["pid"]: entry["started"]
        for entry in noted
        if processes.started(entry["pid"]) in (None, entry["started"])
    }
    found |= {pid for pid in processes.in_sessions(set(sessions)) if _younger(pid, sessions)}
    return found


def _younger(pid: int, sessions: dict[int, int]) -> bool:
    """Whether a process began after the one whose session it shares, and so belongs to it."""
    began, session = processes.started(pid), processes.session(pid)
    return began is not None and began >= sessions.get(session, began + 1)
