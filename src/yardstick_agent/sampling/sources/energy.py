"""Energy: the processor's own meters (powercap) and the battery's.

Interface: Documentation/power/powercap/powercap.rst, Documentation/ABI/testing/sysfs-class-power.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Self

from yardstick_agent.sampling.sources.source import Integral, Roots, Sampled, line, number

#: What the kernel calls its domains, and the counter of each. A package holds its cores.
_DOMAINS = {"package": "energy.processor", "dram": "energy.memory", "psys": "energy.platform"}


@dataclass
class _Meter:
    """One domain of one package; its count starts anew when it has reached its range."""

    file: Path
    counter: str
    wraps_at: int
    last: int
    joules: float = 0.0

    def read(self) -> None:
        now = number(self.file)
        if now is None:
            return
        grown = now - self.last
        if grown < 0:
            grown += self.wraps_at
        self.joules += max(0, grown) / 1e6
        self.last = now


class ProcessorEnergy:
    """Joules of all packages together, of their memory and of the platform, where metered."""

    name = "energy of the processor"
    beats = 2
    sums = True

    def __init__(self, meters: list[_Meter]) -> None:
        self.meters = meters

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        meters = []
        for place in sorted(roots.sys.glob("class/powercap/*rapl*:*")):
            if "mmio" in place.name:
                continue  # the same meter by another door
            counter = _DOMAINS.get(line(place / "name").split("-")[0])
            now = number(place / "energy_uj")
            if counter and now is not None:
                most = number(place / "max_energy_range_uj") or 0
                meters.append(_Meter(place / "energy_uj", f"{counter}_joules", most, now))
        return cls(meters) if meters else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        sums: dict[str, float] = {}
        for meter in self.meters:
            meter.read()
            sums[meter.counter] = sums.get(meter.counter, 0.0) + meter.joules
        return sums.items()


class BatteryEnergy:
    """Joules that the batteries gave, added up from the power they say they give."""

    name = "energy from the battery"
    beats = 20
    sums = True

    def __init__(self, batteries: list[Path]) -> None:
        self.batteries = batteries
        self.given = Integral()

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        supplies = sorted(roots.sys.glob("class/power_supply/*"))
        batteries = [
            place
            for place in supplies
            if line(place / "type") == "Battery"
            and line(place / "scope") != "Device"  # that of a mouse
            and _watts(place) is not None
        ]
        return cls(batteries) if batteries else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        if any(line(place / "status") != "Discharging" for place in self.batteries):
            self.given.pause()
            return []
        watts = [_watts(place) for place in self.batteries]
        known = [one for one in watts if one is not None]
        return [("energy.battery_joules", self.given.add(at_ns, sum(known)))] if known else []


def _watts(battery: Path) -> float | None:
    power = number(battery / "power_now")
    if power is not None:
        return abs(power) / 1e6
    current, voltage = number(battery / "current_now"), number(battery / "voltage_now")
    return None if current is None or voltage is None else abs(current) * voltage / 1e12
