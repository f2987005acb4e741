"""Whatever is killed in the middle of a run, no sample is lost and none is kept twice.

Each run is played for real by a whole installation; at a random moment one part of it is killed
with signal 9 and started again. What the recorder wrote is held through links to its files, for
these go away once they have been sent; then it is held against what the database has.
"""

from __future__ import annotations

import json
import os
import random
import signal
import sys
import threading
import time
from pathlib import Path

import numpy as np
import psycopg
import pytest

from yardstick_agent.sampling import processes
from yardstick_command import up
from yardstick_command.places import PROJECT, STATE
from yardstick_command.postgres import APPLICATION, Cluster, free_port
from yardstick_core.streams.chunk import decode_counter, decode_frames, decode_journal

pytestmark = pytest.mark.screen

TRUTH = PROJECT / "tests" / "agent" / "truth_sdl.py"
SESSION = """\
session "Frames and a load"
step "Frames"
  start
  until log "ready"
  frames all
    press f
    until log "frames done"
  time load
    press l
    until log "loaded"
  press q
  until exited
"""
_SAMPLE = np.dtype([("at", "<i8"), ("value", "<f8")])


class Installation:
    """Server, worker, rig and a PostgreSQL of its own; what dies is started again."""

    def __init__(self, folder: Path) -> None:
        STATE.mkdir(parents=True, exist_ok=True)
        self.cluster = Cluster("fault-postgres")
        self.cluster.remove()  # whatever an earlier release left in it
        self.cluster.start()
        self.cluster.create_database("faults")
        port, live_port = free_port(), free_port()
        self.environment = up.server_environment(self.cluster, "faults", port, live_port)
        up.manage(self.environment, "migrate", "--verbosity", "0")
        rig_file = folder / "rig.json"
        up.manage(self.environment, "set_up", "--rig", "loft", "--rig-file", str(rig_file))
        rig = json.loads(rig_file.read_text())
        self.spool = folder / "spool"
        rig |= {
            "spool": str(self.spool),
            "programs": {"truth": {"command": [sys.executable, str(TRUTH)], "log": "subject.log"}},
        }
        rig_file.write_text(json.dumps(rig))
        parts = up.parts(self.environment, port, live_port, rig_file)
        self.parts = {part.name: part for part in parts if part.name != "live"}
        self.stopping = threading.Event()
        for part in self.parts.values():
            part.name = f"fault-{part.name}"
            part.start()
        up.wait_until_served(port)
        self._keeper = threading.Thread(target=self._keep_alive, daemon=True)
        self._keeper.start()

    def _keep_alive(self) -> None:
        while not self.stopping.wait(0.3):
            if self.cluster.process is not None and self.cluster.process.poll() is not None:
                self.cluster.start()
            for part in self.parts.values():
                if part.process is not None and part.process.poll() is not None:
                    part.start()

    def close(self) -> None:
        self.stopping.set()
        self._keeper.join(30)
        for part in reversed(self.parts.values()):
            part.stop()
        self.cluster.stop()

    def ask(self, query: str, *values: object) -> list[tuple]:
        """What the database answers; asked again while it is away."""
        deadline = time.monotonic() + 30
        while True:
            try:
                with psycopg.connect(
                    host="127.0.0.1", port=self.cluster.port, dbname="faults",
                    user=APPLICATION, password=self.cluster.password, autocommit=True,
                ) as connection:  # fmt: skip
                    cursor = connection.execute(query, values)
                    return cursor.fetchall() if cursor.description else []
            except psycopg.OperationalError:
                assert time.monotonic() < deadline, "the database did not come back"
                time.sleep(0.2)

    def queue(self) -> int:
        """A study of one variant with one run waiting; the run."""
        code = (
            "from yardstick_server.accounts.models import Workspace\n"
            "from yardstick_server.studies.models import Study\n"
            "w = Workspace.objects.get()\n"
            "s, _ = w.subjects.get_or_create(name='Weftwright')\n"
            "v, _ = s.variants.get_or_create(name='4.2', program='truth')\n"
            "n = Study.objects.create(workspace=w, subject=s, question='Q', factor='release')\n"
            "n.study_variants.create(variant=v, position=0)\n"
            f"n.keep_script({SESSION!r})\n"
            "p = n.plan; p.cold_rounds = 0; p.background_cpu_limit = 100; p.save()\n"
            "n.add_rounds(1); print(n.runs.get().pk)"
        )
        return int(up.manage(self.environment, "shell", "-v", "0", "-c", code).strip())


@pytest.fixture(scope="module")
def installation(tmp_path_factory):
    made = Installation(tmp_path_factory.mktemp("faults"))
    yield made
    made.close()


def wait_for(true, seconds: float = 60.0):
    deadline = time.monotonic() + seconds
    while not (found := true()):
        assert time.monotonic() < deadline, "waited too long"
        time.sleep(0.05)
    return found


def hold(run: Path, kept: Path) -> None:
    """Link every file of the record, so that it is still there once it has been sent."""
    for file in [*run.glob("*.raw"), *run.glob("*.jsonl"), *run.glob("counters/*.raw")]:
        link = kept / file.relative_to(run)
        link.parent.mkdir(parents=True, exist_ok=True)
        if not link.exists():
            try:
                os.link(file, link)
            except FileNotFoundError:
                continue


def kill_part(installation: Installation, name: str) -> None:
    os.killpg(installation.parts[name].process.pid, signal.SIGKILL)


def noted(run: Path) -> list[int]:
    return [json.loads(line)["pid"] for line in (run / "processes.jsonl").read_text().splitlines()]


def started(run: Path) -> int:
    entries = map(json.loads, (run / "journal.jsonl").read_text().splitlines())
    return next(entry["pid"] for entry in entries if entry["kind"] == "started")


KILLS = {
    "server": lambda installation, run: kill_part(installation, "api"),
    "database": lambda installation, run: installation.cluster.process.kill(),
    "agent": lambda installation, run: kill_part(installation, "agent"),
    "recorder": lambda installation, run: os.kill(recorder(run), signal.SIGKILL),
    "subject": lambda installation, run: os.kill(started(run), signal.SIGKILL),
}
OUTCOMES = {
    "server": "finished",
    "database": "finished",
    "agent": "aborted",
    "recorder": "aborted",
    "subject": "crashed",
}


def recorder(run: Path) -> int:
    """The process that measures: the one noted that is no display, manager or subject."""
    for pid in noted(run):
        try:
            if b"playing.measure" in Path(f"/proc/{pid}/cmdline").read_bytes():
                return pid
        except OSError:
            continue
    raise AssertionError("nobody measures")


@pytest.mark.parametrize("victim", list(KILLS))
def test_nothing_is_lost_or_doubled(installation, tmp_path, victim, say):
    number = installation.queue()
    run = installation.spool / f"run-{number}"
    frames = run / "frames.raw"
    wait_for(lambda: frames.exists() and frames.stat().st_size > 8 * 20)
    stop = threading.Event()

    def holding() -> None:
        while not stop.wait(0.02):
            hold(run, tmp_path)

    holder = threading.Thread(target=holding)
    holder.start()
    moment = random.uniform(0.1, 3.5)
    time.sleep(moment)
    pids = noted(run)
    KILLS[victim](installation, run)
    query = "SELECT outcome FROM runs_run WHERE id = %s AND outcome <> ''"
    ((outcome,),) = wait_for(lambda: installation.ask(query, number), 90)
    stop.set()
    holder.join()
    say(f"fault: {victim} killed after {moment:.2f} s of frames: {outcome}")
    assert outcome == OUTCOMES[victim]
    assert same(installation, number, tmp_path) > 50
    wait_for(lambda: not run.exists(), 10)
    wait_for(lambda: not any(map(processes.alive, pids)), 10)


def same(installation: Installation, number: int, kept: Path) -> int:
    """Hold every stream of a run against what was written; the number of samples compared."""
    rows = installation.ask(
        "SELECT stream, sequence, data FROM traces_chunk WHERE run_id = %s ORDER BY 1, 2", number
    )
    streams: dict[str, list[bytes]] = {}
    for stream, sequence, data in rows:
        parts = streams.setdefault(stream, [])
        assert sequence == len(parts)
        parts.append(bytes(data))
    compared = 0
    written = np.frombuffer((kept / "frames.raw").read_bytes(), "<i8")
    arrived = np.concatenate([decode_frames(part) for part in streams["frames"]])
    assert len(arrived) == len(written)
    assert np.abs(arrived - written).max() <= 100  # ticks of 100 ns
    compared += len(written)
    for file in sorted((kept / "counters").glob("*.raw")):
        written = np.frombuffer(file.read_bytes(), _SAMPLE)
        pairs = [decode_counter(part) for part in streams[file.stem]]
        values = np.concatenate([values for _, values in pairs])
        assert np.array_equal(values, written["value"]), file.stem
        compared += len(written)
    lines = (kept / "journal.jsonl").read_text().splitlines()
    entries = [entry for part in streams["journal"] for entry in decode_journal(part)]
    assert len(entries) == len(lines)
    return compared + len(lines)
