"""The subject's windows, and parts of the picture whose changes are told apart."""

from __future__ import annotations

from dataclasses import dataclass, field

from yardstick_core.script.model import ScreenRegion

MOST_TITLES = 200

#: A rectangle of a window: left, top, right, bottom, in pixels.
Area = tuple[int, int, int, int]


@dataclass(slots=True)
class Window:
    """A top-level window of the subject; instants in ns, 0 where it has not happened."""

    id: int
    title: str
    width: int
    height: int
    popup: bool
    shown_ns: int = 0
    gone_ns: int = 0
    changed_ns: int = 0
    pid: int = 0
    #: When it was given another title, and which it had until then.
    renamed: list[tuple[int, str]] = field(default_factory=list)

    @property
    def visible(self) -> bool:
        return self.shown_ns > self.gone_ns

    def rename(self, title: str, at: int) -> None:
        if title and title != self.title:
            self.renamed.append((at, self.title))
            del self.renamed[:-MOST_TITLES]
            self.title = title

    def shown_as(self, text: str) -> int:
        """Since when it is shown with a title that holds a text, as it does now."""
        since = next((at for at, before in reversed(self.renamed) if text not in before), 0)
        return max(self.shown_ns, since)

    def gone_as(self, text: str) -> int:
        """When it was last shown with a title that holds a text; 0 where it never had such a one.

        Of one that was renamed it is when, of one that has such a title still when it went away.
        """
        if text in self.title:
            return self.gone_ns
        until = 0
        for at, before in reversed(self.renamed):
            if text in before:
                until = at
                break
        return min(until, self.gone_ns) if self.gone_ns and not self.visible else until


@dataclass(slots=True)
class Part:
    """A part of the picture whose changes are told apart: those in it, or all but those."""

    place: ScreenRegion
    apart: bool
    changed_ns: int = 0

    def concerns(self, window: Window, main: Window | None, area: Area) -> bool:
        """Whether a drawn rectangle of a window changes what is looked at."""
        place = self.place
        named = place.window in window.title if place.window else window is main
        if not named:
            return self.apart
        left, top, right, bottom = area
        x, y, width, height = place.x, place.y, place.width, place.height
        if self.apart:
            return not (x <= left and y <= top and right <= x + width and bottom <= y + height)
        return left < x + width and right > x and top < y + height and bottom > y
