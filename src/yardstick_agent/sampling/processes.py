"""Processes from /proc: which belong to a tree, what they use."""

from __future__ import annotations

import os
import time
from dataclasses import dataclass

from yardstick_agent.clock import now_ns
from yardstick_agent.sampling.kept_open import Read, read_once

TICKS = os.sysconf("SC_CLK_TCK")
PAGE = os.sysconf("SC_PAGE_SIZE")


@dataclass(frozen=True, slots=True)
class Usage:
    """What a tree of processes uses: seconds so far, bytes, counts."""

    processor_seconds: float = 0.0
    resident: int = 0
    threads: int = 0
    processes: int = 0


def _stat(pid: int, read: Read = read_once) -> list[bytes] | None:
    try:
        text = read(f"/proc/{pid}/stat")
    except OSError:
        return None
    return text[text.rindex(b")") + 2 :].split()


def parent(pid: int) -> int:
    """Parent of a process, 0 where there is none."""
    fields = _stat(pid)
    return int(fields[1]) if fields else 0


def descends_from(pid: int, ancestor: int) -> bool:
    """Whether a process is, or stems from, or shares the session of another."""
    current = pid
    while current > 1:
        if current == ancestor:
            return True
        current = parent(current)
    fields = _stat(pid)
    return fields is not None and int(fields[3]) == ancestor


def session(pid: int) -> int:
    """Session a process belongs to, 0 where it is gone."""
    fields = _stat(pid)
    return int(fields[3]) if fields else 0


def started(pid: int) -> int | None:
    """When a process was started, in ticks since the machine was; None where it is gone."""
    fields = _stat(pid)
    return int(fields[19]) if fields else None


def began_ns() -> int | None:
    """When this process was started, on the clock of a run, to a hundredth of a second."""
    ticks = started(os.getpid())
    if ticks is None:
        return None
    since_boot = time.clock_gettime_ns(time.CLOCK_BOOTTIME)
    return now_ns() - (since_boot - ticks * 1_000_000_000 // TICKS)


def alive(pid: int) -> bool:
    """Whether a process is there and not only waits to be buried."""
    fields = _stat(pid)
    return fields is not None and fields[0] not in b"ZX"


def stopped(pid: int) -> bool:
    """Whether a process has been stopped by a signal and waits to be let go on."""
    fields = _stat(pid)
    return fields is not None and fields[0] in b"Tt"


def in_sessions(sessions: set[int]) -> list[int]:
    """All processes of the machine that belong to one of these sessions."""
    pids = [int(name) for name in os.listdir("/proc") if name.isdigit()]
    return [pid for pid in pids if session(pid) in sessions]


def told(variable: str, value: str) -> list[int]:
    """All processes of the machine that were started with this in their environment."""
    wanted, found = f"{variable}={value}".encode(), []
    for name in os.listdir("/proc"):
        if not name.isdigit():
            continue
        try:
            with open(f"/proc/{name}/environ", "rb") as file:
                if wanted in file.read().split(b"\0"):
                    found.append(int(name))
        except OSError:
            continue  # gone, or another user's
    return found


def children(pid: int) -> list[int]:
    found: list[int] = []
    try:
        tasks = os.listdir(f"/proc/{pid}/task")
    except OSError:
        return found
    for task in tasks:
        try:
            with open(f"/proc/{pid}/task/{task}/children", "rb") as file:
                found += [int(child) for child in file.read().split()]
        except OSError:
            continue
    return found


def tree(pid: int) -> list[int]:
    """A process and all that stem from it, still there."""
    found, waiting = [], [pid]
    while waiting:
        current = waiting.pop()
        found.append(current)
        waiting += children(current)
    return found


def usage(pids: list[int], read: Read = read_once, *, reaped: bool = True) -> Usage:
    """Sum over processes, with the processor time of the children that they have `reaped`."""
    seconds, resident, threads, alive = 0, 0, 0, 0
    for pid in pids:
        fields = _stat(pid, read)
        if fields is None:
            continue
        seconds += sum(map(int, fields[11 : 15 if reaped else 13]))
        if fields[0] not in b"ZX":
            threads += int(fields[17])
            resident += int(fields[21]) * PAGE
            alive += 1
    return Usage(seconds / TICKS, resident, threads, alive)


def handles(pids: list[int]) -> int | None:
    """Open files, pipes, sockets and the like of processes; None where none can be looked at."""
    found = None
    for pid in pids:
        try:
            found = (found or 0) + len(os.listdir(f"/proc/{pid}/fd"))
        except OSError:
            continue
    return found


@dataclass(frozen=True, slots=True)
class Shares:
    """Memory of a tree of processes in bytes: shared pages divided, and pages of its own only."""

    proportional: int = 0
    unique: int = 0


def memory_shares(pids: list[int]) -> Shares:
    """Sum over processes; what cannot be read counts nothing."""
    proportional = unique = 0
    for pid in pids:
        try:
            with open(f"/proc/{pid}/smaps_rollup", "rb") as file:
                for line in file:
                    if line.startswith(b"Pss:"):
                        proportional += int(line.split()[1]) * 1024
                    elif line.startswith((b"Private_Clean:", b"Private_Dirty:")):
                        unique += int(line.split()[1]) * 1024
        except OSError:
            continue
    return Shares(proportional, unique)


def storage_bytes(pid: int, read: Read = read_once) -> tuple[int, int] | None:
    """Bytes a process caused to be read from and written to storage so far; None where unknown."""
    try:
        text = read(f"/proc/{pid}/io")
    except OSError:
        return None
    amounts = dict(line.split(b": ") for line in text.splitlines())
    return int(amounts.get(b"read_bytes", 0)), int(amounts.get(b"write_bytes", 0))
