"""Films a display in a process of its own: `python -m yardstick_agent.filming.record RUN DISPLAY`.

A picture is taken where and when something was drawn, at most 60 a second, and one a second where
nothing was. It ends with SIGTERM; what was written until then is a film, however it ends.
"""

from __future__ import annotations

import os
import select
import signal
import sys
import threading
from pathlib import Path
from typing import Any

import xcffib
import xcffib.damage
import xcffib.xfixes

from yardstick_agent.clock import now_ns
from yardstick_agent.display.connection import GONE, Connection
from yardstick_agent.display.picture import Screen
from yardstick_agent.filming.cursor import Area, Cursor
from yardstick_agent.filming.film_file import MOST_PER_SECOND, FilmFile

SLOT_NS = 1_000_000_000 // MOST_PER_SECOND
#: The pointer is looked for so often; it tells nobody where it goes.
POINTER_NS = 2 * SLOT_NS
#: A picture that stands is kept anew after this, so that the film goes on with the session.
STANDS_NS = 1_000_000_000
NOTHING: Area = (0, 0, 0, 0)
#: The measured programs come first.
NICENESS = 5


class Filming:
    """Follows what is drawn on a display; `origin_ns` is where the run's clock is 0."""

    def __init__(self, folder: Path, display: str, origin_ns: int) -> None:
        self.origin_ns = origin_ns
        self.connection = Connection(display)
        self.screen = Screen(self.connection)
        self._damage: Any = self.connection.extension(xcffib.damage.key)
        self._damage.QueryVersion(1, 1).reply()
        self.cursor = Cursor(self.connection)
        self._fixes: Any = self.connection.extension(xcffib.xfixes.key)
        self._watched = self.connection.raw.generate_id()
        self._damage.Create(self._watched, self.connection.root, xcffib.damage.ReportLevel.NonEmpty)
        self._region = self.connection.raw.generate_id()
        self._fixes.CreateRegion(self._region, 0, [])
        self.picture = self.screen.raw()
        self.film = FilmFile(folder, self.screen.width, self.screen.height)

    def run(self, stopping: threading.Event) -> None:
        """Film until told to stop, or until the display has ended."""
        due = looked = 0
        drawn, moved = True, True
        stale: Area = (0, 0, self.screen.width, self.screen.height)
        with self.film:
            while not stopping.is_set():
                drawn = self._drew() or drawn
                now = now_ns()
                if now - looked >= POINTER_NS:
                    before = self.cursor.area
                    if self.cursor.moved():
                        moved, stale = True, _around(stale, before, self.cursor.area)
                    looked = now
                if now >= (due if drawn or moved else due - SLOT_NS + STANDS_NS):
                    if drawn:
                        stale = _around(stale, self._take())
                    at = now_ns()
                    self._keep(stale, at - self.origin_ns)
                    # where one is late, the next may follow sooner: the rate stays what it is
                    due = max(due, at - SLOT_NS) + SLOT_NS
                    drawn, moved, stale = False, False, NOTHING
                self._wait(due - now_ns() if drawn or moved else POINTER_NS)

    def _keep(self, stale: Area, at_ns: int) -> None:
        """Append a picture of which an area, at most, is another than in the one before."""
        left, top = max(0, stale[0]) // 2 * 2, max(0, stale[1]) // 2 * 2
        part = self.picture[top : max(top, stale[3] + 1), left : max(left, stale[2] + 1)].copy()
        if not part.size or stale == NOTHING:
            self.film.add(None, at_ns)
            return
        self.cursor.draw_on(part, left, top)
        self.film.add(part, at_ns, left, top)

    def _wait(self, for_ns: int) -> None:
        if for_ns > 0:
            select.select([self.connection.raw.get_file_descriptor()], [], [], for_ns / 1e9)

    def _drew(self) -> bool:
        """Whether anything was drawn since the last picture."""
        drew = False
        while self.connection.raw.poll_for_event() is not None:
            drew = True
        return drew

    def _take(self) -> Area:
        """Take the part that was drawn, and where; whatever is drawn from now on is told anew."""
        self._damage.Subtract(self._watched, 0, self._region)
        extents = self._fixes.FetchRegion(self._region).reply().extents
        x, y, width, height = extents.x, extents.y, extents.width, extents.height
        self.screen.update(self.picture, x, y, width, height)
        return (x, y, x + width, y + height) if width and height else NOTHING


def _around(*areas: Area) -> Area:
    """The smallest area that holds some others; those of no size count for nothing."""
    held = [one for one in areas if one[0] < one[2] and one[1] < one[3]]
    if not held:
        return NOTHING
    lefts, tops, rights, bottoms = zip(*held, strict=True)
    return min(lefts), min(tops), max(rights), max(bottoms)


def main() -> None:
    os.umask(0o077)
    folder, display, origin_ns = Path(sys.argv[1]), sys.argv[2], int(sys.argv[3])
    stopping = threading.Event()
    for kind in (signal.SIGTERM, signal.SIGINT):
        signal.signal(kind, lambda *_: stopping.set())
    os.nice(NICENESS)
    filming = Filming(folder, display, origin_ns)
    try:
        filming.run(stopping)
    except (xcffib.ConnectionException, *GONE):
        return  # the display has ended; the film is closed


if __name__ == "__main__":
    main()
