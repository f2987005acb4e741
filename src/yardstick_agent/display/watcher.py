"""Watches the subject's windows and every change of their picture.

Every drawn rectangle is reported by the DAMAGE extension and stamped on receipt: by compiled code
where there is such for the machine, which costs a fraction of waking the interpreter for each. It
is then taken in now and then, many at a time, and whenever somebody asks. Which of them begin a
picture, a frame, is told by how the program draws.
"""

from __future__ import annotations

import contextlib
import os
import threading
from bisect import bisect_left
from collections import deque
from collections.abc import Callable, Sequence

import xcffib
import xcffib.damage
from xcffib.xproto import (
    CW,
    ClientMessageEvent,
    ConfigureNotifyEvent,
    CreateNotifyEvent,
    DestroyNotifyEvent,
    EventMask,
    MapNotifyEvent,
    PropertyNotifyEvent,
    ReparentNotifyEvent,
    UnmapNotifyEvent,
)

from yardstick_agent.changes import Changes
from yardstick_agent.clock import drawn_ns, lag_ns, now_ns
from yardstick_agent.display.connection import GONE, Connection, Drawn
from yardstick_agent.display.errors import DisplayError
from yardstick_agent.display.stamping import Stamping
from yardstick_agent.display.windows import Part, Window
from yardstick_agent.spool.ring import DRAWN, Ring
from yardstick_core.script.model import ScreenRegion
from yardstick_core.streams.pictures import Pictures, Rectangle

QUIETEST_ERROR_NS = 1_000_000
STARVED_ERROR_NS = 2_000_000
MOST_GONE_WINDOWS = 200
#: What was drawn is taken in so often at least; sooner where somebody asks: telling how
#: far the run is does, twice a second.
TAKE_IN_SECONDS = 5.0
MOMENT_SECONDS = 1.0


def _run_promptly() -> None:
    """Ask the kernel to run this thread as soon as something arrives, as far as we may ask."""
    thread = threading.get_native_id()
    try:
        policy = os.SCHED_RR | os.SCHED_RESET_ON_FORK
        os.sched_setscheduler(thread, policy, os.sched_param(1))
    except OSError:
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, thread, -10)


def _promptly(run: Callable[[], None]) -> Callable[[], None]:
    def prompt() -> None:
        _run_promptly()
        run()

    return prompt


class Watcher:
    """Runs in threads of its own; `belongs` says whether a process is of the subject.

    It is asked with 0 about a window of which the display does not know the process. Without
    `pictures` windows are followed, but not what is drawn in them. `keep_frames` is told instants
    of pictures, some at a time. In `ring` is what compiled code has stamped; without one the
    watcher stamps by itself.
    """

    def __init__(
        self,
        display: str,
        belongs: Callable[[int], bool],
        keep_frames: Callable[[Sequence[int]], None],
        changes: Changes,
        *,
        pictures: bool = True,
        ring: Ring | None = None,
    ) -> None:
        self.display, self.pictures = display, pictures
        self.connection = Connection(display)
        self.belongs, self.keep_frames, self.changes = belongs, keep_frames, changes
        self.windows: dict[int, Window] = {}
        self.shown: set[int] = set()
        self.starved = 0
        self.longest_lag_ns = 0
        self.answered_ns = 0
        self._last_change_ns = 0
        self._recent: deque[int] = deque(maxlen=2000)
        self._unkept: list[int] = []
        self.told = Pictures(self._unkept.append)
        self._parts: list[Part] = []
        self._damages: dict[int, int] = {}
        self._ping = self.connection.atom("_NET_WM_PING")
        self._damage = self.connection.extension(xcffib.damage.key)
        self._damage.QueryVersion(1, 1).reply()
        self._select(self.connection.root, EventMask.SubstructureNotify | EventMask.StructureNotify)
        self.connection.raw.flush()
        self._stopping = False
        self._taking_in = threading.Lock()
        self.stamping = Stamping(display, self.connection, ring) if ring else None
        runs = [self._run]
        if self.stamping:
            runs = [_promptly(self.stamping.run), _promptly(self.stamping.run_drawn), self._follow]
        self._threads = [
            threading.Thread(target=run, name=f"watcher {n}", daemon=True)
            for n, run in enumerate(runs)
        ]

    def start(self) -> None:
        for thread in self._threads:
            thread.start()

    def stop(self) -> None:
        """End the threads: a window of our own, made for it, is the event that wakes them."""
        self._stopping = True
        if self.stamping:
            self.stamping.stop()
        try:
            waker = Connection(self.display)
        except DisplayError:
            return  # the display has ended, and the threads with it
        screen = waker.screen
        waker.core.CreateWindow(
            0, waker.raw.generate_id(), waker.root, 0, 0, 1, 1, 0, 1, screen.root_visual, 0, []
        )
        waker.raw.flush()
        for thread in self._threads:
            thread.join(5)
        waker.close()
        self.connection.close()
        if self.stamping:
            self.stamping.drawn.close()

    def _select(self, window: int, mask: int) -> None:
        self.connection.core.ChangeWindowAttributes(window, CW.EventMask, [mask])

    # -- the threads -------------------------------------------------------------

    def _run(self) -> None:
        """Stamp and take in one event after another, where there is no compiled code."""
        _run_promptly()
        while not self._stopping:
            try:
                event = self.connection.next_event()
            except GONE:
                continue  # a window that went away while it was being looked at
            except xcffib.ConnectionException:
                return  # the display ended
            with self._taking_in:
                at = now_ns()
                if isinstance(event, Drawn):
                    self._changed(at, event.server_ms, event.area)
                else:
                    self._take(event, at)
                self._keep()

    def _follow(self) -> None:
        assert self.stamping is not None
        while not (self.stamping.ended or self._stopping):
            self.stamping.wait(TAKE_IN_SECONDS)
            self.take_in()
        for thread in self._threads[:2]:
            thread.join(5)
        self.take_in()

    def take_in(self) -> None:
        """Take in what has been stamped until now.

        Whoever takes in asks the display about windows, and may be kept waiting by one that is held
        by a program: nobody else is kept waiting for longer than a moment then.
        """
        if self.stamping is None or not self.stamping.waiting:
            return
        if not self._taking_in.acquire(timeout=MOMENT_SECONDS):
            return
        try:
            for one in self.stamping.look():
                at, window, server_ms, x, y, width, height, kind, _ = one
                if kind == DRAWN:
                    self._changed(at, server_ms, (window, x, y, width, height))
                elif (event := self.stamping.event(one)) is not None:
                    self._take(event, at)
            self._keep()
        finally:
            self.stamping.take()  # an event is never looked at twice: its memory is gone
            self._taking_in.release()

    def _take(self, event: xcffib.Event, at: int) -> None:
        try:
            self._handle(event, at)
        except GONE:
            pass  # a window that went away while it was being looked at
        except xcffib.ConnectionException:
            self._stopping = True  # the display ended

    def _keep(self) -> None:
        """Keep the instants of pictures told since; what has been taken in is on disk then."""
        if self._unkept:
            self.keep_frames(self._unkept)
            self._recent.extend(self._unkept)
            self._unkept.clear()

    def _handle(self, event: xcffib.Event, at: int) -> None:
        if isinstance(event, CreateNotifyEvent):
            self._created(event)
        elif isinstance(event, MapNotifyEvent):
            window = self.windows.get(event.window)
            if window is not None and not window.visible:
                window.shown_ns = at
                self.shown.add(window.id)
                window.popup = bool(event.override_redirect)
                window.rename(self.connection.title(window.id), at)
        elif isinstance(event, ReparentNotifyEvent):
            if event.parent in self.windows:  # part of another window, not one of its own
                self.windows.pop(event.window, None)
                self.shown.discard(event.window)
                self._leave(event.window)
        elif isinstance(event, (UnmapNotifyEvent, DestroyNotifyEvent)):
            window = self.windows.get(event.window)
            if window is not None and window.visible:
                window.gone_ns = at
        elif isinstance(event, PropertyNotifyEvent):
            window = self.windows.get(event.window)
            if window is not None:
                window.rename(self.connection.title(window.id), at)
        elif isinstance(event, ConfigureNotifyEvent):
            window = self.windows.get(event.window)
            if window is not None:
                window.width, window.height = event.width, event.height
        elif isinstance(event, ClientMessageEvent) and event.data.data32[0] == self._ping:
            self.answered_ns = at
        self.changes.tell()

    def _created(self, event: CreateNotifyEvent) -> None:
        if event.parent != self.connection.root or event.window in self.windows:
            return
        pid = self.connection.owner_pid(event.window)
        if not self.belongs(pid):
            return
        self._select(event.window, EventMask.StructureNotify | EventMask.PropertyChange)
        if self.pictures:
            self._damages[event.window] = self._watch_drawn(event.window)
        self.connection.raw.flush()
        popup = bool(event.override_redirect)
        title = self.connection.title(event.window)
        made = Window(event.window, title, event.width, event.height, popup, pid=pid)
        # Told late, we may have missed that it was shown, or that it became part of another.
        if self.connection.is_shown(made.id):
            made.shown_ns = now_ns()
        if self.connection.parent(made.id) not in self.windows:
            self.windows[made.id] = made
            if made.shown_ns:
                self.shown.add(made.id)
            self._forget_old()
        else:
            self._leave(made.id)

    def _watch_drawn(self, window: int) -> int:
        """Have what is drawn in a window told; the number of that."""
        if self.stamping:
            return self.stamping.drawn.watch(window)
        damage: int = self.connection.raw.generate_id()
        self._damage.Create(damage, window, xcffib.damage.ReportLevel.RawRectangles)
        return damage

    def _leave(self, window: int) -> None:
        """Watch no more what is drawn in a window: the one that it has become part of tells it."""
        damage = self._damages.pop(window, None)
        if damage is not None and self.stamping:
            self.stamping.drawn.leave(damage)
        elif damage is not None:
            self._damage.Destroy(damage)
            self.connection.raw.flush()

    def _forget_old(self) -> None:
        """Of windows that are gone only the newest are kept: menus come and go by the thousand."""
        gone = [window.id for window in self.windows.values() if window.gone_ns]
        for window in gone[: max(0, len(gone) - MOST_GONE_WINDOWS)]:
            del self.windows[window]
            self._damages.pop(window, None)

    def _changed(self, received_ns: int, server_ms: int, area: Rectangle) -> None:
        """Note a drawn rectangle. Nobody is woken for it: what waits for pictures looks anyway.

        There may be thousands a second. It was drawn on receipt, or when the server says where we
        were kept waiting.
        """
        window = self.windows.get(area[0])
        if window is None or received_ns <= window.gone_ns:
            return
        at = drawn_ns(server_ms, received_ns, self._last_change_ns)
        if at != received_ns:
            self.starved += 1
            self.longest_lag_ns = max(self.longest_lag_ns, lag_ns(server_ms, received_ns))
        self.told.drawn(at, area)
        self._last_change_ns = window.changed_ns = at
        if self._parts:
            main = self.main_window()
            _, left, top, width, height = area
            box = (left, top, left + width, top + height)
            for part in self._parts:
                if part.concerns(window, main, box):
                    part.changed_ns = at

    # -- for the player ------------------------------------------------------------

    @property
    def last_change_ns(self) -> int:
        """When something was last drawn, 0 where nothing was."""
        self.take_in()
        return self._last_change_ns

    @property
    def error_ns(self) -> int:
        """How far the last change may lie from its stamp."""
        return QUIETEST_ERROR_NS if not self.starved else STARVED_ERROR_NS

    def main_window(self, owned: Callable[[int], bool] | None = None) -> Window | None:
        """The largest visible window, popups only where there is no other.

        With `owned` only windows whose process it says yes to.
        """
        visible = [
            window
            for window in list(self.windows.values())
            if window.visible and (owned is None or owned(window.pid))
        ]
        return max(visible, key=lambda w: (not w.popup, w.width * w.height), default=None)

    def titled(self, text: str) -> list[Window]:
        """Windows whose title holds a text; all of them where the text is empty."""
        self.take_in()
        return [window for window in list(self.windows.values()) if text in window.title]

    def once_titled(self, text: str) -> list[Window]:
        """Windows whose title holds a text, or did before it was another."""
        return [
            window
            for window in list(self.windows.values())
            if text in window.title or any(text in before for _, before in window.renamed)
        ]

    def part_of(self, place: ScreenRegion, apart: bool) -> Part:
        """The part of the picture that a condition looks at, followed from the first asking on."""
        self.take_in()
        for part in self._parts:
            if part.place == place and part.apart == apart:
                return part
        part = Part(place, apart)
        self._parts = [*self._parts, part]
        return part

    def first_frame_after(self, instant_ns: int) -> int:
        """When something was first drawn after an instant, as far back as is kept."""
        found = self.recent_frames(instant_ns + 1)
        return found[0] if found else self.last_change_ns

    def recent_frames(self, since_ns: int) -> list[int]:
        """Frame instants since an instant, as far as they are still kept, for the live view."""
        self.take_in()
        kept = list(self._recent)
        return kept[bisect_left(kept, since_ns) :]
