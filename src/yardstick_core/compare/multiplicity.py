"""How many differences were looked at: what matters first, then the rest, each by itself.

Deciding metrics are tested at the whole level. What follows gets the larger part of it where what
decides is settled about a candidate, and else a twentieth: a difference that stands hands its level
on, and one that is known to be level raises no alarm. Main metrics come before all others in the
same way. Within a step, false discoveries are held after Benjamini and Hochberg 1995, with weights
after Genovese, Roeder and Wasserman 2006; the order of the steps is the fallback procedure of
Wiens 2003.

What is too small to matter counts as not shown (p = 1) beforehand: else many real and immaterial
differences loosen the limit for those that are chance alone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

#: The steps: metrics that decide, main ones, all others.
DECIDING, MAIN, OTHER = 0, 1, 2
STEPS = (DECIDING, MAIN, OTHER)
#: Share of the level that is handed on by a step: where it is settled, and where it is not.
SETTLED_SHARE = {DECIDING: 0.8, MAIN: 1.0}
UNSETTLED_SHARE = {DECIDING: 0.05, MAIN: 0.25}


@dataclass(frozen=True, slots=True)
class DifferenceTest:
    """The test of one difference: its step and candidate, its p, and whether it is level."""

    step: int
    candidate: int
    p: float
    level: bool = False


def stands(tests: Sequence[DifferenceTest], alpha: float) -> list[bool]:
    """Which differences stand after allowing for how many were looked at."""
    found = [False] * len(tests)
    weights = dict.fromkeys((test.candidate for test in tests), 1.0)
    for step in STEPS:
        if step:
            _hand_on(weights, tests, found, step - 1)
        places = [place for place, test in enumerate(tests) if test.step == step]
        weighted = [min(1.0, tests[n].p / weights[tests[n].candidate]) for n in places]
        for place, passes in zip(places, benjamini_hochberg(weighted, alpha), strict=True):
            found[place] = passes
    return found


def _hand_on(
    weights: dict[int, float], tests: Sequence[DifferenceTest], found: Sequence[bool], step: int
) -> None:
    """Set what each candidate has left for the step after this one."""
    for candidate in weights:
        settled = all(
            passes or test.level
            for test, passes in zip(tests, found, strict=True)
            if test.step == step and test.candidate == candidate
        )
        weights[candidate] *= (SETTLED_SHARE if settled else UNSETTLED_SHARE)[step]


def benjamini_hochberg(p_values: Sequence[float], alpha: float = 0.05) -> list[bool]:
    """Which of many tests stand at false discovery rate `alpha`.

    >>> benjamini_hochberg([0.001, 0.02, 0.04, 0.2])
    [True, True, False, False]
    """
    if not len(p_values):
        return []
    order = np.argsort(p_values)
    limits = alpha * np.arange(1, len(order) + 1) / len(order)
    passing = np.flatnonzero(np.asarray(p_values)[order] <= limits)
    found = np.zeros(len(order), bool)
    if len(passing):
        found[order[: passing[-1] + 1]] = True
    return [bool(value) for value in found]
