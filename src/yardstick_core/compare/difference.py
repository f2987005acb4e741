"""One difference: baseline against candidate for one metric of one stretch."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare import words
from yardstick_core.compare.intervals import Interval, hodges_lehmann, paired, welch
from yardstick_core.compare.screening import TREND_Z, median, screened, trend_z, warm_up_length
from yardstick_core.compare.verdict import OPEN, decide, materiality, runs_to_decide
from yardstick_core.readings.metric import Metric

FEWEST_FOR_RANKS = 7
NO_INTERVAL = "no interval"
RAW_BAND = math.log(1.03)


@dataclass(frozen=True, slots=True)
class Sample:
    """One run's reading as the comparison sees it."""

    run: int
    round: int
    value: float
    longer_than: bool = False


@dataclass(frozen=True, slots=True)
class Difference:
    """Baseline against candidate.

    `ratio` is candidate / baseline, `change` candidate − baseline in the metric's unit, each with
    limits. `gain` is the same on the scale of the rule: positive is better, `band` is the largest
    gain too small to matter; for metrics compared in their own unit the scale is stretched so that
    the band is that of 3 %. NaN where there is no interval.
    """

    metric: str
    verdict: str
    baseline_value: float
    candidate_value: float
    baseline_runs: int
    candidate_runs: int
    change: float = math.nan
    change_low: float = math.nan
    change_high: float = math.nan
    ratio: float = math.nan
    ratio_low: float = math.nan
    ratio_high: float = math.nan
    gain: float = math.nan
    gain_low: float = math.nan
    gain_high: float = math.nan
    band: float = math.nan
    p: float = math.nan
    method: str = NO_INTERVAL
    change_words: str = ""
    percent_words: str = ""
    factor_words: str = ""
    interval_words: str = ""
    set_apart: tuple[tuple[int, str], ...] = ()
    reservations: tuple[str, ...] = ()
    runs_to_decide: int | None = None


def compare(
    metric: Metric,
    baseline: list[Sample],
    candidate: list[Sample],
    *,
    in_rounds: bool,
    alpha: float = 0.05,
) -> Difference:
    """Judge one metric; samples in the order taken, warm runs only, at least one a side."""
    apart: list[tuple[int, str]] = []
    reservations: list[str] = []
    on_logs = metric.on_logs and all(s.value > 0 for s in (*baseline, *candidate))
    if metric.on_logs and not on_logs:
        reservations.append("some readings are zero: compared in their own unit")
    baseline = _without_warm_up(metric, baseline, apart)
    candidate = _without_warm_up(metric, candidate, apart)
    for side, samples in (("the baseline", baseline), ("the candidate", candidate)):
        if abs(trend_z(_values(samples))) > TREND_Z:
            reservations.append(f"readings of {side} still drift in the order taken")
    found = _interval(baseline, candidate, on_logs, in_rounds, alpha, apart)
    a, b = median(_values(baseline)), median(_values(candidate))
    plain = Difference(
        metric.key, OPEN, a, b, len(baseline), len(candidate), set_apart=tuple(apart)
    )
    if found is None:
        few = "one run a side has no interval: nothing is shown either way"
        if min(len(baseline), len(candidate)) > 1:
            few = "fewer than two rounds hold both variants: no interval"
        return replace(plain, reservations=(*reservations, few))
    interval, raw = found
    band = materiality(metric, a) if on_logs or not metric.on_logs else _raw_band(metric, a)
    gain = interval if metric.higher_is_better else _mirrored(interval)
    verdict = decide(gain, band)
    stretch = 1.0 if on_logs else RAW_BAND / band
    pairs = min(len(baseline), len(candidate))
    result = replace(
        plain,
        verdict=verdict,
        change=raw.estimate,
        change_low=raw.low,
        change_high=raw.high,
        gain=gain.estimate * stretch,
        gain_low=gain.low * stretch,
        gain_high=gain.high * stretch,
        band=band * stretch,
        p=interval.p,
        method=interval.method,
        change_words=words.signed(metric, raw.estimate),
        reservations=tuple(reservations),
        runs_to_decide=runs_to_decide(gain, band, pairs, alpha) if verdict == OPEN else None,
    )
    return _with_words(metric, result, interval, on_logs)


def _with_words(
    metric: Metric, result: Difference, interval: Interval, on_logs: bool
) -> Difference:
    if not on_logs:
        text = f"{words.signed(metric, result.change_low)} to " + words.signed(
            metric, result.change_high
        )
        return replace(result, interval_words=text)
    ratio, low, high = (float(np.exp(v)) for v in (interval.estimate, interval.low, interval.high))
    return replace(
        result,
        ratio=ratio,
        ratio_low=low,
        ratio_high=high,
        percent_words=words.percent_noun(metric, ratio),
        factor_words=words.times_as(metric, ratio),
        interval_words=words.interval_words(metric, low, high),
    )


def _interval(
    baseline: list[Sample],
    candidate: list[Sample],
    on_logs: bool,
    in_rounds: bool,
    alpha: float,
    apart: list[tuple[int, str]],
) -> tuple[Interval, Interval] | None:
    """The interval on the scale of judgement and the same rule on raw values."""
    if min(len(baseline), len(candidate)) < 2:
        return None
    cut_off = any(s.longer_than for s in (*baseline, *candidate))
    if cut_off or (not in_rounds and _ranks_apply(len(baseline), len(candidate))):
        return _by_ranks(baseline, candidate, on_logs, alpha)
    if in_rounds:
        return _by_rounds(baseline, candidate, on_logs, alpha, apart)
    a, b = _scaled(baseline, on_logs), _scaled(candidate, on_logs)
    keep_a, keep_b = screened(a), screened(b)
    _note(baseline, keep_a, apart)
    _note(candidate, keep_b, apart)
    raw_a, raw_b = _values(baseline)[keep_a], _values(candidate)[keep_b]
    return welch(a[keep_a], b[keep_b], alpha), welch(raw_a, raw_b, alpha)


def _ranks_apply(n: int, m: int) -> bool:
    return min(n, m) >= FEWEST_FOR_RANKS and max(n, m) * 3 <= min(n, m) * 4


def _by_ranks(
    baseline: list[Sample], candidate: list[Sample], on_logs: bool, alpha: float
) -> tuple[Interval, Interval]:
    longer_a = np.array([s.longer_than for s in baseline])
    longer_b = np.array([s.longer_than for s in candidate])
    scaled = hodges_lehmann(
        _scaled(baseline, on_logs), _scaled(candidate, on_logs), alpha, longer_a, longer_b
    )
    raw = hodges_lehmann(_values(baseline), _values(candidate), alpha, longer_a, longer_b)
    return scaled, raw


def _by_rounds(
    baseline: list[Sample],
    candidate: list[Sample],
    on_logs: bool,
    alpha: float,
    apart: list[tuple[int, str]],
) -> tuple[Interval, Interval] | None:
    partners = {sample.round: sample for sample in baseline}
    pairs = [(partners[s.round], s) for s in candidate if s.round in partners]
    if len(pairs) < 2:
        return None
    a, b = [pair[0] for pair in pairs], [pair[1] for pair in pairs]
    differences = _scaled(b, on_logs) - _scaled(a, on_logs)
    keep = screened(differences)
    _note(b, keep, apart)
    raw = (_values(b) - _values(a))[keep]
    return paired(differences[keep], alpha), paired(raw, alpha)


def _without_warm_up(
    metric: Metric, samples: list[Sample], apart: list[tuple[int, str]]
) -> list[Sample]:
    if any(sample.longer_than for sample in samples):
        return samples
    values = _values(samples)
    dropped = warm_up_length(-values if metric.higher_is_better else values)
    apart.extend((sample.run, "warming up") for sample in samples[:dropped])
    return samples[dropped:]


def _note(samples: list[Sample], keep: NDArray[np.bool_], apart: list[tuple[int, str]]) -> None:
    wild = (sample for sample, stays in zip(samples, keep, strict=True) if not stays)
    apart.extend((sample.run, "far from all others") for sample in wild)


def _values(samples: list[Sample]) -> NDArray[np.float64]:
    return np.array([sample.value for sample in samples], np.float64)


def _scaled(samples: list[Sample], on_logs: bool) -> NDArray[np.float64]:
    values = _values(samples)
    return np.log(values) if on_logs else values


def _mirrored(interval: Interval) -> Interval:
    return replace(interval, estimate=-interval.estimate, low=-interval.high, high=-interval.low)


def _raw_band(metric: Metric, baseline: float) -> float:
    return max(metric.material_share * abs(baseline), metric.material_amount)
