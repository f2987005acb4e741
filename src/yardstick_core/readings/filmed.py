"""What a film can say of pictures, which it shows no finer than its own steps from one to the next.

Percentiles, evenness and what rests on single frame times would say more than the film knows.
"""

from __future__ import annotations

from yardstick_core.readings.frames import (
    AVERAGE_RATE,
    ONE_PERCENT_LOW,
    STUTTER_SHARE,
    FrameTimes,
    average_rate,
    one_percent_low,
    spike_mask,
)

#: From this share of the film's own rate on, the program may have drawn more than is shown.
FULL = 0.97
AT_LEAST = "the film shows no more pictures a second: the program may have drawn more"


def filmed_readings(times_ms: FrameTimes, step_ms: float) -> list[tuple[str, float, float, str]]:
    """Metric, value, ± and warning of pictures on a film whose steps take `step_ms`.

    The first and the last picture are each known to ± half a step, and so is every frame's end.

    >>> import numpy as np
    >>> [(m, round(v, 2), round(pm, 2)) for m, v, pm, _ in filmed_readings(np.full(60, 50.0), 20)]
    [('average_rate', 20.0, 0.13), ('one_percent_low', 20.0, 8.0), ('stutter_share', 0.0, 0.0)]
    """
    total = float(times_ms.sum())
    rate, low = average_rate(times_ms), one_percent_low(times_ms)
    slowest_ms = 1000 / low
    spikes = spike_mask(times_ms)
    share = float(100 * times_ms[spikes].sum() / total)
    full = AT_LEAST if rate >= FULL * 1000 / step_ms else ""
    return [
        (AVERAGE_RATE.key, rate, rate * step_ms / total, full),
        (ONE_PERCENT_LOW.key, low, low * step_ms / max(slowest_ms, step_ms), full),
        (STUTTER_SHARE.key, share, 100 * float(spikes.sum()) * step_ms / total, ""),
    ]
