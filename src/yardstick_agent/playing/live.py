"""What is told twice a second while a run is measured, in a file that is written over in place.

Only what has come since is looked at: telling costs processor time that the run is measured with.
"""

from __future__ import annotations

import json
from collections import deque
from collections.abc import Sequence
from pathlib import Path
from typing import Any

LIVE_SECONDS = 0.5
LIVE_REACH_NS = 3_000_000_000
BEAT_NS = 50_000_000


#: Read while it is written, the file is torn: it is whole a moment later.
_TRIES = 3


def read_live(folder: Path) -> dict[str, Any]:
    """How far a run in a folder is; empty where nothing is told of it."""
    for _ in range(_TRIES):
        try:
            return dict(json.loads((folder / "live.json").read_bytes()))
        except OSError:
            break
        except ValueError:
            continue
    return {}


class LiveBeats:
    """Frames of the last three seconds in beats of 50 ms since `origin_ns`."""

    def __init__(self, origin_ns: int) -> None:
        self.origin_ns = origin_ns
        #: When the last frame that was added was shown; 0 before the first.
        self.last_ns = 0
        self._beats: deque[list[float]] = deque()

    def add(self, instants: Sequence[int]) -> None:
        """Count frames, ns, in order, that were shown since the last ones."""
        last, beats = self.last_ns, self._beats
        for at in instants:
            if last:
                number, ms = (at - self.origin_ns) // BEAT_NS, (at - last) / 1e6
                if beats and beats[-1][0] == number:
                    beats[-1][1] += 1
                    beats[-1][2] = max(beats[-1][2], ms)
                else:
                    beats.append([number, 1, ms])
            last = at
        self.last_ns = last

    def whole(self, now_ns: int) -> list[list[float]]:
        """Of each beat that is over: its number, frames that ended in it, the longest in ms."""
        now = (now_ns - self.origin_ns) // BEAT_NS
        while self._beats and self._beats[0][0] < now - LIVE_REACH_NS // BEAT_NS:
            self._beats.popleft()
        return [[number, many, round(ms, 2)] for number, many, ms in self._beats if number < now]
