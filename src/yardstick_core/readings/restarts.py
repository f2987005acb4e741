"""Restarts of the machine within a session: told by the clock on the wall, with its error."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from yardstick_core.readings.metric import define
from yardstick_core.streams.entries import Entry

RESTARTED: Final = "restarted"
RESTART = define(
    "restart", "restart", "s", "lower",
    "from asking for the restart to the agent going on, which the rig's sign-in starts",
    material_amount=0.5, primary=True,
)  # fmt: skip
GOING_DOWN = define(
    "restart_down", "restart until the kernel starts", "s", "lower",
    "from asking for the restart to the kernel's start: ending all programs, and the firmware",
    material_amount=0.5,
)  # fmt: skip
COMING_UP = define(
    "restart_up", "kernel start until signed in", "s", "lower",
    "from the kernel's start to the agent going on, which the rig's sign-in starts",
    material_amount=0.5,
)  # fmt: skip

FIRMWARE = define(
    "restart_firmware", "firmware until the kernel starts", "s", "lower",
    "what the firmware and the boot loader took before the kernel was started, as the boot loader "
    "counted it from power-on",
    material_amount=0.5,
)  # fmt: skip
MEMORY_AFTER = define(
    "memory_after_restart", "memory after signing in", "MiB", "lower",
    "memory in use on the whole machine when the agent went on after a restart, which the rig's "
    "sign-in starts: what could not be had at once",
    material_amount=10,
)  # fmt: skip


def restart_readings(
    journal: Sequence[Entry],
) -> list[tuple[tuple[str, ...], str, float, float, str]]:
    """Stretch, metric, value, its ± and a warning, for each restart of a run."""
    found = []
    for entry in journal:
        if entry["kind"] != RESTARTED:
            continue
        path, warning = tuple(entry["path"]), "simulated" if entry.get("simulated") else ""
        off = float(entry["plus_minus"]) / 1e9
        asked, back, kernel = int(entry["asked"]), int(entry["back"]), entry["kernel"]
        found.append((path, RESTART.key, (back - asked) / 1e9, off, warning))
        if kernel is not None:
            found.append((path, GOING_DOWN.key, (int(kernel) - asked) / 1e9, off, warning))
            # Both ends are on the clock of the new start: the wall's error is not in it.
            found.append((path, COMING_UP.key, (back - int(kernel)) / 1e9, 0.01, warning))
        firmware, memory = entry.get("firmware_ns"), entry.get("memory_bytes")
        if firmware is not None:
            found.append((path, FIRMWARE.key, firmware / 1e9, 0.0, warning))
        if memory is not None:
            found.append((path, MEMORY_AFTER.key, memory / 2**20, 0.0, warning))
    return found
