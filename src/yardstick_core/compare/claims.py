"""Claims: a prediction or promise about one metric, judged by the interval of its difference."""

from __future__ import annotations

from dataclasses import dataclass

from yardstick_core.compare import text
from yardstick_core.compare.difference import NO_INTERVAL, Difference
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.readings.metric import Metric

BORNE_OUT, CONTRADICTED, NOT_SHOWN = "borne out", "contradicted", "not shown"
AT_MOST, AT_LEAST = "at most", "at least"
SIDES = (AT_MOST, AT_LEAST)


@dataclass(frozen=True, slots=True)
class Claim:
    """A candidate's change against the baseline is at most, or at least, an amount.

    `amount` is percent of the baseline, signed (−20 is a fifth less), for metrics compared as
    ratios; for shares and counts it is a change in the metric's own unit.
    """

    variant: int
    stretch: tuple[str, ...]
    metric: str
    side: str
    amount: float


@dataclass(frozen=True, slots=True)
class JudgedClaim:
    """A claim with its judgement and why, in words."""

    judgement: str
    statement: str
    because: str


def judge_claim(
    claim: Claim, row: Row, variants: list[str], baseline: int = 0, alpha: float = 0.05
) -> JudgedClaim:
    """Judge a claim by the row it is about."""
    said = statement(claim, row, variants, baseline)
    difference = row.differences[claim.variant]
    if not row.metric.judged:
        why = "this study sets it aside and judges nothing of it; let it count again to judge this"
        return JudgedClaim(NOT_SHOWN, said, why)
    if difference is None:
        return JudgedClaim(NOT_SHOWN, said, "there are no readings of both sides yet")
    if difference.method == NO_INTERVAL:
        return JudgedClaim(NOT_SHOWN, said, difference.caveats[-1])
    low, high = _limits(row.metric, difference)
    if low != low:
        return JudgedClaim(NOT_SHOWN, said, "some readings are zero: there is no ratio to judge")
    sure = text.level(alpha)
    because = f"it is {_found(difference)}, {sure} interval {difference.interval_text}"
    if difference.verdict_withheld:
        return JudgedClaim(NOT_SHOWN, said, difference.caveats[0])
    inside = high <= claim.amount if claim.side == AT_MOST else low >= claim.amount
    outside = low > claim.amount if claim.side == AT_MOST else high < claim.amount
    if inside:
        return JudgedClaim(BORNE_OUT, said, because)
    return JudgedClaim(CONTRADICTED if outside else NOT_SHOWN, said, because)


def statement(claim: Claim, row: Row, variants: list[str], baseline: int = 0) -> str:
    """A claim in a sentence: `open is at least 20 % less in 4.2 than in 4.1`."""
    size = text.significant(abs(claim.amount)).rstrip("0").rstrip(".") or "0"
    unit = "%" if row.metric.on_logs else {"%": "pt"}.get(row.metric.unit, row.metric.unit)
    less = claim.amount < 0 or (claim.amount == 0 and claim.side == AT_LEAST)
    strict = (claim.side == AT_MOST) == less
    bound = f"{'at least' if strict else 'no more than'} {size}{text.THIN}{unit}".strip()
    bound = bound if claim.amount else "not"
    return (
        f"{qualified_label(row)} is {bound} {'less' if less else 'more'} in "
        f"{variants[claim.variant]} than in {variants[baseline]}"
    )


def _limits(metric: Metric, difference: Difference) -> tuple[float, float]:
    """Limits of the change, in percent for ratios, else in the own unit."""
    if metric.on_logs:
        return 100 * (difference.ratio_low - 1), 100 * (difference.ratio_high - 1)
    return difference.change_low, difference.change_high


def _found(difference: Difference) -> str:
    return difference.percent_text or difference.change_text
