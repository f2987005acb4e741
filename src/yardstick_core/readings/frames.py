"""Frame metrics: each a function of frame times fᵢ = tᵢ − tᵢ₋₁, shape (k,), in ms."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import minimum_filter1d

from yardstick_core.readings.metric import define

FrameTimes = NDArray[np.float64]

SPIKE_FACTOR = 2.5
SPIKE_FLOOR_MS = 4.0
SPIKE_NEIGHBOURS = 19
#: Ten slow frames on end are most of 19 neighbours: a wider neighbourhood finds them too.
SPIKE_SURROUNDINGS = 121
_BLOCK = 32
#: So many suspects are looked at together, so that memory stays small.
_SUSPECTS = 50_000
TARGETS_HZ = (60, 120, 144)
#: A frame is on target up to this many times the time between two refreshes.
TOLERANCE = 1.05
FEWEST_FRAMES, FEWEST_FOR_ONE_PERCENT, FEWEST_FOR_TENTH = 3, 1000, 30_000

AVERAGE_RATE = define(
    "average_rate", "average frame rate", "fps", "higher",
    "frames counted, over the time they took; never the mean of rates", primary=True,
)  # fmt: skip
MEDIAN = define(
    "median_frame", "median frame time", "ms", "lower", "half of the frames took no longer"
)
P95 = define("p95_frame", "95th percentile frame", "ms", "lower", "95 of 100 frames took no longer")
P99 = define("p99_frame", "99th percentile frame", "ms", "lower", "99 of 100 frames took no longer")
P999 = define(
    "p999_frame", "99.9th percentile frame", "ms", "lower", "999 of 1000 frames took no longer",
    minimum="1000 frames",
)  # fmt: skip
ONE_PERCENT_LOW = define(
    "one_percent_low", "1 % low", "fps", "higher",
    "rate of the mean of the slowest 1 % of frames", minimum="1000 frames", primary=True,
)  # fmt: skip
P99_RATE = define(
    "p99_rate", "p99 rate", "fps", "higher",
    "1000 ms over the 99th percentile frame time; a milder figure than the 1 % low",
)  # fmt: skip
TENTH_PERCENT_LOW = define(
    "tenth_percent_low", "0.1 % low", "fps", "higher",
    "rate of the mean of the slowest 0.1 % of frames", minimum="30000 frames",
)  # fmt: skip
P999_RATE = define(
    "p999_rate", "p99.9 rate", "fps", "higher",
    "1000 ms over the 99.9th percentile frame time; a milder figure than the 0.1 % low",
    minimum="1000 frames",
)  # fmt: skip
STUTTER_SHARE = define(
    "stutter_share", "stutter time", "%", "lower",
    "share of the time spent in frames longer than 2.5 × the moving median of 19 or of 121 "
    "neighbours and at least 4 ms above it",
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
ON_TARGET = {
    hertz: define(
        f"on_target_{hertz}", f"on {hertz} Hz", "%", "higher",
        f"share of the time in frames no longer than 1.05 × 1/{hertz} s",
        material_amount=2, on_logs=False, bound=100,
    )
    for hertz in TARGETS_HZ
}  # fmt: skip
DROPS = define(
    "drops_60", "pictures dropped at 60 Hz", "", "lower",
    "refreshes of a 60 Hz screen, counted from the start of the stretch, to which no new picture "
    "came: it shows the one before again",
    material_amount=2, on_logs=False,
)  # fmt: skip
BUSY_RATE = define(
    "busy_rate", "frames while busy", "fps", "higher",
    "frames within half a second after an input, over the whole time of the stretch: with the "
    "frames while quiet it adds up to the average frame rate",
    judged=False,
)  # fmt: skip
QUIET_RATE = define(
    "quiet_rate", "frames while quiet", "fps", "higher",
    "frames later than half a second after the last input, over the whole time of the stretch",
    judged=False,
)  # fmt: skip
BUSY_NS = 500_000_000
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

    >>> round(float(average_rate(np.array([10.0, 10.0, 20.0]))), 1)
    75.0
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
    return _slowest_of(times_ms, len(times_ms), share)


def _slowest_of(slow_ms: FrameTimes, frames: int, share: float) -> float:
    """The same from the slow ones alone, which must hold all that are asked for."""
    count = max(1, round(frames * share))
    return float(np.partition(slow_ms, len(slow_ms) - count)[-count:].mean())


def one_percent_low(times_ms: FrameTimes) -> float:
    return 1000 / slowest_mean(times_ms, 0.01)


def spike_mask(times_ms: FrameTimes) -> NDArray[np.bool_]:
    """Which frames are spikes, shape (k,)."""
    mask = np.zeros(len(times_ms), bool)
    suspects = _possible_spikes(times_ms)
    for first in range(0, len(suspects), _SUSPECTS):
        part = suspects[first : first + _SUSPECTS]
        times = times_ms[part]
        found = _above(times, _median_around(times_ms, part, SPIKE_NEIGHBOURS))
        unclear = np.flatnonzero(~found)
        found[unclear] = _above(times[unclear], _median_of_surroundings(times_ms, part[unclear]))
        mask[part] = found
    return mask


def _above(times_ms: FrameTimes, usual_ms: FrameTimes) -> NDArray[np.bool_]:
    return np.asarray((times_ms > SPIKE_FACTOR * usual_ms) & (times_ms > usual_ms + SPIKE_FLOOR_MS))


def _median_around(times_ms: FrameTimes, places: NDArray[np.int64], window: int) -> FrameTimes:
    """Median of the `window` frames around each place, the outermost ones repeated at the ends."""
    around = places[:, None] + np.arange(-(window // 2), window // 2 + 1)
    near = times_ms[np.clip(around, 0, len(times_ms) - 1)]
    near.partition(window // 2, axis=1)
    return np.asarray(near[:, window // 2])


def _median_of_surroundings(times_ms: FrameTimes, places: NDArray[np.int64]) -> FrameTimes:
    """Median of the wider neighbourhood of each place, which never reaches past the ends."""
    window = min(SPIKE_SURROUNDINGS, len(times_ms))
    first = np.clip(places - window // 2, 0, len(times_ms) - window)
    near = times_ms[first[:, None] + np.arange(window)]
    near.partition(window // 2, axis=1)
    return np.asarray(near[:, window // 2])


def _possible_spikes(times_ms: FrameTimes) -> NDArray[np.int64]:
    """Places of frames far above the least frame around them; all spikes are among these.

    A median of its surroundings is no less than the least of this and of four blocks either way:
    at the ends of the stretch they lie on one side.
    """
    if not len(times_ms):
        return np.empty(0, np.int64)
    starts = np.arange(0, len(times_ms), _BLOCK)
    least, most = np.minimum.reduceat(times_ms, starts), np.maximum.reduceat(times_ms, starts)
    least = minimum_filter1d(least, 9, mode="nearest")
    blocks = np.flatnonzero((most > SPIKE_FACTOR * least) & (most > least + SPIKE_FLOOR_MS))
    places = (starts[blocks][:, None] + np.arange(_BLOCK)).ravel()
    places = places[places < len(times_ms)]
    times, floor = times_ms[places], least[places // _BLOCK]
    return np.asarray(places[(times > SPIKE_FACTOR * floor) & (times > floor + SPIKE_FLOOR_MS)])


def stutter_share(times_ms: FrameTimes) -> float:
    return float(100 * times_ms[spike_mask(times_ms)].sum() / times_ms.sum())


def evenness(times_ms: FrameTimes) -> float:
    steps = np.diff(times_ms)
    return float(np.sqrt(steps @ steps / len(steps)))


def drops(times_ms: FrameTimes, hertz: float = 60) -> float:
    """Refreshes of a screen of this rate without a new picture, from the first frame's start on.

    A picture belongs to the refresh nearest to its end, so that one which comes a little early or
    late on a screen that keeps step drops nothing.

    >>> drops(np.array([16.0, 50.0]))
    2.0

    >>> stutter_share(np.full(60, 16.0))
    0.0
    """
    refreshes = np.rint(np.cumsum(times_ms, dtype=np.float64) * hertz / 1000)
    if not len(refreshes):
        return 0.0
    shown = int((np.diff(refreshes, prepend=0.0) > 0).sum())
    return float(refreshes[-1] - shown)


def busy_and_quiet(
    ends_ns: NDArray[np.int64], times_ms: FrameTimes, inputs_ns: NDArray[np.int64]
) -> tuple[float, float]:
    """Frames per second from busy and from quiet time; together the average rate.

    A frame is busy where an input came within the half second before its end.
    """
    first = np.searchsorted(ends_ns, inputs_ns, side="left")
    after = np.searchsorted(ends_ns, inputs_ns + BUSY_NS, side="right")
    counted = np.append(0, after[:-1])[: len(after)]
    busy = int(np.maximum(0, after - np.maximum(first, counted)).sum())
    total = float(times_ms.sum()) / 1000
    return busy / total, (len(times_ms) - busy) / total


def on_target(times_ms: FrameTimes, hertz: float) -> float:
    total = float(times_ms.sum())
    late = times_ms[times_ms > TOLERANCE * 1000 / hertz]
    return 100 * (total - float(late.sum())) / total


def all_frame_readings(
    times_ms: FrameTimes, spikes: NDArray[np.bool_] | None = None
) -> dict[str, float]:
    """Every frame metric of one stretch, by key; empty below 3 frames.

    `spikes`: which frames are, where that is known already.

    >>> round(float(on_target(np.array([16.0, 16.0, 32.0]), 60)), 1)
    50.0
    """
    if len(times_ms) < FEWEST_FRAMES:
        return {}
    median, p95, p99, p999 = percentiles(times_ms, (0.5, 0.95, 0.99, 0.999))
    slow = times_ms[times_ms >= p95]
    rate, low = average_rate(times_ms), 1000 / _slowest_of(slow, len(times_ms), 0.01)
    spikes = spike_mask(times_ms) if spikes is None else spikes
    found = {
        AVERAGE_RATE.key: rate,
        ONE_PERCENT_LOW.key: low,
        STUTTER_SHARE.key: float(100 * times_ms[spikes].sum() / times_ms.sum()),
        SPIKES.key: float(spikes.sum()),
        MEDIAN.key: float(median),
        P95.key: float(p95),
        P99.key: float(p99),
        P99_RATE.key: float(1000 / p99),
        EVENNESS.key: evenness(times_ms),
        **{metric.key: on_target(times_ms, hertz) for hertz, metric in ON_TARGET.items()},
        DROPS.key: drops(times_ms),
        STEADINESS.key: low / rate,
    }
    if len(times_ms) >= FEWEST_FOR_ONE_PERCENT:
        found |= {P999.key: float(p999), P999_RATE.key: float(1000 / p999)}
    if len(times_ms) >= FEWEST_FOR_TENTH:
        found[TENTH_PERCENT_LOW.key] = 1000 / _slowest_of(slow, len(times_ms), 0.001)
    return found
