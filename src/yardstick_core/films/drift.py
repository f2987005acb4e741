"""Two lists of events of the same things: which belong together, and how their clocks part.

Two films of a session, or the picture and the sound of one.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import stats

#: Pairs apart by more than this from the line through all are none.
TOLERANCE_S = 0.12
FEWEST_PAIRS = 4
CONFIDENCE = 0.95
_STEP_S, _NEARLY = 0.02, 0.75


@dataclass(frozen=True, slots=True)
class Drift:
    """How the second list runs against the first.

    `offset_s` is how much later its events come where the first begins, `drift` how many seconds
    more each second; both with their 95 % limits, NaN with fewer than four pairs. `pairs` are
    places in the two lists, in order; the rest is unmatched.
    """

    offset_s: float
    offset_low_s: float
    offset_high_s: float
    drift: float
    drift_low: float
    drift_high: float
    pairs: tuple[tuple[int, int], ...]
    unmatched: tuple[tuple[int, ...], tuple[int, ...]]

    @property
    def known(self) -> bool:
        return not math.isnan(self.drift)


def drift(
    first: NDArray[np.float64], second: NDArray[np.float64], tolerance_s: float = TOLERANCE_S
) -> Drift:
    """Pair events in order and measure offset and drift.

    The offset that most pairs agree on is found first, then each event is given the nearest of the
    other list, and a line laid through the pairs that no few odd ones can turn: Theil 1950, Sen
    1968, with the interval of Sen.
    """
    one, two = np.sort(np.asarray(first, float)), np.sort(np.asarray(second, float))
    nothing = (tuple(range(len(one))), tuple(range(len(two))))
    if not len(one) or not len(two):
        return _unknown((), nothing)
    slope, offset = 0.0, _common_offset(one, two)
    pairs: list[tuple[int, int]] = []
    for reach in (4 * tolerance_s, 2 * tolerance_s, tolerance_s, tolerance_s):
        found = _paired(one, two, offset, slope, reach)
        if len(found) < FEWEST_PAIRS:
            break
        pairs = found
        slope, offset = _line(one, two, pairs)
    if len(pairs) < FEWEST_PAIRS:
        pairs = _paired(one, two, offset, 0.0, tolerance_s)
        if len(pairs) < FEWEST_PAIRS:
            return _unknown(tuple(pairs), _left(one, two, pairs))
        slope, offset = _line(one, two, pairs)
    at = one[[a for a, _ in pairs]]
    apart = two[[b for _, b in pairs]] - at
    _, _, low, high = stats.theilslopes(apart, at - one[0], CONFIDENCE)
    rest = apart - slope * (at - one[0])
    margin = float(stats.t.ppf(0.5 + CONFIDENCE / 2, len(rest) - 1)) * _median_error(rest)
    # where the line is laid through, the slope's own uncertainty reaches back to the beginning
    lever = float(np.median(at - one[0])) * max(high - slope, slope - low)
    reach_s = math.hypot(margin, lever)
    return Drift(
        offset, offset - reach_s, offset + reach_s, slope, float(low), float(high),
        tuple(pairs), _left(one, two, pairs),
    )  # fmt: skip


def _unknown(
    pairs: tuple[tuple[int, int], ...], left: tuple[tuple[int, ...], tuple[int, ...]]
) -> Drift:
    return Drift(math.nan, math.nan, math.nan, math.nan, math.nan, math.nan, pairs, left)


def _median_error(rest: NDArray[np.float64]) -> float:
    """Standard error of a median, from the spread of what is left: robust like the line."""
    spread = 1.4826 * float(np.median(np.abs(rest - np.median(rest))))
    return 1.2533 * spread / math.sqrt(len(rest))


def _common_offset(one: NDArray[np.float64], two: NDArray[np.float64]) -> float:
    """The difference that most events of the two lists have, as a median of those that do.

    Events that come evenly agree on many: of those that nearly as many do, the smallest is meant.
    """
    apart = (two[None, :] - one[:, None]).ravel()
    places = np.round(apart / _STEP_S).astype(np.int64)
    low = places.min()
    counts = np.convolve(np.pad(np.bincount(places - low), 2), np.ones(5), "valid")
    agreed = np.flatnonzero(counts >= _NEARLY * counts.max()) + low
    best = float(agreed[np.abs(agreed).argmin()]) * _STEP_S
    near = apart[np.abs(apart - best) <= 4 * _STEP_S]
    return float(np.median(near))


def _paired(
    one: NDArray[np.float64], two: NDArray[np.float64], offset: float, slope: float, reach: float
) -> list[tuple[int, int]]:
    """Each event with the nearest where it is expected, both ways round, in order."""
    expected = one + offset + slope * (one - one[0])
    found = []
    for place, at in enumerate(expected):
        other = int(np.abs(two - at).argmin())
        back = int(np.abs(expected - two[other]).argmin())
        if back == place and abs(two[other] - at) <= reach:
            found.append((place, other))
    return found


def _line(
    one: NDArray[np.float64], two: NDArray[np.float64], pairs: list[tuple[int, int]]
) -> tuple[float, float]:
    at = one[[a for a, _ in pairs]]
    apart = two[[b for _, b in pairs]] - at
    slope = float(stats.theilslopes(apart, at - one[0], CONFIDENCE)[0])
    return slope, float(np.median(apart - slope * (at - one[0])))


def _left(
    one: NDArray[np.float64], two: NDArray[np.float64], pairs: list[tuple[int, int]]
) -> tuple[tuple[int, ...], tuple[int, ...]]:
    mine, theirs = {a for a, _ in pairs}, {b for _, b in pairs}
    return (
        tuple(n for n in range(len(one)) if n not in mine),
        tuple(n for n in range(len(two)) if n not in theirs),
    )
