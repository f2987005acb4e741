"""A session that goes on after its machine was restarted; a stand-in takes the machine's place."""

import json
import os
import socket
import subprocess
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from sessions import SDL, prepared

from stand_in import StandIn
from yardstick_agent import user_service
from yardstick_agent.cli import measure
from yardstick_agent.clock import now_ns
from yardstick_agent.config import RigConfig
from yardstick_agent.display.errors import DisplayError
from yardstick_agent.display.virtual import VirtualDisplay, authority
from yardstick_agent.playing import restarting
from yardstick_agent.sampling import processes
from yardstick_agent.sampling.machine import memory_used
from yardstick_agent.sampling.sources import Roots
from yardstick_agent.service import Service
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_core.readings import derive
from yardstick_core.readings.restarts import during_restarts, restart_readings
from yardstick_core.script import parse
from yardstick_core.script.model import ScriptError

S = 1_000_000_000
SCRIPT = """session "Restart"
step "Before"
  start
  until log "ready"
  press q
  until exited
step "Again"
  time back
    restart, within 20s
    start
    until window "Truth" is steady for 300ms
  press q
  until exited
"""


@pytest.fixture
def machine(tmp_path):
    return StandIn(tmp_path / "machine")


def run_folder(tmp_path, machine, restart, script=SCRIPT):
    folder = prepared(tmp_path / "run", script, SDL)
    assignment = json.loads((folder / "assignment.json").read_text())
    assignment |= {"sensors": str(machine.folder), "restart": restart}
    (folder / "assignment.json").write_text(json.dumps(assignment))
    return folder


@pytest.mark.screen
def test_a_session_goes_on_where_it_was_and_says_what_the_restart_took(tmp_path, machine):
    asked = tmp_path / "asked"
    folder = run_folder(tmp_path, machine, {"command": ["touch", str(asked)]})
    measure(folder)
    assert asked.exists()
    assert restarting.suspended(folder) is not None
    assert not [e for e in SpoolReader(folder).journal() if e["kind"] == "outcome"]
    before = SpoolReader(folder).run().counters["machine.busy_seconds"][1][-1]
    time.sleep(1.0)
    machine.boot("second", 0.4)
    machine.firmware(7.25)
    assert measure(folder) == "finished"
    run = SpoolReader(folder).run()
    assert [s.path for s in run.stretches if s.kind == "step"] == [("Before",), ("Again",)]
    found = {one.metric: one for one in derive(run) if one.stretch == ("Again", "back")}
    took = found["restart"]
    assert 1.0 < took.value < 15
    assert (took.plus_minus, took.warning) == (1.0, "simulated")
    assert found["restart_up"].value == pytest.approx(0.4, abs=0.01)
    assert (found["restart_firmware"].value, found["restart_firmware"].plus_minus) == (7.25, 0.0)
    assert found["memory_after_restart"].value == pytest.approx(memory_used() / 2**20, rel=0.5)
    assert found["restart_down"].value == pytest.approx(took.value - 0.4, abs=0.01)
    back = next(s for s in run.stretches if s.kind == "time" and s.path == ("Again", "back"))
    assert back.duration_s > took.value
    busy = run.counters["machine.busy_seconds"]
    assert (busy[1][1:] >= busy[1][:-1] - 1e-9).all(), "what counts on goes on counting"
    assert busy[1][-1] >= before
    assert (run.frames_ns[1:] > run.frames_ns[:-1]).all()
    assert restarting.suspended(folder) is None


@pytest.mark.screen
def test_a_run_that_began_before_this_start_of_its_machine_goes_on(tmp_path, machine):
    """As on a real one, whose clock begins anew: the run's origin is before its zero."""
    folder = run_folder(tmp_path, machine, {"command": ["true"]})
    measure(folder)
    waiting = json.loads((folder / restarting.FILE).read_text())
    waiting["origin_s"] -= now_ns() / 1e9 + 1000
    (folder / restarting.FILE).write_text(json.dumps(waiting))
    machine.boot("second", 0.4)
    assert measure(folder) == "finished"
    run = SpoolReader(folder).run()
    assert (run.frames_ns > 1000 * S).any()


@pytest.mark.screen
def test_a_display_of_the_rigs_own_is_waited_for(tmp_path, machine):
    """The agent may be started with the machine, and the display by signing in later."""
    script = """session "Restart"
step "Again"
  restart, within 60s
  start
  until window "Truth" is shown
  stop
"""
    folder = run_folder(tmp_path, machine, {"command": ["true"]}, script)
    with VirtualDisplay(320, 200) as display:
        on_display(folder, display.name)
        measure(folder)
    machine.boot("second", 30.0)
    name = f":{10_000 + os.getpid() % 10_000}"
    on_display(folder, name)
    servers = []
    signing_in = threading.Thread(target=sign_in_once_looked_for, args=(name, servers))
    signing_in.start()
    try:
        assert measure(folder) == "finished"
    finally:
        signing_in.join(60)
        servers[0].terminate()
        servers[0].wait()
    found = {one.metric: one for one in derive(SpoolReader(folder).run())}
    assert 15 < found["restart_display"].value <= 30
    assert found["restart_display"].warning == "simulated"


def sign_in_once_looked_for(name, servers):
    """Start a display, but not before somebody has looked for it in vain."""
    path = Path("/tmp/.X11-unix") / f"X{name[1:]}"
    with socket.socket(socket.AF_UNIX) as door:
        door.bind(str(path))
        door.listen()
        door.settimeout(60)
        looked, _ = door.accept()
        looked.close()
    path.unlink()
    command = ["Xvfb", name, "-screen", "0", "320x200x24", "-nolisten", "tcp", "-auth", authority()]
    servers.append(subprocess.Popen(command))


def on_display(folder, name):
    assignment = json.loads((folder / "assignment.json").read_text())
    (folder / "assignment.json").write_text(json.dumps(assignment | {"display": name}))


def test_a_display_that_does_not_come_is_not_waited_for_for_ever():
    with pytest.raises(DisplayError):
        restarting.wait_for_display(":9999999", 0.3, threading.Event())
    stopped = threading.Event()
    stopped.set()
    with pytest.raises(DisplayError):
        restarting.wait_for_display(":9999999", 60, stopped)


@pytest.mark.screen
def test_what_was_wrong_before_a_restart_is_wrong_at_the_end_too(tmp_path, machine):
    text = SCRIPT.replace("  press q\n", '  expect window "Elsewhere" is shown\n  press q\n', 1)
    folder = run_folder(tmp_path, machine, {"command": ["true"]}, text)
    measure(folder)
    machine.boot("second", 0.4)
    assert measure(folder).startswith("wrong result: line 5: expected that window “Elsewhere”")


@pytest.mark.screen
def test_a_rig_whose_file_does_not_allow_it_is_not_restarted(tmp_path, machine):
    folder = run_folder(tmp_path, machine, {})
    assert "does not allow that a session restarts it" in measure(folder)
    text = SCRIPT.replace("restart,", "restart by hand,")
    by_hand = run_folder(tmp_path / "two", machine, {"command": ["true"]}, text)
    assert "does not allow that a session restarts it" in measure(by_hand)


@pytest.mark.screen
def test_a_command_that_fails_ends_the_run_and_says_so(tmp_path, machine):
    folder = run_folder(tmp_path, machine, {"command": ["false"]})
    assert measure(folder) == "cut off: false ended with 1"
    assert restarting.suspended(folder) is None


class Waits:
    """A client that counts heartbeats and asks for nothing, or for an abort."""

    def __init__(self, abort=False):
        self.told, self.abort = [], abort

    def heartbeat(self, run, told):
        self.told.append(told)
        return {"abort": self.abort}

    def send_together(self, *_):
        pass


def suspended_run(tmp_path, within_s=0.3):
    folder = tmp_path / "spool" / "run-7"
    folder.mkdir(parents=True)
    (folder / "assignment.json").write_text("{}")
    waiting = restarting.Suspended(
        3, 0, "Again", [], {}, 10.0, 5.0, "first", within_s, False, [], [], []
    )  # fmt: skip
    waiting.keep(folder)
    return folder, waiting


def service(tmp_path, client, sensors=""):
    config = RigConfig("http://127.0.0.1:9", "t", tmp_path / "spool", sensors=str(sensors))
    return Service(config, client, lambda _: None)


def outcome_of(folder):
    return next(e for e in SpoolReader(folder).journal() if e["kind"] == "outcome")


class Sends:
    def send(self, finished):
        pass


def test_a_machine_that_does_not_come_down_in_time_cuts_the_run_off(tmp_path):
    folder, waiting = suspended_run(tmp_path)
    client = Waits()
    service(tmp_path, client)._wait_for_restart(7, folder, waiting, Sends())
    assert outcome_of(folder)["detail"] == "the machine did not restart within 0.3 s"
    assert client.told[0]["restarting_s"] == 0.3
    assert client.told[0]["restarting_by_hand"] is waiting.by_hand
    assert restarting.suspended(folder) is None


def test_a_recorder_that_ends_early_after_the_restart_is_not_waited_for(tmp_path, machine):
    folder, _ = suspended_run(tmp_path, within_s=600)
    machine.boot("second", 3.0)
    again = service(tmp_path, Waits(), machine.folder)
    (folder / "assignment.json").write_text("no assignment")
    began = time.monotonic()
    again._measure(7, folder)
    assert time.monotonic() - began < 60
    assert "the recorder ended early" in outcome_of(folder)["detail"]
    assert restarting.suspended(folder) is None


def test_an_abort_meanwhile_ends_the_run(tmp_path):
    folder, waiting = suspended_run(tmp_path, within_s=60)
    service(tmp_path, Waits(abort=True))._wait_for_restart(7, folder, waiting, Sends())
    assert outcome_of(folder)["outcome"] == "aborted"


def test_a_service_that_ends_with_its_machine_leaves_the_run_to_the_next(tmp_path):
    folder, waiting = suspended_run(tmp_path, within_s=60)
    ends = service(tmp_path, Waits())
    threading.Timer(0.2, ends.stop).start()
    ends._wait_for_restart(7, folder, waiting, Sends())
    assert restarting.suspended(folder) == waiting
    assert not [e for e in SpoolReader(folder).journal() if e["kind"] == "outcome"]


def test_the_next_service_goes_on_only_where_the_machine_was_started_anew(tmp_path, machine):
    folder, _ = suspended_run(tmp_path)
    again = service(tmp_path, Waits(), machine.folder)
    played = []
    again._measure = lambda run, where: played.append((run, where))
    again._deliver = lambda run, where: None
    machine.boot("second", 3.0)
    again.go_on_after_restart()
    assert played == [(7, folder)]
    machine.boot("first", 9000.0)
    again.go_on_after_restart()
    assert "was not restarted" in outcome_of(folder)["detail"]


def test_what_the_agent_takes_to_go_on_is_not_the_machines(machine):
    roots = Roots.below(str(machine.folder))
    waiting = restarting.Suspended(3, 0, "", [], {}, 10.0, 5.0, "a", 9.0, False, [], [], [])
    asked = time.time() - 60
    waiting = replace(waiting, asked_s=asked, origin_s=asked - 5)
    origin = restarting.continued_origin_ns(waiting)
    machine.boot("second", 30.0)
    late = {key: one for _, key, one, *_ in readings_of(restarting.told(waiting, roots, origin))}
    began = replace(waiting, back_ns=now_ns() - 4 * S)
    early = {key: one for _, key, one, *_ in readings_of(restarting.told(began, roots, origin))}
    assert late["restart_up"] - early["restart_up"] == pytest.approx(4, abs=0.2)
    assert late["restart"] - early["restart"] == pytest.approx(4, abs=0.2)
    assert late["restart_down"] == pytest.approx(early["restart_down"], abs=0.2)


def test_all_is_on_the_disk_before_the_machine_is_asked_to_restart(tmp_path, monkeypatch):
    """What ending programs and writing took is not counted; the note of when it was asked is."""
    folder, _ = suspended_run(tmp_path)
    written = []
    monkeypatch.setattr(
        restarting.os, "sync", lambda: written.append(restarting.suspended(folder).asked_s)
    )
    began = time.time()
    asking = restarting.asking_now(folder)
    assert written[0] == 10.0
    assert began <= written[-1] == asking.asked_s
    assert restarting.asking_now(tmp_path) is None


def readings_of(told):
    return restart_readings([{"kind": "restarted", "path": ["A"], **told}])


def test_when_this_process_began_is_known(tmp_path):
    began = processes.began_ns()
    assert 0 < now_ns() - began < now_ns()
    child = subprocess.run(
        [sys.executable, "-c", "from yardstick_agent.sampling.processes import began_ns\n"
         "print(began_ns())"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert began < int(child.stdout) < now_ns()


def test_what_was_kept_and_cannot_be_read_is_no_session_that_waits(tmp_path):
    (tmp_path / restarting.FILE).write_text("{")
    assert restarting.suspended(tmp_path) is None
    assert restarting.boot_id(Roots(tmp_path, tmp_path)) == ""


def test_without_a_kernel_start_only_the_whole_is_read():
    entry = {"kind": "restarted", "at": 0, "path": ["A"], "asked": 2 * S, "back": 9 * S,
             "kernel": None, "plus_minus": S}  # fmt: skip
    assert restart_readings([entry]) == [(("A",), "restart", 7.0, 1.0, False, "")]


def rest_read(busy_until_s, begun_s=None, burst_s=None):
    """Rest as read of two cores that are busy until then, and once more for half a second."""
    at = np.arange(0, 40 * S, S // 10)
    seconds = at / S
    rate = np.where(seconds < busy_until_s, 1.6, 0.04)
    if burst_s is not None:
        rate[(seconds >= burst_s) & (seconds < burst_s + 0.5)] = 0.5
    busy = np.cumsum(rate) * 0.1
    counters = {
        "machine.busy_seconds": (at, busy), "machine.cores": (at[:1], np.array([2.0])),
    }  # fmt: skip
    entry = {"kind": "restarted", "at": 9 * S, "path": ["A"], "asked": 0, "back": 9 * S,
             "kernel": 2 * S, "plus_minus": S}  # fmt: skip
    later = [{"kind": "started", "at": begun_s * S}] if begun_s else []
    found = {one.metric: one for one in restart_readings([entry, *later], counters)}
    return found.get("restart_rest")


def test_what_a_machine_does_to_come_up_is_not_others_doing():
    at = np.array([0, 9, 20, 21, 40, 60]) * S
    foreign = np.array([0.0, 0.9, 30.9, 31.0, 38.0, 40.0])
    journal = [
        {"kind": "started", "at": S},
        {"kind": "restarted", "at": 19 * S, "path": ["A"], "asked": 10 * S, "back": 19 * S,
         "kernel": 12 * S, "plus_minus": S},
        {"kind": "started", "at": 40 * S},
    ]  # fmt: skip
    assert during_restarts(journal, (at, foreign), 60 * S) == (31.0, pytest.approx(37.1))
    assert during_restarts(journal[:2], (at, foreign), 60 * S) == (51.0, pytest.approx(39.1))
    assert during_restarts(journal[:1], (at, foreign), 60 * S) == (0.0, 0.0)


def test_a_counter_goes_on_after_a_restart_whether_it_began_anew_or_not(tmp_path):
    before = SpoolWriter(tmp_path, 0)
    for name in ("machine.busy_seconds", "subject.processor_seconds"):
        before.counter(name, S, 50.0)
    before.close()
    after = SpoolWriter(tmp_path, 0)
    after.go_on()
    for at in (9, 10):
        after.counter("machine.busy_seconds", at * S, 42.0 + at)  # of a machine that went on
        after.counter("subject.processor_seconds", at * S, at / 10)
    after.close()
    counters = SpoolReader(tmp_path).run().counters
    assert list(counters["machine.busy_seconds"][1]) == [50.0, 51.0, 52.0]
    assert list(counters["subject.processor_seconds"][1]) == [50.0, 50.9, 51.0]


def test_a_machine_at_rest_is_read_by_itself():
    rest = rest_read(busy_until_s=17)
    assert rest.value == pytest.approx(15, abs=0.6)  # seconds after the kernel's start
    assert not rest.right_censored
    assert rest_read(17, burst_s=25).value == rest.value  # a short burst is no unrest
    assert rest_read(0).value == pytest.approx(7, abs=0.1)  # at rest when the agent goes on


def test_rest_that_did_not_come_before_the_session_went_on_is_longer_than_that():
    rest = rest_read(busy_until_s=17, begun_s=16)
    assert rest.right_censored
    assert rest.value == pytest.approx(16 - 5 - 2, abs=0.2)
    assert rest_read(17, begun_s=12) is None  # not left to itself for long enough


@pytest.mark.parametrize("block", ["repeat 2", "laps 2 as again", "frames look"])
def test_a_restart_is_no_part_of_a_repeat(block):
    with pytest.raises(ScriptError, match="a restart inside"):
        parse(f'session "S"\nstep "A"\n  {block}\n    restart\n')


def test_after_a_restart_nothing_runs_any_more():
    with pytest.raises(ScriptError, match="nothing is running"):
        parse('session "S"\nstep "A"\n  start\n  restart\n  press q\n')
    parse('session "S"\nstep "A"\n  start\n  restart by hand, within 5min\n  start\n  press q\n')


def test_the_file_for_systemd_names_agent_and_rig_and_is_never_written_over(tmp_path):
    config = tmp_path / 'my "rig" 100%.json'
    place = user_service.write(config, tmp_path / "user")
    text = place.read_text()
    assert f'serve "{tmp_path}/my \\"rig\\" 100%%.json"' in text
    assert "WantedBy=default.target" in text
    place.write_text("mine")
    assert user_service.write(config, tmp_path / "user") is None
    assert place.read_text() == "mine"


@pytest.mark.parametrize("said", [b"", b"\6\0\0\0", b"\6\0\0\0x\0", b"\6\0\0\0\xff"])
def test_a_boot_loader_that_leaves_no_number_says_nothing_of_the_firmware(machine, said):
    machine.firmware(1)
    variable = machine.folder / "sys/firmware/efi/efivars" / restarting.KERNEL_STARTED
    variable.write_bytes(said)
    roots = Roots.below(str(machine.folder))
    waiting = restarting.Suspended(3, 0, "", [], {}, 10.0, 5.0, "a", 9.0, False, [], [], [])
    told = restarting.told(waiting, roots, 0)
    assert told["firmware_ns"] is None
    entry = {"kind": "restarted", "path": ["Again"], **told}
    assert "restart_firmware" not in {key for _, key, *_ in restart_readings([entry])}
