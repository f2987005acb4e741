"""Which verdicts an unsettled parting stands beside, and which it holds back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from yardstick_core.match.facts import BREAKS, DISK, FRAMES, HARMLESS, MEMORY, PROCESSOR, TIMES
from yardstick_core.match.sheet import Parting
from yardstick_core.readings import counts, durations, frames, growth, latency, memory, processor
from yardstick_core.readings.metric import SAID, Metric

_MODULES = {
    TIMES: (durations, latency),
    FRAMES: (frames,),
    PROCESSOR: (processor,),
    MEMORY: (memory, growth),
    DISK: (counts,),
}
_FAMILIES = {
    metric.key: family
    for family, modules in _MODULES.items()
    for module in modules
    for metric in vars(module).values()
    if isinstance(metric, Metric)
}


def family(metric: str) -> str:
    """Family of a metric, by its key; empty where it is of none."""
    return "" if metric.startswith(SAID) else _FAMILIES.get(metric, "")


@dataclass(frozen=True, slots=True)
class Touch:
    """What stands beside the verdicts on a candidate; `grave` holds them back.

    `families` are those of the metrics it touches, all where empty.
    """

    candidate: int
    words: str
    grave: bool
    families: tuple[str, ...] = ()

    def concerns(self, candidate: int, metric: str) -> bool:
        return candidate == self.candidate and (
            not self.families or family(metric) in (*self.families, "")
        )


def touches(partings: Iterable[Parting], settled: Iterable[str]) -> list[Touch]:
    """What of a parity sheet stands beside verdicts: all that is not harmless and not settled.

    `settled` are the identities of what persons have settled.
    """
    done = set(settled)
    return [
        Touch(
            candidate,
            f"{part.words}; {part.caused}" if part.grade == BREAKS else f"{part.short}: to settle",
            part.grade == BREAKS,
            part.families,
        )
        for part in partings
        if part.grade != HARMLESS and part.identity not in done
        for candidate in part.candidates
    ]
