"""Two crossed factors whose truth is known: intervals of interactions, and false alarms."""

from __future__ import annotations

import numpy as np

from yardstick_core.compare.crossed import Interaction, crossed
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.readings import METRICS

#: What a round does to all of its cells alike, and what runs differ by.
ROUND, NOISE = 0.04, 0.03
RATE = METRICS["average_rate"]


def _interaction(seed: int, rounds: int, truth: float) -> Interaction:
    """Of a made study of 2 × 2 cells, the fourth `truth` better, on logs, than the others say."""
    rng = np.random.default_rng(seed)
    moods = rng.normal(0, ROUND, rounds)
    cells = {}
    for number, place in enumerate(((0, 0), (0, 1), (1, 0), (1, 1))):
        level = truth if place == (1, 1) else 0.0
        values = 50 * np.exp(moods + level + rng.normal(0, NOISE, rounds))
        cells[place] = [
            Sample(100 * number + turn, turn, float(value)) for turn, value in enumerate(values)
        ]
    (found,) = crossed(RATE, cells, 2, 2).interactions
    return found


def interaction_alarm(seed: int, rounds: int) -> bool:
    """Whether two factors that do not interact are said to."""
    return _interaction(seed, rounds, 0.0).verdict in (AHEAD, BEHIND)


def interaction_covered(seed: int, rounds: int, truth: float = 0.1) -> bool:
    """Whether the interval of an interaction holds what it truly is."""
    gain = _interaction(seed, rounds, truth).estimate.gain
    return gain is not None and gain.low <= truth <= gain.high
