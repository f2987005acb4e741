"""Processor use of the subject, in both conventions, and of everything else."""

from __future__ import annotations

import numpy as np

from yardstick_core.readings.metric import define
from yardstick_core.streams.chunk import Instants, Values

PROCESSOR_SECONDS = define(
    "processor_seconds", "processor time", "s", "lower",
    "time all cores together spent on the subject and its children",
    material_amount=0.05,
)  # fmt: skip
PROCESSOR_CORES = define(
    "processor_cores", "processor use", "cores", "lower",
    "processor time over elapsed time; 1 is one core fully used",
    material_amount=0.05,
)  # fmt: skip
FOREIGN_SHARE = define(
    "foreign_share", "everything else on the machine", "%", "lower",
    "share of the whole machine used by all that is neither the subject, nor the display it "
    "draws on, nor the agent",
    material_amount=3, on_logs=False, judged=False,
)  # fmt: skip


def seconds_between(counter: tuple[Instants, Values], start_ns: int, end_ns: int) -> float | None:
    """Growth of a cumulative counter over a stretch, interpolated at both ends.

    None where the samples do not reach within 200 ms of the stretch.
    """
    instants, values = counter
    if len(instants) < 2 or instants[-1] < end_ns - 200_000_000:
        return None
    start, end = np.interp([start_ns, end_ns], instants, values)
    return float(end - start)
