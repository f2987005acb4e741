"""What a gain in time costs: processor seconds and memory for each second gained.

Source: Fieller 1954 for the interval of a ratio of two means.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import special

from yardstick_core.compare import text
from yardstick_core.compare.rows import Row
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.durations import DURATION, STEP_TIME
from yardstick_core.readings.memory import PEAK_MEMORY
from yardstick_core.readings.processor import PROCESSOR_SECONDS


@dataclass(frozen=True, slots=True)
class TradeOff:
    """Seconds gained by a candidate and what it cost in another metric, means over rounds.

    `per_second` is the cost for each second gained, with limits; NaN where the gain is not clear.
    """

    stretch: tuple[str, ...]
    candidate: int
    gained_s: float
    cost_metric: str
    cost: float
    cost_unit: str
    per_second: float
    low: float
    high: float
    sentence: str


def trade_offs(
    rows: Sequence[Row], variants: list[str], baseline: int, candidate: int, alpha: float = 0.05
) -> list[TradeOff]:
    """For each timing its processor time, and for the session its memory."""
    by_place = {(row.metric.key, row.stretch): row for row in rows}
    found = []
    for row in rows:
        cost = None
        if row.metric.key == DURATION.key and len(row.stretch) == 2:
            cost = by_place.get((PROCESSOR_SECONDS.key, row.stretch))
        elif row.metric.key == STEP_TIME.key and row.stretch == (WHOLE,):
            cost = by_place.get((PEAK_MEMORY.key, row.stretch))
        if cost is not None:
            one = _one(row, cost, variants, baseline, candidate, alpha)
            if one is not None:
                found.append(one)
    return found


def _one(
    time: Row, cost: Row, variants: list[str], baseline: int, candidate: int, alpha: float
) -> TradeOff | None:
    rounds = _by_round(time, cost, baseline), _by_round(time, cost, candidate)
    shared = sorted(rounds[0].keys() & rounds[1].keys())
    if len(shared) < 2:
        return None
    a, b = (np.array([side[round_] for round_ in shared]) for side in rounds)
    gained, paid = a[:, 0] - b[:, 0], b[:, 1] - a[:, 1]
    ratio, low, high = fieller(paid, gained, alpha)
    clear = _clear(time, candidate, gained, alpha)
    if not clear:
        ratio = low = high = math.nan
    sentence = _sentence(time, cost, variants[candidate], gained, paid, clear, alpha)
    return TradeOff(
        time.stretch, candidate, float(gained.mean()), cost.metric.key, float(paid.mean()),
        cost.metric.unit, ratio, low, high, sentence,
    )  # fmt: skip


def _by_round(time: Row, cost: Row, variant: int) -> dict[int, tuple[float, float]]:
    """Time and cost of the runs that have both and reached their end."""
    costs = {s.run: s.value for s in cost.samples[variant]}
    return {
        s.round: (s.value, costs[s.run])
        for s in time.samples[variant]
        if s.run in costs and not s.right_censored
    }


def _clear(
    time: Row, candidate: int, gained: np.ndarray[tuple[int], np.dtype[np.float64]], alpha: float
) -> bool:
    """Whether the gain in time is sure: by its verdict, or by its limits where it has none."""
    difference = time.differences[candidate]
    if difference is not None:
        return difference.verdict in (AHEAD, BEHIND)
    low, high = _mean_limits(gained, alpha)
    return low > 0 or high < 0


def _sentence(
    time: Row,
    cost: Row,
    name: str,
    gained: np.ndarray[tuple[int], np.dtype[np.float64]],
    paid: np.ndarray[tuple[int], np.dtype[np.float64]],
    clear: bool,
    alpha: float,
) -> str:
    """What was gained and what it cost, in words."""
    seconds, amount = float(gained.mean()), float(paid.mean())
    noun = {"s": "of processor time", "MiB": "of peak memory"}[cost.metric.unit]
    low, high = _mean_limits(paid, alpha)
    sure = low > 0 or high < 0
    what = text.quantity(cost.metric, abs(amount))
    spent = f"{'uses' if amount > 0 else 'saves'} {what} {noun}" if sure else ""
    where = "the whole session"
    if len(time.stretch) > 1:
        where = f"{time.stretch[-1]} ({time.stretch[0]})"
    if not clear:
        if not sure:
            return f"{name}: neither time nor cost of {where} is clearly different"
        more = "more" if amount > 0 else "less"
        return f"{name}: {what} {more} {noun} in {where}, with no clear difference in time"
    way = "gains" if seconds > 0 else "loses"
    sentence = f"{name} {way} {text.quantity(DURATION, abs(seconds))} in {where}"
    if not sure:
        return f"{sentence} at no clear cost {noun}"
    if seconds > 0 and amount > 0:
        each = text.quantity(cost.metric, amount / seconds)
        return f"{sentence} and pays {what} {noun} for it: {each} for each second gained"
    joined = "and" if (seconds > 0) == (amount < 0) else "but"
    return f"{sentence} {joined} {spent}"


def _mean_limits(
    values: np.ndarray[tuple[int], np.dtype[np.float64]], alpha: float
) -> tuple[float, float]:
    error = float(values.std(ddof=1)) / math.sqrt(len(values))
    reach = float(special.stdtrit(len(values) - 1, 1 - alpha / 2)) * error
    return float(values.mean()) - reach, float(values.mean()) + reach


def fieller(
    above: np.ndarray[tuple[int], np.dtype[np.float64]],
    below: np.ndarray[tuple[int], np.dtype[np.float64]],
    alpha: float = 0.05,
) -> tuple[float, float, float]:
    """mean(above) / mean(below) of pairs, shape (n,), with limits; infinite where unbounded."""
    count = len(above)
    t2 = float(special.stdtrit(count - 1, 1 - alpha / 2)) ** 2
    x, y = float(below.mean()), float(above.mean())
    cov = np.cov(below, above) / count
    a = x * x - t2 * float(cov[0, 0])
    b = x * y - t2 * float(cov[0, 1])
    c = y * y - t2 * float(cov[1, 1])
    ratio = y / x if x else math.inf
    inside = b * b - a * c
    if a <= 0 or inside < 0:
        return ratio, -math.inf, math.inf
    root = math.sqrt(inside)
    return ratio, (b - root) / a, (b + root) / a
