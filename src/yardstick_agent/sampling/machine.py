"""Processor time and memory of the whole machine."""

from __future__ import annotations

from yardstick_agent.sampling.processes import TICKS

_IDLE = (3, 4)


def busy_seconds() -> tuple[float, list[float]]:
    """Seconds all cores together, and each core, have been busy since the machine started."""
    total, cores = 0.0, []
    with open("/proc/stat") as file:
        for line in file:
            if not line.startswith("cpu"):
                break
            name, *fields = line.split()
            values = [int(field) for field in fields[:8]]
            busy = (sum(values) - sum(values[place] for place in _IDLE)) / TICKS
            if name == "cpu":
                total = busy
            else:
                cores.append(busy)
    return total, cores


def memory_used() -> int:
    """Bytes of memory in use on the whole machine: all of it less what could be had at once."""
    amounts = _amounts()
    return amounts["MemTotal"] - amounts["MemAvailable"]


def _amounts() -> dict[str, int]:
    amounts = {}
    with open("/proc/meminfo") as file:
        for line in file:
            name, _, rest = line.partition(":")
            if name in ("MemTotal", "MemAvailable"):
                amounts[name] = int(rest.split()[0]) * 1024
    return amounts


def memory_bytes() -> int:
    """Bytes of memory the machine has."""
    return _amounts()["MemTotal"]
