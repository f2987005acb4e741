"""Heat and clocks: how hot the processor is, how fast it runs, whether it was held back.

Interface: Documentation/ABI/testing/sysfs-class-thermal, sysfs-class-hwmon,
sysfs-devices-system-cpu (cpufreq, thermal_throttle).
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from statistics import mean
from typing import Self

from yardstick_agent.sampling.sources.source import Roots, Sampled, line, number

#: Names of zones and sensors that tell of the processor.
OF_PROCESSOR = ("x86_pkg_temp", "cpu", "soc", "acpitz", "coretemp", "k10temp", "package")
_OF_GRAPHICS = ("amdgpu", "nouveau", "i915", "xe", "radeon")
HOTTEST_C = 150


def processor_sensors(sys: Path) -> list[Path]:
    """Files that hold a temperature of the processor, in thousandths of a degree."""
    zones = [
        place / "temp"
        for place in sys.glob("class/thermal/thermal_zone*")
        if any(name in line(place / "type").lower() for name in OF_PROCESSOR)
    ]
    return zones + _sensors(sys, OF_PROCESSOR)


def _sensors(sys: Path, names: tuple[str, ...]) -> list[Path]:
    return [
        file
        for place in sys.glob("class/hwmon/hwmon*")
        if line(place / "name").lower() in names
        for file in sorted(place.glob("temp*_input"))
    ]


def hottest_c(files: Iterable[Path]) -> float | None:
    """The highest temperature of sensors that make sense; None where none does."""
    known = [value / 1000 for value in map(number, files) if value is not None]
    return max((value for value in known if 0 < value < HOTTEST_C), default=None)


class Heat:
    """Temperatures of processor and graphics, the hottest sensor of each."""

    name = "heat"
    beats = 20
    sums = False

    def __init__(self, sensors: dict[str, list[Path]]) -> None:
        self.sensors = sensors

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        all_of = {
            "heat.processor_celsius": processor_sensors(roots.sys),
            "heat.graphics_celsius": _sensors(roots.sys, _OF_GRAPHICS),
        }
        known = {name: files for name, files in all_of.items() if hottest_c(files) is not None}
        return cls(known) if known else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        found = ((name, hottest_c(files)) for name, files in self.sensors.items())
        return [(name, value) for name, value in found if value is not None]


class Clocks:
    """The cores' clocks, in the mean."""

    name = "clocks"
    beats = 10
    sums = False

    def __init__(self, files: list[Path]) -> None:
        self.files = files

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        files = sorted(roots.sys.glob("devices/system/cpu/cpu[0-9]*/cpufreq/scaling_cur_freq"))
        known = [file for file in files if number(file)]
        return cls(known) if known else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        known = [value for value in map(number, self.files) if value]
        return [("clock.mean_mhz", mean(known) / 1000)] if known else []


class Throttling:
    """How often the processor has lowered its clock because it was too hot, all cores together."""

    name = "throttling"
    beats = 20
    sums = True

    def __init__(self, files: list[Path]) -> None:
        self.files = files
        self._began = self._count()

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        cores = roots.sys.glob("devices/system/cpu/cpu[0-9]*/thermal_throttle")
        files = [place / "core_throttle_count" for place in sorted(cores)]
        known = [file for file in files if number(file) is not None]
        return cls(known) if known else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        return [("heat.throttled_count", float(self._count()))]

    def grown(self) -> int:
        """How often it happened since this was made."""
        return self._count() - self._began

    def _count(self) -> int:
        return sum(value for value in map(number, self.files) if value is not None)
