"""Serves a rig: takes runs, has each measured by a process of its own, sends what it records."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from itertools import count
from pathlib import Path
from typing import Any, cast

from yardstick_agent import leftovers, prepared, updating
from yardstick_agent.applications import applications, releases
from yardstick_agent.calm import Busyness
from yardstick_agent.children import ending_with_us
from yardstick_agent.client import Client, ServerAway, ServerRefused
from yardstick_agent.config import ConfigError, RigConfig, described, load
from yardstick_agent.fitness import unfit
from yardstick_agent.lock import machine_to_ourselves
from yardstick_agent.playing.live import read_live
from yardstick_agent.playing.restarting import FILE as RESTARTING
from yardstick_agent.playing.restarting import Suspended, came_back, suspended
from yardstick_agent.programs import OWNER, NotAllowed, allow, forbid
from yardstick_agent.rehearsing import rehearse
from yardstick_agent.sampling.facts import facts
from yardstick_agent.sampling.processes import began_ns
from yardstick_agent.sampling.sources import Roots
from yardstick_agent.session_user import NoSuchUser, SessionUser
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.recovering import keep_pictures_left
from yardstick_agent.spool.sender import Sender
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_core.assignment import Assignment, NamedFixture
from yardstick_core.file_names import is_fixture_name, runnable_kind

#: So long a recorder has to end a run that was stopped; its programs are ended after it.
STOP_SECONDS = 5.0
HEARTBEAT_SECONDS = 0.5
IDLE_SECONDS = 1.0
AWAY_SECONDS = 2.0
#: What a rig is, and which release of the agent it runs, is told so often at least.
GREETED_FOR_SECONDS = 3600.0


class RunRefused(Exception):
    """This rig cannot play the run; the message says why."""


class Service:
    """The loop of a rig; `stop` ends it after the run under way has been aborted.

    `file` is the rig's own, whose changes are noticed while it serves.
    """

    def __init__(
        self,
        config: RigConfig,
        client: Client,
        say: Callable[[str], None] = print,
        file: Path | None = None,
    ) -> None:
        self.config, self.client, self.say = config, client, say
        self.file, self._file_read = file, _changed_ns(file)
        self.stopping = threading.Event()
        self.busyness = Busyness()
        self._away_since: float | None = None
        self._greeted: float | None = None

    def stop(self) -> None:
        self.stopping.set()

    def serve(self) -> bool:
        """Serve until stopped; a server that is away is waited for.

        False where the server does not want this rig: its token is no good, or the two do not speak
        the same version. What is measured stays here meanwhile.
        """
        self.end_left_over()
        self.forget_refusals()
        self.go_on_after_restart()
        while not self.stopping.is_set():
            try:
                if self._file_changed() or self._unknown_to_server():
                    self._greet()
                    self._greeted = time.monotonic()
                self.send_left_over()
                errand = self.client.take_errand(self.busyness.idle_share, self._disk_free())
                assignment = None if errand else self.client.take()
                self._server_is_back()
            except ServerAway as away:
                self._server_is_away(away)
                self._greeted = None  # it may come back as another release
                self.stopping.wait(AWAY_SECONDS)
                continue
            except ServerRefused as refused:
                self.say(f"the server does not want this rig: {refused}")
                return False
            if errand is not None and "rehearsal" in errand:
                with machine_to_ourselves(waiting=lambda: self.say("waiting for another session")):
                    self._rehearse(cast(Assignment, errand))
                continue
            if errand is not None:
                self._run_errand(errand)
                continue
            if assignment is None:
                self.busyness.share()
                self.stopping.wait(IDLE_SECONDS)
                self.busyness.note_idle()
                continue
            with machine_to_ourselves(waiting=lambda: self.say("waiting for another session")):
                self.carry_out(assignment)
        return True

    def _unknown_to_server(self) -> bool:
        """Whether the server has to be told what this rig is: it does not know, or not lately.

        A server that was brought up to date between two questions hands out another agent.
        """
        return self._greeted is None or time.monotonic() - self._greeted > GREETED_FOR_SECONDS

    def _greet(self) -> None:
        """Tell the server what this rig is, what it may start, and what is installed on it.

        Where the server hands out another release, the rig's file says whether it is taken.
        """
        told = self.client.hello(
            facts(folder=self.config.spool, ours=[os.getpid()]),
            described(self.config),
            applications=applications(),
            programs_from=self.config.programs_from,
        )
        if updating.wanted(told):
            self._update(told)

    def _update(self, told: dict[str, Any]) -> None:
        """Bring the agent to its server's release, or say what stands in the way."""
        if not self.config.updates:
            self.say(
                "the server hands out another release of the agent: say “updates”: true in the "
                "rig's file to have it taken, or join anew"
            )
            return
        try:
            updating.bring(told, self.client.handed_out)
        except (updating.NotUpdated, ServerRefused) as why:
            self.say(f"the agent was not brought up to date, and goes on as it is: {why}")
            return
        self.say("the agent was brought up to date and starts anew")
        updating.start_anew(str(told["release"]))

    def _disk_free(self) -> int | None:
        """Bytes left where records are kept; None where that cannot be told."""
        try:
            return shutil.disk_usage(self.config.spool).free
        except OSError:
            return None

    def _file_changed(self) -> bool:
        """Whether the rig's file says something else now; one that cannot be read is left alone."""
        changed = _changed_ns(self.file)
        if self.file is None or changed == self._file_read:
            return False
        self._file_read = changed
        try:
            read = load(self.file)
        except ConfigError as error:
            self.say(f"the rig's file was changed, and is not used: {error}")
            return False
        # Where the runs go and who is spoken to holds until the next start.
        self.config = replace(
            self.config, programs=read.programs, packages=read.packages,
            programs_from=read.programs_from, states_from=read.states_from,
            runnable_fixtures=read.runnable_fixtures, session_user=read.session_user,
            counters=read.counters, sensors=read.sensors, updates=read.updates,
            restart=read.restart,
        )  # fmt: skip
        self.say(f"the rig's file was changed: it may start {len(read.programs)} programs")
        return True

    def _run_errand(self, errand: dict[str, Any]) -> None:
        """Do what an owner of the workspace asked for, as far as this rig's own file lets them."""
        number, kind = int(errand["errand"]), str(errand["kind"])
        try:
            answer = self._errand_answer(kind, errand)
            outcome, detail = "done", ""
        except (NotAllowed, OSError, KeyError, ValueError) as error:
            answer, outcome, detail = {}, "refused", str(error)
        self.say(f"errand {number}, {kind}, asked for by {errand.get('by')}: {outcome} {detail}")
        try:
            if self._file_changed():
                self._greet()
            body = {"outcome": outcome, "detail": detail, "answer": answer}
            self.client.end_errand(number, body)
        except (ServerAway, ServerRefused) as trouble:
            self.say(f"errand {number}: the server could not be told: {trouble}")

    def _errand_answer(self, kind: str, errand: dict[str, Any]) -> dict[str, Any]:
        if self.file is None or self.config.programs_from != OWNER:
            raise NotAllowed("this rig listens to its own file only")
        by, body = f"{errand['by']}, from {self.config.server}", errand["body"]
        if kind == "allow":
            allow(self.file, str(body["name"]), body["start"], by)
        elif kind == "forbid":
            forbid(self.file, str(body["name"]), by)
        elif kind == "releases":
            return {"releases": releases(Path(str(body["folder"])).expanduser())}
        else:
            raise NotAllowed(f"this agent knows no errand “{kind}”")
        return {}

    def end_left_over(self) -> None:
        """End what an earlier service left running, and throw its rehearsals away."""
        for folder in self.config.spool.glob("run-*"):
            self._end_processes(folder)
        for folder in self.config.spool.glob("rehearsal-*"):
            self._end_processes(folder / "run")
            shutil.rmtree(folder, ignore_errors=True)

    def _end_processes(self, folder: Path) -> None:
        ended = leftovers.end_all(folder)
        if ended:
            self.say(f"{folder.name}: ended {ended} processes that were left running")

    def _server_is_away(self, away: ServerAway) -> None:
        if self._away_since is None:
            self._away_since = time.monotonic()
            self.say(f"the server is away ({away}); what is measured stays on this rig meanwhile")

    def _server_is_back(self) -> None:
        if self._away_since is not None:
            self.say(f"the server is back after {time.monotonic() - self._away_since:.0f} s")
            self._away_since = None

    def _rehearse(self, assignment: Assignment) -> None:
        number = int(assignment["rehearsal"])
        self.say(f"rehearsal {number}: {assignment['title']}")
        try:
            outcome = rehearse(
                self.client,
                assignment,
                self.config.spool,
                lambda folder, local: prepare(folder, local, self.config, self.client),
            )
            self.say(f"rehearsal {number}: {outcome}")
        except (RunRefused, ServerRefused) as refused:
            body = {"line": 0, "elapsed_ns": 0, "outcome": "not started", "detail": str(refused)}
            self.client.tell_rehearsal(number, body)

    # -- one run -------------------------------------------------------------------

    def carry_out(self, assignment: Assignment) -> None:
        """Prepare, measure and send one run; whatever goes wrong becomes its outcome."""
        run = int(assignment["run"])
        folder = self.config.spool / f"run-{run}"
        self.say(f"run {run}: {assignment['title']}")
        try:
            prepare(folder, assignment, self.config, self.client)
        except (RunRefused, ServerRefused) as refused:
            note_outcome(folder, "not started", str(refused))
        else:
            # What came before, such as reading the last run on a server that is here too, ends
            # first: it would be measured along.
            limit = float(assignment.get("background_cpu_limit", 100))
            self.busyness.wait_until_calm(limit, self.stopping)
            why = unfit(self.config.spool, self._roots())
            if why:
                self.say(f"run {run}: not started: {why}")
                note_outcome(folder, "refused", f"not started: {why}")
            else:
                self._measure(run, folder)
        if suspended(folder) is None:
            self._deliver(run, folder)

    def _measure(self, run: int, folder: Path) -> None:
        log = open(folder / "measure.log", "ab")  # noqa: SIM115
        command = [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
        process = subprocess.Popen(
            ending_with_us(command), stdout=log, stderr=log, start_new_session=True
        )
        log.close()
        leftovers.note(folder, process.pid)
        sender = Sender(self.client, run, folder)
        again = HEARTBEAT_SECONDS
        while process.poll() is None:
            if self.stopping.is_set():
                self._end_recorder(run, process)
                break
            try:
                answer = self.client.heartbeat(run, read_live(folder))
                again = max(HEARTBEAT_SECONDS, float(answer.get("again_s", 0)))
                if answer.get("abort"):
                    self._end_recorder(run, process)
                sender.send(finished=False)
                self._server_is_back()
            except ServerAway as away:
                self._server_is_away(away)
            except ServerRefused as refused:
                self.say(f"run {run}: {refused}")
                self._end_recorder(run, process)
            try:
                process.wait(again)
            except subprocess.TimeoutExpired:
                continue
        leftovers.end_all(folder)
        waiting = suspended(folder)
        if waiting is not None and not came_back(waiting, self._roots()):
            self._wait_for_restart(run, folder, waiting, sender)
            return
        (folder / RESTARTING).unlink(missing_ok=True)  # what went on after a restart ended early
        if not any(entry["kind"] == "outcome" for entry in SpoolReader(folder).journal()):
            last = (folder / "measure.log").read_text(errors="replace").strip().split("\n")[-1]
            why = f"the recorder ended early (exit status {process.returncode}): {last[:300]}"
            note_outcome(folder, "aborted", why)

    def _wait_for_restart(self, run: int, folder: Path, waiting: Suspended, sender: Sender) -> None:
        """Wait until the machine goes down with this service; the next one goes on with the run.

        One that does not restart in time, or that a person aborts, ends the run.
        """
        self.say(f"run {run}: waits for this machine to be restarted")
        until = time.monotonic() + waiting.within_s
        aborted = False
        while not self.stopping.is_set() and time.monotonic() < until and not aborted:
            try:
                told = {
                    **read_live(folder),
                    "restarting_s": waiting.within_s,
                    "restarting_by_hand": waiting.by_hand,
                }
                aborted = bool(self.client.heartbeat(run, told).get("abort"))
                sender.send(finished=False)
            except ServerAway as away:
                self._server_is_away(away)
            except ServerRefused as refused:
                self.say(f"run {run}: {refused}")
                aborted = True
            self.stopping.wait(HEARTBEAT_SECONDS)
        if not self.stopping.is_set():
            why = (
                "aborted while the machine was to be restarted"
                if aborted
                else f"the machine did not restart within {waiting.within_s:g} s"
            )
            (folder / RESTARTING).unlink(missing_ok=True)
            note_outcome(folder, "aborted" if aborted else "cut off", why)

    def _roots(self) -> Roots:
        """Where the kernel tells of this machine, or a stand-in does."""
        return Roots.below(self.config.sensors)

    def go_on_after_restart(self) -> None:
        """Play the rest of a run that waited for this machine to be restarted."""
        roots = self._roots()
        for folder in sorted(self.config.spool.glob("run-*")):
            waiting, number = suspended(folder), folder.name.removeprefix("run-")
            if waiting is None or not number.isdigit():
                continue
            if not came_back(waiting, roots):
                (folder / RESTARTING).unlink(missing_ok=True)
                why = "the agent was started anew, and the machine was not restarted"
                note_outcome(folder, "aborted", why)
                continue
            self.say(f"run {number}: goes on after the restart")
            if not roots.simulated:
                replace(waiting, back_ns=began_ns()).keep(folder)
            with machine_to_ourselves(waiting=lambda: self.say("waiting for another session")):
                self._measure(int(number), folder)
                self._deliver(int(number), folder)

    def _end_recorder(self, run: int, process: subprocess.Popen[bytes]) -> None:
        """Have the recorder end the run; whatever it is at, it is ended after some seconds."""
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(STOP_SECONDS)
        except subprocess.TimeoutExpired:
            self.say(f"run {run}: the recorder did not end within {STOP_SECONDS} s and is killed")
            process.kill()
            process.wait()

    def _deliver(self, run: int, folder: Path) -> None:
        """Send until it is sealed, or until this service is stopped: then the next start does."""
        while not self.stopping.is_set():
            try:
                self.deliver_once(run, folder)
                self._server_is_back()
                return
            except ServerAway as away:
                self._server_is_away(away)
                self.stopping.wait(AWAY_SECONDS)

    def deliver_once(self, run: int, folder: Path) -> None:
        try:
            Sender(self.client, run, folder).seal()
            self.say(f"run {run}: sent")
            shutil.rmtree(folder)
        except ServerRefused as refused:
            self.say(f"run {run}: the server refuses it ({refused}); it stays in {folder}")
            (folder / "refused").write_text(str(refused))
            self._tell_refused(run, str(refused))

    def _tell_refused(self, run: int, why: str) -> None:
        """Let whoever waits for the run know that it is kept here, and why it was not taken."""
        try:
            self.client.tell_refused(run, why)
        except (ServerAway, ServerRefused) as untold:
            self.say(f"run {run}: the server could not be told ({untold})")

    def send_left_over(self) -> None:
        """Runs that an earlier service measured, but could not send to the end."""
        for folder in sorted(self.config.spool.glob("run-*")):
            if (folder / "refused").exists() or not (folder / "assignment.json").exists():
                continue
            number = folder.name.removeprefix("run-")
            if not number.isascii() or not number.isdigit():
                self._set_aside(folder, "it is no run of this rig")
                continue
            try:
                if not any(entry["kind"] == "outcome" for entry in SpoolReader(folder).journal()):
                    note_outcome(folder, "aborted", "the agent on the rig ended before the run did")
                self.deliver_once(int(number), folder)
            except (ValueError, KeyError, TypeError, RuntimeError) as damage:
                kept = self._set_aside(folder, str(damage))
                self._tell_refused(int(number), f"its record is damaged: {damage}; see {kept.name}")

    def _set_aside(self, folder: Path, why: str) -> Path:
        """Keep a folder that cannot be sent under a name that nobody takes for a run."""
        names = (folder.with_name(f"set-aside-{folder.name}-{n}") for n in count(1))
        kept = next(name for name in names if not name.exists())
        folder.rename(kept)
        self.say(f"{folder.name} cannot be sent and is set aside as {kept.name}: {why[:300]}")
        return kept

    def forget_refusals(self) -> None:
        """Try once more what the server refused: a newer one may take it, or from a newer agent."""
        for refused in self.config.spool.glob("run-*/refused"):
            refused.unlink(missing_ok=True)


def _changed_ns(file: Path | None) -> int:
    """When a file was last changed; 0 where there is none."""
    try:
        return file.stat().st_mtime_ns if file else 0
    except OSError:
        return 0


def note_outcome(folder: Path, outcome: str, detail: str) -> None:
    """Write the outcome of a run that cannot write it itself."""
    folder.mkdir(parents=True, exist_ok=True)
    if not (folder / "assignment.json").exists():
        (folder / "assignment.json").write_text("{}")
    keep_pictures_left(folder)
    writer = SpoolWriter(folder, 0)
    last = max((entry["at"] for entry in SpoolReader(folder).journal()), default=0)
    writer.journal({"kind": "outcome", "at": last, "outcome": outcome, "detail": detail})
    writer.close()


def prepare(folder: Path, assignment: Assignment, config: RigConfig, client: Client) -> None:
    """A fresh folder with the assignment and its fixtures, each checked. Raises RunRefused."""
    if folder.exists():
        shutil.rmtree(folder)
    (folder / "work").mkdir(parents=True)
    name = assignment["program"]
    if name not in config.programs:
        known = ", ".join(sorted(config.programs)) or "none"
        raise RunRefused(f"this rig may not start “{name}”; it may start: {known}")
    local = {**assignment, "program": config.programs[name]}
    local |= {"display": config.display, "packages": config.packages}
    local |= {"session_user": config.session_user, "counters": config.counters}
    local |= {"sensors": config.sensors, "restart": config.restart}
    (folder / "assignment.json").write_text(json.dumps(local))
    try:
        SessionUser.named(config.session_user).let_through(folder, config.spool)
    except NoSuchUser as error:
        raise RunRefused(str(error)) from error
    if assignment.get("state"):
        put_state(folder, str(assignment["state"]), config, client)
    for fixture in assignment["fixtures"]:
        put_fixture(
            folder / "work", fixture, client.fixture(fixture["sha256"]),
            runnable=config.runnable_fixtures,
        )  # fmt: skip


def put_state(folder: Path, sha256: str, config: RigConfig, client: Client) -> None:
    """Let the run's programs find a prepared home. Raises RunRefused where that cannot be."""
    if config.states_from != "anywhere" and not prepared.made_here(config.spool, sha256):
        raise RunRefused(
            "this rig takes only prepared states that were made on it: keep one from a rehearsal "
            "here, or say “states_from”: “anywhere” in its own file"
        )
    data = client.state(sha256)
    if prepared.digest(data) != sha256:
        raise RunRefused("the prepared state is not the one that was asked for")
    try:
        prepared.unpack(data, folder / "home")
    except prepared.NotPrepared as error:
        raise RunRefused(str(error)) from error


def put_fixture(work: Path, fixture: NamedFixture, data: bytes, *, runnable: bool = False) -> None:
    """Write a fresh copy of a fixture. Raises RunRefused where it may not be, or is another.

    Whoever writes a session must not run code of their own here: what a program may run or load is
    taken only where the rig's own file says so.
    """
    name = str(fixture["name"])
    if not is_fixture_name(name):
        raise RunRefused(f"a fixture may not be called “{name[:80]}” on this rig")
    kind = "" if runnable else runnable_kind(name, data)
    if kind:
        raise RunRefused(
            f"the fixture {name} is {kind}, which a program may run or load: this rig takes such "
            "files only where its own file says “runnable_fixtures”: true"
        )
    found = hashlib.sha256(data).hexdigest()
    if found != fixture["sha256"]:
        raise RunRefused(
            f"the fixture {fixture['name']} is not the one of the script: "
            f"SHA-256 {found[:12]}… instead of {fixture['sha256'][:12]}…"
        )
    (work / name).write_bytes(data)
