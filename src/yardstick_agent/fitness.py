"""Whether a rig is fit to measure just now: looked at before each session."""

from __future__ import annotations

import shutil
from pathlib import Path

from yardstick_agent.sampling.sources import Roots
from yardstick_agent.sampling.sources.heat import hottest_c, processor_sensors
from yardstick_agent.sampling.sources.source import line, number

LEAST_DISK_BYTES = 1 << 30
LEAST_BATTERY_PERCENT = 15
MOST_CELSIUS = 95.0


def unfit(spool: Path, roots: Roots) -> str:
    """Why no session should start here now, in words; empty where nothing speaks against it."""
    try:
        free = shutil.disk_usage(spool).free
    except OSError as error:
        return f"the place where records are kept cannot be used: {error.strerror}"
    if free < LEAST_DISK_BYTES:
        return f"only {free / 2**30:.2f} GiB are left where records are kept: make room there"
    for place in sorted(roots.sys.glob("class/power_supply/*")):
        charge = number(place / "capacity")
        of_machine = line(place / "type") == "Battery" and line(place / "scope") != "Device"
        emptied = line(place / "status") == "Discharging"
        if of_machine and emptied and charge is not None and charge < LEAST_BATTERY_PERCENT:
            return f"the battery is at {charge} % and is being emptied: connect the machine"
    heat = hottest_c(processor_sensors(roots.sys))
    if heat is not None and heat > MOST_CELSIUS:
        return f"the processor is at {heat:.0f} °C and would be held back: let it cool down"
    return ""
