"""Several metrics taken together: per run one number, then compared like any other.

The number is worked out within each run, so that metrics of the same run, which rise and fall
together, are not taken for independent ones.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from scipy import special

from yardstick_core.compare import text
from yardstick_core.compare.difference import RAW_BAND
from yardstick_core.compare.estimate import Estimate, Sample, estimates
from yardstick_core.compare.intervals import Interval
from yardstick_core.compare.rows import Row
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

    Gains are logs: `exp` of one is a factor. Rows compared in their own unit are stretched so that
    what matters of them counts as 3 %, and bent so that none counts for more than twice as good:
    from 60 to 0 there is no ratio.
    """
    sides = [_scores(parts, variant) for variant in (baseline, candidate)]
    if not parts or not all(sides):
        return None
    return estimates([TOGETHER], [sides[0]], [sides[1]], in_rounds=in_rounds, alpha=alpha)[0]


def _scores(parts: Sequence[Part], variant: int) -> list[Sample]:
    """One score a run that has a reading of every part, lower = better, in the order taken.

    Scores lie around 1, so that what is 1 % of a reading is 1 % of them, whatever the units.
    """
    total = sum(part.weight for part in parts)
    scores: dict[int, tuple[Sample, int]] = {}
    for part in parts:
        scale = _scale(part.row)
        for sample in part.row.samples[variant]:
            known, seen = scores.get(sample.run, (sample._replace(value=1.0), 0))
            summed = known._replace(
                value=known.value + part.weight / total * scale(sample.value),
                right_censored=known.right_censored or sample.right_censored,
            )
            scores[sample.run] = (summed, seen + 1)
    return [sample for sample, seen in scores.values() if seen == len(parts)]


class _Scale:
    """Turns readings of one metric so that less is better and what matters counts alike."""

    def __init__(self, on_logs: bool, factor: float, middle: float) -> None:
        self.on_logs, self.factor, self.middle = on_logs, factor, middle

    def __call__(self, value: float) -> float:
        if self.on_logs:
            return self.factor * math.log(value / self.middle)
        return MOST_OF_ONE * math.tanh(self.factor * (value - self.middle) / MOST_OF_ONE)


def _scale(row: Row) -> _Scale:
    metric = row.metric
    sign = -1.0 if metric.higher_is_better else 1.0
    values = [sample.value for side in row.samples for sample in side] or [1.0]
    if metric.on_logs and all(value > 0 for value in values):
        return _Scale(True, sign, median(values))
    level = max((abs(value) for value in values), default=1.0)
    band = metric.material_amount or metric.material_share * level or 1.0
    return _Scale(False, sign * RAW_BAND / band, median(values))


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
