"""Durations of timings, with how exactly their end was seen."""

from yardstick_core.readings.metric import define

DURATION = define(
    "duration", "duration", "s", "lower",
    "from the first input of the timing to the instant its last condition became true; "
    "100 ms is taken as the least that anyone notices",
    material_amount=0.1, primary=True,
)  # fmt: skip
