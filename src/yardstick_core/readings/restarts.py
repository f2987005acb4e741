"""Restarts of the machine within a session: told by the clock on the wall, with its error."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

import numpy as np

from yardstick_core.readings.metric import define
from yardstick_core.streams.chunk import Instants, Values
from yardstick_core.streams.entries import Entry

RESTARTED: Final = "restarted"
#: Errors of what is told by one start's own clock, and by asking ten times a second, seconds.
OF_THE_SAME_START_S, OF_ASKING_S = 0.01, 0.1
RESTART = define(
    "restart", "restart", "s", "lower",
    "from asking for the restart to the agent's start, which the rig's sign-in brings about",
    material_amount=0.5, primary=True,
)  # fmt: skip
GOING_DOWN = define(
    "restart_down", "restart until the kernel starts", "s", "lower",
    "from asking for the restart to the kernel's start: ending all programs, and the firmware",
    material_amount=0.5,
)  # fmt: skip
COMING_UP = define(
    "restart_up", "kernel start until signed in", "s", "lower",
    "from the kernel's start to the agent's start, which the rig's sign-in brings about",
    material_amount=0.5,
)  # fmt: skip

DISPLAY = define(
    "restart_display", "kernel start until the display", "s", "lower",
    "from the kernel's start until a display of the rig's own could be reached; read where the "
    "agent is started before it",
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
#: A machine is at rest from the first moment on after which, for so long, less than such a share of
#: it was busy.
REST_S, REST_SHARE = 5.0, 0.1
AT_REST = define(
    "restart_rest", "kernel start until at rest", "s", "lower",
    "from the kernel's start to the first moment after which less than 10 % of the whole machine "
    "was busy for 5 s; read where the session leaves it to itself for so long before it starts "
    "anything",
    material_amount=0.5,
)  # fmt: skip


class RestartReading(NamedTuple):
    """A reading of a restart, as `derive.Reading` has it."""

    stretch: tuple[str, ...]
    metric: str
    value: float
    plus_minus: float
    right_censored: bool
    warning: str


def restart_readings(
    journal: Sequence[Entry], counters: Mapping[str, tuple[Instants, Values]] | None = None
) -> list[RestartReading]:
    """What each restart of a run took."""
    found: list[RestartReading] = []
    for place, entry in enumerate(journal):
        if entry["kind"] != RESTARTED:
            continue
        off = float(entry["plus_minus"]) / 1e9
        asked, back, kernel = int(entry["asked"]), int(entry["back"]), entry["kernel"]
        told = [(RESTART.key, (back - asked) / 1e9, off, False)]
        if kernel is not None:
            told.append((GOING_DOWN.key, (int(kernel) - asked) / 1e9, off, False))
            # Both ends are on the clock of the new start: the wall's error is not in it.
            up = (back - int(kernel)) / 1e9
            told.append((COMING_UP.key, up, OF_THE_SAME_START_S, False))
            if "display" in entry:
                shown = (int(entry["display"]) - int(kernel)) / 1e9
                told.append((DISPLAY.key, shown, OF_ASKING_S, False))
            rested = _rested(journal[place + 1 :], back, counters or {})
            if rested is not None:
                at, over, apart_s = rested
                told.append((AT_REST.key, (at - int(kernel)) / 1e9, apart_s, over))
        firmware, memory = entry.get("firmware_ns"), entry.get("memory_bytes")
        if firmware is not None:
            told.append((FIRMWARE.key, firmware / 1e9, 0.0, False))
        if memory is not None:
            told.append((MEMORY_AFTER.key, memory / 2**20, 0.0, False))
        path, warning = tuple(entry["path"]), "simulated" if entry.get("simulated") else ""
        found += [RestartReading(path, *one, warning) for one in told]
    return found


def during_restarts(
    journal: Sequence[Entry], counter: tuple[Instants, Values], end_ns: int
) -> tuple[float, float]:
    """How long restarts took until something was started anew, s, and how much a cumulative
    counter grew meanwhile: what a machine does to come up is not others' doing.
    """
    at, values = counter
    seconds = grown = 0.0
    for place, entry in enumerate(journal):
        if entry["kind"] != RESTARTED:
            continue
        later = (e for e in journal[place + 1 :] if e["kind"] in ("started", RESTARTED))
        until = min((int(e["at"]) for e in later), default=end_ns)
        first = max(0, int(np.searchsorted(at, int(entry["asked"]), "right")) - 1)
        last = min(len(at) - 1, int(np.searchsorted(at, until)))
        seconds += (int(at[last]) - int(at[first])) / 1e9
        grown += float(values[last] - values[first])
    return seconds, grown


def _rested(
    later: Sequence[Entry], back: int, counters: Mapping[str, tuple[Instants, Values]]
) -> tuple[float, bool, float] | None:
    """When the machine came to rest after a restart, ns, whether it had not yet when the session
    went on, and how far samples lie apart, s; None where it was not left to itself for long enough.
    """
    if "machine.busy_seconds" not in counters or "machine.cores" not in counters:
        return None
    at, busy = counters["machine.busy_seconds"]
    cores = float(counters["machine.cores"][1][-1])
    begun = next((int(e["at"]) for e in later if e["kind"] in ("started", RESTARTED)), None)
    left = (at >= back) & (at <= (at[-1] if begun is None else begun))
    at, busy = at[left].astype(float), busy[left]
    if len(at) < 2 or at[-1] - at[0] < REST_S * 1e9:
        return None
    looked = at[at <= at[-1] - REST_S * 1e9]
    after = np.interp(looked + REST_S * 1e9, at, busy)
    rested = np.flatnonzero(after - busy[: len(looked)] < REST_SHARE * cores * REST_S)
    apart_s = float(np.median(np.diff(at))) / 1e9
    first = rested[0] if len(rested) else -1
    return float(looked[first]), not len(rested), apart_s
