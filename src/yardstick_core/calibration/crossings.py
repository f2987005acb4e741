"""Two crossed factors whose truth is known: intervals of interactions, and false alarms."""

from __future__ import annotations

from itertools import product

import numpy as np

from yardstick_core.compare.crossed import CrossedMetric, Place, crossed, crossed_together
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.multiplicity import OTHER
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.readings import METRICS

#: What a round does to all of its cells alike, and what runs differ by.
ROUND, NOISE = 0.04, 0.03
RATE = METRICS["average_rate"]


def _cells(
    rng: np.random.Generator, rounds: int, rows: int, columns: int, truth: float = 0.0
) -> dict[Place, list[Sample]]:
    """Readings of a made study, its last cell `truth` better, on logs, than the others say."""
    moods = rng.normal(0, ROUND, rounds)
    cells = {}
    for number, place in enumerate(product(range(rows), range(columns))):
        level = truth if place == (rows - 1, columns - 1) else 0.0
        values = 50 * np.exp(moods + level + rng.normal(0, NOISE, rounds))
        cells[place] = [
            Sample(100 * number + turn, turn, float(value)) for turn, value in enumerate(values)
        ]
    return cells


def interaction_alarm(
    seed: int, rounds: int, rows: int = 2, columns: int = 2, metrics: int = 1
) -> bool:
    """Whether two factors that do not interact are said to, in any of a study's metrics."""
    rng = np.random.default_rng(seed)
    looked_at = [
        CrossedMetric(RATE, _cells(rng, rounds, rows, columns), min(n, OTHER))
        for n in range(metrics)
    ]
    return any(
        one.verdict in (AHEAD, BEHIND)
        for found in crossed_together(looked_at, rows, columns)
        for one in found.interactions
    )


def interaction_covered(
    seed: int, rounds: int, rows: int = 2, columns: int = 2, truth: float = 0.1
) -> bool:
    """Whether the intervals of all interactions hold what they truly are, together."""
    cells = _cells(np.random.default_rng(seed), rounds, rows, columns, truth)
    for one in crossed(RATE, cells, rows, columns).interactions:
        true = truth if (one.row, one.column) == (rows - 1, columns - 1) else 0.0
        gain = one.estimate.gain
        if gain is None or not gain.contains(true):
            return False
    return True
