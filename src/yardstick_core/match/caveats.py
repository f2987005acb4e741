"""Which verdicts an unsettled mismatch stands beside, and which it holds back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from yardstick_core.match.facts import BREAKS, DISK, FRAMES, HARMLESS, MEMORY, PROCESSOR, TIMES
from yardstick_core.match.sheet import Mismatch
from yardstick_core.readings import (
    counts,
    durations,
    energy,
    frames,
    graphics,
    growth,
    latency,
    memory,
    processor,
)
from yardstick_core.readings.metric import Metric, named_by_stretch

_MODULES = {
    TIMES: (durations, latency),
    PROCESSOR: (processor, energy),
    MEMORY: (memory, growth),
    FRAMES: (frames, graphics),
    DISK: (counts,),
}
_FAMILIES = {
    metric.key: family
    for family, modules in _MODULES.items()
    for module in modules
    for metric in vars(module).values()
    if isinstance(metric, Metric)
}


class Waivable(str):
    """A sentence about something that was not alike, and that a person may waive with a reason."""

    __slots__ = ()


def family(metric: str) -> str:
    """Family of a metric, by its key; empty where it is of none."""
    return "" if named_by_stretch(metric) else _FAMILIES.get(metric, "")


@dataclass(frozen=True, slots=True)
class ParityCaveat:
    """What stands beside the verdicts on a candidate; `grave` holds them back.

    `families` are those of the metrics it touches, all where empty; `short` names it briefly.
    """

    candidate: int
    text: Waivable
    grave: bool
    families: tuple[str, ...] = ()
    short: str = ""

    def concerns(self, candidate: int, metric: str) -> bool:
        return candidate == self.candidate and (
            not self.families or family(metric) in (*self.families, "")
        )


def parity_caveats(mismatches: Iterable[Mismatch], waived: Iterable[str]) -> list[ParityCaveat]:
    """What of a parity sheet stands beside verdicts: all that is not harmless and not waived.

    `waived` are the identities of what persons have waived.
    """
    done = set(waived)
    return [
        ParityCaveat(
            candidate,
            Waivable(f"{part.text}; {part.caused}" if part.grade == BREAKS else part.short),
            part.grade == BREAKS,
            part.families,
            part.short,
        )
        for part in mismatches
        if part.grade != HARMLESS and part.identity not in done
        for candidate in part.candidates
    ]


def withheld_notes(found: Iterable[ParityCaveat], variants: Sequence[str]) -> list[Waivable]:
    """Of each candidate whose verdicts are held back, which ones and by what."""
    return [
        Waivable(f"{_what(touch)} {variants[touch.candidate]} are held back, for {touch.short}")
        for touch in found
        if touch.grave
    ]


def _what(touch: ParityCaveat) -> str:
    return f"verdicts on {', '.join(touch.families)} of" if touch.families else "all verdicts on"
