"""The one clock of a run: nanoseconds of CLOCK_MONOTONIC, shared by all processes of a machine."""

import time

MS = 1_000_000
#: Told later than this, the clock of a display is taken not to be the machine's.
LONGEST_LAG_NS = 10_000_000_000
#: Told later than this, whoever stamps what is drawn was kept waiting.
STARVED_NS = 1_200_000


def now_ns() -> int:
    return time.clock_gettime_ns(time.CLOCK_MONOTONIC)


def lag_ns(server_ms: int, received_ns: int) -> int:
    """How late we were told of what a display stamped, in whole ms.

    Its clock is the machine's in whole milliseconds modulo 2³². One that is not, or that is a tick
    ahead of ours, gives more than LONGEST_LAG_NS.
    """
    return (received_ns // MS - server_ms) % 2**32 * MS


def drawn_ns(server_ms: int, received_ns: int, last_ns: int) -> int:
    """When something was drawn: on receipt, or as the server says where we were kept waiting.

    Never before what was drawn last.
    """
    lag = lag_ns(server_ms, received_ns)
    if not STARVED_NS < lag < LONGEST_LAG_NS:
        return received_ns
    return max(received_ns // MS * MS - lag + MS // 2, last_ns + 1)


def sleep_until(instant_ns: int) -> None:
    """Return at the instant, or at once where it has passed."""
    remaining = instant_ns - now_ns()
    if remaining > 0:
        time.sleep(remaining / 1e9)


def wall_s() -> float:
    """The time of day as this machine has it, s since 1970: to be held against others' only."""
    return time.clock_gettime(time.CLOCK_REALTIME)
