"""What a session plays in: windows and pictures, files and logs, the programs started."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from yardstick_agent.display.connection import GONE
from yardstick_agent.display.picture import Pixels, Screen, cut
from yardstick_agent.display.watcher import Watcher
from yardstick_agent.display.windows import Window
from yardstick_agent.files import FolderWatch, LogLine
from yardstick_agent.playing.visible import View
from yardstick_agent.sampling import processes
from yardstick_agent.subject import Subject
from yardstick_core.script.model import ScreenRegion


@dataclass(frozen=True, slots=True)
class CameTrue:
    """The instant a condition became true, ns, and the half-width it is known to.

    `followed` is false where nothing changed on the screen that could have made it true.
    """

    at_ns: int
    plus_minus_ns: int
    followed: bool = True


@dataclass
class Scene:
    """What conditions look at.

    `companions` are the programs started beside the subject, by name; `lines_used` says of each log
    how far it has been matched; `screen` takes pictures.
    """

    watcher: Watcher
    folder: FolderWatch
    subject: Subject | None = None
    companions: dict[str, Subject] = field(default_factory=dict)
    lines_used: dict[str, int] = field(default_factory=dict)
    #: Share of the machine that was busy over the last so many ns, percent; None where not known.
    busy: Callable[[int], float | None] = lambda _: None
    screen: Screen | None = None
    #: Once its work was waited for in vain, the subject's work says nothing any more.
    always_at_work: bool = False

    def processor_seconds(self, of: str) -> float:
        """Processor time that a program has taken so far, its children's included."""
        program = self.program(of)
        return processes.usage(program.processes()).processor_seconds if program else 0.0

    def program(self, of: str) -> Subject | None:
        """The subject, or the companion of that name; None where it has not been started."""
        return self.companions.get(of) if of else self.subject

    def log_lines(self, of: str) -> list[tuple[int, LogLine]]:
        """Lines of a program's log that no condition has matched yet, each with its place."""
        program = self.program(of)
        log = self.folder.logs.get(program.log) if program else None
        return log.since(self.lines_used.get(of, 0)) if log else []

    def windows(self, title: str, of: str = "") -> list[Window]:
        """Windows, shown or gone, of the subject with its companions, or of one companion."""
        return self._owned_by(self.watcher.titled(title), of)

    def once_windows(self, title: str, of: str = "") -> list[Window]:
        """The same with those that were called so before they were given another title."""
        return self._owned_by(self.watcher.once_titled(title), of)

    def _owned_by(self, found: list[Window], companion: str) -> list[Window]:
        program = self.companions.get(companion)
        if not companion or program is None:
            return found
        return [window for window in found if program.owns(window.pid)]

    def pixels(
        self, windows: list[Window], place: ScreenRegion | None = None, apart: bool = False
    ) -> View | None:
        """What the screen shows where these windows are; None where they are not on it.

        With a place of the main window only that, or, `apart`, all but that.
        """
        if self.screen is None:
            return None
        areas = [area for window in windows if (area := self._area(window)) is not None]
        if not areas:
            return None
        left, top = min(a[0] for a in areas), min(a[1] for a in areas)
        right, bottom = max(a[2] for a in areas), max(a[3] for a in areas)
        named = [w for w in windows if place and place.window and place.window in w.title]
        window = named[0] if named else self.watcher.main_window()
        at = self._area(window) if place is not None and window is not None else None
        screen = self.screen.raw().view(np.uint32)[:, :, 0]
        if place is None or at is None:
            return np.ascontiguousarray(screen[max(0, top) : bottom, max(0, left) : right])
        x, y = max(0, at[0] + place.x), max(0, at[1] + place.y)
        inside = (slice(y, y + place.height), slice(x, x + place.width))
        if not apart:
            return np.ascontiguousarray(screen[inside])
        screen[inside] = 0
        return np.ascontiguousarray(screen[max(0, top) : bottom, max(0, left) : right])

    def _area(self, window: Window) -> tuple[int, int, int, int] | None:
        """Left, top, right and bottom of a window on the screen; None where it has gone."""
        if self.screen is None:
            return None
        try:
            left, top = self.screen.connection.origin(window.id)
        except GONE:
            return None
        return left, top, left + window.width, top + window.height

    def view(self, place: ScreenRegion | None) -> Pixels | None:
        """What a place, or the whole of the main window, shows; None where it is not there."""
        windows = self.watcher.titled(place.window) if place and place.window else []
        shown = [window for window in windows if window.visible]
        window = shown[0] if shown else self.watcher.main_window()
        if self.screen is None or window is None or (place and place.window and not shown):
            return None
        try:
            left, top = self.screen.connection.origin(window.id)
        except GONE:
            return None
        x, y, width, height = 0, 0, window.width, window.height
        if place is not None and place.width:
            x, y, width, height = place.x, place.y, place.width, place.height
        return cut(self.screen.take(), left + x, top + y, width, height)


@dataclass(frozen=True, slots=True)
class Since:
    """From when on a condition counts, ns.

    `step_ns` is the instant of the last thing the session did or saw, `input_ns` that of its last
    input. What leaves a lasting trace, a log line or a file, counts from the last input, for it may
    have come before the condition that was waited for first. From `deadline_ns` on what holds by
    itself is believed at once.
    """

    step_ns: int
    input_ns: int
    deadline_ns: int = 0
