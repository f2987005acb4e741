"""Keeps what a recorder that was killed had stamped, but not yet told for pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from yardstick_agent.clock import drawn_ns
from yardstick_agent.spool.ring import FILE, left_in
from yardstick_core.streams.pictures import Pictures


def keep_pictures_left(folder: Path) -> int:
    """Append the pictures that are left in a run's ring to its record; how many there were.

    They are told by pauses alone: how the program drew is not known any more.
    """
    ring = folder / FILE
    if not ring.exists():
        return 0
    origin, left = left_in(ring)
    kept = np.fromfile(folder / "frames.raw", "<i8")
    last = int(kept[-1]) + origin if len(kept) else None
    found: list[int] = []
    pictures = Pictures(found.append)
    if last is not None:
        pictures.drawn(last, (0, 0, 0, 0, 0))  # what goes on with it is no picture by itself
        found.clear()
    drawn = last or 0
    for one in left:
        at = drawn_ns(one.server_ms, one.at_ns, drawn)
        if last is None or at > last:
            pictures.drawn(at, (one.window, one.x, one.y, one.width, one.height))
            drawn = at
    with open(folder / "frames.raw", "r+b") as file:
        file.seek(kept.nbytes)  # a torn last instant is written over
        file.write((np.array(found, "<i8") - origin).tobytes())
    ring.unlink()
    return len(found)
