"""Verdicts: ahead, behind, level or open, from an interval and what matters."""

from __future__ import annotations

import math
from bisect import bisect_left
from dataclasses import replace
from functools import lru_cache

import numpy as np
from scipy import special

from yardstick_core.compare.intervals import Interval
from yardstick_core.readings.metric import Metric

AHEAD, BEHIND, LEVEL, OPEN = "ahead", "behind", "level", "open"
FEWEST_ADVISED, MOST_ADVISED = 2, 60
#: Where a difference is taken to lie when it is said that no number of runs will decide it: within
#: so many standard errors of the estimate, which is itself known from few runs.
WITHIN_ERRORS = 1.0


def materiality(metric: Metric, levels: tuple[float, float], *, on_logs: bool) -> float:
    """The smallest difference of two levels that matters: on logs, or in the own unit.

    It is the same whichever side is the baseline. On logs it is the larger of the metric's share
    and of what takes the smaller level past the metric's amount: log(1 + amount / smaller). In the
    own unit it is the larger of the amount and, but for shares, which change by points, of the
    metric's share of the larger level. 0 where the study says that any difference matters.
    """
    if on_logs:
        smaller = min(levels)
        past = math.log1p(metric.material_amount / smaller) if smaller > 0 else 0.0
        return max(math.log1p(metric.material_share), past)
    if metric.unit == "%":
        return metric.material_amount
    return max(metric.material_amount, metric.material_share * max(map(abs, levels)))


def decide(gain: Interval, band: float) -> str:
    """Verdict for a gain (positive is better) with the band of what is too small to matter."""
    if -band <= gain.low and gain.high <= band:
        return LEVEL
    if not gain.contains(0) and abs(gain.estimate) >= band:
        return AHEAD if gain.estimate > 0 else BEHIND
    return OPEN


def runs_to_decide(gain: Interval, band: float, n: int, alpha: float = 0.05) -> int | None:
    """Fewest runs a side whose predicted interval decides, or None where no sensible number does.

    The spread is inflated by √((n−1)/χ²₀.₂₅,ₙ₋₁), for it was itself measured on few runs.
    """
    if n < 2 or not np.isfinite(gain.spread) or not np.isfinite(gain.estimate):
        return None
    single = gain.spread * math.sqrt(n) * _inflation(n)
    size = abs(gain.estimate)
    most = (size if size >= band else band - size) / single if single else math.inf
    # reaches fall with the number of runs: the first small enough is the answer
    place = MOST_ADVISED - FEWEST_ADVISED + 1 - bisect_left(_reaches(alpha), most)
    counted = max(place + FEWEST_ADVISED, n + 1)
    return counted if counted <= MOST_ADVISED else None


def never_decides(gain: Interval, band: float, n: int, alpha: float = 0.05) -> bool:
    """Whether no sensible number of runs decides, wherever near its estimate the gain lies.

    By the estimate alone, one that lies near what matters by chance would be given up: where the
    spread is as large as what matters, up to a quarter of all studies that the rounds to come
    decide. Sizes that none decides lie together, so that the least and the largest tell of all.
    """
    size, error = abs(gain.estimate), WITHIN_ERRORS * gain.spread
    return all(
        runs_to_decide(replace(gain, estimate=place), band, n, alpha) is None
        for place in (max(0.0, size - error), size + error)
    )


@lru_cache(maxsize=128)
def _inflation(n: int) -> float:
    return math.sqrt((n - 1) / special.chdtri(n - 1, 0.75))


@lru_cache(maxsize=16)
def _reaches(alpha: float) -> tuple[float, ...]:
    """Half-width of a t interval in single standard errors, for 60, 59, … 2 runs."""
    counts = np.arange(MOST_ADVISED, FEWEST_ADVISED - 1, -1)
    return tuple((special.stdtrit(counts - 1, 1 - alpha / 2) / np.sqrt(counts)).tolist())
