"""One difference: baseline against candidate for one metric of one stretch."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.compare import text
from yardstick_core.compare.estimate import (
    FEW_EVENTS,
    NEVER_REACHED,
    NO_EVENTS,
    TOO_FEW_ROUNDS,
    TOO_FEW_RUNS,
    UNKNOWN_LIMITS,
    Estimate,
    Sample,
    estimates,
)
from yardstick_core.compare.events import ENOUGH_WITHOUT
from yardstick_core.compare.intervals import Interval
from yardstick_core.compare.verdict import (
    LEVEL,
    OPEN,
    decide,
    never_decides,
    runs_to_decide,
)
from yardstick_core.readings.metric import Metric

NO_INTERVAL = "no interval"
RAW_BAND = math.log(1.03)
#: Why a difference that has an interval is open: more runs would tell, it is too close to what
#: matters for any number of runs, for they vary too much, are of two kinds or are told with too few
#: digits, or a limit is infinite, for some readings have no end.
MORE_RUNS, WIDE_SPREAD, UNBOUNDED = "more_runs", "wide_spread", "unbounded"
TWO_GROUPS, FEW_DIGITS = "two_groups", "few_digits"
#: Why no sensible number of rounds would decide, where none would.
FUTILITY = {
    WIDE_SPREAD: "the runs vary so much that no sensible number of rounds would decide",
    TWO_GROUPS: "readings fall into two groups, and no sensible number of rounds would decide",
    FEW_DIGITS: "readings are told with too few digits, which no number of rounds changes",
    UNBOUNDED: "some readings never reached their end, which no number of rounds changes",
    NEVER_REACHED: "no reading ever reached its end, which no number of rounds changes",
}


@dataclass(frozen=True, slots=True)
class Difference:
    """Baseline against candidate.

    `ratio` is candidate / baseline, `change` candidate − baseline in the metric's unit, each with
    limits. `gain` is the same on the scale of the rule: positive is better, `band` is the largest
    gain too small to matter; for metrics compared in their own unit the scale is stretched so that
    the band is that of 3 %. NaN where there is no interval.
    The change in the own unit follows from the ratio and the level of both sides, so that all
    forms agree. `pairs` are the runs, baseline and
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
    change_text: str = ""
    percent_text: str = ""
    factor_text: str = ""
    interval_text: str = ""
    #: The interval as people say it: `25 to 49 % less time`; empty where there is no ratio.
    range_text: str = ""
    excluded_runs: tuple[tuple[int, str], ...] = ()
    pairs: tuple[tuple[int, int], ...] = ()
    caveats: tuple[str, ...] = ()
    runs_to_decide: int | None = None
    #: Why it is open, as a code: of those above, or why there is no interval.
    undecided: str = ""
    #: True where a verdict is withheld because something else than the factor differs.
    verdict_withheld: bool = False

    @property
    def perhaps_immaterial(self) -> bool:
        """Whether it is open though its interval lies on one side: it may be too small to matter.

        What is open by the correction for many metrics is further from the baseline than that.
        """
        one_side = self.gain_low * self.gain_high > 0
        bounded = math.isfinite(self.gain_low) and math.isfinite(self.gain_high)
        return self.verdict == OPEN and one_side and bounded and abs(self.gain) < self.band


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


#: What is said where there is no interval, by why; {n} is the smaller number of runs a side.
NO_INTERVAL_WORDS = {
    TOO_FEW_RUNS: "one run a side has no interval: nothing is shown either way",
    TOO_FEW_ROUNDS: "fewer than two rounds hold both variants: no interval",
    UNKNOWN_LIMITS: (
        "readings are known only to be longer than what was seen: {n} runs a side show nothing "
        "either way"
    ),
    NEVER_REACHED: (
        "readings of both sides are known only to be longer than what was seen, which no number of "
        "runs changes"
    ),
    NO_EVENTS: (
        "none in any run of either side: {n} runs a side cannot rule out that some runs have it"
    ),
    FEW_EVENTS: "fewer than four runs show any: too few to compare",
}

NONE_IN_MANY = (
    "none in any of {n} runs a side: at 95 % fewer than a quarter of the runs of a side have it"
)


def _difference(found: Estimate, alpha: float) -> Difference:
    metric = found.metric
    apart, doubts = tuple(found.apart), tuple(found.caveats)
    fewest = min(found.baseline_runs, found.candidate_runs)
    if found.gain is None or found.raw is None:
        why = NO_INTERVAL_WORDS[found.no_interval].format(n=fewest)
        verdict = OPEN
        if found.no_interval == NO_EVENTS and fewest >= ENOUGH_WITHOUT:
            verdict, why = LEVEL, NONE_IN_MANY.format(n=fewest)
        return Difference(
            metric.key, verdict, found.baseline, found.candidate, found.baseline_runs,
            found.candidate_runs, excluded_runs=apart, caveats=(*doubts, why),
            undecided=found.no_interval,
        )  # fmt: skip
    gain, raw, band = found.gain, found.raw, found.band
    verdict = decide(gain, band)
    scale = 1.0 if found.on_logs else _scale(found)
    nan = math.nan
    ratio, low, high = _ratios(found) if found.on_logs else (nan, nan, nan)
    rounds, undecided = None, ""
    if verdict == OPEN:
        rounds = runs_to_decide(gain, band, fewest, alpha)
        undecided = _why_undecided(gain, band, fewest, alpha)
        if undecided == WIDE_SPREAD and found.in_two_groups:
            undecided = TWO_GROUPS
        if found.few_digits:
            rounds, undecided = None, FEW_DIGITS
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
        gain=gain.estimate * scale,
        gain_low=gain.low * scale,
        gain_high=gain.high * scale,
        band=band * scale,
        p=gain.p,
        method=gain.method,
        change_text=text.change(metric, raw.estimate, max(found.baseline, found.candidate)),
        percent_text=text.percent_noun(metric, ratio) if found.on_logs else "",
        factor_text=text.times_as(metric, ratio) if found.on_logs else "",
        interval_text=(
            text.interval_text(metric, low, high)
            if found.on_logs
            else text.change_limits(metric, raw.low, raw.high)
        ),
        range_text=text.percent_range(metric, low, high) if found.on_logs else "",
        excluded_runs=apart,
        pairs=found.pairs,
        caveats=doubts,
        runs_to_decide=rounds,
        undecided=undecided,
    )


def _scale(found: Estimate) -> float:
    """Stretches the own unit so that what matters is drawn like 3 %.

    Where any difference matters, 3 % of the larger reading are drawn so, or else of the change.
    """
    assert found.gain is not None
    size = found.band or 0.03 * max(abs(found.baseline), abs(found.candidate))
    return RAW_BAND / (size or abs(found.gain.estimate) or 1.0)


def _why_undecided(gain: Interval, band: float, n: int, alpha: float) -> str:
    if not never_decides(gain, band, n, alpha):
        return MORE_RUNS
    return UNBOUNDED if math.isinf(gain.low) or math.isinf(gain.high) else WIDE_SPREAD


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
