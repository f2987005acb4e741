"""Measures one run in a process of its own: `python -m yardstick_agent.playing.measure RUN`.

The run's folder holds `assignment.json`; everything measured is written beside it. The process
that sends the record is another, so that sending never disturbs measuring.
"""

from __future__ import annotations

import json
import os
import resource
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

from yardstick_agent import compiled, leftovers
from yardstick_agent.bus import SessionBus
from yardstick_agent.changes import Changes
from yardstick_agent.children import ending_with_us
from yardstick_agent.clock import now_ns
from yardstick_agent.display.connection import GONE, Connection
from yardstick_agent.display.input import Input
from yardstick_agent.display.picture import Screen, png
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.display.watcher import Watcher
from yardstick_agent.files import FolderWatch
from yardstick_agent.footprint import installed, settings
from yardstick_agent.home import REAL, run_home
from yardstick_agent.own_counters import OwnCounters
from yardstick_agent.playing.live import LIVE_REACH_NS, LIVE_SECONDS, LiveBeats
from yardstick_agent.playing.player import Player, SessionEnded
from yardstick_agent.playing.preconditions import prepare_program, prepare_rig
from yardstick_agent.playing.restarting import FILE as RESTARTING
from yardstick_agent.playing.restarting import (
    SessionSuspended,
    Suspended,
    asking_now,
    boot_id,
    continued_origin_ns,
    restart,
    suspended,
    told,
    wait_for_display,
)
from yardstick_agent.playing.scene import Scene
from yardstick_agent.sampling.facts import busiest, facts, processor_ticks
from yardstick_agent.sampling.sampler import BEAT_NS, RESIDENT, SECONDS, Sampler
from yardstick_agent.sampling.sources import Roots, found_sources, sensors_in_words
from yardstick_agent.sampling.sources.heat import Throttling
from yardstick_agent.sampling.subject_beat import SubjectBeat
from yardstick_agent.session_user import user_of_session
from yardstick_agent.spool.ring import FILE as RING
from yardstick_agent.spool.ring import Ring
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_agent.started import Started
from yardstick_agent.subject import NotStartedError, Program, Subject, adopt_orphans
from yardstick_core.assignment import LocalAssignment
from yardstick_core.match.conditions import FAILED, HOME_OF_ITS_OWN
from yardstick_core.script import keys, parse, schedule
from yardstick_core.script.check import walk
from yardstick_core.script.model import (
    Condition,
    Expect,
    Press,
    Restart,
    Script,
    Start,
    Take,
    Type,
    Until,
)
from yardstick_core.script.schedule import Schedule
from yardstick_core.streams.counters import companion_stream
from yardstick_core.streams.entries import SpentEntry

PICTURE_SECONDS = 0.5
GATE_SECONDS = 0.05
#: How a part of a session ends that goes on after a restart of its machine: no outcome of a run.
SUSPENDED = "suspended"
#: So long a film has to be closed.
FILM_ENDS_SECONDS = 5.0
#: How a run is watched: with every sample, or, in a control run, by its outer timings only.
FULL, OUTER = "full", "outer"
#: Conditions that need every change of the picture, also in a control run.
OF_PICTURES = ("window steady", "picture steady")
#: The condition for which the whole machine is looked at closely.
OF_THE_MACHINE = "cpu below"
#: Conditions that need to know when a log or a file changed.
OF_FILES = ("file written", "file equals", "file like", "log text", "log regex")


class Measurement:
    """Everything that lives while one run is measured."""

    def __init__(self, folder: Path, assignment: LocalAssignment) -> None:
        self.folder, self.assignment = folder, assignment
        self.script: Script = parse(assignment["script"], assignment.get("values"))
        self.schedule: Schedule = schedule(self.script, assignment.get("tags", ()))
        self.program = Program(**assignment["program"])
        self.user = user_of_session(folder, assignment)
        #: Where the session was, if it goes on after a restart of the machine.
        self.waiting = suspended(folder)
        origin = continued_origin_ns(self.waiting) if self.waiting else now_ns()
        self.spool = SpoolWriter(folder, origin)
        if self.waiting:
            self.spool.go_on()
        self.beats = LiveBeats(origin)
        self.changes = Changes()
        self.stopping = threading.Event()
        self.waiting_at = 0
        self.display_processes: list[int] = []
        #: When the rig's own display came up after a restart, where that was seen.
        self.display_up_ns: int | None = None
        #: Processes that measure beside this one: a film's, and what reads the rig's own counters.
        self.beside: list[int] = []
        self.started = Started()
        self.player: Player | None = None

    def run(self) -> str:
        """Play the session and note how it ended; the outcome."""
        with ExitStack() as stack:
            stack.callback(self.spool.close)
            display = self._display(stack)
            self._surround(stack, display)
            scene = self._observers(stack, display)
            inputs = Input(display)
            stack.callback(inputs.close)
            inputs.keyboard.prepare(_keysyms(self.script))
            scene.screen = Screen(inputs.connection)
            shown = inputs.connection.describe()
            self._note_conditions(shown)
            self.player = Player(
                scene, inputs, self.spool, self.changes,
                self._start, self._must_end, self._gate(), self.started.named,
            )  # fmt: skip
            if self.assignment.get("pictures"):
                self.origins = Connection(display)
                stack.callback(self.origins.close)
                stack.enter_context(self._pictured(display))
            if self.assignment.get("film"):
                stack.enter_context(self._filmed(display))
            with self._live_reporting():
                outcome, detail = self._play(self.player, shown)
            if outcome == SUSPENDED:
                return outcome
            self._note_settings("after")
            self._note_throttling()
            watcher = scene.watcher
            self._note_up(watcher)
            watcher.take_in()
            told = watcher.told
            self.spool.journal({
                "kind": "observer", "at": now_ns(), "frames": told.count,
                "told_by": told.told_by, "trusted_hz": told.trusted_hz, "parted": told.parted,
                "redraws": told.redraws,
                "stamped_by": "compiled" if watcher.stamping else "interpreted",
                "starved": watcher.starved, "longest_lag_ms": watcher.longest_lag_ns / 1e6,
                "windows": len(watcher.shown), "watch": "full" if self.sampled else "outer",
            })  # fmt: skip
            self.spool.journal(
                {"kind": "outcome", "at": now_ns(), "outcome": outcome, "detail": detail}
            )
            return outcome

    def _note_conditions(self, shown: dict[str, Any]) -> None:
        """Note what the machine is like, what the variant takes on disk, how it is set."""
        if self.waiting:
            return  # noted when the run began
        work = self.folder / "work"
        known = facts(
            shown, virtual=bool(self.display_processes), folder=work, ours=self._own_processes(),
            packages=self.assignment.get("packages", ()),
        )  # fmt: skip
        known |= {"home": self.home.kind, "session_bus": self.bus.kind}
        known["sensors"] = sensors_in_words(self.sampler.sources, self._sensors())
        self.spool.journal(
            {"kind": "facts", "at": now_ns(), "facts": known, "clock_ns": self.spool.origin_ns}
        )
        used = {one["name"]: one["sha256"] for one in self.assignment.get("fixtures", ())}
        if used:
            self.spool.journal({"kind": "fixtures", "at": now_ns(), "files": used})
        if self.home.kind == REAL:
            self.spool.precondition(what=HOME_OF_ITS_OWN, state=FAILED, found=REAL)
        taken = installed(self.program.installed)
        if taken is not None:
            self.spool.journal(
                {"kind": "footprint", "at": now_ns(), "bytes": taken[0], "files": taken[1]}
            )
        self._note_settings("before")

    def _note_settings(self, when: str) -> None:
        declared = self.assignment.get("settings", ())
        if declared:
            places = [self.home.path(place) for place in self.program.settings]
            values, troubles = settings(declared, self.folder / "work", places)
            self.spool.journal({
                "kind": "settings", "at": now_ns(), "when": when, "values": values,
                "troubles": troubles,
            })  # fmt: skip

    def _sensors(self) -> Roots:
        """Where the kernel tells of the machine, or a stand-in does in its place."""
        return Roots.below(self.assignment.get("sensors", ""))

    def _note_throttling(self) -> None:
        """Note how often the processor was held back for heat since the samples began."""
        for source in self.sampler.sources:
            if isinstance(source, Throttling):
                self.spool.journal({"kind": "throttled", "at": now_ns(), "count": source.grown()})

    def _note_up(self, watcher: Watcher) -> None:
        """Note when the subject's largest window was first shown."""
        shown = [window for window in watcher.windows.values() if window.shown_ns]
        largest = max(shown, key=lambda w: (not w.popup, w.width * w.height), default=None)
        if largest is not None:
            at = largest.shown_ns - self.spool.origin_ns
            self.spool.journal({"kind": "up", "at": now_ns(), "shown": at, "title": largest.title})

    def _play(self, player: Player, display: dict[str, Any]) -> tuple[str, str]:
        spent = _seconds_of_ended()
        try:
            confirmed = self.assignment.get("confirmed", ())
            if self.waiting:
                return self._go_on(player, self.waiting)
            prepare_program(
                self.program.prepare, self.folder, self._must_end,
                self.spool.precondition,
            )  # fmt: skip
            prepare_rig(
                self.script.before, self._caches(), confirmed, display, self.folder,
                self.spool.precondition,
            )  # fmt: skip
            player.settle(self.script.before)
            spent = _seconds_of_ended()  # without what prepared the program
            return self._to_the_end(player)
        except SessionSuspended:
            return self._suspend(player)
        except SessionEnded as end:
            return end.outcome, self.spool.trouble or end.detail
        except NotStartedError as error:
            return "not started", str(error)
        finally:
            for program in reversed(list(self.started)):
                if not program.exited_ns:
                    program.kill()
            if self.started.subject_alone():
                seconds = _seconds_of_ended() - spent
                (subject,) = self.started
                entry: SpentEntry = {"kind": "spent", "at": now_ns(), "processor_s": seconds}
                if subject.exited_ns:
                    entry["ended"] = subject.exited_ns - self.spool.origin_ns
                self.spool.journal(entry)

    def _to_the_end(self, player: Player) -> tuple[str, str]:
        with self._background_noted():
            player.play(self.schedule)
        if player.wrong:
            return "wrong result", "; ".join(player.wrong)
        silent = [
            f"nothing followed its input: {name}" for name in dict.fromkeys(player.unanswered)
        ]
        return "finished", "; ".join([*player.looking.unsaid, *silent])

    def _suspend(self, player: Player) -> tuple[str, str]:
        """Keep where the session is, for the agent to go on after the restart."""
        statement = self.schedule.operations[player.position].statement
        allowed = self.assignment.get("restart", {})
        by_hand = isinstance(statement, Restart) and statement.by_hand
        if not (allowed.get("by_hand") if by_hand else allowed.get("command")):
            return "refused", "this rig's own file does not allow that a session restarts it"
        assert isinstance(statement, Restart)
        waiting = player.suspended(statement, boot_id(self._sensors()))
        waiting.keep(self.folder)
        self.spool.journal({"kind": "restarting", "at": now_ns(), "by_hand": by_hand})
        return SUSPENDED, ""

    def _go_on(self, player: Player, waiting: Suspended) -> tuple[str, str]:
        """Note what the restart took and play the rest."""
        took = told(waiting, self._sensors(), self.spool.origin_ns)
        player.go_on(waiting)
        took["path"] = player.path()
        if self.display_up_ns is not None:
            took["display"] = self.display_up_ns - self.spool.origin_ns
        self.spool.journal(took)
        (self.folder / RESTARTING).unlink(missing_ok=True)
        self.waiting = None
        return self._to_the_end(player)

    @contextmanager
    def _background_noted(self) -> Iterator[None]:
        """Note what else took processor time meanwhile: who spoilt a run is asked afterwards."""
        began, before = now_ns(), processor_ticks()
        try:
            yield
        finally:
            seconds = (now_ns() - began) / 1e9
            found = busiest(before, processor_ticks(), seconds, set(self._own_processes()))
            self.spool.journal({"kind": "background", "at": now_ns(), "programs": found})

    def _display(self, stack: ExitStack) -> str:
        given = self.assignment.get("display")
        if given:
            if self.waiting:
                self.display_up_ns = wait_for_display(given, self.waiting.within_s, self.stopping)
            return str(given)
        display = stack.enter_context(VirtualDisplay(user=self.user))
        self.display_processes = display.process_ids
        leftovers.note(self.folder, *display.process_ids)
        return display.name

    def _surround(self, stack: ExitStack, display: str) -> None:
        """The home and the session bus that the run's programs have."""
        self.home = run_home(self.folder, self.program.home == "real", self.user)
        told = {**self.home.environment, "DISPLAY": display}
        self.bus = stack.enter_context(SessionBus(self.home.runtime, told, self.user))
        leftovers.note(self.folder, *self.bus.process_ids)
        self.environment = {**told, **self.bus.told}

    def _caches(self) -> list[Path]:
        return [self.home.path(name) for name in self.program.caches]

    def _observers(self, stack: ExitStack, display: str) -> Scene:
        self.sampled = self.assignment.get("watch", FULL) == FULL
        conditions = self._conditions()
        keep_frames, ring = (self.spool.frames if self.sampled else _drop), None
        if compiled.library():
            ring = Ring(self.folder / RING if self.sampled else None, self.spool.origin_ns)
            stack.callback(ring.discard)
        watcher = Watcher(
            display, self.started.belongs, keep_frames, self.changes,
            pictures=self.sampled or any(one.kind in OF_PICTURES for one in conditions), ring=ring,
        )  # fmt: skip
        exactly = depends_on_files(self.script)
        folder = FolderWatch(self.folder / "work", self.changes, exactly=exactly)
        roots = self._sensors()
        self.sampler = Sampler(
            self.spool.counter if self.sampled else _drop, self._own_processes,
            found_sources(roots) if self.sampled else (),
            self._subject_beat if self.sampled and compiled.library() else None,
            closely=any(one.kind == OF_THE_MACHINE for one in conditions),
        )  # fmt: skip
        for condition in conditions:
            if condition.place is not None:
                watcher.part_of(condition.place, condition.apart)
        observers: list[Any] = [watcher, folder]
        if self.sampled or self.sampler.closely:
            observers.append(self.sampler)
        for observer in observers:
            observer.start()
            stack.callback(observer.stop)
        wanted = self.assignment.get("counters")
        if wanted and self.sampled:
            own = OwnCounters(wanted, self.spool.counter, self.spool.journal)
            leftovers.note(self.folder, own.process.pid)
            self.beside.append(own.process.pid)
            own.start()
            stack.callback(own.stop)
        self.watcher, self.files = watcher, folder
        return Scene(watcher, folder, busy=self.sampler.busy_share)

    def _subject_beat(self) -> SubjectBeat:
        seconds, resident = map(self.spool.counter_file, (SECONDS, RESIDENT))
        return SubjectBeat(seconds, resident, self.spool.origin_ns, BEAT_NS)

    def _must_end(self) -> bool:
        """Whether somebody asked for the end, or the record cannot be written on."""
        if self.sampler.failed:
            self.spool.gave_out()
        return self.stopping.is_set() or bool(self.spool.trouble)

    def _conditions(self) -> list[Condition]:
        """Everything the script waits for or expects, before it starts and while it plays."""
        return _conditions_of(self.script)

    def _start(self, wanted: Start, copy: int) -> Subject:
        """Start the subject, or a companion, and follow its log and what it uses."""
        name = wanted.companion
        program = self.program.companion(name) if name else self.program
        self.files.follow(program.log or (f"output-{name}.txt" if name else "output.txt"))

        def make() -> Subject:
            return Subject(
                program, self.folder / "work", self.environment, self.changes, files=wanted.files,
                name=name, others=self._not_the_subjects, shows=self._shows,
                helpers=list if name else self.bus.helpers, user=self.user,
            )  # fmt: skip

        started = self.started.start(name, make, copy)
        leftovers.note(self.folder, started.pid)
        if name:
            if copy == 1:
                stream = companion_stream(name)
                self.spool.journal(
                    {"kind": "companion", "at": now_ns(), "name": name, "stream": stream}
                )
            self.sampler.accompany(name, started.processes)
        else:
            self.sampler.follow(started.processes)
        return started

    def _shows(self, pid: int) -> bool:
        """Whether a process has a window, or none has been shown yet and its may still come."""
        windows = [window for window in list(self.watcher.windows.values()) if window.shown_ns]
        return not windows or any(w.visible and w.pid == pid for w in windows)

    def _not_the_subjects(self) -> set[int]:
        ours = {*self.display_processes, *self.bus.process_ids, *self.beside}
        return ours | self.started.companions()

    def _gate(self) -> Callable[[int], None]:
        """Lets everything through; in a rehearsal step by step, one line at a time.

        How many may be played is in the file `allowed`, which whoever rehearses replaces.
        """
        if not self.assignment.get("step_by_step"):
            return lambda _: None
        passed: list[int] = []

        def wait(line: int) -> None:
            if passed and passed[-1] == line:
                return
            self.waiting_at = line
            while not self.stopping.is_set() and len(passed) >= self._allowed():
                self.stopping.wait(GATE_SECONDS)
            self.waiting_at = 0
            passed.append(line)

        return wait

    def _allowed(self) -> int:
        try:
            return int((self.folder / "allowed").read_text())
        except (OSError, ValueError):
            return 0

    def _own_processes(self) -> list[int]:
        others = [*self.display_processes, *self.bus.process_ids, *self.beside]
        return [os.getpid(), os.getppid(), *others]

    @contextmanager
    def _live_reporting(self) -> Iterator[None]:
        """Write live.json twice a second while the session plays."""
        done = threading.Event()

        def tell() -> None:
            while not done.wait(LIVE_SECONDS):
                self.spool.live(self._live_state())

        thread = threading.Thread(target=tell, name="live", daemon=True)
        thread.start()
        try:
            yield
        finally:
            done.set()
            thread.join()
            self.spool.live(self._live_state())

    @contextmanager
    def _pictured(self, display: str) -> Iterator[None]:
        """Replace picture.png twice a second: only in rehearsals, for it costs processor time.

        The last one shows the subject before it was ended.
        """
        done = threading.Event()

        def draw() -> None:
            connection = Connection(display)
            screen = Screen(connection)
            try:
                while not done.wait(PICTURE_SECONDS):
                    waiting = self.folder / "picture.new"
                    waiting.write_bytes(png(screen.take()))
                    waiting.replace(self.folder / "picture.png")
            finally:
                connection.close()

        thread = threading.Thread(target=draw, name="pictures", daemon=True)
        thread.start()
        try:
            yield
        finally:
            done.set()
            thread.join(2)

    @contextmanager
    def _filmed(self, display: str) -> Iterator[None]:
        """Film the display, in a process of its own: what that takes is not this one's."""
        command = [sys.executable, "-m", "yardstick_agent.filming.record", str(self.folder)]
        filming = subprocess.Popen(
            ending_with_us([*command, display, str(self.spool.origin_ns)]), start_new_session=True
        )
        leftovers.note(self.folder, filming.pid)
        self.beside.append(filming.pid)
        try:
            yield
        finally:
            filming.terminate()
            try:
                filming.wait(FILM_ENDS_SECONDS)
            except subprocess.TimeoutExpired:
                filming.kill()
                filming.wait()

    def _live_state(self) -> dict[str, Any]:
        player = self.player
        used = self.sampler.latest
        return {
            "elapsed_ns": now_ns() - self.spool.origin_ns,
            "step": player.step if player else "",
            "laps": player.laps if player else 0,
            "position": player.position if player else 0,
            "line": self._line(),
            "waits": self.waiting_at > 0,
            "windows": self._windows() if self.assignment.get("pictures") else [],
            "operations": len(self.schedule.operations),
            "beats": self._beats(),
            "processor_seconds": used.processor_seconds,
            "resident": used.resident,
        }

    def _windows(self) -> list[dict[str, Any]]:
        """Windows on the screen, the main one first: title and where they lie, for rehearsals."""
        main = self.watcher.main_window()
        shown = [window for window in list(self.watcher.windows.values()) if window.visible]
        found = []
        for window in sorted(shown, key=lambda window: window is not main):
            try:
                left, top = self.origins.origin(window.id)
            except GONE:
                continue
            found.append(
                {
                    "title": window.title,
                    "x": left,
                    "y": top,
                    "width": window.width,
                    "height": window.height,
                }
            )
        return found

    def _line(self) -> int:
        """The line of the script that is played, or was last."""
        operations = self.schedule.operations
        place = min(self.player.position if self.player else 0, len(operations) - 1)
        return operations[place].line if operations else 0

    def _beats(self) -> list[list[float]]:
        now = now_ns()
        since = max(self.beats.last_ns + 1, now - LIVE_REACH_NS)
        self.beats.add(self.watcher.recent_frames(since))
        return self.beats.whole(now)


def _conditions_of(script: Script) -> list[Condition]:
    return [
        statement.condition
        for statement in (*script.before, *walk(script.steps))
        if isinstance(statement, (Until, Expect))
    ]


def depends_on_files(script: Script) -> bool:
    """Whether it matters when a log or a file changed: for what is waited for, or for a number
    that a program says, which counts where it was said after the last input.
    """
    said = any(isinstance(one, Take) and one.region is None for one in walk(script.steps))
    return said or any(one.kind in OF_FILES for one in _conditions_of(script))


def _drop(*_: Any) -> None:
    """Keeps nothing: what a control run does with samples."""


def _seconds_of_ended() -> float:
    """Processor time of all processes this one has seen end, seconds."""
    ended = resource.getrusage(resource.RUSAGE_CHILDREN)
    return ended.ru_utime + ended.ru_stime


def _keysyms(script: Script) -> list[int]:
    found: list[int] = []
    for statement in walk(script.steps):
        if isinstance(statement, Press):
            found += keys.chord_keysyms(statement.chord)
        elif isinstance(statement, Type):
            found += [keys.character_keysym(character) for character in statement.text]
    return found


def main() -> None:
    os.umask(0o077)  # what is recorded is for the agent alone to read
    folder = Path(sys.argv[1]).resolve()
    sys.setswitchinterval(0.0005)
    adopt_orphans()
    assignment = json.loads((folder / "assignment.json").read_text())
    measurement = Measurement(folder, assignment)
    for kind in (signal.SIGTERM, signal.SIGINT):
        signal.signal(kind, lambda *_: measurement.stopping.set())
    if measurement.run() == SUSPENDED:
        waiting = asking_now(folder)
        trouble = "" if waiting and waiting.by_hand else restart(assignment.get("restart", {}))
        if trouble:
            (folder / RESTARTING).unlink(missing_ok=True)
            measurement.spool = SpoolWriter(folder, measurement.spool.origin_ns)
            measurement.spool.journal(
                {"kind": "outcome", "at": now_ns(), "outcome": "cut off", "detail": trouble}
            )
            measurement.spool.close()


if __name__ == "__main__":
    main()
