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
    """Delay of each input, shape (n,), ms; NaN where nothing changed before the next second.

    >>> latencies_ms(np.array([0, 100_000_000]), np.array([8_000_000, 125_000_000]))
    array([ 8., 25.])
    """
    following = np.searchsorted(frames_ns, inputs_ns, side="right")
    found = following < len(frames_ns)
    delays = np.full(len(inputs_ns), np.nan)
    delays[found] = (frames_ns[following[found]] - inputs_ns[found]) / 1e6
    delays[delays > LONGEST_MS] = np.nan
    return delays


KEY_TO_REST = define(
    "key_to_rest", "key to rest", "ms", "lower",
    "input sent to the last change that follows it before the next input or before a quarter of a "
    "second of quiet, median over the inputs of the stretch: how long until it is fully there; a "
    "blinking caret is left out",
    material_amount=10, primary=True,
)  # fmt: skip
#: So long without a picture is rest.
QUIET_NS = 250_000_000
#: A caret comes and goes this regularly: between two changes, ns, and how alike two such times are.
BLINK_NS, BLINK_LIKENESS = (300_000_000, 1_200_000_000), 0.12
#: Of a stretch in which pictures only follow inputs: hardly a picture more than were asked for, and
#: at rest for at least half of the time.
MOST_PICTURES_PER_INPUT, LEAST_REST = 3, 0.5
ONLY_ANSWERS = (
    "pictures only follow inputs here, and it rests for most of the time: rates of frames say how "
    "often it was asked, not how fast it is"
)


def without_blinks(frames_ns: NDArray[np.int64], inputs_ns: NDArray[np.int64]) -> NDArray[np.int64]:
    """The pictures but those that come and go by themselves as a caret does.

    A caret's change follows the one before it after as long as that one its own; the first of such
    a train may be a real one, and stays, unless the train reaches back beyond it. What comes first
    after an input answers it.
    """
    if len(frames_ns) < 3:
        return frames_ns
    blink = np.zeros(len(frames_ns), bool)
    gaps = np.diff(frames_ns)
    slow = (gaps >= BLINK_NS[0]) & (gaps <= BLINK_NS[1])
    alike = np.abs(gaps[1:] - gaps[:-1]) <= BLINK_LIKENESS * gaps[:-1]
    for place in np.flatnonzero(slow[1:] & slow[:-1] & alike):
        blink[place + 1 : place + 3] = True
        period = int(gaps[place])
        before = int(np.searchsorted(frames_ns, frames_ns[place] - period))
        near = [n for n in (before - 1, before) if 0 <= n < place and blink[n]]
        off = [abs(int(frames_ns[place] - frames_ns[n]) - period) for n in near]
        if off and min(off) <= BLINK_LIKENESS * period:
            blink[place] = True
    first = np.searchsorted(frames_ns, inputs_ns, side="right")
    blink[first[first < len(blink)]] = False
    return frames_ns[~blink]


def rests_ms(
    inputs_ns: NDArray[np.int64], frames_ns: NDArray[np.int64], end_ns: int
) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Time from each input to rest, shape (n,), ms, and whether the next input came before that.

    NaN where no picture followed within a second or before the next input. `end_ns` is the end of
    the stretch, which is waited to for the last one.
    """
    frames = without_blinks(frames_ns, inputs_ns)
    found = np.full(len(inputs_ns), np.nan)
    cut_short = np.zeros(len(inputs_ns), bool)
    gaps = np.append(np.diff(frames), np.iinfo(np.int64).max)
    ends = np.flatnonzero(gaps > QUIET_NS)
    nexts = np.append(inputs_ns[1:], end_ns)
    for place, (at, until) in enumerate(zip(inputs_ns, nexts, strict=True)):
        first = int(np.searchsorted(frames, at, side="right"))
        if first == len(frames) or frames[first] > min(until, at + round(1e6 * LONGEST_MS)):
            continue
        last = int(ends[np.searchsorted(ends, first)])
        before_next = int(np.searchsorted(frames, until, side="right")) - 1
        found[place] = (frames[min(last, before_next)] - at) / 1e6
        # pictures went on until the next input: nobody knows when they would have ended
        busy = np.diff(frames[first : before_next + 1])
        usual = max(float(busy.max()) if len(busy) else 0.0, 50e6)
        cut_short[place] = last > before_next and until - frames[before_next] < usual
    return found, cut_short


def only_answers(
    inputs_ns: NDArray[np.int64], frames_ns: NDArray[np.int64], start_ns: int, end_ns: int
) -> bool:
    """Whether the pictures of a stretch only follow its inputs, with rest in between."""
    inside = frames_ns[(frames_ns > start_ns) & (frames_ns <= end_ns)]
    if not len(inputs_ns) or len(inside) > MOST_PICTURES_PER_INPUT * len(inputs_ns):
        return False
    busy, cut_short = rests_ms(inputs_ns, frames_ns, end_ns)
    if np.sum(np.isnan(busy) | cut_short) > max(1, len(busy) // 10):
        return False
    return float(np.nansum(busy)) <= (1 - LEAST_REST) * (end_ns - start_ns) / 1e6
