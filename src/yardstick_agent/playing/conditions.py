"""End conditions: each a class that says when it became true, and how exactly that is known."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from yardstick_agent.display.watcher import Watcher, Window
from yardstick_agent.files import FolderWatch
from yardstick_agent.subject import Subject
from yardstick_core.script.model import Condition

FILE_QUIET_NS = 250_000_000


@dataclass(frozen=True, slots=True)
class CameTrue:
    """The instant a condition became true, ns, and the half-width it is known to."""

    at_ns: int
    plus_minus_ns: int


@dataclass
class Scene:
    """What conditions look at; `lines_used` is how far the log has been matched."""

    watcher: Watcher
    folder: FolderWatch
    subject: Subject | None = None
    lines_used: int = 0
    #: Share of the machine that was busy over the last so many ns, percent; None where not known.
    busy: Callable[[int], float | None] = lambda _: None


@dataclass(frozen=True, slots=True)
class Since:
    """From when on a condition counts, ns.

    `step_ns` is the instant of the last thing the session did or saw, `input_ns` that of its last
    input. What leaves a lasting trace, a log line or a file, counts from the last input, for it may
    have come before the condition that was waited for first.
    """

    step_ns: int
    input_ns: int


class EndCondition(Protocol):
    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        """When it became true, or None while it has not."""


def _windows(scene: Scene, title: str) -> list[Window]:
    return [window for window in scene.watcher.titled(title) if window.visible]


@dataclass(frozen=True, slots=True)
class WindowShown:
    title: str

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        shown = [window.shown_ns for window in _windows(scene, self.title)]
        return CameTrue(max(min(shown), since.step_ns), scene.watcher.error_ns) if shown else None


@dataclass(frozen=True, slots=True)
class WindowGone:
    title: str

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        if _windows(scene, self.title):
            return None
        gone = [window.gone_ns for window in scene.watcher.titled(self.title)]
        return CameTrue(max([since.step_ns, *gone]), scene.watcher.error_ns)


@dataclass(frozen=True, slots=True)
class WindowSteady:
    """True at the last change of a window's picture that was followed by quiet."""

    title: str
    quiet_ns: int

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        found = _windows(scene, self.title)
        if not found:
            return None
        last = max(max(window.shown_ns, window.changed_ns) for window in found)
        if now_ns - max(last, since.step_ns) < self.quiet_ns:
            return None
        return CameTrue(max(last, since.step_ns), scene.watcher.error_ns)


@dataclass(frozen=True, slots=True)
class PictureSteady:
    """True at the last change of any of the subject's windows that was followed by quiet."""

    quiet_ns: int

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        last = max(scene.watcher.last_change_ns, since.step_ns)
        if now_ns - last < self.quiet_ns:
            return None
        return CameTrue(last, scene.watcher.error_ns)


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
    """True once a file holds the same bytes as another of the working folder."""

    name: str
    other: str

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        try:
            one = (scene.folder.folder / self.name).read_bytes()
            other = (scene.folder.folder / self.other).read_bytes()
        except OSError:
            return None
        return CameTrue(since.step_ns, 0) if one == other else None


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

    pattern: re.Pattern[str]

    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        lines = scene.folder.lines
        for place in range(scene.lines_used, len(lines)):
            line = lines[place]
            if line.at_ns >= since.input_ns and self.pattern.search(line.text):
                scene.lines_used = place + 1
                return CameTrue(max(line.at_ns, since.step_ns), line.plus_minus_ns)
        return None


@dataclass(frozen=True, slots=True)
class Exited:
    def check(self, scene: Scene, since: Since, now_ns: int) -> CameTrue | None:
        if scene.subject is None or not scene.subject.exited_ns:
            return None
        return CameTrue(max(scene.subject.exited_ns, since.step_ns), 1_000_000)


def end_condition(condition: Condition) -> EndCondition:
    """The class that watches for a script's condition."""
    kind, subject = condition.kind, condition.subject
    if kind == "window shown":
        return WindowShown(subject)
    if kind == "window gone":
        return WindowGone(subject)
    if kind == "window steady":
        return WindowSteady(subject, condition.quiet_ns)
    if kind == "picture steady":
        return PictureSteady(condition.quiet_ns)
    if kind == "file written":
        return FileWritten(subject)
    if kind == "file equals":
        return FileEquals(subject, condition.other)
    if kind == "cpu below":
        return ProcessorBelow(condition.percent, condition.quiet_ns)
    if kind == "log text":
        return LogSays(re.compile(re.escape(subject)))
    if kind == "log regex":
        return LogSays(re.compile(subject))
    if kind == "exited":
        return Exited()
    raise ValueError(f"no end condition is called {kind!r}")
