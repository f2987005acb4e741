"""Whether readings drifted over the day: in the order taken, with a test for a trend."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from scipy import stats

from yardstick_core.compare.multiplicity import benjamini_hochberg
from yardstick_core.compare.rows import Row, label, qualified_label
from yardstick_core.compare.text import quantity

FEWEST_RUNS = 8
FEWEST_ROUNDS = 4
ALPHA = 0.05


@dataclass(frozen=True, slots=True)
class Drift:
    """How one metric moved over the rounds, whatever the variant.

    `change` is from the first round to the last by the Theil-Sen slope: a share where `in_percent`,
    else in the metric's own unit. `p` is that of Kendall's tau over the means of the rounds;
    `drifts` is true where the trend stands after allowing for how many metrics were looked at, and
    is large enough to matter.
    `points` are (round, variant, deviation from the median of that variant, same scale as change).
    """

    stretch: tuple[str, ...]
    metric: str
    name: str
    unit: str
    in_percent: bool
    change: float
    p: float
    drifts: bool
    text: str
    points: tuple[tuple[int, int, float], ...]


def drifts(rows: Sequence[Row]) -> list[Drift]:
    """Trends of all main metrics with at least 8 finished warm runs in at least 4 rounds.

    Readings of each variant are taken from their own median, so that a difference between the
    variants is no drift. Source: Mann (1945) and Kendall (1975) for the test, Sen (1968) for the
    slope; false discoveries after Benjamini and Hochberg (1995).
    """
    found = [(row, drift) for row in rows if row.metric.primary and (drift := _drift(row))]
    stands = benjamini_hochberg([drift.p for _, drift in found], ALPHA)
    return [
        _judged(row, drift, real and _matters(row, drift))
        for (row, drift), real in zip(found, stands, strict=True)
    ]


def _drift(row: Row) -> Drift | None:
    on_logs = row.metric.on_logs and all(s.value > 0 for side in row.samples for s in side)
    points: list[tuple[int, int, float]] = []
    for index, side in enumerate(row.samples):
        values = [s for s in side if not s.right_censored and s.round >= 0]
        if len(values) < 2:
            continue
        scaled = [math.log(s.value) if on_logs else s.value for s in values]
        middle = float(np.median(scaled))
        points += [(s.round, index, v - middle) for s, v in zip(values, scaled, strict=True)]
    rounds = sorted({number for number, _, _ in points})
    if len(points) < FEWEST_RUNS or len(rounds) < FEWEST_ROUNDS:
        return None
    at = np.array([number for number, _, _ in points], float)
    apart = np.array([value for _, _, value in points])
    if np.ptp(apart) == 0:
        return None
    # runs of one round share what the machine did then: the round is what varies by itself
    means = np.array([apart[at == number].mean() for number in rounds])
    p = float(stats.kendalltau(rounds, means).pvalue)
    slope = float(stats.theilslopes(means, rounds).slope)
    change = slope * (rounds[-1] - rounds[0])
    if on_logs:
        change = math.expm1(change)
        points = [(number, index, math.expm1(value)) for number, index, value in points]
    return Drift(
        row.stretch,
        row.metric.key,
        label(row),
        row.metric.unit,
        on_logs,
        change,
        p,
        False,
        "",
        tuple(points),
    )


def _matters(row: Row, drift: Drift) -> bool:
    if drift.in_percent:
        return abs(math.log1p(drift.change)) > math.log1p(row.metric.material_share)
    return abs(drift.change) > row.metric.material_amount


def _judged(row: Row, drift: Drift, real: bool) -> Drift:
    where = qualified_label(row)
    if drift.in_percent:
        amount = f"{abs(100 * drift.change):.2g} %"
    else:
        amount = quantity(row.metric, abs(drift.change), 2)
    way = "up" if drift.change > 0 else "down"
    words = (
        f"{where} went {way} by {amount} from the first round to the last, in all variants "
        f"together (p = {drift.p:.2g}): the day drifted. Rounds allow for it; runs of different "
        "rounds cannot be held against one another."
        if real
        else f"{where}: no trend over the rounds that matters (p = {drift.p:.2g})"
    )
    return replace(drift, drifts=real, text=words)
