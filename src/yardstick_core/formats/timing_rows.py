"""Rows of a log that are timings: events of one run, or results that are a run each."""

from __future__ import annotations

import re
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.guessing.naming import (
    number_repeats,
    stem_of,
    sums_up,
    without_number,
)
from yardstick_core.formats.log_summary import Part, Summary
from yardstick_core.formats.mapping import (
    BEGIN,
    DURATION,
    END,
    MARKER,
    OF_ONE_RUN,
    SPAN,
    TIME_UNITS,
    VARIANT,
    Mapping,
)
from yardstick_core.formats.row_clock import RowClock
from yardstick_core.formats.tables import Broken, Rows

MOST_PARTS = 400
#: Longer than anything that is timed, and later than any instant: such a number is none.
LONGEST_NS, MOST_NS = 1e15, 4e18

#: What stands in brackets behind a name: its unit.
_WITHOUT_UNIT = re.compile(
    r"(?:[\[(][^\])]*[\])]|[\s_,;:/]+(?:in )?(?:[mnuµμ]?s|secs?|seconds|milliseconds|min))\s*$",
    re.IGNORECASE,
)


def _ns_in(unit: str) -> float:
    """How many ns a value of a duration's unit is; minutes:seconds were read as seconds."""
    return 1e9 if unit == SPAN else TIME_UNITS[unit]


def plain_name(name: str) -> str:
    """The name of a column without its unit.

    >>> plain_name("open [ms]"), plain_name("page rendered took [s]"), plain_name("took [s]")
    ('open', 'page rendered', 'took')
    """
    bare = _WITHOUT_UNIT.sub("", name).strip() or name
    return re.sub(r"(?<=\w)\s+took$", "", bare)


class TimingRows:
    """Takes rows of timings into the summary of a log, whose clock tells when they were."""

    def __init__(self, mapping: Mapping, summary: Summary, clock: RowClock) -> None:
        self.mapping, self.summary, self._clock = mapping, summary, clock
        self._origin = 0.0
        self._named = ""
        self._base: float | None = None

    def take(self, some: Rows) -> None:
        """Add the timings of some rows to the summary: to its one part, or as a part each."""
        self.summary.rows += len(some)
        if self.mapping.events:
            self._events(some)
        else:
            self._results(some)

    def _events(self, some: Rows) -> None:
        starts, ends = self._instants(some)
        some, (starts, ends) = self.summary.only(
            some,
            (np.abs(starts) < MOST_NS) & (np.abs(ends) < MOST_NS),
            "no begin or no end",
            starts,
            ends,
        )
        some, (starts, ends) = self.summary.only(
            some, ends >= starts, "it ends before it begins", starts, ends
        )
        if not len(some):
            return
        marker, variant = self.mapping.only(MARKER), self.mapping.only(VARIANT)
        length = self.mapping.only(DURATION)
        called = "" if length is None else plain_name(self.mapping.columns[length].name)
        names = [called] * len(some) if marker is None else some.texts[marker]
        of = [""] * len(some) if variant is None else some.texts[variant]
        first = 0
        for named, rows in groupby(of):
            last = first + len(list(rows))
            begins = float(starts[first:last].min())
            if part := self._part_of(named, int(some.lines[first]), begins):
                for row in range(first, last):
                    begin, end = (round(max(0.0, at[row] - self._origin)) for at in (starts, ends))
                    part.timings.append((names[row][:200], begin, end))
                    part.end_ns = max(part.end_ns, end)
                part.rows += last - first
            first = last

    def _part_of(self, named: str, line: int, start: float) -> Part | None:
        """The part that events of a variant go into: another one where the variant changes. None
        where those are too many.
        """
        parts = self.summary.parts
        if self._named == named and parts:
            return None if self.summary.more_parts else parts[-1]
        self._named, self._origin = named, start
        if len(parts) >= MOST_PARTS:
            self.summary.more_parts += 1
            return None
        parts.append(Part(named[:200], line))
        return parts[-1]

    def _instants(self, some: Rows) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """When the events of rows began and ended, ns; one of them may be told by the duration."""

        def told(role: str) -> NDArray[np.float64] | None:
            place = self.mapping.only(role)
            if place is None:
                return None
            return self._clock.on_one_clock(some.numbers[place], self.mapping.columns[place].unit)

        starts, ends, took = map(told, (BEGIN, END, DURATION))
        if took is not None and (starts is None or ends is None):
            # instants since 1970 are so large that a duration taken from one loses its last digits
            starts, ends = self._since_base(starts), self._since_base(ends)
        if starts is None:
            assert ends is not None
            assert took is not None
            return ends - took, ends
        if ends is None:
            assert took is not None
            return starts, starts + took
        return starts, ends

    def _results(self, some: Rows) -> None:
        columns, places = self.mapping.columns, self.mapping.of(DURATION)
        variant, marker = self.mapping.only(VARIANT), self.mapping.only(MARKER)
        names = [plain_name(columns[place].name) for place in places]
        stems = {without_number(name) for name in names}
        # columns that only number the runs, as `run 1` and `run 2`, or those of several variants
        repeats = {place: stem_of(plain_name(columns[place].name)) for place in places}
        variants = len(set(repeats.values())) > 1 and len(set(repeats.values())) < len(places)
        worded = number_repeats(names) and re.search(r"[^\W\d_]", min(stems))
        nameless = marker is not None and variant is None and bool(worded)
        for row in range(len(some)):
            named = some.texts[variant][row].rstrip(": ") if variant is not None else ""
            timing = some.texts[marker][row] if marker is not None else ""
            label = next((cells[row] for cells in some.texts.values() if sums_up(cells[row])), "")
            if label:
                self.summary.note([Broken(int(some.lines[row]), f"“{label}” sums up others")])
                continue
            if self.mapping.durations == OF_ONE_RUN:
                self._one_run(some, row, named)
                continue
            for place in places:
                value = some.numbers[place][row] * _ns_in(columns[place].unit)
                if not 0 < value < LONGEST_NS:
                    continue
                if len(self.summary.parts) >= MOST_PARTS:
                    self.summary.more_parts += 1
                    continue
                several = len(places) > 1
                called = plain_name(columns[place].name) if several and not nameless else ""
                called = repeats[place] if variants else called
                part = Part(
                    (named or called)[:200], int(some.lines[row]),
                    rows=1, end_ns=round(value),
                )  # fmt: skip
                # columns that differ by a number alone are repeats of one timing
                what = timing or (
                    columns[place].name if several and named and len(stems) > 1 else ""
                )
                part.timings.append((what[:200], 0, round(value)))
                self.summary.parts.append(part)

    def _one_run(self, some: Rows, row: int, named: str) -> None:
        """A run of its own, with a timing for each column of durations."""
        part = Part(named[:200], int(some.lines[row]), rows=1)
        for place in self.mapping.of(DURATION):
            column = self.mapping.columns[place]
            value = some.numbers[place][row] * _ns_in(column.unit)
            if 0 < value < LONGEST_NS:
                part.timings.append((plain_name(column.name)[:200], 0, round(value)))
                part.end_ns = max(part.end_ns, round(value))
        if not part.timings:
            self.summary.note([Broken(int(some.lines[row]), "no duration above 0")])
        elif len(self.summary.parts) >= MOST_PARTS:
            self.summary.more_parts += 1
        else:
            self.summary.parts.append(part)

    def _since_base(self, at: NDArray[np.float64] | None) -> NDArray[np.float64] | None:
        """Instants since the first one of the log, ns."""
        if at is None:
            return None
        known = at[np.isfinite(at)]
        if self._base is None and len(known):
            self._base = float(known[0])
        return at - (self._base or 0.0)
