"""What the machine hangs on: network and power. What cannot be read is unknown, never assumed."""

from __future__ import annotations

from pathlib import Path

NETWORKS = Path("/sys/class/net")
POWER = Path("/sys/class/power_supply")
UNKNOWN = "unknown"


def network(networks: Path = NETWORKS) -> str:
    """Whether any network but the machine's own is up: on or off."""
    try:
        states = [
            (place / "operstate").read_text().strip()
            for place in networks.iterdir()
            if place.name != "lo"
        ]
    except OSError:
        return UNKNOWN
    return "on" if "up" in states or "unknown" in states else "off"


def power(supplies: Path = POWER) -> str:
    """What the machine runs on: battery where one is there and being emptied, else mains."""
    try:
        batteries = [place / "status" for place in supplies.iterdir()]
        found = [status.read_text().strip() for status in batteries if status.exists()]
    except OSError:
        return UNKNOWN
    return "battery" if "Discharging" in found else "mains"
