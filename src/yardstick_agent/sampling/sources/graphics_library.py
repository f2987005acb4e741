"""Graphics cards that speak through their maker's management library (NVML), where it loads."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterable
from typing import Any, Self

from yardstick_agent.sampling.sources.source import Roots, Sampled


class GraphicsLibrary:
    """Busy share, memory, heat and energy of the cards, and the subject's memory on them."""

    name = "graphics card by its maker's library"
    beats = 10
    sums = True

    def __init__(self, library: Any, cards: list[Any]) -> None:
        self.library, self.cards = library, cards
        self._began: dict[int, float] = {}

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        if roots.simulated:
            return None
        try:
            return cls.through(importlib.import_module("pynvml"))
        except ImportError:
            return None

    @classmethod
    def through(cls, library: Any) -> Self | None:
        """The cards that the library's binding finds; None where it does not load or has none."""
        try:
            library.nvmlInit()
            count = library.nvmlDeviceGetCount()
            cards = [library.nvmlDeviceGetHandleByIndex(place) for place in range(count)]
        except (library.NVMLError, OSError):
            return None
        return cls(library, cards) if cards else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        library, found = self.library, []
        rates = self._each(library.nvmlDeviceGetUtilizationRates)
        if rates:
            found.append(("graphics.busy_percent", float(max(rate.gpu for _, rate in rates))))
        memory = self._each(library.nvmlDeviceGetMemoryInfo)
        if memory:
            found.append(("graphics.memory_used", float(sum(one.used for _, one in memory))))
        heat = self._each(
            lambda card: library.nvmlDeviceGetTemperature(card, library.NVML_TEMPERATURE_GPU)
        )
        if heat:
            found.append(("heat.graphics_celsius", float(max(value for _, value in heat))))
        energy = self._each(library.nvmlDeviceGetTotalEnergyConsumption)
        if energy:
            used = sum(value - self._began.setdefault(card, value) for card, value in energy)
            found.append(("energy.graphics_joules", used / 1000))
        return [*found, *self._of_subject(set(subject))]

    def _of_subject(self, subject: set[int]) -> list[Sampled]:
        """Memory the subject's processes hold; one may both draw and compute and counts once."""
        held: dict[tuple[int, int], int] = {}
        known = False
        for ask in (
            self.library.nvmlDeviceGetGraphicsRunningProcesses,
            self.library.nvmlDeviceGetComputeRunningProcesses,
        ):
            for card, running in self._each(ask):
                known = True
                for one in running:
                    if one.pid in subject and one.usedGpuMemory:
                        key = (card, one.pid)
                        held[key] = max(held.get(key, 0), one.usedGpuMemory)
        return [("subject.graphics_dedicated", float(sum(held.values())))] if known else []

    def _each(self, ask: Callable[[Any], Any]) -> list[tuple[int, Any]]:
        """What each card answers, by its place; a card that does not know is left out."""
        found = []
        for place, card in enumerate(self.cards):
            try:
                found.append((place, ask(card)))
            except self.library.NVMLError:
                continue
        return found
