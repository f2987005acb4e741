"""One difference: baseline against candidate for one metric of one stretch."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.compare import words
from yardstick_core.compare.estimate import Estimate, Sample, estimates
from yardstick_core.compare.verdict import OPEN, decide, runs_to_decide
from yardstick_core.readings.metric import Metric

NO_INTERVAL = "no interval"
RAW_BAND = math.log(1.03)


@dataclass(frozen=True, slots=True)
class Difference:
    """Baseline against candidate.

    `ratio` is candidate / baseline, `change` candidate − baseline in the metric's unit, each with
    limits. `gain` is the same on the scale of the rule: positive is better, `band` is the largest
    gain too small to matter; for metrics compared in their own unit the scale is stretched so that
    the band is that of 3 %. NaN where there is no interval. `pairs` are the runs, baseline and
    candidate, of the rounds that counted.
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
    pairs: tuple[tuple[int, int], ...] = ()
    reservations: tuple[str, ...] = ()
    runs_to_decide: int | None = None
    #: True where a verdict is withheld because something else than the factor differs.
    held: bool = False


def compare(
    metric: Metric,
    baseline: Sequence[Sample],
    candidate: Sequence[Sample],
    *,
    in_rounds: bool,
    alpha: float = 0.05,
) -> Difference:
    """Judge one metric; samples in the order taken, warm runs only, at least one a side."""
    return compare_all([metric], [baseline], [candidate], in_rounds=in_rounds, alpha=alpha)[0]


def compare_all(
    metrics: Sequence[Metric],
    baselines: Sequence[Sequence[Sample]],
    candidates: Sequence[Sequence[Sample]],
    *,
    in_rounds: bool,
    alpha: float = 0.05,
) -> list[Difference]:
    """Judge many metrics together, each as `compare` does."""
    found = estimates(metrics, baselines, candidates, in_rounds=in_rounds, alpha=alpha)
    return [_difference(estimate, alpha) for estimate in found]


def _difference(found: Estimate, alpha: float) -> Difference:
    metric = found.metric
    apart, doubts = tuple(found.apart), tuple(found.reservations)
    if found.gain is None or found.raw is None:
        few = "one run a side has no interval: nothing is shown either way"
        if min(found.baseline_runs, found.candidate_runs) > 1:
            few = "fewer than two rounds hold both variants: no interval"
        return Difference(
            metric.key, OPEN, found.baseline, found.candidate, found.baseline_runs,
            found.candidate_runs, set_apart=apart, reservations=(*doubts, few),
        )  # fmt: skip
    gain, raw, band = found.gain, found.raw, found.band
    verdict = decide(gain, band)
    stretch = 1.0 if found.on_logs else RAW_BAND / band
    nan = math.nan
    ratio, low, high = _ratios(found) if found.on_logs else (nan, nan, nan)
    more = min(found.baseline_runs, found.candidate_runs)
    return Difference(
        metric=metric.key,
        verdict=verdict,
        baseline_value=found.baseline,
        candidate_value=found.candidate,
        baseline_runs=found.baseline_runs,
        candidate_runs=found.candidate_runs,
        change=raw.estimate,
        change_low=raw.low,
        change_high=raw.high,
        ratio=ratio,
        ratio_low=low,
        ratio_high=high,
        gain=gain.estimate * stretch,
        gain_low=gain.low * stretch,
        gain_high=gain.high * stretch,
        band=band * stretch,
        p=gain.p,
        method=gain.method,
        change_words=words.signed(metric, raw.estimate),
        percent_words=words.percent_noun(metric, ratio) if found.on_logs else "",
        factor_words=words.times_as(metric, ratio) if found.on_logs else "",
        interval_words=(
            words.interval_words(metric, low, high)
            if found.on_logs
            else words.change_limits(metric, raw.low, raw.high)
        ),
        set_apart=apart,
        pairs=found.pairs,
        reservations=doubts,
        runs_to_decide=runs_to_decide(gain, band, more, alpha) if verdict == OPEN else None,
    )


def _ratios(found: Estimate) -> tuple[float, float, float]:
    """Candidate over baseline, with limits, of a difference taken on logs."""
    assert found.gain is not None
    sign = 1 if found.metric.higher_is_better else -1
    first, low, high = (
        _exp(sign * v) for v in (found.gain.estimate, found.gain.low, found.gain.high)
    )
    return first, min(low, high), max(low, high)


def _exp(value: float) -> float:
    return math.exp(value) if value < 700 else math.inf
