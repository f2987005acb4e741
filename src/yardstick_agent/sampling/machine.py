"""Processor time of the whole machine, and the facts about it."""

from __future__ import annotations

import os
import platform
from typing import Any

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
    amounts = {}
    with open("/proc/meminfo") as file:
        for line in file:
            name, _, rest = line.partition(":")
            if name in ("MemTotal", "MemAvailable"):
                amounts[name] = int(rest.split()[0]) * 1024
    return amounts["MemTotal"] - amounts["MemAvailable"]


def _field(path: str, key: str) -> str:
    try:
        with open(path) as file:
            for line in file:
                if line.startswith(key):
                    return line.split(":" if ":" in line else "=", 1)[1].strip().strip('"')
    except OSError:
        pass
    return "unknown"


def _first_line(path: str) -> str:
    try:
        with open(path) as file:
            return file.readline().strip()
    except OSError:
        return "unknown"


def memory_bytes() -> int:
    text = _field("/proc/meminfo", "MemTotal")
    return int(text.split()[0]) * 1024 if text != "unknown" else 0


def facts(display: dict[str, Any] | None = None) -> dict[str, Any]:
    """What is known about this machine; what cannot be found out is "unknown"."""
    return {
        "processor": _field("/proc/cpuinfo", "model name"),
        "architecture": platform.machine(),
        "cores": os.cpu_count() or 0,
        "memory_bytes": memory_bytes(),
        "kernel": platform.release(),
        "system": _field("/etc/os-release", "PRETTY_NAME"),
        "display": display or "unknown",
        "graphics": "none: drawn by the processor" if display else "unknown",
        "load_1min": os.getloadavg()[0],
        "boot": _first_line("/proc/sys/kernel/random/boot_id"),
    }
