"""Looks a film from elsewhere through, in a process of its own with limits of time and memory.

`python -m yardstick_core.films.look FILM CHANGES PLAYABLE`: how far it is, s, stands on lines of
standard output, and on the last line what was found, as JSON; the reason where nothing was. A film
made by anybody is decoded by a large library: whatever that does, it does here.
"""

from __future__ import annotations

import json
import resource
import sys
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np

from yardstick_core.films.changes import (
    MOST_LEVELS,
    PER_LEVEL,
    Changes,
    bursts,
    changes_of,
    frame_stream,
    scenes,
)
from yardstick_core.films.container import FilmError, opened
from yardstick_core.films.sound import onsets

MOST_MEMORY, MOST_CPU_S = 3 << 30, 4 * 3600
#: What is made to be stepped through is never wider or higher.
MOST_PLAYED = (1920, 1200)
CLOCK_HZ = 90_000
#: Pictures from one that stands alone to the next: stepping back decodes so many.
KEY_EVERY = 30
UNEVEN = 1.5


class _Playable:
    """The same pictures in a file that browsers play and step through, each at its instant."""

    def __init__(self, path: Path) -> None:
        self._container = av.open(str(path), "w", format="mp4", options={"movflags": "faststart"})
        stream: Any = self._container.add_stream(
            "libx264", rate=60, options={"preset": "ultrafast", "crf": "22"}
        )
        stream.pix_fmt = "yuv420p"
        stream.time_base = stream.codec_context.time_base = Fraction(1, CLOCK_HZ)
        stream.codec_context.gop_size = KEY_EVERY
        self._stream, self._last = stream, -1
        self._begins: float | None = None

    def add(self, frame: Any) -> None:
        seconds, stream = float(frame.time or 0.0), self._stream
        if self._begins is None:
            self._begins = seconds
            share = min(1.0, MOST_PLAYED[0] / frame.width, MOST_PLAYED[1] / frame.height)
            stream.width, stream.height = (
                max(2, int(side * share) // 2 * 2) for side in (frame.width, frame.height)
            )
        small = frame.reformat(stream.width, stream.height, format="yuv420p")
        small.pts = max(self._last + 1, round((seconds - self._begins) * CLOCK_HZ))
        small.time_base, small.pict_type = Fraction(1, CLOCK_HZ), 0
        self._last = small.pts
        self._container.mux(self._stream.encode(small))

    def close(self) -> None:
        if self._begins is not None:
            self._container.mux(self._stream.encode(None))
        self._container.close()


def look(film: Path, kept: Path, playable: Path) -> dict[str, Any]:
    """Look a film through, keep its changes and a file to step through; what was found.

    Raises FilmError.
    """
    with opened(film) as (_, stream):
        codec = str(stream.codec_context.name)
    made = _Playable(playable)
    try:
        changes = changes_of(film, lambda at: print(f"{at:.2f}", flush=True), made.add)
    finally:
        made.close()
    changes.save(kept)
    try:
        heard = onsets(film)
    except FilmError:
        heard = np.empty(0)
    return {**facts_of(changes), "codec": codec, "onsets_s": heard.tolist()}


def facts_of(changes: Changes) -> dict[str, Any]:
    """What a film can tell: how many pictures, how evenly, how many of them new, and what not."""
    gaps = np.diff(changes.at_s)
    step = changes.step_s
    stream = frame_stream(changes)
    uneven = float((np.abs(gaps - step) > step * (UNEVEN - 1)).mean()) if len(gaps) else 0.0
    return {
        "width": changes.width, "height": changes.height, "frames": len(changes.at_s),
        "seconds": float(changes.at_s[-1]) + step, "step_s": step, "uneven": uneven,
        "longest_gap_s": float(gaps.max()) if len(gaps) else 0.0,
        "new": len(stream.at_s), "every_picture_new": stream.every_picture_new,
        "noisy": changes.threshold >= MOST_LEVELS * PER_LEVEL,
        "bursts": len(bursts(changes)), "scenes": scenes(changes)[:200],
    }  # fmt: skip


def main() -> None:
    film, kept, playable = (Path(one) for one in sys.argv[1:4])
    resource.setrlimit(resource.RLIMIT_DATA, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (MOST_CPU_S, MOST_CPU_S))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        print(json.dumps({"found": look(film, kept, playable)}))
    except FilmError as error:
        print(json.dumps({"problem": str(error)}))
    except MemoryError:
        print(json.dumps({"problem": "it takes more memory than a film may"}))


if __name__ == "__main__":
    main()
