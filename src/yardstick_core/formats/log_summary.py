"""What a log comes to: samples, runs and what was found of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.tables import Broken, Rows
from yardstick_core.streams.chunk import Instants, Values

SHOWN_BROKEN = 200


@dataclass(frozen=True, slots=True)
class Piece:
    """Samples of one stream of a part: instants (ns since the part's start) and values.

    Frames have no values. A part of timings alone has one piece, of no stream.
    """

    part: int
    stream: str
    instants: Instants
    values: Values | None = None


@dataclass(slots=True)
class Part:
    """What becomes one run: the name it is marked with, and its steps and marks (ns)."""

    name: str
    first_line: int
    rows: int = 0
    start_ns: int = 0
    end_ns: int = 0
    frames: int = 0
    steps: list[tuple[str, int, int]] = field(default_factory=list)
    marks: list[tuple[int, str]] = field(default_factory=list)
    #: What was timed: its name, empty where the file has none, and when it began and ended.
    timings: list[tuple[str, int, int]] = field(default_factory=list)

    @property
    def seconds(self) -> float:
        return (self.end_ns - self.start_ns) / 1e9


@dataclass(slots=True)
class Summary:
    """What was found in a whole log."""

    rows: int = 0
    broken: int = 0
    first_broken: list[Broken] = field(default_factory=list)
    between: int = 0
    repeats: int = 0
    gaps: int = 0
    longest_gap_s: float = 0.0
    drift_s: float = 0.0
    missing: dict[str, int] = field(default_factory=dict)
    parts: list[Part] = field(default_factory=list)
    more_parts: int = 0

    def note(self, broken: list[Broken]) -> None:
        """Count broken lines, and keep the first of them."""
        self.broken += len(broken)
        room = SHOWN_BROKEN - len(self.first_broken)
        self.first_broken += broken[: max(0, room)]

    def only(
        self, some: Rows, kept: NDArray[np.bool_], why: str, *arrays: NDArray[Any]
    ) -> tuple[Rows, list[NDArray[Any]]]:
        """Those of some rows that are kept, and of arrays with a value for each; others are broken,
        and why.
        """
        if kept.all():
            return some, list(arrays)
        wrong = np.flatnonzero(~kept)
        self.broken += len(wrong)
        room = max(0, SHOWN_BROKEN - len(self.first_broken))
        self.first_broken += [Broken(int(some.lines[n]), why) for n in wrong[:room]]
        places = np.flatnonzero(kept).tolist()
        left = Rows(
            some.lines[kept],
            {place: values[kept] for place, values in some.numbers.items()},
            {place: [cells[n] for n in places] for place, cells in some.texts.items()},
        )
        return left, [array[kept] for array in arrays]

    def as_dict(self) -> dict[str, Any]:
        return {
            "rows": self.rows,
            "broken": self.broken,
            "first_broken": [
                {"line": one.line, "why": one.why, "text": one.text} for one in self.first_broken
            ],
            "between": self.between,
            "repeats": self.repeats,
            "gaps": self.gaps,
            "longest_gap_s": self.longest_gap_s,
            "drift_s": self.drift_s,
            "missing": self.missing,
            "more_parts": self.more_parts,
            "parts": [
                {
                    "name": part.name,
                    "first_line": part.first_line,
                    "rows": part.rows,
                    "seconds": part.seconds,
                    "frames": part.frames,
                    "steps": len(part.steps),
                    "marks": len(part.marks),
                    "timings": len(part.timings),
                }
                for part in self.parts
            ],
        }
