"""Processor time and memory of the whole machine."""

from __future__ import annotations

from yardstick_agent.sampling.kept_open import Read, read_once
from yardstick_agent.sampling.processes import TICKS

_IDLE, _WAITING = 3, 4
#: In which the kernel tells all memory and what of it is available.
_FIRST_LINES = 3


def busy_seconds(read: Read = read_once) -> tuple[float, list[float]]:
    """Seconds all cores together, and each core, have been busy since the machine started."""
    total, cores = 0.0, []
    for line in read("/proc/stat").splitlines():
        if not line.startswith(b"cpu"):
            break
        name, *fields = line.split(None, 9)
        values = [int(field) for field in fields[:8]]
        busy = (sum(values) - values[_IDLE] - values[_WAITING]) / TICKS
        if name == b"cpu":
            total = busy
        else:
            cores.append(busy)
    return total, cores


def last_begun(read: Read = read_once) -> bytes:
    """The number that the process or thread begun last was given: while it stays, none began."""
    return read("/proc/loadavg").split()[-1]


def memory_used(read: Read = read_once) -> int:
    """Bytes of memory in use on the whole machine: all of it less what could be had at once."""
    amounts = _amounts(read)
    return amounts["MemTotal"] - amounts["MemAvailable"]


def _amounts(read: Read = read_once) -> dict[str, int]:
    amounts = {}
    for line in read("/proc/meminfo").splitlines()[:_FIRST_LINES]:
        name, _, rest = line.partition(b":")
        amounts[name.decode()] = int(rest.split()[0]) * 1024
    return amounts


def memory_bytes() -> int:
    """Bytes of memory the machine has."""
    return _amounts()["MemTotal"]
