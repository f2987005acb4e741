"""Plays a schedule: sends inputs when due, waits for conditions, notes every stretch."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any

from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns, sleep_until, wall_s
from yardstick_agent.display.input import Input
from yardstick_agent.display.picture import Pixels, rgb
from yardstick_agent.display.windows import Window
from yardstick_agent.playing.conditions import EndCondition, end_condition
from yardstick_agent.playing.looking import POLL_SECONDS, Looking
from yardstick_agent.playing.restarting import SessionSuspended, Suspended
from yardstick_agent.playing.scene import CameTrue, Scene, Since
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_agent.subject import Subject
from yardstick_core.match.conditions import FAILED, PASSED
from yardstick_core.script.check import INPUTS
from yardstick_core.script.model import (
    Click,
    Drag,
    Expect,
    Frames,
    Laps,
    Mark,
    Move,
    Press,
    Restart,
    ScreenRegion,
    Scroll,
    Start,
    Statement,
    Step,
    Stop,
    Take,
    Timing,
    Type,
    Until,
    Wait,
)
from yardstick_core.script.schedule import Operation, Schedule
from yardstick_core.streams.entries import StretchEntry, StretchKind

#: Conditions that whoever sees them tells of at once: looking again is only for limit and abort.
TOLD = ("window shown", "window gone", "log text", "log regex", "exited")
TOLD_POLL_SECONDS = 0.25
SETTLE_POLL_NS = 100_000_000
CLOSE_PATIENCE_SECONDS = 5.0
CLOSE_WINDOW_PATIENCE_NS = 500_000_000
#: How long an input to a place waits for a window that takes it: on a busy machine a program may
#: be started and not shown yet.
INPUT_PATIENCE_NS = 5_000_000_000
#: So long after a window was shown, what is to cover a place of it is waited for.
BARE_PATIENCE_NS = 500_000_000


class SessionEnded(Exception):
    """The session cannot go on; `outcome` is one of the outcomes of a run."""

    def __init__(self, outcome: str, detail: str) -> None:
        super().__init__(detail)
        self.outcome, self.detail = outcome, detail


_KINDS: dict[type[Statement] | type[None], StretchKind] = {
    Step: "step", Timing: "time", Frames: "frames", Laps: "lap",
}  # fmt: skip


@dataclass(slots=True)
class _Open:
    """A stretch under way. Its start is its first input, or its own start where it has none."""

    kind: StretchKind
    path: tuple[str, ...]
    start_ns: int
    input_seen: bool = False
    end: CameTrue | None = None
    hertz: float | None = None


def _came_true(kept: dict[str, Any], origin_ns: int) -> CameTrue:
    """An end that was kept over a restart, on the clock of this start of the machine."""
    found = CameTrue(**kept)
    return replace(found, at_ns=found.at_ns + origin_ns)


@dataclass
class Player:
    """Plays one schedule in one scene.

    `start` brings up the subject or a companion, `aborted` is asked often, `gate` is passed before
    each thing that is done and may keep the player waiting, which only a rehearsal does.
    """

    scene: Scene
    inputs: Input
    spool: SpoolWriter
    changes: Changes
    start: Callable[[Start, int], Subject]
    aborted: Callable[[], bool]
    gate: Callable[[int], None] = lambda _: None
    copies: Callable[[str], list[Subject]] = lambda _: []
    wrong: list[str] = field(default_factory=list)
    #: Timings after whose input nothing changed on the screen.
    unanswered: list[str] = field(default_factory=list)
    position: int = 0
    step: str = ""
    laps: int = 0
    _open: list[_Open] = field(default_factory=list)
    _anchors: dict[int, int] = field(default_factory=dict)
    _last_ns: int = 0
    _input_ns: int = 0
    _may_end: bool = False
    _due_ns: int = 0
    _before_step: Pixels | None = None

    def __post_init__(self) -> None:
        self.looking = Looking(self.scene, self.inputs.connection, self.spool, self.changes)

    def settle(self, before: Iterable[Statement]) -> None:
        """Wait for what a run needs before it starts. Raises SessionEnded, refused, else."""
        for wanted in before:
            if not isinstance(wanted, Until):
                continue
            condition, began = end_condition(wanted.condition), now_ns()
            since = Since(began, began)
            while condition.check(self.scene, since, now_ns()) is None:
                if self.aborted():
                    raise SessionEnded("aborted", "aborted while waiting for the machine to settle")
                if now_ns() - began >= wanted.within_ns:
                    limit = wanted.within_ns / 1e9
                    self.spool.precondition(
                        what=str(wanted.condition), state=FAILED, found=f"not within {limit:g} s"
                    )
                    raise SessionEnded(
                        "refused",
                        f"not started: line {wanted.line} asks that {wanted.condition}, which did "
                        f"not come true within {limit:g} s",
                    )
                self._sleep(now_ns() + SETTLE_POLL_NS)
            waited = (now_ns() - began) / 1e9
            self.spool.precondition(
                what=str(wanted.condition), state=PASSED, found=f"after {waited:.1f} s"
            )

    def suspended(self, statement: Restart, boot: str) -> Suspended:
        """Where the session stands when it waits for its machine to be restarted."""
        origin = self.spool.origin_ns
        stretches = [
            {
                "kind": one.kind, "path": one.path, "start": one.start_ns - origin,
                "input_seen": one.input_seen, "hertz": one.hertz,
                "end": one.end and replace(one.end, at_ns=one.end.at_ns - origin),
            }
            for one in self._open
        ]  # fmt: skip
        anchors = {str(place): at - origin for place, at in self._anchors.items()}
        asked = wall_s()
        return Suspended(
            self.position + 1, self.laps, self.step, stretches, anchors,
            asked, asked - (now_ns() - origin) / 1e9, boot, statement.within_ns / 1e9,
            statement.by_hand, self.wrong, self.unanswered, self.looking.unsaid,
        )  # fmt: skip

    def go_on(self, waiting: Suspended) -> None:
        """Stand where the session was before the restart."""
        origin = self.spool.origin_ns
        self.position, self.laps, self.step = waiting.position, waiting.laps, waiting.step
        self._open = [
            _Open(
                one["kind"], tuple(one["path"]), one["start"] + origin, one["input_seen"],
                one["end"] and _came_true(one["end"], origin), one["hertz"],
            )
            for one in waiting.open
        ]  # fmt: skip
        self._anchors = {int(place): at + origin for place, at in waiting.anchors.items()}
        self.wrong, self.unanswered = waiting.wrong, waiting.unanswered
        self.looking.unsaid = waiting.unsaid

    def path(self) -> tuple[str, ...]:
        """What is under way, from the step inwards."""
        return self._open[-1].path if self._open else (self.step,)

    def play(self, schedule: Schedule) -> None:
        """Play to the end. Raises SessionEnded where that is not reached, SessionSuspended where
        the machine is to be restarted first.
        """
        self._last_ns = now_ns()
        try:
            while self.position < len(schedule.operations):
                operation = schedule.operations[self.position]
                self._do(operation)
                self.position += 1
                if operation.kind == "again":
                    self._again(operation)
        except SessionEnded as end:
            self._break_off(end)
            raise

    # -- one operation -------------------------------------------------------------

    def _do(self, operation: Operation) -> None:
        if self.aborted():
            raise SessionEnded("aborted", f"aborted in step “{self.step}”")
        if operation.kind == "open":
            self._open_stretch(operation)
        elif operation.kind == "close":
            self._close_stretch()
        elif operation.kind == "anchor" and operation.anchor is not None:
            self._anchors[operation.anchor] = now_ns()
        elif operation.kind in ("due", "hold"):
            self._wait_due(operation)
        elif operation.statement is not None:
            self.gate(operation.line)
            self._statement(operation.statement)

    def _again(self, operation: Operation) -> None:
        """Back to the start of laps that last for a time, while it has not passed."""
        if operation.anchor is None or operation.due_ns is None:
            return
        if now_ns() < self._anchors[operation.anchor] + operation.due_ns:
            self.position = operation.anchor + 1

    def _statement(self, statement: Statement) -> None:
        if isinstance(statement, INPUTS):
            self._check_alive()
            self._input(statement)
        elif isinstance(statement, Until):
            self._until(statement)
        elif isinstance(statement, Expect):
            self._expect(statement)
        elif isinstance(statement, Wait):
            self._sleep(now_ns() + statement.duration_ns)
            self._last_ns = now_ns()
        elif isinstance(statement, Mark):
            self.spool.journal({"kind": "mark", "at": now_ns(), "name": statement.name})
        elif isinstance(statement, Take):
            path = self._open[-1].path if self._open else ()
            self.looking.take(statement, path, self._input_ns, self._check_alive)
        elif isinstance(statement, Start):
            self._start(statement)
        elif isinstance(statement, Stop):
            self._stop(statement.companion)
        elif isinstance(statement, Restart):
            self._sent(now_ns())  # what times it begins here
            raise SessionSuspended

    # -- stretches -----------------------------------------------------------------

    def _open_stretch(self, operation: Operation) -> None:
        kind = _KINDS[type(operation.statement)]
        if kind == "step":
            self._check_alive()
            self.step = operation.path[-1]
            if self.scene.screen is not None:
                self._before_step = self.scene.screen.raw()
            self._last_ns = now_ns()
        self._open.append(_Open(kind, operation.path, self._last_ns))
        if isinstance(operation.statement, Frames):
            self._open[-1].hertz = operation.statement.hertz
        self._stay_alert()
        self.spool.journal(
            {"kind": "opened", "at": now_ns(), "path": operation.path, "stretch": kind}
        )

    def _close_stretch(self) -> None:
        stretch = self._open.pop()
        self._stay_alert()
        if stretch.kind == "time" and stretch.end is not None:
            silent = stretch.input_seen and stretch.end.at_ns <= stretch.start_ns
            if silent and not stretch.end.followed:
                self.unanswered.append(" / ".join(stretch.path))
            self._note(
                stretch, stretch.end.at_ns, stretch.end.plus_minus_ns, False,
                unanswered=silent and not stretch.end.followed,
            )  # fmt: skip
        elif stretch.kind == "lap":
            self.laps += 1
            self._note(stretch, max(self._last_ns, stretch.start_ns), 0, False)
        else:
            self._note(stretch, max(now_ns(), stretch.start_ns), 0, False)

    def _stay_alert(self, waiting: bool = False) -> None:
        """Have files and logs watched closely while a timing may depend on them, for it costs."""
        timed = any(stretch.kind == "time" for stretch in self._open)
        self.scene.folder.alert = waiting or timed

    def _note(
        self,
        stretch: _Open,
        end_ns: int,
        plus_minus_ns: int,
        right_censored: bool,
        *,
        unanswered: bool = False,
    ) -> None:
        origin = self.spool.origin_ns
        entry: StretchEntry = {
            "kind": stretch.kind, "at": now_ns(), "path": stretch.path,
            "start": stretch.start_ns - origin, "end": end_ns - origin,
            "plus_minus": plus_minus_ns, "right_censored": right_censored,
        }  # fmt: skip
        if unanswered:
            entry["unanswered"] = True
        if stretch.hertz:
            entry["hertz"] = stretch.hertz
        self.spool.journal(entry)

    def _break_off(self, end: SessionEnded) -> None:
        """Close what is open: its timings lasted longer than until now. Keep what was seen."""
        at = now_ns()
        alive = self.scene.subject is not None and not self.scene.subject.exited_ns
        if alive and self.scene.screen is not None:
            self.looking.keep_picture("end", f"the screen when it was {end.outcome}", None)
        elif self._before_step is not None:
            what = f"the screen when step “{self.step}” began, the last picture before the end"
            self.looking.keep_picture("end", what, rgb(self._before_step))
        while self._open:
            self._note(self._open.pop(), at, 0, True)

    # -- time ------------------------------------------------------------------------

    def _wait_due(self, operation: Operation) -> None:
        if operation.anchor is None or operation.due_ns is None:
            return
        self._due_ns = self._anchors[operation.anchor] + operation.due_ns
        self._sleep(self._due_ns)
        if operation.kind == "hold":
            self._due_ns = 0
            self._last_ns = max(self._last_ns, now_ns())

    def _sleep(self, until_ns: int) -> None:
        while (left := until_ns - now_ns()) > 0:
            if self.aborted():
                raise SessionEnded("aborted", f"aborted in step “{self.step}”")
            sleep_until(min(until_ns, now_ns() + min(left, 250_000_000)))

    def _until(self, statement: Until) -> None:
        condition = end_condition(statement.condition)
        deadline = now_ns() + statement.within_ns
        since = Since(self._last_ns, self._input_ns, deadline)
        poll = TOLD_POLL_SECONDS if statement.condition.kind in TOLD else POLL_SECONDS
        self._stay_alert(statement.condition.kind.split()[0] in ("log", "file"))
        self._may_end = statement.condition.kind == "exited" or "gone" in statement.condition.kind
        while True:
            seen, at = self.changes.told, now_ns()
            came_true = condition.check(self.scene, since, at)
            if came_true is not None:
                break
            self._check_alive()
            if self.aborted():
                raise SessionEnded("aborted", f"aborted in step “{self.step}”")
            if at >= deadline:
                raise self._too_late(statement, condition)
            self.changes.wait(seen, poll)
        self._last_ns = came_true.at_ns
        for stretch in self._open:
            stretch.end = came_true

    def _too_late(self, statement: Until, condition: EndCondition) -> SessionEnded:
        """Why a wait ends: the subject hangs, or what was waited for did not come."""
        limit = statement.within_ns / 1e9
        where = f"in step “{self.step}”, line {statement.line}"
        what = f"{statement.condition} did not come true within {limit:g} s"
        what += self.looking.difference(condition, statement.line)
        silent = self.looking.silent_s(self._last_ns)
        if silent is None:
            return SessionEnded("cut off", f"cut off {where}: {what}")
        return SessionEnded(
            "hung", f"hung {where}: {what}, and the program did not answer for {silent:.0f} s"
        )

    def _expect(self, statement: Expect) -> None:
        """Note whether something holds; where it does not, the run's result is wrong."""
        condition = end_condition(statement.condition)
        deadline = now_ns() + statement.within_ns
        since = Since(self._last_ns, self._input_ns, deadline)
        while True:
            seen, at = self.changes.told, now_ns()
            held = condition.check(self.scene, since, at) is not None
            if held or at >= deadline:
                break
            self._check_alive()
            self.changes.wait(seen, POLL_SECONDS)
        what = str(statement.condition)
        if not held:
            what += self.looking.difference(condition, statement.line)
        self.spool.journal(
            {"kind": "expected", "at": now_ns(), "what": what, "line": statement.line, "held": held}
        )
        if not held:
            self.wrong.append(f"line {statement.line}: expected that {what}")

    # -- input -------------------------------------------------------------------------

    def _input(self, statement: Statement) -> None:
        due, self._due_ns = self._due_ns, 0
        at, what = self._send(statement)
        self._sent(at)
        late = max(0, at - due) if due else 0
        self.spool.journal({"kind": "input", "at": at, "what": what, "late": late})

    def _sent(self, at: int) -> None:
        self._last_ns = self._input_ns = at
        for stretch in self._open:
            if stretch.kind == "time" and not stretch.input_seen and stretch.end is None:
                stretch.start_ns, stretch.input_seen = at, True

    def _send(self, statement: Statement) -> tuple[int, str]:
        inputs = self.inputs
        if isinstance(statement, Press):
            return inputs.press(statement.chord), f"press {statement.chord}"
        if isinstance(statement, Type):
            return inputs.type(statement.text), f"type {len(statement.text)} characters"
        if isinstance(statement, Scroll):
            at = inputs.scroll(statement.direction, statement.notches, self._point(statement.place))
            return at, f"scroll {statement.direction} {statement.notches}"
        if isinstance(statement, Click):
            x, y = self._point(statement.place) or (0, 0)
            at = inputs.click(x, y, statement.button, statement.double)
            return at, "double click" if statement.double else f"click {statement.button}"
        if isinstance(statement, Move):
            return inputs.move(*(self._point(statement.place) or (0, 0))), "move"
        if isinstance(statement, Drag):
            start, end = self._point(statement.start), self._point(statement.end)
            return inputs.drag(start or (0, 0), end or (0, 0), statement.over_ns), "drag"
        raise TypeError(f"{type(statement).__name__} is no input")

    def _point(self, place: ScreenRegion | None) -> tuple[int, int] | None:
        """A place of the script on the screen."""
        if place is None:
            return None
        window = self._await_window(lambda: self._clickable(place), INPUT_PATIENCE_NS)
        if window is None:
            which = f"window “{place.window}”" if place.window else "window"
            raise SessionEnded("cut off", f"no {which} takes the input of step “{self.step}”")
        left, top = self.inputs.connection.origin(window.id)
        x, y = place.centre
        return left + x, top + y

    # -- the subject -----------------------------------------------------------------

    def _start(self, statement: Start) -> None:
        """Start what is named, one after another; of several copies each at its own time."""
        began = now_ns()
        for copy in range(1, statement.copies + 1):
            if statement.every_ns:
                self._sleep(began + (copy - 1) * statement.every_ns)
            for name in statement.names:
                self._start_one(replace(statement, companion=name), copy)

    def _start_one(self, statement: Start, copy: int) -> None:
        program = self.start(statement, copy)
        if statement.companion:
            self.scene.companions[statement.companion] = program
        else:
            self.scene.subject = program
            self._may_end = False
        self._sent(program.started_ns)
        name = statement.companion
        began = program.started_ns
        self.spool.journal({"kind": "started", "at": began, "pid": program.pid, "companion": name})

    def _stop(self, companion: str) -> None:
        subject = self.scene.program(companion)
        if subject is None:
            return
        self._may_end = self._may_end or not companion
        asked = now_ns()
        self._sent(asked)
        for copy in self.copies(companion):
            if copy is not subject and not copy.exited_ns:
                copy.kill()  # only the last is asked to close: the others are there to be many
        window = self._await_window(
            lambda: self.scene.watcher.main_window(subject.owns), CLOSE_WINDOW_PATIENCE_NS, subject
        )
        if window is not None and not subject.exited_ns:
            self.inputs.connection.ask_to_close(window.id)
        if window is None or not subject.wait(CLOSE_PATIENCE_SECONDS):
            subject.kill()
        at = subject.exited_ns or now_ns()
        how = subject.ending()
        self.spool.journal({"kind": "stopped", "at": at, "how": how, "companion": companion})
        self._last_ns = max(asked, subject.exited_ns)

    def _named_window(self, title: str) -> Window | None:
        """The shown window of a title, or where none is named the main one."""
        if not title:
            return self.scene.watcher.main_window()
        return next((one for one in self.scene.watcher.titled(title) if one.visible), None)

    def _clickable(self, place: ScreenRegion) -> Window | None:
        """The window of a place where that can be clicked.

        A window manager shows a window before its frame, and some programs what takes the input
        only after both.
        """
        connection, window = self.inputs.connection, self._named_window(place.window)
        if window is None or not connection.is_viewable(window.id):
            return None
        fresh = now_ns() - window.shown_ns < BARE_PATIENCE_NS
        return None if fresh and connection.is_bare_at(window.id, *place.centre) else window

    def _await_window(
        self, find: Callable[[], Window | None], patience_ns: int, program: Subject | None = None
    ) -> Window | None:
        """A window, or one that is only just being shown; none once its program has ended."""
        until = now_ns() + patience_ns
        while True:
            seen = self.changes.told
            window = find()
            if window is not None or now_ns() >= until or (program and program.exited_ns):
                return window
            if program is None:
                self._check_alive()
            if self.aborted():
                raise SessionEnded("aborted", f"aborted in step “{self.step}”")
            self.changes.wait(seen, POLL_SECONDS)

    def _check_alive(self) -> None:
        subject = self.scene.subject
        if subject is None or not subject.exited_ns or self._may_end:
            return
        detail = f"crashed in step “{self.step}”: {subject.ending()}"
        last = "; ".join(self.scene.folder.last_lines(subject.log, 2)) or subject.last_output()
        raise SessionEnded("crashed", detail + (f"; its last words: {last}" if last else ""))
