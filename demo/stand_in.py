"""A stand-in for a machine that is restarted: the kernel's files that tell of it, made up."""

from __future__ import annotations

from pathlib import Path

from yardstick_agent.playing.restarting import KERNEL_STARTED


class StandIn:
    """A machine that is started anew when it is told to: another boot, some seconds up."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        (folder / "sys").mkdir(parents=True)
        (folder / "proc/sys/kernel/random").mkdir(parents=True)
        self.boot("first", 5000.0)

    def boot(self, name: str, uptime_s: float) -> None:
        (self.folder / "proc/sys/kernel/random/boot_id").write_text(f"{name}\n")
        (self.folder / "proc/uptime").write_text(f"{uptime_s} 1.0\n")

    def firmware(self, seconds: float) -> None:
        """Leave word as a boot loader does: four bytes of attributes, then digits in UTF-16."""
        variables = self.folder / "sys/firmware/efi/efivars"
        variables.mkdir(parents=True)
        said = f"{round(seconds * 1e6)}\0".encode("utf-16-le")
        (variables / KERNEL_STARTED).write_bytes(b"\6\0\0\0" + said)
