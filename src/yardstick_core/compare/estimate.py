"""Estimates of many differences at once: baseline against candidate, one row a metric.

Rows whose runs are the same are worked on together, as matrices of metrics × runs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare.intervals import Interval, hodges_lehmann, paired, welch
from yardstick_core.compare.screening import TREND_Z, medians, screened, trend_z, warm_up_lengths
from yardstick_core.compare.verdict import materiality
from yardstick_core.readings.metric import Metric

FEWEST_FOR_RANKS = 7
WARMING_UP, FAR_FROM_OTHERS = "warming up", "far from all others"
COMPARED_RAW = "some readings are zero: compared in their own unit"

Array = NDArray[np.float64]


class Sample(NamedTuple):
    """One run's reading as the comparison sees it."""

    run: int
    round: int
    value: float
    longer_than: bool = False
    rig: str = ""
    #: Half-width of what a person's reaction leaves unknown, in the metric's unit.
    unsure: float = 0.0


@dataclass(slots=True)
class Estimate:
    """What the runs of two sides show of one metric.

    `gain` is the shift on the scale of judgement, logs or the own unit, positive = better;
    `raw` the shift by the same rule in the metric's own unit; both None without an interval.
    `band` is the largest gain too small to matter. `pairs` are the rounds that counted.
    """

    metric: Metric
    on_logs: bool
    baseline: float
    candidate: float
    baseline_runs: int
    candidate_runs: int
    gain: Interval | None = None
    raw: Interval | None = None
    band: float = math.nan
    apart: list[tuple[int, str]] = field(default_factory=list)
    pairs: tuple[tuple[int, int], ...] = ()
    reservations: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Side:
    """One side of rows that share their runs: values of shape (k, n)."""

    runs: list[int]
    rounds: list[tuple[int, str]]
    longer: NDArray[np.bool_]
    values: Array
    unsure: Array

    def from_run(self, first: int, rows: NDArray[np.intp]) -> _Side:
        return _Side(
            self.runs[first:], self.rounds[first:], self.longer[first:],
            self.values[rows, first:], self.unsure[rows, first:],
        )  # fmt: skip


def estimates(
    metrics: Sequence[Metric],
    baselines: Sequence[Sequence[Sample]],
    candidates: Sequence[Sequence[Sample]],
    *,
    in_rounds: bool,
    alpha: float,
) -> list[Estimate]:
    """One estimate a metric; samples in the order taken, at least one a side."""
    alike: dict[tuple[object, ...], list[int]] = {}
    for row, (a, b) in enumerate(zip(baselines, candidates, strict=True)):
        key = tuple([(s[0], s[1], s[3], s[4]) for s in (*a, *b)]), len(a)
        alike.setdefault(key, []).append(row)
    found: list[Estimate | None] = [None] * len(metrics)
    for rows in alike.values():
        part = [metrics[row] for row in rows]
        left, right = (_side([sides[row] for row in rows]) for sides in (baselines, candidates))
        for row, estimate in zip(rows, _alike(part, left, right, in_rounds, alpha), strict=True):
            found[row] = estimate
    return [estimate for estimate in found if estimate is not None]


def _side(samples: list[Sequence[Sample]]) -> _Side:
    first = samples[0]
    return _Side(
        [s.run for s in first],
        [(s.round, s.rig) for s in first],
        np.array([s.longer_than for s in first], bool),
        np.array([[s.value for s in row] for row in samples], np.float64),
        np.array([[s.unsure for s in row] for row in samples], np.float64),
    )


def _alike(
    metrics: list[Metric], a: _Side, b: _Side, in_rounds: bool, alpha: float
) -> list[Estimate]:
    """Estimates of rows with the same runs, in parts with the same runs warming up."""
    if a.longer.any() or b.longer.any():
        warm = [np.zeros(len(metrics), np.int64)] * 2
    else:
        sign = np.array([-1.0 if metric.higher_is_better else 1.0 for metric in metrics])[:, None]
        warm = [warm_up_lengths(side.values * sign) for side in (a, b)]
    found: list[Estimate] = [None] * len(metrics)  # type: ignore[list-item]
    for drop_a, drop_b in set(zip(*(lengths.tolist() for lengths in warm), strict=True)):
        rows = np.flatnonzero((warm[0] == drop_a) & (warm[1] == drop_b))
        part = _settled(
            [metrics[row] for row in rows],
            a.from_run(drop_a, rows),
            b.from_run(drop_b, rows),
            in_rounds,
            alpha,
        )
        early = [(run, WARMING_UP) for run in (*a.runs[:drop_a], *b.runs[:drop_b])]
        for row, estimate in zip(rows, part, strict=True):
            estimate.apart[:0] = early
            found[row] = estimate
    return found


def _settled(
    metrics: list[Metric], a: _Side, b: _Side, in_rounds: bool, alpha: float
) -> list[Estimate]:
    """Estimates of rows with the same runs, all of them warm."""
    positive = (a.values > 0).all(axis=1) & (b.values > 0).all(axis=1)
    on_logs = np.array([metric.on_logs for metric in metrics]) & positive
    middles = medians(a.values), medians(b.values)
    found = [
        Estimate(metric, logs, left, right, len(a.runs), len(b.runs))
        for metric, logs, left, right in zip(
            metrics, on_logs.tolist(), *(m.tolist() for m in middles), strict=True
        )
    ]
    _note_doubts(found, a, b)
    method = _method(a, b, in_rounds)
    if method is None:
        return found
    with np.errstate(divide="ignore", invalid="ignore"):
        scaled_a, scaled_b = (
            np.where(on_logs[:, None], np.log(side.values), side.values) for side in (a, b)
        )
    if method == "ranks":
        scaled = hodges_lehmann(scaled_a, scaled_b, alpha, a.longer, b.longer)
        raw = hodges_lehmann(a.values, b.values, alpha, a.longer, b.longer)
    elif method == "rounds":
        left, right = _pairs(a.rounds, b.rounds)
        differences = scaled_b[:, right] - scaled_a[:, left]
        keep = screened(differences)
        scaled = paired(differences, alpha, keep)
        raw = paired(b.values[:, right] - a.values[:, left], alpha, keep)
        _note_wild(found, [b.runs[place] for place in right], keep)
        pairs = [(a.runs[i], b.runs[j]) for i, j in zip(left, right, strict=True)]
        for estimate, kept in zip(found, keep.tolist(), strict=True):
            estimate.pairs = tuple(pair for pair, stays in zip(pairs, kept, strict=True) if stays)
    else:
        keep_a, keep_b = screened(scaled_a), screened(scaled_b)
        scaled = welch(scaled_a, scaled_b, alpha, keep_a, keep_b)
        raw = welch(a.values, b.values, alpha, keep_a, keep_b)
        _note_wild(found, a.runs, keep_a)
        _note_wild(found, b.runs, keep_b)
    for estimate, interval, own in zip(found, scaled.each(), raw.each(), strict=True):
        estimate.gain = interval if estimate.metric.higher_is_better else mirrored(interval)
        estimate.raw = own
        estimate.band = _band(estimate)
    if a.unsure.any() or b.unsure.any():
        _allow_for_hands(found, a, b)
    return found


def _allow_for_hands(found: list[Estimate], a: _Side, b: _Side) -> None:
    """Make no interval narrower than the reactions of who timed by hand allow.

    Reactions differ from one press to the next and so are part of the spread between runs; but a
    few runs may agree by chance better than anyone can press.
    """
    reach = [np.sqrt((side.unsure**2).sum(axis=1)) / side.unsure.shape[1] for side in (a, b)]
    for place, estimate in enumerate(found):
        left, right = float(reach[0][place]), float(reach[1][place])
        if estimate.gain is None or estimate.raw is None or not left + right:
            continue
        own = math.hypot(left, right)
        share = math.hypot(left / estimate.baseline, right / estimate.candidate)
        estimate.raw = widened(estimate.raw, own)
        estimate.gain = widened(estimate.gain, share if estimate.on_logs else own)
        estimate.reservations.append(
            f"timed by hand: the interval is no narrower than reactions of ± {own:.2g} "
            f"{estimate.metric.unit} allow"
        )


def widened(interval: Interval, reach: float) -> Interval:
    """The interval, reaching at least so far on both sides of its estimate."""
    return replace(
        interval,
        low=min(interval.low, interval.estimate - reach),
        high=max(interval.high, interval.estimate + reach),
    )


def _method(a: _Side, b: _Side, in_rounds: bool) -> str | None:
    """Which interval the runs of two sides allow: ranks, rounds, means or none."""
    n, m = len(a.runs), len(b.runs)
    if min(n, m) < 2:
        return None
    if a.longer.any() or b.longer.any():
        return "ranks"
    if in_rounds and len(_pairs(a.rounds, b.rounds)[0]) >= 2:
        return "rounds"
    if in_rounds and all(number >= 0 for number, _ in (*a.rounds, *b.rounds)):
        return None
    return "ranks" if min(n, m) >= FEWEST_FOR_RANKS and max(n, m) * 3 <= min(n, m) * 4 else "means"


def _pairs(
    rounds_a: list[tuple[int, str]], rounds_b: list[tuple[int, str]]
) -> tuple[list[int], list[int]]:
    """Places of the samples that share a round and its machine; of several the last counts."""
    partners = {round_: place for place, round_ in enumerate(rounds_a)}
    last = {round_: place for place, round_ in enumerate(rounds_b)}
    shared = [round_ for round_ in last if round_ in partners]
    return [partners[round_] for round_ in shared], [last[round_] for round_ in shared]


def _note_doubts(found: list[Estimate], a: _Side, b: _Side) -> None:
    drifting = [np.abs(trend_z(side.values)) > TREND_Z for side in (a, b)]
    for place, estimate in enumerate(found):
        if estimate.metric.on_logs and not estimate.on_logs:
            estimate.reservations.append(COMPARED_RAW)
        for drifts, side in zip(drifting, ("the baseline", "the candidate"), strict=True):
            if drifts[place]:
                estimate.reservations.append(f"readings of {side} still drift in the order taken")


def _note_wild(found: list[Estimate], runs: list[int], keep: NDArray[np.bool_]) -> None:
    for row, place in zip(*np.nonzero(~keep), strict=True):
        found[row].apart.append((runs[place], FAR_FROM_OTHERS))


def mirrored(interval: Interval) -> Interval:
    """The same interval seen from the other side."""
    return Interval(
        -interval.estimate, -interval.high, -interval.low, interval.p, interval.method,
        interval.spread, interval.df,
    )  # fmt: skip


def _band(estimate: Estimate) -> float:
    metric = estimate.metric
    if metric.on_logs and not estimate.on_logs:
        return max(metric.material_share * abs(estimate.baseline), metric.material_amount)
    return materiality(metric, estimate.baseline)
