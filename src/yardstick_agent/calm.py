"""How busy the rig is by itself: told while it is idle, and waited for before a run."""

from __future__ import annotations

import os
import threading
import time
from collections import deque
from statistics import median

from yardstick_agent.sampling import machine

WINDOW_SECONDS = 0.5
MOST_SECONDS = 8.0
KEPT, FEWEST = 120, 5


class Busyness:
    """Share of the machine that is busy with anything but this process, percent."""

    def __init__(self) -> None:
        self._last = self._now()
        self._idle: deque[float] = deque(maxlen=KEPT)

    def _now(self) -> tuple[float, float]:
        return time.monotonic(), machine.busy_seconds()[0] - time.process_time()

    def share(self) -> float:
        """The share since this was last asked for."""
        before, self._last = self._last, self._now()
        took = max(self._last[0] - before[0], 1e-3)
        busy = (self._last[1] - before[1]) / took / (os.cpu_count() or 1)
        return min(100.0, max(0.0, 100.0 * busy))

    def note_idle(self) -> None:
        """Take in how busy the machine was while nothing was measured."""
        self._idle.append(self.share())

    @property
    def idle_share(self) -> float | None:
        """What was usual in the last two minutes of idling; None while too little is known."""
        return round(median(self._idle), 1) if len(self._idle) >= FEWEST else None

    def wait_until_calm(self, limit: float, stopping: threading.Event) -> float:
        """Wait, for some seconds at most, until others take no more than the limit; how long."""
        began = time.monotonic()
        if limit >= 100:
            return 0.0
        self.share()
        while time.monotonic() - began < MOST_SECONDS and not stopping.wait(WINDOW_SECONDS):
            if self.share() <= limit:
                break
        return time.monotonic() - began
