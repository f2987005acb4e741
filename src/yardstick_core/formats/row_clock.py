"""Instants of the rows of a log, block by block, on one clock that goes on."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from yardstick_core.formats.mapping import CLOCK, TIME_UNITS, WRITTEN

#: A time that goes back to within so much of a run's length of its start begins another run, of
#: which there are so many rows.
_NEAR_START, _FEWEST_OF_A_RUN = 0.1, 8
_DAY_S, _HALF_A_DAY_S = 86_400.0, 43_200.0


class RowClock:
    """Goes on where what a log is told in goes back: at midnight, and where a run begins."""

    def __init__(self) -> None:
        #: Lines of the last block in which a run begins.
        self.anew_lines: list[int] = []
        #: Of a time of day: the last one, s, and how many midnights have passed.
        self._last_clock, self._days = 0.0, 0
        #: Of a time that begins anew with each run: the first and last instant, how many rows the
        #: run has, and what is added to its instants, ns.
        self._first_of_run = self._last_of_run = math.nan
        self._rows_of_run = 0
        self._anew_ns = 0.0

    def begun_anew(
        self, values: NDArray[np.float64], lengths: NDArray[np.float64] | None,
        lines: NDArray[np.int64], later: ArrayLike = (),
    ) -> NDArray[np.float64]:  # fmt: skip
        """Instants that go on where those of the log go back to its start: another run begins.

        A single instant that is wrong is followed by one that goes on, and is none: what follows
        the last one is the first of `later`.
        """
        self.anew_lines = []
        if not len(values):
            return values
        if not math.isfinite(self._first_of_run):
            self._first_of_run = float(values[0])
        if self._goes_on(values):
            self._rows_of_run += len(values)
            self._last_of_run = float(values[-1])
            return values + self._anew_ns if self._anew_ns else values
        before = np.concatenate(([self._last_of_run], values[:-1]))
        after = np.concatenate((values[1:], later, [np.nan]))[: len(values)]
        past = before - self._first_of_run
        near = values - self._first_of_run <= _NEAR_START * past
        goes_on = (after > values) & (after - self._first_of_run < past / 2)
        begins = np.flatnonzero((past > 0) & near & goes_on)
        shifted = values + self._anew_ns
        for place in begins.tolist():
            if self._rows_of_run + place < _FEWEST_OF_A_RUN:
                continue
            step = float(lengths[place]) if lengths is not None else math.nan
            step = step if step > 0 else float(after[place] - values[place])
            self._anew_ns += float(before[place] - values[place]) + step
            shifted[place:] = values[place:] + self._anew_ns
            self.anew_lines.append(int(lines[place]))
            self._rows_of_run = -place
        self._rows_of_run += len(values)
        known = values[np.isfinite(values)]
        self._last_of_run = float(known[-1]) if len(known) else self._last_of_run
        return shifted

    def _goes_on(self, values: NDArray[np.float64]) -> bool:
        """Whether no instant is missing or lies before the last one, as nearly always."""
        before = self._last_of_run if math.isfinite(self._last_of_run) else -math.inf
        return bool(values[0] >= before and (values[1:] >= values[:-1]).all())

    def on_one_clock(self, values: NDArray[np.float64], unit: str) -> NDArray[np.float64]:
        """Instants in ns; a time of day goes on after midnight."""
        if unit not in WRITTEN:
            with np.errstate(over="ignore"):  # a number beyond all times is refused as none
                return values * TIME_UNITS[unit]
        if unit == CLOCK and len(values):
            known = np.where(np.isfinite(values), values, self._last_clock)
            back = np.diff(known, prepend=self._last_clock) < -_HALF_A_DAY_S
            values = values + _DAY_S * (self._days + np.cumsum(back))
            self._days += int(back.sum())
            self._last_clock = float(known[-1])
        return values * 1e9
