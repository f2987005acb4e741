"""Heat and clocks of the machine: shown beside what was measured, never judged."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from yardstick_core.readings.metric import define
from yardstick_core.streams.chunk import Instants, Values

HOTTEST = define(
    "hottest", "hottest the processor was", "°C", "lower",
    "highest temperature of the processor's sensors in the stretch, sampled once a second",
    material_amount=1, on_logs=False, judged=False,
)  # fmt: skip
HOTTEST_GRAPHICS = define(
    "hottest_graphics", "hottest the graphics card was", "°C", "lower",
    "highest temperature of the graphics cards' sensors in the stretch, sampled once a second",
    material_amount=1, on_logs=False, judged=False,
)  # fmt: skip
MEAN_CLOCK = define(
    "mean_clock", "clock of the cores", "MHz", "higher",
    "mean clock of all cores over the stretch, sampled twice a second",
    judged=False,
)  # fmt: skip
THROTTLED = define(
    "throttled", "held back for heat", "", "lower",
    "how often cores lowered their clock in the stretch because they were too hot, as the "
    "processor counts it",
    material_amount=1, on_logs=False, judged=False,
)  # fmt: skip

_LARGEST = {"heat.processor_celsius": HOTTEST, "heat.graphics_celsius": HOTTEST_GRAPHICS}


def heat_readings(
    counters: Mapping[str, tuple[Instants, Values]], start_ns: int, end_ns: int
) -> dict[str, float]:
    """By metric, °C, MHz and a count; empty where the machine does not tell."""
    found = {}
    for name, metric in _LARGEST.items():
        inside = _inside(counters, name, start_ns, end_ns)
        if len(inside):
            found[metric.key] = float(inside.max())
    clocks = _inside(counters, "clock.mean_mhz", start_ns, end_ns)
    if len(clocks):
        found[MEAN_CLOCK.key] = float(clocks.mean())
    counted = counters.get("heat.throttled_count")
    if counted is not None and len(counted[0]) > 1:
        # The count is of whole events, sampled once a second: the samples around are counted in.
        instants, values = counted
        before = max(0, int(np.searchsorted(instants, start_ns, side="right")) - 1)
        after = min(len(instants) - 1, int(np.searchsorted(instants, end_ns)))
        found[THROTTLED.key] = float(values[after] - values[before])
    return found


def _inside(
    counters: Mapping[str, tuple[Instants, Values]], name: str, start_ns: int, end_ns: int
) -> Values:
    if name not in counters:
        return np.empty(0)
    instants, values = counters[name]
    return values[(instants >= start_ns) & (instants <= end_ns)]
