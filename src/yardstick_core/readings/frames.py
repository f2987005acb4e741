"""Frame metrics: each a function of frame times fᵢ = tᵢ − tᵢ₋₁, shape (k,), in ms."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from yardstick_core.readings.metric import define

FrameTimes = NDArray[np.float64]

SPIKE_FACTOR = 2.5
SPIKE_FLOOR_MS = 4.0
SPIKE_NEIGHBOURS = 19
TARGET_HZ = 60

AVERAGE_RATE = define(
    "average_rate", "average frame rate", "fps", "higher",
    "frames counted, over the time they took; never the mean of rates", primary=True,
)  # fmt: skip
MEDIAN = define(
    "median_frame", "median frame time", "ms", "lower", "half of the frames took no longer"
)
P95 = define("p95_frame", "95th percentile frame", "ms", "lower", "95 of 100 frames took no longer")
P99 = define("p99_frame", "99th percentile frame", "ms", "lower", "99 of 100 frames took no longer")
ONE_PERCENT_LOW = define(
    "one_percent_low", "1 % low", "fps", "higher",
    "rate of the mean of the slowest 1 % of frames", minimum="1000 frames", primary=True,
)  # fmt: skip
P99_RATE = define(
    "p99_rate", "p99 rate", "fps", "higher",
    "1000 ms over the 99th percentile frame time; a milder figure than the 1 % low",
)  # fmt: skip
STUTTER_SHARE = define(
    "stutter_share", "stutter time", "%", "lower",
    "share of the time spent in frames longer than 2.5 × the moving median of 19 neighbours "
    "and at least 4 ms above it",
    material_amount=0.5, on_logs=False, primary=True,
)  # fmt: skip
SPIKES = define(
    "spikes", "spikes", "", "lower", "frames that count as stutter",
    material_amount=2, on_logs=False,
)  # fmt: skip
EVENNESS = define(
    "evenness", "evenness", "ms", "lower",
    "root mean square of the change from one frame time to the next",
)  # fmt: skip
ON_TARGET = define(
    "on_target_60", "on 60 Hz", "%", "higher",
    "share of the time in frames no longer than 1.05 × 1/60 s",
    material_amount=2, on_logs=False,
)  # fmt: skip
STEADINESS = define(
    "steadiness", "steadiness", "", "higher",
    "1 % low over average frame rate; 1 would be perfectly even",
)  # fmt: skip


def average_rate(times_ms: FrameTimes) -> float:
    return float(1000 * len(times_ms) / times_ms.sum())


def percentiles(values: NDArray[np.floating[Any]], shares: tuple[float, ...]) -> list[float]:
    """Exact percentiles with linear interpolation; `shares` ascending, each within 0…1.

    One copy is parted in place again and again: each time only what lies above the share before,
    which for the upper percentiles is a small rest.
    """
    left = np.array(values, copy=True)
    size, done = len(left), 0
    found = []
    for share in shares:
        place = share * (size - 1)
        low = int(place)
        rest = left[done:]
        rest.partition(low - done)
        below = float(left[low])
        above = float(left[low + 1 :].min()) if low + 1 < size and place > low else below
        found.append(below + (above - below) * (place - low))
        done = low
    return found


def slowest_mean(times_ms: FrameTimes, share: float) -> float:
    """Mean of the slowest `share` of frames (at least one), ms."""
    count = max(1, round(len(times_ms) * share))
    return float(np.partition(times_ms, len(times_ms) - count)[-count:].mean())


def one_percent_low(times_ms: FrameTimes) -> float:
    return 1000 / slowest_mean(times_ms, 0.01)


def spike_mask(times_ms: FrameTimes) -> NDArray[np.bool_]:
    """Which frames are spikes, shape (k,)."""
    if not len(times_ms):
        return np.zeros(0, bool)
    local = median_filter(times_ms, SPIKE_NEIGHBOURS, mode="nearest")
    return (times_ms > SPIKE_FACTOR * local) & (times_ms > local + SPIKE_FLOOR_MS)


def stutter_share(times_ms: FrameTimes) -> float:
    return float(100 * times_ms[spike_mask(times_ms)].sum() / times_ms.sum())


def evenness(times_ms: FrameTimes) -> float:
    return float(np.sqrt(np.mean(np.diff(times_ms) ** 2)))


def on_target(times_ms: FrameTimes, hertz: float = TARGET_HZ) -> float:
    good = times_ms[times_ms <= 1.05 * 1000 / hertz]
    return float(100 * good.sum() / times_ms.sum())


def all_frame_readings(times_ms: FrameTimes) -> dict[str, float]:
    """Every frame metric of one stretch, by key; empty below 3 frames."""
    if len(times_ms) < 3:
        return {}
    median, p95, p99 = percentiles(times_ms, (0.5, 0.95, 0.99))
    rate, low = average_rate(times_ms), one_percent_low(times_ms)
    return {
        AVERAGE_RATE.key: rate,
        ONE_PERCENT_LOW.key: low,
        STUTTER_SHARE.key: stutter_share(times_ms),
        SPIKES.key: float(spike_mask(times_ms).sum()),
        MEDIAN.key: float(median),
        P95.key: float(p95),
        P99.key: float(p99),
        P99_RATE.key: float(1000 / p99),
        EVENNESS.key: evenness(times_ms),
        ON_TARGET.key: on_target(times_ms),
        STEADINESS.key: low / rate,
    }
