"""Turns the rows of a log into the record of one or more runs, block by block."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator
from itertools import chain, pairwise

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.guessing.naming import (
    names_runs,
)
from yardstick_core.formats.log_summary import Part, Piece, Summary
from yardstick_core.formats.mapping import (
    FRAME_TIME,
    MARKER,
    MEMORY,
    MEMORY_UNITS,
    MOMENTS,
    OTHER,
    PROCESSOR,
    PROCESSOR_UNITS,
    RATE,
    RUNS,
    STEPS,
    TIME,
    TIME_UNITS,
    WRITTEN,
    Mapping,
)
from yardstick_core.formats.row_clock import RowClock
from yardstick_core.formats.source import Source
from yardstick_core.formats.tables import Rows, rows
from yardstick_core.formats.timing_rows import (
    LONGEST_NS,
    MOST_NS,
    MOST_PARTS,
    TimingRows,
    plain_name,
)
from yardstick_core.streams.chunk import TICK_NS, Instants, Values, differences

#: Where the time of a row jumps ahead of the sum of frame times by more, frames are missing.
DRIFT_NS = 50_000_000
#: A gap is this many times the usual step between rows, and longer than a second.
GAP_FACTOR = 20
GAP_NS = 1_000_000_000
#: Rows that are worked on at once: about those of a block. Fewer would stay in a processor's own
#: memory, but threads that do many small things wait for one another.
ROWS_OF_A_TURN = 131_072
MOST_MARKS = 20_000


#: Letters that are no others with a mark.
_LETTERS = str.maketrans({"ł": "l", "ø": "o", "đ": "d", "ı": "i", "ß": "ss", "æ": "ae", "œ": "oe"})


def stream_of(name: str, taken: set[str]) -> str:
    """Name of the stream of another column: `log.` and what of its name a stream may be called.

    >>> stream_of("Obciążenie [%]", set()), stream_of("負荷", set())
    ('log.obciazenie', 'log.column')
    """
    latin = unicodedata.normalize("NFKD", name.lower().translate(_LETTERS))
    bare = "".join(sign for sign in latin if not unicodedata.combining(sign))
    plain = re.sub(r"[^a-z0-9_]+", "_", bare).strip("_")[:48] or "column"
    found, number = f"log.{plain}", 2
    while found in taken:
        found, number = f"log.{plain}_{number}", number + 1
    return found


def streams_of(mapping: Mapping) -> dict[int, str]:
    """Stream that each counted column of a mapping becomes, by its place."""
    found: dict[int, str] = {}
    for place, column in enumerate(mapping.columns):
        if column.role == PROCESSOR:
            found[place] = "subject.processor_seconds"
        elif column.role == MEMORY:
            found[place] = "subject.resident"
        elif column.role in (RATE, OTHER):
            found[place] = stream_of(column.name, set(found.values()))
    return found


class LogReader:
    """Reads one log. `pieces` may be gone through once; then `summary` is whole.

    Rows whose time goes back, repeats (for frames) or is missing are broken, counted and listed.
    """

    #: Instants are whole ticks since a part's start.
    in_ticks = True

    def __init__(self, source: Source, mapping: Mapping) -> None:
        self.source, self.mapping, self.summary = source, mapping, Summary()
        self._streams = streams_of(mapping)
        self._origin: float | None = None
        self._last_ns = self._last_time = -1
        self._sum_ns = 0.0
        self._rows = 0
        self._offset = self._apart = 0.0
        self._marker = ""
        self._part: Part | None = None
        self._seconds = 0.0
        self._used_until: int | None = None
        self._steps: list[int] = []
        self._clock = RowClock()
        self._timings = TimingRows(mapping, self.summary, self._clock)
        self._runs = 1

    def pieces(self) -> Iterator[Piece]:
        """The record in the order of the file. Raises NotALog where it turns out to be none."""
        read = rows(self.source, self.mapping)
        turns = (few for some in read for few in some.parted(ROWS_OF_A_TURN))
        for few, following in pairwise(chain(turns, [None])):
            assert few is not None
            self.summary.note(few.broken)
            yield from self._block(few, following)
        self._end_step()

    def of_rows(self, some: Rows) -> Iterator[Piece]:
        """The record of some rows alone, as if the log ended there."""
        self.summary.note(some.broken)
        yield from self._block(some)
        self._end_step()

    # -- a block -----------------------------------------------------------------

    def _block(self, some: Rows, following: Rows | None = None) -> Iterator[Piece]:
        """The record of some rows; whether a run begins with the last one, those behind it tell."""
        if self.mapping.events or self.mapping.results:
            first = len(self.summary.parts)
            self._timings.take(some)
            for number in range(first, len(self.summary.parts)):
                yield Piece(number, "", np.empty(0, np.int64))
            return
        some, at, frames = self._timed(some, following)
        if not len(some):
            return
        at //= TICK_NS
        at *= TICK_NS
        self.summary.rows += len(some)
        self._gaps(at)
        for first, last, text in self._spans(some):
            yield from self._span(some, at, frames, first, last, text)
        self._last_ns = int(at[-1])

    def _timed(
        self, some: Rows, following: Rows | None
    ) -> tuple[Rows, Instants, NDArray[np.bool_]]:
        """Rows with the instant of each, ns since the log's start, and which of them are frames."""
        mapping = self.mapping
        time_at, frame_at = mapping.only(TIME), mapping.only(FRAME_TIME)
        lengths: NDArray[np.float64] | None = None
        if mapping.frames == FRAME_TIME and frame_at is not None:
            lengths = some.numbers[frame_at] * TIME_UNITS[mapping.columns[frame_at].unit]
            if not (short := lengths < LONGEST_NS).all():
                lengths = np.where(short, lengths, np.nan)
            if time_at is None:
                some, (lengths,) = self.summary.only(
                    some, lengths > 0, "no frame time above 0", lengths
                )
        if time_at is None and lengths is None:
            paced = np.rint((self._rows + np.arange(len(some))) * (mapping.every_s * 1e9))
            self._rows += len(some)
            return some, paced.astype(np.int64), np.zeros(len(some), bool)
        if time_at is None:
            assert lengths is not None
            ends = self._sum_ns + np.cumsum(lengths)
            self._sum_ns = float(ends[-1]) if len(ends) else self._sum_ns
            return some, np.rint(ends).astype(np.int64), np.ones(len(some), bool)
        unit = mapping.columns[time_at].unit
        values = self._clock.on_one_clock(some.numbers[time_at], unit)
        if unit not in WRITTEN:
            later = following.numbers[time_at][:1] if following else np.empty(0)
            values = self._clock.begun_anew(values, lengths, some.lines, later * TIME_UNITS[unit])
        kept = np.abs(values) < MOST_NS
        extra = [values] if lengths is None else [values, lengths]
        some, found = self.summary.only(some, kept, "no time", *extra)
        values, lengths = found[0], found[1] if len(found) > 1 else None
        if not len(some):
            return some, np.empty(0, np.int64), np.empty(0, bool)
        if self._origin is None:
            begins = float(lengths[0]) if lengths is not None and lengths[0] > 0 else 0.0
            self._origin = float(values[0]) - begins
        at = np.rint(values - self._origin).astype(np.int64)
        instants: Instants = at
        if at[0] <= self._last_time or not (at[1:] > at[:-1]).all():
            before = np.maximum.accumulate(np.append(self._last_time, at))[:-1]
            again = at == before
            wrong = at < before if mapping.frames != TIME else at <= before
            self.summary.repeats += int(again.sum())
            why = "the time goes back" if mapping.frames != TIME else "the time does not go on"
            some, left = self.summary.only(
                some, ~wrong, why, at, *([] if lengths is None else [lengths])
            )
            instants = left[0].astype(np.int64)
            lengths = None if lengths is None else left[1]
        if len(instants):
            self._last_time = int(instants[-1])
        if lengths is None:
            return some, instants, np.full(len(instants), mapping.frames == TIME)
        known = lengths > 0
        shown = self._anchored(instants, lengths, known) if len(instants) else instants
        return some, shown, known

    def _anchored(
        self, at: Instants, lengths: NDArray[np.float64], known: NDArray[np.bool_]
    ) -> Instants:
        """Ends of frames from their lengths; where the time jumps ahead, frames are missing.

        What they part by slowly is not made up for: it would show as frames that never were. The
        summary says how much it is.
        """
        sums = np.cumsum(lengths if known.all() else np.where(known, lengths, 0.0))
        sums += self._sum_ns
        apart = at - sums
        steps = differences(apart, self._apart)
        jumps = steps > DRIFT_NS
        self._sum_ns, self._apart = float(sums[-1]), float(apart[-1])
        # neither sums nor what is held goes back, so that instants do not
        if jumps.any():
            held = self._offset + np.cumsum(np.where(jumps, steps, 0.0))
            sums += held
            self._offset = float(held[-1])
        elif self._offset:
            sums += self._offset
        self.summary.drift_s = (self._apart - self._offset) / 1e9
        shown: Instants = np.rint(sums).astype(np.int64)
        return shown

    def _gaps(self, at: Instants) -> None:
        steps = differences(at, max(self._last_ns, 0))
        if len(steps) <= 2 or steps.max() <= GAP_NS:
            return
        wide = steps[steps > max(GAP_NS, GAP_FACTOR * float(np.median(steps)))]
        self.summary.gaps += len(wide)
        if len(wide):
            longest = float(wide.max()) / 1e9
            self.summary.longest_gap_s = max(self.summary.longest_gap_s, longest)

    # -- marked stretches ----------------------------------------------------------

    def _spans(self, some: Rows) -> list[tuple[int, int, str]]:
        """Runs of rows with the same marker: first, one past the last, and the marker."""
        place = self.mapping.only(MARKER)
        anew = np.searchsorted(some.lines, self._clock.anew_lines).tolist()
        if place is None:
            texts = [""] * len(some) if anew else [""]
            starts = sorted({0, *anew})
        else:
            texts = some.texts[place]
            cells = np.array(texts, object)
            starts = sorted({0, *anew, *(np.flatnonzero(cells[1:] != cells[:-1]) + 1).tolist()})
        starts = [start for start in starts if start < len(some)]
        return [
            (first, last, texts[first])
            for first, last in zip(starts, [*starts[1:], len(some)], strict=True)
        ]

    def _span(
        self, some: Rows, at: Instants, frames: NDArray[np.bool_], first: int, last: int, text: str
    ) -> Iterator[Piece]:
        changed = text != self._marker
        anew = int(some.lines[first]) in self._clock.anew_lines
        means = self.mapping.markers if self.mapping.only(MARKER) is not None else MOMENTS
        if means == RUNS:
            if changed or (text and self._part is None):
                self._part = None
            if not text:
                self.summary.between += last - first
                self._marker = text
                return
        name = self._named(text) if means == RUNS else ""
        if anew and not (changed and means == RUNS):
            self._end_step()
            if self._part is not None and self._runs == 1:
                self._part.name = f"{self._part.name} run 1".strip()
            self._part, self._runs = None, self._runs + 1
            name = f"{name} run {self._runs}".strip()
        elif changed and means == RUNS:
            self._runs = 1
        if self._part is None:
            part = self._begin(name, int(some.lines[first]), at, first)
            if part is None:
                self._marker = text
                return
            yield from self._opening()
        part = self._part
        assert part is not None
        if changed and means == STEPS:
            self._end_step()
            if text:
                began = part.end_ns if part.rows else int(at[first])
                self._steps = [began - part.start_ns]
        if changed and text and means == MOMENTS and len(part.marks) < MOST_MARKS:
            part.marks.append((int(at[first]) - part.start_ns, text[:200]))
        self._marker = text
        part.rows += last - first
        part.end_ns = int(at[last - 1])
        yield from self._samples(some, at, frames, first, last)

    def _named(self, text: str) -> str:
        """What a run is called after its marker: `run 2` where that is a number alone."""
        place = self.mapping.only(MARKER)
        numbered = place is not None and text.strip().isdigit()
        if numbered and place is not None and names_runs(self.mapping.columns[place].name):
            return f"{plain_name(self.mapping.columns[place].name)} {text.strip()}"
        return text

    def _begin(self, name: str, line: int, at: Instants, first: int) -> Part | None:
        if len(self.summary.parts) >= MOST_PARTS:
            self.summary.more_parts += 1
            return None
        start = int(at[first])
        if self.mapping.frames == FRAME_TIME:
            start = int(at[first - 1]) if first else max(self._last_ns, 0)
        self._part = Part(name[:200], line, start_ns=start, end_ns=start)
        self._seconds, self._used_until = 0.0, None
        self.summary.parts.append(self._part)
        return self._part

    def _opening(self) -> Iterator[Piece]:
        """The instant the first frame of a part is counted from."""
        if self.mapping.frames == FRAME_TIME:
            yield Piece(len(self.summary.parts) - 1, "frames", np.zeros(1, np.int64))

    def _end_step(self) -> None:
        if self._steps and self._part is not None:
            end = self._part.end_ns - self._part.start_ns
            self._part.steps.append((self._marker[:200], self._steps[0], end))
        self._steps = []

    # -- samples -------------------------------------------------------------------

    def _samples(
        self, some: Rows, at: Instants, frames: NDArray[np.bool_], first: int, last: int
    ) -> Iterator[Piece]:
        part = self._part
        assert part is not None
        number = len(self.summary.parts) - 1
        instants = at[first:last] - part.start_ns
        if self.mapping.frames:
            own = frames[first:last]
            shown = instants if own.all() else instants[own]
            part.frames += len(shown)
            if len(shown):
                yield Piece(number, "frames", shown)
        for place, stream in self._streams.items():
            column = self.mapping.columns[place]
            values = some.numbers[place][first:last]
            there = np.isfinite(values)
            if not there.all():
                missing = self.summary.missing
                missing[column.name] = missing.get(column.name, 0) + int((~there).sum())
            if not there.any():
                continue
            if column.role == PROCESSOR:
                yield Piece(number, stream, instants, self._used(instants, values, column.unit))
                continue
            factor = MEMORY_UNITS[column.unit] if column.role == MEMORY else 1.0
            at_there, of_there = instants, values
            if not there.all():
                at_there, of_there = instants[there], values[there]
            yield Piece(number, stream, at_there, of_there * factor)

    def _used(self, instants: Instants, values: Values, unit: str) -> Values:
        """Processor seconds so far, from the use that each row says of the time before it."""
        cores = np.nan_to_num(values) * PROCESSOR_UNITS[unit]
        if unit == "% of the machine":
            cores = cores * self.mapping.cores
        before = int(instants[0]) if self._used_until is None else self._used_until
        steps = differences(instants, before) / 1e9
        used = self._seconds + np.cumsum(cores * steps)
        self._seconds, self._used_until = float(used[-1]), int(instants[-1])
        return used
