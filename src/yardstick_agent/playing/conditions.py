"""End conditions: each a class that says when it became true, and how exactly that is known."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

from yardstick_agent.below import read_below
from yardstick_agent.display.picture import Pixels, read_picture, share_differing
from yardstick_agent.display.windows import Window
from yardstick_agent.files import FileState
from yardstick_agent.playing.at_work import AHEAD_NS, PATIENCE, AtWork
from yardstick_agent.playing.scene import CameTrue, Scene, Since
from yardstick_agent.playing.visible import VisibleChanges
from yardstick_core.script.model import Condition, ScreenRegion
from yardstick_core.script.patterns import Pattern, compiled, escaped

FILE_QUIET_NS = 250_000_000


class EndCondition(Protocol):
    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        """When it became true, or None while it has not."""


def _shown(scene: Scene, title: str, of: str) -> list[Window]:
    return [window for window in scene.windows(title, of) if window.visible]


def _true_since(at_ns: int, scene: Scene, since: Since) -> CameTrue:
    """True from an instant on; what was so before the wait began did not follow from anything."""
    followed = at_ns > since.step_ns
    return CameTrue(max(at_ns, since.step_ns), scene.watcher.error_ns, followed=followed)


@dataclass(frozen=True, slots=True)
class WindowShown:
    title: str
    of: str = ""

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        shown = [one.shown_as(self.title) for one in _shown(scene, self.title, self.of)]
        if not shown:
            return None
        return _true_since(min(shown), scene, since)


@dataclass(frozen=True, slots=True)
class WindowGone:
    title: str
    of: str = ""

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        if _shown(scene, self.title, self.of):
            return None
        gone = [one.gone_as(self.title) for one in scene.once_windows(self.title, self.of)]
        return _true_since(max(gone, default=0), scene, since)


@dataclass(slots=True)
class WindowSteady:
    """True at the last change of a window's picture that was followed by quiet."""

    title: str
    quiet_ns: int
    of: str = ""
    _seen: VisibleChanges | None = None
    _work: AtWork | None = None

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        found = _shown(scene, self.title, self.of)
        if not found:
            return None
        if self._seen is None:
            self._seen = VisibleChanges(
                lambda: scene.pixels(_shown(scene, self.title, self.of)), since.step_ns
            )
        if self._work is None:
            self._work = AtWork(lambda: scene.processor_seconds(self.of))
        drawn = max(window.changed_ns for window in found)
        shown = max(window.shown_as(self.title) for window in found)
        instants = max(drawn, shown), shown, self.quiet_ns
        return _steady((self._seen, self._work), scene, since, now_ns, instants)


@dataclass(slots=True)
class PictureSteady:
    """True at the last change of the picture, or of a part of it, that was followed by quiet.

    The picture is that of all windows of the subject. A part is looked at from the start of the run
    on, so that what changed before the condition was reached is known too.
    """

    quiet_ns: int
    place: ScreenRegion | None = None
    apart: bool = False
    _seen: VisibleChanges | None = None
    _work: AtWork | None = None

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        if self._work is None:
            self._work = AtWork(lambda: scene.processor_seconds(""))
        if self._seen is None:
            self._seen = VisibleChanges(
                lambda: scene.pixels(_shown(scene, "", ""), self.place, self.apart), since.step_ns
            )
        drawn = scene.watcher.last_change_ns
        if self.place is not None:
            drawn = scene.watcher.part_of(self.place, self.apart).changed_ns
        instants = drawn, 0, self.quiet_ns
        return _steady((self._seen, self._work), scene, since, now_ns, instants)


def _steady(
    looks: tuple[VisibleChanges, AtWork], scene: Scene, since: Since, now_ns: int,
    instants: tuple[int, int, int],
) -> CameTrue | None:  # fmt: skip
    """Whether what is looked at has been quiet for long enough, and since when.

    `instants` are when something was last drawn there, when it was shown, and the quiet wanted.
    A program that works meanwhile may draw yet: it is waited for, which moves no instant.
    """
    seen, work = looks
    drawn, shown, quiet_ns = instants
    seen.look(drawn, scene.watcher.first_frame_after, now_ns)
    last = max(seen.changed_ns, shown)
    quiet_for = now_ns - max(seen.quiet_since(now_ns), shown, since.step_ns)
    if quiet_for < quiet_ns - AHEAD_NS:
        work.forget()
        return None
    patient = now_ns < since.deadline_ns and not scene.always_at_work
    if patient:
        work.look(now_ns)
    if quiet_for < quiet_ns:
        return None
    if patient and work.may_go_on:
        if quiet_for < (1 + PATIENCE) * quiet_ns:
            return None
        scene.always_at_work = True
    error = max(scene.watcher.error_ns, seen.spread_ns)
    return CameTrue(max(last, since.step_ns), error, followed=last > since.step_ns)


@dataclass(slots=True)
class PictureLike:
    """True at the last change before the picture, or a part of it, looked like a given one.

    A picture is taken whenever something has changed. Several changes between two pictures leave
    open which of them did it: from the first to the last of them is the width that is stated.
    """

    other: str
    percent: float
    place: ScreenRegion | None = None
    difference: float = 100.0
    seen: Pixels | None = None
    _looked_ns: int = 0

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        wanted = read_picture(read_below(scene.folder.folder, self.other))
        last = scene.watcher.last_change_ns
        if wanted is None or (self.seen is not None and last <= self._looked_ns):
            return None
        before, self._looked_ns = self._looked_ns, last
        view = scene.view(self.place)
        if view is None:
            return None
        self.seen, self.difference = view, share_differing(view, wanted)
        if self.difference > self.percent:
            return None
        first = scene.watcher.recent_frames(max(before + 1, since.step_ns))[:1]
        spread = last - first[0] if first and before else 0
        at, error = max(last, since.step_ns), max(scene.watcher.error_ns, spread)
        return CameTrue(at, error, followed=last > since.step_ns)


def _written(state: FileState | None, since: Since) -> CameTrue:
    """True from the last write of a file on; one that lay there before the wait began was not
    written for it.
    """
    at = state.changed_ns if state else 0
    error = state.plus_minus_ns if state else 0
    return CameTrue(max(at, since.step_ns), error, followed=at > since.step_ns)


@dataclass(slots=True)
class FileLike:
    """True at the last write of an image file that looks like a given one."""

    name: str
    other: str
    percent: float
    difference: float = 100.0
    seen: Pixels | None = None

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        state = scene.folder.files.get(self.name)
        if state is not None and not state.closed:
            return None
        seen = read_picture(read_below(scene.folder.folder, self.name))
        wanted = read_picture(read_below(scene.folder.folder, self.other))
        if seen is None or wanted is None:
            return None
        self.seen, self.difference = seen, share_differing(seen, wanted)
        if self.difference > self.percent:
            return None
        return _written(state, since)


@dataclass(frozen=True, slots=True)
class FileWritten:
    """True at the last write or close of a file that then stayed as it was."""

    name: str

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        state = scene.folder.files.get(self.name)
        if state is None or state.changed_ns < since.input_ns or not state.closed:
            return None
        if now_ns - state.changed_ns < FILE_QUIET_NS:
            return None
        return CameTrue(max(state.changed_ns, since.step_ns), state.plus_minus_ns)


@dataclass(frozen=True, slots=True)
class FileEquals:
    """True at the last write of a file after which it holds the same bytes as another of the
    working folder.
    """

    name: str
    other: str

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        state = scene.folder.files.get(self.name)
        one = read_below(scene.folder.folder, self.name)
        other = read_below(scene.folder.folder, self.other)
        if one is None or one != other:
            return None
        return _written(state, since)


@dataclass(frozen=True, slots=True)
class ProcessorBelow:
    """True once the whole machine was less busy than a share for some time; counts from its start.

    The kernel counts in steps of 10 ms, and the sampler looks every 50 ms.
    """

    percent: float
    calm_ns: int

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        if now_ns - since.step_ns < self.calm_ns:
            return None
        busy = scene.busy(self.calm_ns)
        if busy is None or busy >= self.percent:
            return None
        return CameTrue(max(since.step_ns, now_ns - self.calm_ns), 50_000_000)


@dataclass(frozen=True, slots=True)
class LogSays:
    """True at the arrival of the first line, not matched before, that fits the pattern."""

    pattern: Pattern
    of: str = ""

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        for place, line in scene.log_lines(self.of):
            if line.at_ns >= since.input_ns and self.pattern.search(line.text):
                scene.lines_used[self.of] = place + 1
                return CameTrue(max(line.at_ns, since.step_ns), line.plus_minus_ns)
        return None


@dataclass(frozen=True, slots=True)
class Exited:
    of: str = ""

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        program = scene.program(self.of)
        if program is None or not program.exited_ns:
            return None
        return CameTrue(max(program.exited_ns, since.step_ns), 1_000_000)


def end_condition(condition: Condition) -> EndCondition:
    """The class that watches for a script's condition."""
    kind, subject, of = condition.kind, condition.subject, condition.of
    if kind == "window shown":
        return WindowShown(subject, of)
    if kind == "window gone":
        return WindowGone(subject, of)
    if kind == "window steady":
        return WindowSteady(subject, condition.quiet_ns, of)
    if kind == "picture steady":
        return PictureSteady(condition.quiet_ns, condition.place, condition.apart)
    if kind == "picture like":
        return PictureLike(condition.other, condition.percent, condition.place)
    if kind == "file like":
        return FileLike(subject, condition.other, condition.percent)
    if kind == "file written":
        return FileWritten(subject)
    if kind == "file equals":
        return FileEquals(subject, condition.other)
    if kind == "cpu below":
        return ProcessorBelow(condition.percent, condition.quiet_ns)
    if kind == "log text":
        return LogSays(compiled(escaped(subject)), of)
    if kind == "log regex":
        return LogSays(compiled(subject), of)
    if kind == "exited":
        return Exited(of)
    raise ValueError(f"no end condition is called {kind!r}")
