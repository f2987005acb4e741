"""Several metrics taken together: per run one number, then compared like any other.

The number is worked out within each run, so that metrics of the same run, which rise and fall
together, are not taken for independent ones.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from statistics import median

from scipy import special

from yardstick_core.compare import text
from yardstick_core.compare.difference import RAW_BAND
from yardstick_core.compare.estimate import Estimate, Sample, estimates
from yardstick_core.compare.intervals import Interval
from yardstick_core.compare.rows import Row
from yardstick_core.compare.verdict import materiality
from yardstick_core.readings.metric import Metric

FEWEST_SESSIONS = 3
#: A row compared in its own unit lies at most so far from its middle, on logs: with both sides at
#: their ends, one counts as twice as good.
MOST_OF_ONE = math.log(2) / 2
TOGETHER = Metric(
    "together", "taken together", "", False,
    "weighted mean of the logs of several metrics, each turned so that less is better",
    material_share=0.0, material_amount=RAW_BAND, on_logs=False, bound=math.nan,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Part:
    """A row that counts, with its weight above 0."""

    row: Row
    weight: float = 1.0


def together(
    parts: Sequence[Part], baseline: int, candidate: int, *, in_rounds: bool, alpha: float
) -> Estimate | None:
    """The weighted mean gain over several rows, positive = better; None without readings.

    Gains are logs: `exp` of one is a factor. What matters of each row counts alike, on the scale of
    the row of which least matters (`counting_alike`), so that what nobody would notice in any row
    is not noticed in the mean of them. Rows compared in their own unit are stretched so that what
    matters of them counts as 3 %, and bent so that none counts for more than twice as good: from
    60 to 0 there is no ratio.
    """
    sides = [[part.row.samples[variant] for part in parts] for variant in (baseline, candidate)]
    if not parts or not all(map(all, sides)):
        return None
    alone = estimates([p.row.metric for p in parts], *sides, in_rounds=in_rounds, alpha=alpha)
    bands = [_band(one) if one.on_logs else RAW_BAND for one in alone]
    factors, band = counting_alike(bands)
    scales = [_scale(part.row, one, f) for part, one, f in zip(parts, alone, factors, strict=True)]
    scores = [_scores(parts, scales, side) for side in sides]
    if not all(scores):
        return None
    metric = replace(TOGETHER, material_amount=band)
    return estimates([metric], scores[:1], scores[1:], in_rounds=in_rounds, alpha=alpha)[0]


def counting_alike(bands: Sequence[float]) -> tuple[list[float], float]:
    """Factors by which what matters of each becomes that of the least, and this.

    Where any difference matters of one (0), it keeps its scale.
    """
    least = min((band for band in bands if band > 0), default=0.0)
    return [least / band if band > 0 else 1.0 for band in bands], least


def _band(one: Estimate) -> float:
    """What matters of a row's difference; without an interval that of its medians."""
    if math.isfinite(one.band):
        return one.band
    return materiality(one.metric, (one.baseline, one.candidate), on_logs=one.on_logs)


def _scores(
    parts: Sequence[Part],
    scales: Sequence[Callable[[float], float]],
    side: Sequence[Sequence[Sample]],
) -> list[Sample]:
    """One score a run that has a reading of every part, lower = better, in the order taken.

    Scores lie around 1, so that what is 1 % of a reading is 1 % of them, whatever the units.
    """
    total = sum(part.weight for part in parts)
    scores: dict[int, tuple[Sample, int]] = {}
    for part, scale, samples in zip(parts, scales, side, strict=True):
        for sample in samples:
            known, seen = scores.get(sample.run, (sample._replace(value=1.0), 0))
            summed = known._replace(
                value=known.value + part.weight / total * scale(sample.value),
                right_censored=known.right_censored or sample.right_censored,
            )
            scores[sample.run] = (summed, seen + 1)
    return [sample for sample, seen in scores.values() if seen == len(parts)]


def _scale(row: Row, alone: Estimate, factor: float) -> Callable[[float], float]:
    """Turns readings of one row so that less is better, times a factor."""
    sign = -factor if row.metric.higher_is_better else factor
    values = [sample.value for side in row.samples for sample in side]
    middle = median(values)
    if alone.on_logs:
        return lambda value: sign * math.log(value / middle)
    size = _band(alone) or 0.03 * max(map(abs, values)) or 1.0
    stretched = RAW_BAND / size / MOST_OF_ONE
    return lambda value: sign * MOST_OF_ONE * math.tanh(stretched * (value - middle))


def in_text(gain: Interval) -> str:
    """A weighted gain as a factor with its interval: `1.32 × as good (1.24 to 1.41)`."""
    factor, low, high = (
        text.significant(math.exp(v)) if v < 700 else text.significant(math.inf)
        for v in (gain.estimate, gain.low, gain.high)
    )
    return f"{factor}{text.THIN}× as good ({low} to {high})"


def geometric_mean(
    sessions: Sequence[Interval], alpha: float = 0.05, weights: Sequence[float] | None = None
) -> Interval:
    """Mean of the log ratios of independent sessions, for these sessions.

    Each session counts alike, or by its weight; degrees of freedom after Satterthwaite 1946.
    `sessions` hold their `spread` and `df`; at least one, with a weight above 0.
    """
    weights = weights or [1.0] * len(sessions)
    total = sum(weights)
    parts = [weight / total for weight in weights]
    variances = [(p * one.spread) ** 2 for p, one in zip(parts, sessions, strict=True)]
    mean = sum(p * one.estimate for p, one in zip(parts, sessions, strict=True))
    spread = math.sqrt(sum(variances))
    if not spread > 0:
        return Interval(mean, mean, mean, 0.0 if mean else 1.0, "geometric mean", spread)
    df = sum(variances) ** 2 / sum(
        v**2 / s.df for v, s in zip(variances, sessions, strict=True) if v
    )
    return _t(mean, spread, df, alpha, "geometric mean, these sessions")


def geometric_mean_in_general(logs: Sequence[float], alpha: float = 0.05) -> Interval | None:
    """Mean of log ratios with the spread over sessions: for sessions like these.

    None below three sessions: two say next to nothing of others.
    """
    count = len(logs)
    if count < FEWEST_SESSIONS:
        return None
    mean = sum(logs) / count
    spread = math.sqrt(sum((value - mean) ** 2 for value in logs) / (count - 1) / count)
    if not spread > 0:
        return Interval(mean, mean, mean, 0.0 if mean else 1.0, "geometric mean", spread)
    return _t(mean, spread, count - 1, alpha, "geometric mean, sessions in general")


def _t(mean: float, spread: float, df: float, alpha: float, method: str) -> Interval:
    reach = float(special.stdtrit(df, 1 - alpha / 2)) * spread
    p = float(2 * special.stdtr(df, -abs(mean) / spread))
    return Interval(mean, mean - reach, mean + reach, p, method, spread, df)
