"""A run as recorded: its journal, frames and counters, joined from their chunks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from yardstick_core.streams.chunk import (
    Instants,
    Values,
    decode_all_frames,
    decode_counters,
    decode_journal,
)
from yardstick_core.streams.entries import Entry, StretchKind

FINISHED = "finished"
#: Played to its end on a machine that did something else as well; set once its readings are known.
DISTURBED = "disturbed"
#: How a run may end; all but `finished` are kept, counted and never averaged in.
OUTCOMES = (
    *("finished", "disturbed", "wrong result", "cut off", "hung", "crashed"),
    *("not started", "refused", "aborted"),
)
#: What a run is for: to be compared with others of its round; the same without sampling, to know
#: what that costs; a variant anew, to know whether today is like last time; or to be filmed, and
#: compared with nothing, for filming takes processor time.
ROUND, CONTROL, CHECK, FILMED = PURPOSES = ("round", "control", "check", "filmed")


@dataclass(frozen=True, slots=True)
class StretchRecord:
    """A step, timing, frame stretch or lap of a run; laps of one loop share their path.

    It lasts from `start_ns` to `end_ns`, which is known to ± `plus_minus_ns`;
    `right_censored` is true where the end was never seen and `end_ns` is only when waiting stopped;
    `unanswered` where nothing changed on the screen after its input, so that it timed nothing.
    """

    kind: StretchKind | Literal["selection"]
    path: tuple[str, ...]
    start_ns: int
    end_ns: int
    plus_minus_ns: int = 0
    right_censored: bool = False
    unanswered: bool = False
    #: The rate that a frame stretch should keep, where its script names one.
    hertz: float | None = None
    #: Time between two pictures of the film that the frames were read from; 0: they were sampled.
    film_step_ns: int = 0

    @property
    def name(self) -> str:
        return " / ".join(self.path)

    @property
    def duration_s(self) -> float:
        return (self.end_ns - self.start_ns) / 1e9


@dataclass(frozen=True, slots=True)
class InputRecord:
    """One input: when it was sent, how late against its schedule, and what it was."""

    at_ns: int
    late_ns: int
    what: str


@dataclass(frozen=True, slots=True)
class RunRecord:
    """Everything recorded in one run; instants are ns since its start."""

    stretches: tuple[StretchRecord, ...] = ()
    inputs: tuple[InputRecord, ...] = ()
    marks: tuple[tuple[int, str], ...] = ()
    frames_ns: Instants = field(default_factory=lambda: np.empty(0, np.int64))
    counters: dict[str, tuple[Instants, Values]] = field(default_factory=dict)
    outcome: str = FINISHED
    detail: str = ""
    journal: tuple[Entry, ...] = ()


def join(chunks: Mapping[str, Iterable[bytes]]) -> RunRecord:
    """Put a run together from its chunks, by stream, in order.

    Raises ChunkError where a chunk cannot be read.
    """
    journal: list[Entry] = []
    frames_ns: Instants | None = None
    counters: dict[str, tuple[Instants, Values]] = {}
    for stream, parts in chunks.items():
        if stream == "journal":
            for part in parts:
                journal += decode_journal(part)
        elif stream == "frames":
            frames_ns = decode_all_frames(list(parts))
        else:
            there = list(parts)
            if there:
                counters[stream] = decode_counters(there)
    return from_journal(journal, frames_ns, counters)


def from_journal(
    journal: Sequence[Entry],
    frames_ns: Instants | None = None,
    counters: dict[str, tuple[Instants, Values]] | None = None,
) -> RunRecord:
    """A run from its journal entries and, where there are any, its frames and counters."""
    stretches = [
        StretchRecord(
            entry["kind"],
            tuple(entry["path"]),
            int(entry["start"]),
            int(entry["end"]),
            int(entry.get("plus_minus", 0)),
            # runs recorded by protocol 4 and before say it by its older name
            bool(entry.get("right_censored", entry.get("longer_than", False))),
            bool(entry.get("unanswered", False)),
            entry.get("hertz") or None,
            int(entry.get("film_step", 0)),
        )
        for entry in journal
        if entry["kind"] in ("step", "time", "frames", "lap")
    ]
    inputs = [
        InputRecord(int(entry["at"]), int(entry.get("late", 0)), str(entry["what"]))
        for entry in journal
        if entry["kind"] == "input"
    ]
    marks = [(int(entry["at"]), str(entry["name"])) for entry in journal if entry["kind"] == "mark"]
    ends = [entry for entry in journal if entry["kind"] == "outcome"]
    return RunRecord(
        tuple(sorted(stretches, key=lambda s: (s.start_ns, -s.end_ns, len(s.path)))),
        tuple(inputs),
        tuple(marks),
        np.empty(0, np.int64) if frames_ns is None else frames_ns,
        counters or {},
        str(ends[-1]["outcome"]) if ends else "cut off",
        str(ends[-1].get("detail", "")) if ends else "the record ends without an outcome",
        tuple(journal),
    )
