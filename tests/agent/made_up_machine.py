"""Made-up trees of the kernel's files, as its documentation describes them."""

from __future__ import annotations

import os
from pathlib import Path

from yardstick_agent.sampling.sources import Roots


class MadeUpMachine:
    """A tree under a folder; every file is written by the test that needs it."""

    def __init__(self, folder: Path) -> None:
        self.roots = Roots(folder / "proc", folder / "sys")
        self.roots.proc.mkdir(parents=True)
        self.roots.sys.mkdir()

    def tell(self, place: str, value: object) -> None:
        """Write a file of sys."""
        file = self.roots.sys / place
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(f"{value}\n")

    def meter(self, name: str, domain: str, microjoules: int, wraps_at: int = 1 << 40) -> None:
        place = f"class/powercap/{name}"
        self.tell(f"{place}/name", domain)
        self.tell(f"{place}/energy_uj", microjoules)
        self.tell(f"{place}/max_energy_range_uj", wraps_at)

    def battery(self, status: str, **told: int) -> None:
        place = "class/power_supply/BAT0"
        self.tell(f"{place}/type", "Battery")
        self.tell(f"{place}/status", status)
        for name, value in told.items():
            self.tell(f"{place}/{name}", value)

    def opened(self, pid: int, descriptor: int, target: str, **told: str) -> None:
        """A descriptor of a process and what the kernel tells of it."""
        place = self.roots.proc / str(pid)
        (place / "fd").mkdir(parents=True, exist_ok=True)
        (place / "fdinfo").mkdir(exist_ok=True)
        link = place / "fd" / str(descriptor)
        if not link.is_symlink():
            os.symlink(target, link)
        lines = "".join(f"{key.replace('_', '-')}:\t{value}\n" for key, value in told.items())
        (place / "fdinfo" / str(descriptor)).write_text(f"pos:\t0\nflags:\t02\n{lines}")
