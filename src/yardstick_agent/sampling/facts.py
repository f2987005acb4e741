"""What this machine is, found out from the kernel and the display's public interfaces.

Each finder answers with what it found or with "unknown"; none guesses, none fails.
"""

from __future__ import annotations

import os
import platform
import shutil
import subprocess
import time
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

from yardstick_agent import AGENT_VERSION
from yardstick_agent.sampling import machine, processes
from yardstick_agent.sampling.sources.heat import hottest_c, processor_sensors
from yardstick_agent.sampling.surroundings import UNKNOWN, network, power
from yardstick_core.streams.entries import BackgroundProgram

SYS = Path("/sys")
PROC = Path("/proc")
#: How long is looked for programs that take processor time, and how many are named.
LOOK_SECONDS = 0.5
MOST_PROGRAMS = 8
LEAST_SHARE = 0.5
#: Debian packages whose version can change what is measured.
PACKAGES = (
    "xvfb", "xserver-xorg-core", "openbox", "libc6", "libx11-6", "libgl1-mesa-dri", "mesa-utils",
    "libgtk-3-0", "libqt5gui5", "libsdl2-2.0-0",
)  # fmt: skip


def facts(
    display: dict[str, Any] | None = None,
    *,
    virtual: bool = False,
    folder: Path | None = None,
    ours: Iterable[int] = (),
    packages: Iterable[str] = (),
) -> dict[str, Any]:
    """What is known about this machine now; what cannot be found out is "unknown".

    `display` is what the display says of itself, `virtual` whether it has no screen; `folder` is
    where the subject works, `ours` are processes that measure and so are not named as running
    beside, `packages` further ones whose version is of interest here.
    """
    where = folder or Path.cwd()
    return {
        "agent": AGENT_VERSION,
        "processor": _field(PROC / "cpuinfo", "model name"),
        "architecture": platform.machine(),
        "cores": os.cpu_count() or 0,
        "clock_policy": clock_policy(),
        "clock_limit_mhz": clock_mhz("scaling_max_freq"),
        "clock_mhz": clock_mhz("scaling_cur_freq"),
        "turbo": turbo(),
        "temperature_c": temperature_c(),
        "memory_bytes": machine.memory_bytes(),
        "memory_free_bytes": machine.memory_bytes() - machine.memory_used(),
        "machine_kind": machine_kind(),
        "graphics": "none: software rendering" if virtual else graphics(),
        "graphics_driver": "none: software rendering" if virtual else graphics_driver(),
        "disk": disk_kind(where),
        "file_system": file_system(where),
        "disk_free_bytes": shutil.disk_usage(where).free,
        "system": _field(Path("/etc/os-release"), "PRETTY_NAME"),
        "kernel": platform.release(),
        "desktop": os.environ.get("XDG_CURRENT_DESKTOP") or "none",
        "display": display or UNKNOWN,
        "power": power(),
        "network": network(),
        "boot": _line(PROC / "sys/kernel/random/boot_id"),
        "since_boot_s": since_boot_s(),
        "time_zone": time.strftime("%Z"),
        "locale": os.environ.get("LC_ALL") or os.environ.get("LANG") or "C",
        "load_1min": os.getloadavg()[0],
        "packages": package_versions((*PACKAGES, *packages)),
        "programs": running_programs(set(ours)),
    }


def clock_policy(sys: Path = SYS) -> str:
    """Which policy sets the clock: that of all cores, or all there are."""
    return _of_all_cores(sys, "scaling_governor")


def clock_mhz(which: str, sys: Path = SYS) -> float | str:
    """A clock in MHz, the largest over the cores."""
    found = [_number(file) for file in sys.glob(f"devices/system/cpu/cpu[0-9]*/cpufreq/{which}")]
    known = [value for value in found if value is not None]
    return max(known) / 1000 if known else UNKNOWN


def turbo(sys: Path = SYS) -> str:
    """Whether the clock may go above its rated one."""
    forbidden = _number(sys / "devices/system/cpu/intel_pstate/no_turbo")
    if forbidden is not None:
        return "off" if forbidden else "on"
    allowed = _number(sys / "devices/system/cpu/cpufreq/boost")
    return UNKNOWN if allowed is None else "on" if allowed else "off"


def temperature_c(sys: Path = SYS) -> float | str:
    """Temperature of the processor, °C: the hottest of its sensors that can be read."""
    hottest = hottest_c(processor_sensors(sys))
    return UNKNOWN if hottest is None else round(hottest, 1)


def machine_kind(proc: Path = PROC, sys: Path = SYS) -> str:
    """Whether this is hardware, or a virtual machine or container on it."""
    if any((proc.parent / mark).exists() for mark in (".dockerenv", "run/.containerenv")):
        return "container"
    if "hypervisor" in _field(proc / "cpuinfo", "flags").split():
        return "virtual machine"
    return "hardware" if (sys / "class/dmi/id/board_name").exists() else UNKNOWN


def graphics(sys: Path = SYS) -> str:
    """The graphics cards by vendor and device number, or none."""
    cards = sorted(sys.glob("class/drm/card[0-9]"))
    found = [f"{_line(card / 'device/vendor')}:{_line(card / 'device/device')}" for card in cards]
    return ", ".join(found) or "none: software rendering"


def graphics_driver(sys: Path = SYS) -> str:
    """The kernel's drivers of the graphics cards with their versions, or none."""
    found = []
    for card in sorted(sys.glob("class/drm/card[0-9]")):
        driver = card / "device/driver"
        name = driver.resolve().name if driver.exists() else UNKNOWN
        version = _line(sys / "module" / name / "version")
        found.append(name if version == UNKNOWN else f"{name} {version}")
    return ", ".join(found) or "none: software rendering"


def disk_kind(folder: Path, sys: Path = SYS) -> str:
    """Whether a folder lies on a solid-state or a spinning disk."""
    try:
        number = os.stat(folder).st_dev
    except OSError:
        return UNKNOWN
    block = sys / "dev/block" / f"{os.major(number)}:{os.minor(number)}"
    if not block.exists():
        return "memory" if file_system(folder) == "tmpfs" else UNKNOWN
    place = block.resolve()
    for level in (place, place.parent):
        spinning = _number(level / "queue/rotational")
        if spinning is not None:
            kind = "spinning" if spinning else "solid state"
            return f"virtual, {kind}" if level.name.startswith(("vd", "xvd")) else kind
    return UNKNOWN


def file_system(folder: Path, mounts: Path = PROC / "self/mounts") -> str:
    """Kind of the file system a folder lies on."""
    try:
        entries = [line.split() for line in mounts.read_text().splitlines()]
    except OSError:
        return UNKNOWN
    place = str(folder.resolve())
    over = [entry for entry in entries if f"{place}/".startswith(f"{entry[1].rstrip('/')}/")]
    return max(over, key=lambda entry: len(entry[1]))[2] if over else UNKNOWN


def since_boot_s(proc: Path = PROC) -> float | str:
    """Seconds since the machine was started."""
    text = _line(proc / "uptime").split()
    return round(float(text[0])) if text and text[0] != UNKNOWN else UNKNOWN


def package_versions(names: Iterable[str]) -> dict[str, str]:
    """Versions of those Debian packages that are installed; empty where there is no such list."""
    query = ["dpkg-query", "--show", "--showformat=${db:Status-Abbrev}|${Package}|${Version}\n"]
    try:
        done = subprocess.run(
            [*query, *dict.fromkeys(names)], capture_output=True, text=True, timeout=10
        )
    except (OSError, subprocess.TimeoutExpired):
        return {}
    entries = [line.split("|") for line in done.stdout.splitlines() if line.startswith("ii")]
    return {name: version for _, name, version in entries}


def running_programs(
    ours: set[int], seconds: float = LOOK_SECONDS, sleep: Callable[[float], None] = time.sleep
) -> list[BackgroundProgram]:
    """What takes processor time just now, the busiest first: name, share of the machine, percent.

    Processes of one name are counted together.
    """
    before = processor_ticks()
    sleep(seconds)
    return busiest(before, processor_ticks(), seconds, ours)


def busiest(
    before: dict[int, tuple[str, int]],
    after: dict[int, tuple[str, int]],
    seconds: float,
    ours: set[int],
) -> list[BackgroundProgram]:
    """What took processor time between two instants, of the processes that were there at both."""
    spent: dict[str, int] = {}
    for pid, (name, ticks) in after.items():
        if pid in before and pid not in ours and pid != os.getpid():
            spent[name] = spent.get(name, 0) + ticks - before[pid][1]
    whole = seconds * processes.TICKS * (os.cpu_count() or 1)
    shares = [(round(100 * ticks / whole, 1), name) for name, ticks in spent.items()]
    busy = sorted(one for one in shares if one[0] >= LEAST_SHARE)[::-1]
    return [{"name": name, "share": share} for share, name in busy[:MOST_PROGRAMS]]


def processor_ticks() -> dict[int, tuple[str, int]]:
    """Name and processor ticks of every process."""
    found = {}
    for entry in os.listdir(PROC):
        if entry.isdigit():
            try:
                text = (PROC / entry / "stat").read_text(errors="replace")
            except OSError:
                continue
            name = text[text.index("(") + 1 : text.rindex(")")]
            fields = text[text.rindex(")") + 2 :].split()
            found[int(entry)] = (name, int(fields[11]) + int(fields[12]))
    return found


def _of_all_cores(sys: Path, name: str) -> str:
    files = sorted(sys.glob(f"devices/system/cpu/cpu[0-9]*/cpufreq/{name}"))
    return ", ".join(dict.fromkeys(_line(file) for file in files)) or UNKNOWN


def _number(file: Path) -> int | None:
    try:
        return int(file.read_text())
    except (OSError, ValueError):
        return None


def _line(file: Path) -> str:
    try:
        return file.read_text(errors="replace").split("\n")[0].strip() or UNKNOWN
    except OSError:
        return UNKNOWN


def _field(file: Path, key: str) -> str:
    """Value of the first line `KEY: VALUE` or `KEY=VALUE` of a file."""
    try:
        for line in file.read_text(errors="replace").splitlines():
            if line.startswith(key):
                return line.split(":" if ":" in line else "=", 1)[1].strip().strip('"') or UNKNOWN
    except (OSError, IndexError):
        pass
    return UNKNOWN
