"""What a graphics card says of itself in the kernel's files: how busy, memory in use, power.

Interface: Documentation/gpu/amdgpu (gpu_busy_percent, mem_info_*), sysfs-class-hwmon.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Self

from yardstick_agent.sampling.sources.source import Integral, Roots, Sampled, number

_CARD = "card[0-9]"


@dataclass
class _Card:
    busy: Path
    memory: Path
    power: Path | None
    energy: Integral = field(default_factory=Integral)


class GraphicsDevice:
    """The busiest card's share, the memory in use on all, and the joules all of them took."""

    name = "graphics card"
    beats = 4
    sums = True

    def __init__(self, cards: list[_Card]) -> None:
        self.cards = cards

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        cards = []
        for place in sorted(roots.sys.glob(f"class/drm/{_CARD}")):
            device = place / "device"
            meters = sorted(device.glob("hwmon/hwmon*/power1_average"))
            meters += sorted(device.glob("hwmon/hwmon*/power1_input"))
            power = next((file for file in meters if number(file) is not None), None)
            card = _Card(device / "gpu_busy_percent", device / "mem_info_vram_used", power)
            if power or any(number(file) is not None for file in (card.busy, card.memory)):
                cards.append(card)
        return cls(cards) if cards else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        busy = [value for card in self.cards if (value := number(card.busy)) is not None]
        memory = [value for card in self.cards if (value := number(card.memory)) is not None]
        found = []
        if busy:
            found.append(("graphics.busy_percent", float(max(busy))))
        if memory:
            found.append(("graphics.memory_used", float(sum(memory))))
        metered = [card for card in self.cards if card.power is not None]
        for card in metered:
            power = number(card.power) if card.power else None
            if power is None:
                card.energy.pause()
            else:
                card.energy.add(at_ns, power / 1e6)
        if metered:
            found.append(("energy.graphics_joules", sum(card.energy.total for card in metered)))
        return found
