"""Estimates of many differences at once: baseline against candidate, one row a metric.

Rows whose runs are the same are worked on together, as matrices of metrics × runs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import compress
from operator import itemgetter
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare import allowances, events, groups
from yardstick_core.compare.intervals import Interval, Intervals, hodges_lehmann, paired, welch
from yardstick_core.compare.limits import Adjusted, adjusted_paired, adjusted_welch
from yardstick_core.compare.screening import (
    TREND_Z,
    WITHIN_ROUNDS,
    medians,
    screened,
    trend_z,
    warm_up_lengths,
    wild_text,
)
from yardstick_core.compare.verdict import materiality
from yardstick_core.readings.metric import Metric, named_by_stretch

WARMING_UP, FAR_FROM_OTHERS = "warming up", "far from all others"
COMPARED_RAW = "some readings are zero: compared in their own unit"
NOT_BORNE_OUT = "the later half of the runs does not bear it out: measure more rounds"
#: Variance of the difference of two readings that are rounded to whole numbers: 1/12 each.
ROUNDING_VARIANCE = 1 / 6

#: Why there is no interval.
TOO_FEW_RUNS, TOO_FEW_ROUNDS = "too_few_runs", "too_few_rounds"
#: So many readings are right-censored that neither limit is known.
UNKNOWN_LIMITS = "unknown_limits"
#: All readings of both sides are right-censored.
NEVER_REACHED = "never_reached"
NO_EVENTS, FEW_EVENTS = "no_events", "few_events"
#: What the sides are called in caveats.
BASELINE, CANDIDATE = "the baseline", "the candidate"

Array = NDArray[np.float64]


class Sample(NamedTuple):
    """One run's reading as the comparison sees it."""

    run: int
    round: int
    value: float
    right_censored: bool = False
    rig: str = ""
    #: Half-width of what a person's reaction leaves unknown, in the metric's unit.
    reaction_half_width: float = 0.0


#: What tells the runs of samples apart, and their numbers.
_RUN = itemgetter(0, 1, 3, 4)  # run, round, right_censored, rig: by place, for that is quicker
_VALUE, _UNSURE = itemgetter(2), itemgetter(5)


@dataclass(slots=True)
class Estimate:
    """What the runs of two sides show of one metric.

    `gain` is the shift on the scale of judgement, logs or the own unit, positive = better;
    `raw` the same shift in the metric's own unit; both None without an interval, and then
    `no_interval` is why. `band` is the largest gain too small to matter. `pairs` are the rounds
    that counted.
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
    caveats: list[str] = field(default_factory=list)
    #: Whether the readings of a side are of two kinds, which differ by what would be noticed.
    in_two_groups: bool = False
    #: Whether the interval is as wide as the digits leave it, however many runs there are.
    few_digits: bool = False
    no_interval: str = ""


@dataclass(frozen=True, slots=True)
class _Side:
    """One side of rows that share their runs: values of shape (k, n)."""

    runs: list[int]
    rounds: list[tuple[int, str]]
    longer: NDArray[np.bool_]
    values: Array
    reaction_half_width: Array

    @property
    def order(self) -> tuple[list[int], list[tuple[int, str]]]:
        """Runs, in the order taken, and the round and rig of each."""
        return self.runs, self.rounds

    def from_run(self, first: int, rows: NDArray[np.intp]) -> _Side:
        return _Side(
            self.runs[first:], self.rounds[first:], self.longer[first:],
            self.values[rows, first:], self.reaction_half_width[rows, first:],
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
        alike.setdefault((tuple(map(_RUN, a)), tuple(map(_RUN, b))), []).append(row)
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
        np.array([s.right_censored for s in first], bool),
        np.array([list(map(_VALUE, row)) for row in samples], np.float64),
        np.array([list(map(_UNSURE, row)) for row in samples], np.float64),
    )


def _alike(
    metrics: list[Metric], a: _Side, b: _Side, in_rounds: bool, alpha: float
) -> list[Estimate]:
    """Estimates of rows with the same runs: rare events, and parts with the same warm-up."""
    found: list[Estimate] = [None] * len(metrics)  # type: ignore[list-item]
    on_logs = np.array([metric.on_logs for metric in metrics])
    on_logs &= (a.values > 0).all(axis=1) & (b.values > 0).all(axis=1)
    rare = np.zeros(len(metrics), bool)
    warm = [np.zeros(len(metrics), np.int64)] * 2
    if not (a.longer.any() or b.longer.any()):
        rare = ~on_logs & events.of_rare_events(metrics, a.values, b.values)
        worse = _worse(metrics)
        steady = rare | ~on_logs & _whole(metrics, a, b)
        warm = [np.where(steady, 0, warm_up_lengths(side.values * worse)) for side in (a, b)]
        places = np.flatnonzero(rare)
        if len(places):
            listed = [metrics[place] for place in places]
            part = _rare(listed, a.from_run(0, places), b.from_run(0, places), alpha)
            for place, estimate in zip(places, part, strict=True):
                found[place] = estimate
    for drop_a, drop_b in set(zip(*(lengths.tolist() for lengths in warm), strict=True)):
        rows = np.flatnonzero((warm[0] == drop_a) & (warm[1] == drop_b) & ~rare)
        if not len(rows):
            continue
        part = _settled(
            [metrics[row] for row in rows],
            on_logs[rows],
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


def _worse(metrics: Sequence[Metric]) -> Array:
    """1 where more is worse, −1 where more is better, shape (k, 1)."""
    return np.array([[-1.0 if metric.higher_is_better else 1.0] for metric in metrics])


def _whole(metrics: Sequence[Metric], a: _Side, b: _Side) -> NDArray[np.bool_]:
    """Which rows hold counts, or numbers that a program said, and whole ones only."""
    counts = np.array([m.is_count or named_by_stretch(m.key) for m in metrics])
    whole = (a.values == np.rint(a.values)).all(axis=1) & (b.values == np.rint(b.values)).all(
        axis=1
    )
    return np.asarray(counts & whole)


def _begun(
    metrics: Sequence[Metric], on_logs: NDArray[np.bool_], a: _Side, b: _Side
) -> list[Estimate]:
    """Estimates that hold the medians of both sides and no interval yet."""
    middles = medians(a.values), medians(b.values)
    return [
        Estimate(metric, logs, left, right, len(a.runs), len(b.runs))
        for metric, logs, left, right in zip(
            metrics, on_logs.tolist(), *(m.tolist() for m in middles), strict=True
        )
    ]


def _rare(metrics: list[Metric], a: _Side, b: _Side, alpha: float) -> list[Estimate]:
    """Estimates of rows of rare events: by means, whatever the rounds, with one more run a side."""
    found = _begun(metrics, np.zeros(len(metrics), bool), a, b)
    fewest = min(len(a.runs), len(b.runs))
    if fewest < 2:
        for estimate in found:
            estimate.no_interval = TOO_FEW_RUNS
        return found
    counts = events.event_counts(metrics, a.values, b.values).tolist()
    intervals = events.one_more_run(metrics, a.values, b.values, alpha).each()
    for place, (estimate, count, own) in enumerate(zip(found, counts, intervals, strict=True)):
        estimate.raw = own
        if not count:
            estimate.raw, estimate.no_interval = None, NO_EVENTS
        elif count < events.FEWEST_EVENTS:
            estimate.raw, estimate.no_interval = None, FEW_EVENTS
        if estimate.raw is not None:
            better = estimate.metric.higher_is_better
            estimate.gain = estimate.raw if better else mirrored(estimate.raw)
            levels = float(a.values[place].mean()), float(b.values[place].mean())
            estimate.band = materiality(estimate.metric, levels, on_logs=False)
    return found


def _settled(
    metrics: list[Metric],
    on_logs: NDArray[np.bool_],
    a: _Side,
    b: _Side,
    in_rounds: bool,
    alpha: float,
) -> list[Estimate]:
    """Estimates of rows with the same runs, all of them warm."""
    found = _begun(metrics, on_logs, a, b)
    _note_doubts(found, a, b)
    method = _method(a, b, in_rounds)
    if method is None:
        for estimate in found:
            few = min(len(a.runs), len(b.runs)) < 2
            estimate.no_interval = TOO_FEW_RUNS if few else TOO_FEW_ROUNDS
        return found
    worse = _worse(metrics)
    with np.errstate(divide="ignore", invalid="ignore"):
        scaled_a, scaled_b = (
            worse * np.where(on_logs[:, None], np.log(side.values), side.values) for side in (a, b)
        )
    floor = _rounding(metrics, on_logs, a, b)
    if method == "ranks":
        # a reading whose end was never seen is worse than its value, by nobody knows how much
        losses = hodges_lehmann(scaled_a, scaled_b, alpha, a.longer, b.longer)
        _finish(found, losses, None)
        _drop_unknown(found, NEVER_REACHED if a.longer.all() and b.longer.all() else UNKNOWN_LIMITS)
    elif method == "rounds":
        left, right = _pairs(a.rounds, b.rounds)
        first, second = scaled_a[:, left], scaled_b[:, right]
        keep = _kept(screened(second - first, WITHIN_ROUNDS), floor)
        plain = paired(second - first, alpha, keep, floor)
        limits = adjusted_paired(plain, first, second, alpha, keep)
        if not keep.all():
            a_is_wild = _off(first) > _off(second)
            _note_wild(found, keep | ~a_is_wild, BASELINE, a, left)
            _note_wild(found, keep | a_is_wild, CANDIDATE, b, right)
        pairs = tuple((a.runs[i], b.runs[j]) for i, j in zip(left, right, strict=True))
        for estimate, kept in zip(found, keep, strict=True):
            estimate.pairs = pairs if kept.all() else tuple(compress(pairs, kept.tolist()))
        _finish(found, limits.intervals, limits)
    else:
        keep_a, keep_b = (_kept(screened(side), floor) for side in (scaled_a, scaled_b))
        plain = welch(scaled_a, scaled_b, alpha, keep_a, keep_b, floor)
        limits = adjusted_welch(plain, scaled_a, scaled_b, alpha, keep_a, keep_b)
        _note_wild(found, keep_a, BASELINE, a, range(len(a.runs)))
        _note_wild(found, keep_b, CANDIDATE, b, range(len(b.runs)))
        _finish(found, limits.intervals, limits)
    if method != "ranks":
        _note_groups(found, a, b)
    if a.reaction_half_width.any() or b.reaction_half_width.any():
        _allow_for_hands(found, a, b)
    _allow_for_digits(found, a, b)
    return found


def _rounding(metrics: Sequence[Metric], on_logs: NDArray[np.bool_], a: _Side, b: _Side) -> Array:
    """Least variance of a difference of two readings, on the scale of judgement, shape (k,).

    Whole numbers are rounded: that they do not vary over a few runs is no proof that they never do.
    """
    whole = _whole(metrics, a, b)
    with np.errstate(divide="ignore"):
        shares = (1 / a.values.mean(axis=1) ** 2 + 1 / b.values.mean(axis=1) ** 2) / 2
    return np.asarray(
        np.where(whole, ROUNDING_VARIANCE * np.where(on_logs, shares, 1.0), 0.0), np.float64
    )


def _kept(keep: NDArray[np.bool_], floor: Array) -> NDArray[np.bool_]:
    """What is not wild; of counts nothing is, for where most are the same any other looks so."""
    return np.asarray(keep | (floor >= ROUNDING_VARIANCE)[:, None])


def _finish(found: list[Estimate], losses: Intervals, limits: Adjusted | None) -> None:
    """Turn losses into gains, and say them in the own unit as well."""
    gains = losses.reversed()
    for estimate, gain in zip(found, gains.each(), strict=True):
        estimate.gain = gain
    _conclude(found, gains)
    if limits is not None:
        for place in np.flatnonzero(limits.not_borne_out):
            found[place].caveats.append(NOT_BORNE_OUT)


def _drop_unknown(found: Sequence[Estimate], why: str) -> None:
    """Take away intervals without either limit: their middle says nothing."""
    for estimate in found:
        gain = estimate.gain
        if gain is not None and math.isinf(gain.low) and math.isinf(gain.high):
            estimate.gain = estimate.raw = None
            estimate.no_interval = why


def _conclude(found: Sequence[Estimate], gains: Intervals) -> None:
    """Set band and shift in the own unit from the gains: one estimate in several forms.

    Of a difference on logs the levels of both sides are those of its ratio around the geometric
    mean of their medians, so that neither side is special.
    """
    on_logs = np.array([estimate.on_logs for estimate in found])
    better = np.array([estimate.metric.higher_is_better for estimate in found])
    more, low, high = (
        np.where(better, plain, turned)
        for plain, turned in (
            (gains.estimate, -gains.estimate),
            (gains.low, -gains.high),
            (gains.high, -gains.low),
        )
    )
    medians_a = np.array([estimate.baseline for estimate in found])
    medians_b = np.array([estimate.candidate for estimate in found])
    with np.errstate(over="ignore", invalid="ignore"):
        middle = np.sqrt(np.abs(medians_a)) * np.sqrt(np.abs(medians_b))
        half = np.exp(more / 2)
        levels_a = np.where(on_logs, middle / half, medians_a).tolist()
        levels_b = np.where(on_logs, middle * half, medians_b).tolist()
        own = [
            np.where(on_logs, middle * (np.exp(v / 2) - np.exp(-v / 2)), v).tolist()
            for v in (more, low, high)
        ]
    for place, estimate in enumerate(found):
        gain = estimate.gain
        assert gain is not None
        estimate.raw = Interval(
            own[0][place], own[1][place], own[2][place], gain.p, gain.method, gain.spread, gain.df
        )
        levels = levels_a[place], levels_b[place]
        estimate.band = materiality(estimate.metric, levels, on_logs=estimate.on_logs)


def _allow_for_hands(found: list[Estimate], a: _Side, b: _Side) -> None:
    """Make no interval narrower than the reactions of who timed by hand allow."""
    reaches = (allowances.of_reactions(side.reaction_half_width).tolist() for side in (a, b))
    for estimate, left, right in zip(found, *reaches, strict=True):
        own = math.hypot(left, right)
        if own and estimate.gain is not None:
            levels = estimate.baseline, estimate.candidate
            share = math.hypot(left / levels[0], right / levels[1]) if estimate.on_logs else own
            _reach(estimate, share)
            estimate.caveats.append(
                f"readings are known to ± {own:.2g} {estimate.metric.unit} in the mean: the "
                "interval is no narrower than that allows"
            )


def _allow_for_digits(found: list[Estimate], a: _Side, b: _Side) -> None:
    """Make no interval of durations narrower than the digits that they are told with allow.

    Of readings with a ± of their own it is known how far they may be off.
    """
    timed = [n for n, estimate in enumerate(found) if estimate.metric.key in _TIMED]
    if not timed:
        return
    told = allowances.of_digits(a.values[timed], b.values[timed])
    for place, step, left, right in zip(timed, *(one.tolist() for one in told), strict=True):
        estimate = found[place]
        before = estimate.gain
        left, right = (
            0.0 if side.reaction_half_width[place].any() else reach
            for side, reach in ((a, left), (b, right))
        )
        if not left + right or before is None:
            continue
        share = left / estimate.baseline + right / estimate.candidate if estimate.on_logs else 0.0
        _reach(estimate, share or left + right)
        if estimate.gain == before:
            continue
        estimate.few_digits = True
        estimate.caveats.append(
            f"told to {step:g} {estimate.metric.unit}: the interval is no narrower than that allows"
        )


#: Durations, of which others than ours may tell few digits.
_TIMED = ("duration", "lap_time")


def _reach(estimate: Estimate, least: float) -> None:
    """Let an interval reach so far on both sides: in the own unit, or as a share where on logs."""
    assert estimate.gain is not None
    estimate.gain = widened(estimate.gain, least)
    _conclude([estimate], Intervals.of([estimate.gain]))


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
    return "means"


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
            estimate.caveats.append(COMPARED_RAW)
        for drifts, side in zip(drifting, (BASELINE, CANDIDATE), strict=True):
            if drifts[place]:
                estimate.caveats.append(f"readings of {side} still drift in the order taken")


def _note_groups(found: list[Estimate], a: _Side, b: _Side) -> None:
    """Say where readings fall into two groups that differ by what would be noticed.

    Counts and shares often are one number or another, and that is no news.
    """
    places = [place for place, estimate in enumerate(found) if estimate.on_logs]
    for name, side, other in ((BASELINE, a, b), (CANDIDATE, b, a)):
        values = side.values[places]
        # which scale a group is narrow on depends on what makes it vary
        on_logs, plain = groups.parted_in_two(np.log(values)), groups.parted_in_two(values)
        parted = np.flatnonzero(on_logs | plain).tolist()
        traits = groups.traits(*side.order, *other.order) if parted else []
        for row in parted:
            estimate, own = found[places[row]], values[row]
            count = int(on_logs[row] or plain[row])
            lower = own <= np.sort(own)[count - 1]
            if math.log(own[~lower].min() / own[lower].max()) > estimate.band:
                goes_with = groups.goes_with(lower, traits)
                estimate.in_two_groups = True
                estimate.caveats.append(
                    f"readings of {name} fall into two groups, "
                    f"{groups.described(estimate.metric, own, lower)}: no one number stands for "
                    f"both, look at a run of each{'; ' if goes_with else ''}{goes_with}"
                )


def _off(scaled: Array) -> Array:
    """How far each reading lies from the middle of its own side."""
    return np.abs(scaled - medians(scaled)[:, None])


def _note_wild(
    found: list[Estimate], keep: NDArray[np.bool_], name: str, side: _Side, places: Sequence[int]
) -> None:
    """Note the runs of a side that are set apart, and say so where they are far off.

    `keep` has a column for each of the `places` of the side.
    """
    for row in np.flatnonzero(~keep.all(axis=1)).tolist():
        estimate = found[row]
        wild = [places[column] for column in np.flatnonzero(~keep[row]).tolist()]
        estimate.apart += [(side.runs[place], FAR_FROM_OTHERS) for place in wild]
        if estimate.on_logs and (said := wild_text(estimate.metric, side.values[row], wild)):
            estimate.caveats.append(f"of {name} {said}")


def mirrored(interval: Interval) -> Interval:
    """The same interval seen from the other side."""
    return Interval(
        -interval.estimate, -interval.high, -interval.low, interval.p, interval.method,
        interval.spread, interval.df,
    )  # fmt: skip
