"""Durations of timings, with how exactly their end was seen."""

import math
from statistics import median

from yardstick_core.readings.metric import define

STEP_TIME = define(
    "step_time", "time of the step", "s", "lower",
    "from the start of the step to the start of the next; pauses that the script asks for and work "
    "that is waited for included",
    judged=False,
)  # fmt: skip
STEP_PROCESSOR = define(
    "step_processor", "processor time of the step", "s", "lower",
    "time all cores together spent on the subject and its children in the step",
    judged=False,
)  # fmt: skip

DURATION = define(
    "duration", "duration", "s", "lower",
    "from the first input of the timing to the instant its last condition became true; "
    "100 ms is taken as the least that anyone notices",
    material_amount=0.1, primary=True,
)  # fmt: skip
LAP_TIME = define(
    "lap_time", "time of a lap", "s", "lower",
    "from the start of a lap to its end, median over the laps of the run",
    material_amount=0.1, primary=True,
)  # fmt: skip
LAP_SLOWING = define(
    "lap_slowing", "slowing over the laps", "%", "lower",
    "median time of the last quarter of the laps against that of the first, in percent",
    material_amount=3, on_logs=False, minimum="8 laps",
)  # fmt: skip
FEWEST_FOR_SLOWING = 8


def slowing(seconds: list[float]) -> float:
    """How much longer the last quarter of the laps takes than the first, percent.

    >>> round(slowing([1.0, 1.1, 1.2, 1.3]), 6)
    30.0
    """
    quarter = len(seconds) // 4
    first, last = median(seconds[:quarter]), median(seconds[-quarter:])
    return 100 * (last / first - 1)


def hand_plus_minus(spread_ms: float) -> float:
    """Half-width (95 %), in ms, of a duration between two presses of a person.

    `spread_ms`: standard deviation of the person's reactions. What is common to all their presses
    cancels between the start and the end; what differs from press to press does not.
    """
    return 1.96 * math.sqrt(2) * spread_ms
