"""Where a difference comes from: parts that add up exactly to the whole."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare.intervals import paired, welch
from yardstick_core.compare.rows import Row
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.durations import DURATION, STEP_PROCESSOR, STEP_TIME
from yardstick_core.readings.frames import AVERAGE_RATE, BUSY_RATE, QUIET_RATE
from yardstick_core.readings.metric import Metric

REST = "the rest"


@dataclass(frozen=True, slots=True)
class Contribution:
    """A part of a difference: means of both sides and the change, in the metric's unit.

    `share` is the part's share of the whole change; NaN where the whole is zero. `only_in` is the
    side that has the part at all: "baseline", "candidate", or "" for both.
    """

    label: str
    baseline: float
    candidate: float
    change: float
    low: float
    high: float
    share: float
    only_in: str = ""


@dataclass(frozen=True, slots=True)
class Breakdown:
    """The whole change and its parts; the changes of the parts sum to that of the whole."""

    stretch: tuple[str, ...]
    metric: Metric
    candidate: int
    baseline_mean: float
    candidate_mean: float
    change: float
    parts: tuple[Contribution, ...]


def breakdowns(
    rows: Sequence[Row], baseline: int, candidate: int, alpha: float = 0.05
) -> list[Breakdown]:
    """Every whole that has parts: timings with nested ones, the session by its steps, frame rates
    by busy and quiet time."""
    by_place = {(row.metric.key, row.stretch): row for row in rows}
    found = []
    for row in rows:
        split = _split(row, _parts(row, rows, by_place), baseline, candidate, alpha)
        if split is not None:
            found.append(split)
    return found


def _parts(
    whole: Row, rows: Sequence[Row], by_place: dict[tuple[str, tuple[str, ...]], Row]
) -> list[tuple[str, Row]]:
    """The rows that are parts of a whole, with what they are called."""
    key, stretch = whole.metric.key, whole.stretch
    if key == DURATION.key:
        return [
            (row.stretch[-1], row)
            for row in rows
            if row.metric.key == key and row.stretch[:-1] == stretch
        ]
    if key in (STEP_TIME.key, STEP_PROCESSOR.key) and stretch == (WHOLE,):
        return [(row.stretch[0], row) for row in rows if row.metric.key == key and row is not whole]
    if key == AVERAGE_RATE.key:
        pair = (("while busy", BUSY_RATE.key), ("while quiet", QUIET_RATE.key))
        return [
            (name, by_place[part, stretch]) for name, part in pair if (part, stretch) in by_place
        ]
    return []


def _split(
    whole: Row, parts: list[tuple[str, Row]], baseline: int, candidate: int, alpha: float
) -> Breakdown | None:
    runs = _runs_that_count(whole, baseline, candidate)
    if not parts or runs is None:
        return None
    read = [
        np.array([_values(row, variant, counted) for row in (whole, *(row for _, row in parts))])
        for variant, counted in zip((baseline, candidate), runs, strict=True)
    ]
    in_pairs = read[0].shape[1] == read[1].shape[1] and _paired(whole, baseline, candidate)
    whole_read = _read_whole(read, in_pairs)
    if whole_read is None:
        return None
    sides = []
    for values, *inside in whole_read:
        rest = values - sum(np.nan_to_num(part) for part in inside)
        sides.append((values, [*inside, rest]))
    (whole_a, parts_a), (whole_b, parts_b) = sides
    change = float(whole_b.mean() - whole_a.mean())
    found = []
    for name, a, b in zip([*(n for n, _ in parts), REST], parts_a, parts_b, strict=True):
        none_a, none_b = bool(np.isnan(a).all()), bool(np.isnan(b).all())
        a, b = np.nan_to_num(a), np.nan_to_num(b)
        part = float(b.mean() - a.mean())
        exact = bool(np.allclose(a, 0, atol=1e-9) and np.allclose(b, 0, atol=1e-9))
        if name == REST and exact:
            continue
        low, high = _limits(a, b, in_pairs, alpha)
        only = "candidate" if none_a else "baseline" if none_b else ""
        share = part / change if change else math.nan
        found.append(
            Contribution(name, float(a.mean()), float(b.mean()), part, low, high, share, only)
        )
    return Breakdown(
        whole.stretch, whole.metric, candidate, float(whole_a.mean()), float(whole_b.mean()),
        change, tuple(found),
    )  # fmt: skip


def _read_whole(
    sides: list[NDArray[np.float64]], in_pairs: bool
) -> list[NDArray[np.float64]] | None:
    """The runs in which everything was read that the side has at all; None below one a side.

    A part that one run has no reading of is not 0 s long there: that run says nothing of the parts.
    """
    there = []
    for side in sides:
        unread = np.isnan(side)
        has = np.flatnonzero(~unread.all(axis=1))
        there.append(~unread[has].any(axis=0) & bool(len(has) and has[0] == 0))
    if in_pairs:
        there = [there[0] & there[1]] * 2
    if not all(kept.any() for kept in there):
        return None
    return [side[:, kept] for side, kept in zip(sides, there, strict=True)]


def _paired(whole: Row, baseline: int, candidate: int) -> bool:
    a = {s.round for s in whole.samples[baseline]}
    return any(s.round in a for s in whole.samples[candidate])


def _runs_that_count(
    whole: Row, baseline: int, candidate: int
) -> tuple[list[int], list[int]] | None:
    """The runs of both sides that the whole's difference rests on, in the same order of rounds."""
    difference = whole.differences[candidate]
    if difference is not None and difference.pairs:
        return [a for a, _ in difference.pairs], [b for _, b in difference.pairs]
    a, b = whole.samples[baseline], whole.samples[candidate]
    if any(s.right_censored for s in (*a, *b)):
        return None
    partners = {s.round: s.run for s in a}
    pairs = [(partners[s.round], s.run) for s in b if s.round in partners]
    if len(pairs) >= 2:
        return [run for run, _ in pairs], [run for _, run in pairs]
    return ([s.run for s in a], [s.run for s in b]) if a and b else None


def _values(row: Row, variant: int, runs: list[int]) -> NDArray[np.float64]:
    """Readings of these runs; NaN where a run has none."""
    known = {sample.run: sample.value for sample in row.samples[variant]}
    return np.array([known.get(run, math.nan) for run in runs])


def _limits(
    a: NDArray[np.float64], b: NDArray[np.float64], in_pairs: bool, alpha: float
) -> tuple[float, float]:
    if min(len(a), len(b)) < 2:
        return -math.inf, math.inf
    found = paired((b - a)[None], alpha) if in_pairs else welch(a[None], b[None], alpha)
    return float(found.low[0]), float(found.high[0])
