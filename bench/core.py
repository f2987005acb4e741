"""`./yardstick bench`: how fast the core is, as ratios taken in one run on one machine.

Absolute times on a shared machine say little; each line holds the same work done the obvious way,
with NumPy or SciPy, beside ours.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

import numpy as np
from scipy import stats

from yardstick_core.compare.difference import compare_all
from yardstick_core.compare.estimate import Sample, estimates
from yardstick_core.compare.intervals import paired, welch
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.readings import METRICS, Reading
from yardstick_core.readings.frames import percentiles
from yardstick_core.streams import chunk
from yardstick_core.streams.overview import SIZES, narrow, pack, summarise, unpack

FRAMES = 10_000_000
PART = 16_384
COUNTERS_PART = 200
RATE = METRICS["average_rate"]


def fastest(work: Callable[[], object], repeats: int = 3) -> float:
    """Seconds of the fastest of a few repeats."""
    best = float("inf")
    for _ in range(repeats):
        started = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - started)
    return best


def line(name: str, ours: float, other: float, what: str, wanted: float) -> None:
    """One comparison, with the ratio that is wanted."""
    ratio = other / ours
    mark = "reached" if ratio >= wanted else "NOT REACHED"
    print(
        f"{name:<46}{1000 * ours:>10.2f} ms  {what} {1000 * other:.1f} ms  "
        f"→ {ratio:,.1f} × as fast (wanted {wanted:,g} ×: {mark})",
        flush=True,
    )


def frame_percentiles(rng: np.random.Generator) -> None:
    times = rng.gamma(9, 0.8, FRAMES).astype(np.float32)
    shares = (0.5, 0.95, 0.99, 0.999)
    ours = fastest(lambda: percentiles(times, shares))
    other = fastest(lambda: np.percentile(times, [100 * s for s in shares]))
    line("4 percentiles of 10 M frame times", ours, other, "np.percentile", 3)


def envelope_of_a_long_run(rng: np.random.Generator) -> None:
    instants = np.cumsum((rng.gamma(9, 0.8, FRAMES) * 1e6).astype(np.int64))
    parts = []
    for start in range(0, FRAMES, PART):
        before = int(instants[start - 1]) if start else chunk.NO_FRAME
        parts.append(chunk.encode_frames(instants[start : start + PART], before))
    kept = pack(summarise(instants[1:], np.diff(instants) / 1e6, SIZES[-1]))

    def whole() -> None:
        times = np.diff(np.concatenate([chunk.decode_frames(part) for part in parts])) / 1e6
        edges = np.linspace(0, len(times), 2001).astype(int)[:-1]
        np.minimum.reduceat(times, edges), np.maximum.reduceat(times, edges)

    other = fastest(whole, 2)
    ours = fastest(lambda: narrow(unpack(kept), 2000))
    line("2,000 least and greatest of 10 M frames", ours, other, "reading the series", 50)
    values = rng.normal(0, 1, len(instants))
    small = [
        chunk.encode_counter(instants[at : at + COUNTERS_PART], values[at : at + COUNTERS_PART])
        for at in range(0, FRAMES // 10, COUNTERS_PART)
    ]
    ours = fastest(lambda: chunk.decode_counters(small))
    other = fastest(lambda: [chunk.decode_counter(part) for part in small])
    line("unpacking 1 M samples of a counter", ours, other, "chunk after chunk", 1.1)


def sixty_intervals(rng: np.random.Generator) -> None:
    a, b = (100 * np.exp(rng.normal(0, 0.05, (60, 20))) for _ in range(2))

    def resampled() -> None:
        for row in range(3):
            stats.bootstrap(
                (a[row], b[row]),
                lambda x, y, axis: np.log(y).mean(axis=axis) - np.log(x).mean(axis=axis),
                n_resamples=2000,
                vectorized=True,
            )

    other = fastest(resampled, 2) * 20
    closed = fastest(lambda: paired(np.log(b) - np.log(a)), 50)
    line("60 closed intervals, rounds", closed, other, "scipy bootstrap", 1000)
    closed = fastest(lambda: welch(np.log(a), np.log(b)), 50)
    line("60 closed intervals, unpaired", closed, other, "scipy bootstrap", 1000)
    sides = [
        [[Sample(n, n, v) for n, v in enumerate(row)] for row in side.tolist()] for side in (a, b)
    ]
    metrics = [RATE] * 60
    bare = fastest(lambda: estimates(metrics, *sides, in_rounds=True, alpha=0.05), 20)
    line("intervals of 60 metrics × 20 runs, screened", bare, other, "scipy bootstrap", 50)
    for in_rounds, name in ((True, "in rounds"), (False, "unpaired, ranks")):
        whole = fastest(lambda r=in_rounds: compare_all([RATE] * 60, *sides, in_rounds=r), 20)
        line(f"60 metrics judged with words, {name}", whole, other, "scipy bootstrap", 20)


def a_large_study(rng: np.random.Generator) -> None:
    """200 metrics × 4 variants × 20 runs, against reading the same numbers in a plain loop."""
    runs = [
        JudgedRun(
            4 * number + side, side, number, False, "finished",
            tuple(
                Reading(("Step", f"part {n}"), RATE.key, float(value))
                for n, value in enumerate(100 * np.exp(rng.normal(0, 0.05, 200)))
            ),
        )
        for number in range(20)
        for side in range(4)
    ]  # fmt: skip
    ours = fastest(lambda: judge(runs, ["A", "B", "C", "D"]))
    print(f"{'a study of 200 metrics × 4 variants × 20 runs':<46}{1000 * ours:>10.2f} ms")


def main() -> int:
    rng = np.random.default_rng(1)
    frame_percentiles(rng)
    envelope_of_a_long_run(rng)
    sixty_intervals(rng)
    a_large_study(rng)
    return 0


if __name__ == "__main__":
    sys.exit(main())
