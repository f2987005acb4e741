"""Key to picture: from an input to the first change on the screen after it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yardstick_core.readings.metric import define

LONGEST_MS = 1000.0
LATENCY_MEDIAN = define(
    "key_to_picture", "key to picture", "ms", "lower",
    "input sent to first change on the screen, median over the inputs of the stretch",
    material_amount=10, primary=True,
)  # fmt: skip
LATENCY_P95 = define(
    "key_to_picture_p95", "key to picture, slowest twentieth", "ms", "lower",
    "input sent to first change on the screen, 95th percentile over the inputs of the stretch",
    material_amount=10,
)  # fmt: skip


def latencies_ms(inputs_ns: NDArray[np.int64], frames_ns: NDArray[np.int64]) -> NDArray[np.float64]:
    """Delay of each input, shape (n,), ms; NaN where nothing changed before the next second."""
    following = np.searchsorted(frames_ns, inputs_ns, side="right")
    found = following < len(frames_ns)
    delays = np.full(len(inputs_ns), np.nan)
    delays[found] = (frames_ns[following[found]] - inputs_ns[found]) / 1e6
    delays[delays > LONGEST_MS] = np.nan
    return delays
