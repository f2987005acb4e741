"""The one clock of a run: nanoseconds of CLOCK_MONOTONIC, shared by all processes of a machine."""

import time


def now_ns() -> int:
    return time.clock_gettime_ns(time.CLOCK_MONOTONIC)


def sleep_until(instant_ns: int) -> None:
    """Return at the instant, or at once where it has passed."""
    remaining = instant_ns - now_ns()
    if remaining > 0:
        time.sleep(remaining / 1e9)
