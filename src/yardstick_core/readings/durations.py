"""Durations of timings, with how exactly their end was seen."""

from yardstick_core.readings.metric import define

STEP_TIME = define(
    "step_time", "time of the step", "s", "lower",
    "from the start of the step to the start of the next; pauses that the script asks for included",
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
