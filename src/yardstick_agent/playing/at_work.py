"""Whether a program works while it draws nothing: quiet alone does not show that it is done."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

#: A program works that took more than so many cores over so long; it is looked at so often.
CORES = 0.25
OVER_NS, GAP_NS = 200_000_000, 40_000_000
#: So long before quiet is to be believed it is looked at: enough for one look late.
AHEAD_NS = OVER_NS + 2 * GAP_NS
#: What works on is believed to be done after so many times as much quiet more.
PATIENCE = 2


@dataclass(slots=True)
class AtWork:
    """Looks at the processor time that a program has taken so far, `seconds`."""

    seconds: Callable[[], float]
    _looks: deque[tuple[int, float]] = field(default_factory=deque)

    def look(self, now_ns: int) -> None:
        """Look, unless that was done just now."""
        looks = self._looks
        if looks and now_ns - looks[-1][0] < GAP_NS:
            return
        looks.append((now_ns, self.seconds()))
        while len(looks) > 2 and now_ns - looks[1][0] >= OVER_NS:
            looks.popleft()

    def forget(self) -> None:
        self._looks.clear()

    @property
    def cores(self) -> float | None:
        """How many cores it took lately; None where it was not looked at for long enough."""
        if not self._looks:
            return None
        (first, before), (last, seconds) = self._looks[0], self._looks[-1]
        if last - first < OVER_NS:
            return None
        return (seconds - before) * 1e9 / (last - first)

    @property
    def may_go_on(self) -> bool:
        """Whether it works, or that is not known."""
        return self.cores is None or self.cores > CORES
