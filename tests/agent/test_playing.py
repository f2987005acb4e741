"""Playing a session on a real display: inputs arrive, ends are told apart, nothing stays behind."""

import json
import os
import signal
import subprocess
import sys
import time
from itertools import pairwise
from pathlib import Path

import pytest
from sessions import HERE, SDL, played, prepared, script

from yardstick_agent import leftovers
from yardstick_agent.cli import measure
from yardstick_agent.lock import BusyError, machine_to_ourselves
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader
from yardstick_command.places import SOURCES
from yardstick_core.readings import derive

pytestmark = pytest.mark.screen


def test_a_condition_that_never_comes_true_cuts_the_run_off_and_keeps_all(tmp_path):
    text = script("time never", "  press l", '  until log "no such line", within 1s')
    run = played(tmp_path, text, SDL)
    assert run.outcome == "cut off"
    assert "line 7: log “no such line” did not come true within 1 s" in run.detail
    never = next(s for s in run.stretches if s.path[-1] == "never")
    assert never.right_censored
    assert 1.0 <= never.duration_s < 2
    assert len(run.frames_ns) > 0
    assert len(run.counters["subject.resident"][0]) > 10


def test_a_subject_that_dies_is_a_crash_with_its_status_and_last_text(tmp_path):
    program = "import sys, time; print('loom on fire', flush=True); time.sleep(0.4); sys.exit(3)"
    text = 'session "S"\nstep "Weave"\n  start\n  until log "never", within 5s\n'
    run = played(tmp_path, text, [sys.executable, "-c", program])
    assert run.outcome == "crashed"
    assert "in step “Weave”: ended with exit status 3" in run.detail
    assert "loom on fire" in run.detail


def test_a_killed_subject_names_the_signal(tmp_path):
    program = "import os, signal; os.kill(os.getpid(), signal.SIGSEGV)"
    text = 'session "S"\nstep "A"\n  start\n  until window is shown, within 5s\n'
    run = played(tmp_path, text, [sys.executable, "-c", program])
    assert run.outcome == "crashed"
    assert "SIGSEGV" in run.detail


def test_a_subject_that_cannot_be_started_says_so(tmp_path):
    run = played(tmp_path, script(), ["/no/such/program"])
    assert run.outcome == "not started"
    nowhere = "cannot be started: there is no such program on this machine"
    assert run.detail == f"“/no/such/program” {nowhere}"
    (tmp_path / "plain").write_text("no program")
    run = played(tmp_path / "other", script(), [str(tmp_path / "plain")])
    assert run.detail == f"“{tmp_path}/plain” cannot be started: Permission denied"


@pytest.mark.quiet
def test_scheduled_inputs_do_not_slip_and_their_lateness_is_known(tmp_path):
    run = played(tmp_path, script("repeat 20 every 50ms", "  press x", "wait 100ms"), SDL)
    sent = [i for i in run.inputs if i.what == "press x"]
    assert len(sent) == 20
    assert all(i.late_ns >= 0 for i in sent)
    # However late each came, it was due when the script says: lateness does not add up.
    due = [i.at_ns - i.late_ns for i in sent]
    assert [(b - a) / 1e6 for a, b in pairwise(due)] == pytest.approx([50] * 19, abs=1.5)


def test_a_subject_is_asked_to_close_before_it_is_killed(tmp_path):
    program = str(HERE / "typed_tk.py")
    python = "/usr/bin/python3"
    text = script("stop", "until exited, within 5s")
    run = played(tmp_path, text, [python, program])
    assert run.outcome == "finished"
    assert "asked to close" in (tmp_path / "run/work/subject.log").read_text()


def test_text_beyond_ascii_arrives_as_typed(tmp_path):
    text = script('type "Käse, 織 Ω!"', "press Enter", 'until log "typed"', "stop")
    played(tmp_path, text, ["/usr/bin/python3", str(HERE / "typed_tk.py")])
    assert "typed: Käse, 織 Ω!" in (tmp_path / "run/work/subject.log").read_text()


def test_pointer_input_lands_at_window_coordinates(tmp_path):
    text = script(
        "until window is steady for 300ms",
        "click right at 40,30",
        "scroll down 3 at 100,50",
        'until log "wheel 3"',
        "drag 10,10 to 60,40 over 120ms",
        'until log "released 60,40"',
        "stop",
    )
    run = played(tmp_path, text, ["/usr/bin/python3", str(HERE / "typed_tk.py")])
    assert run.outcome == "finished"
    log = (tmp_path / "run/work/subject.log").read_text()
    assert "button 3 at 40,30" in log
    assert "released 60,40" in log


def test_an_input_to_a_place_waits_for_a_window_that_is_not_shown_yet(tmp_path):
    program = f"sleep 1.5; exec /usr/bin/python3 {HERE / 'typed_tk.py'}"
    text = (
        'session "S"\nstep "Click"\n  start\n  click right at 40,30\n'
        '  until log "button 3 at 40,30", within 5s\n  stop\n'
    )
    run = played(tmp_path, text, ["/bin/sh", "-c", program])
    assert run.outcome == "finished", run.detail

    assert run.inputs[0].what == "click right"
    assert run.inputs[0].at_ns - run.stretches[0].start_ns > 1_400_000_000


def test_an_input_to_a_place_without_a_window_cuts_the_run_off(tmp_path):
    text = 'session "S"\nstep "Click"\n  start\n  click at 40,30\n'
    run = played(tmp_path, text, ["/bin/sleep", "60"])
    assert run.outcome == "cut off"
    assert run.detail == "no window takes the input of step “Click”"
    died = played(tmp_path / "died", text, ["/bin/sh", "-c", "sleep 0.3; exit 3"])
    assert died.outcome == "crashed"
    assert not died.inputs


def test_an_abort_ends_the_run_keeps_the_record_and_leaves_nothing_behind(tmp_path):
    folder = prepared(tmp_path / "run", script("wait 30s"), SDL)
    process = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
    )
    wait_for(lambda: any(e["kind"] == "started" for e in SpoolReader(folder).journal()))
    time.sleep(0.8)
    process.send_signal(signal.SIGTERM)
    assert process.wait(15) == 0
    run = SpoolReader(folder).run()
    assert run.outcome == "aborted"
    assert len(run.frames_ns) > 0
    pid = next(e["pid"] for e in run.journal if e["kind"] == "started")
    assert not Path(f"/proc/{pid}").exists()


def test_kill_9_of_the_recorder_loses_no_sample_and_leaves_no_process(tmp_path):
    folder = prepared(tmp_path / "run", script("press f", "wait 30s"), SDL)
    process = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)],
        start_new_session=True,
    )
    frames = folder / "frames.raw"
    wait_for(lambda: frames.exists() and frames.stat().st_size > 8 * 60)
    process.kill()
    process.wait()
    kept = SpoolReader(folder).run()
    assert len(kept.frames_ns) >= 60
    assert kept.outcome == "cut off"
    noted = [json.loads(line)["pid"] for line in (folder / leftovers.FILE).read_text().splitlines()]
    assert len(noted) >= 3  # display, window manager, subject
    leftovers.end_all(folder)
    assert not any(processes.alive(pid) for pid in noted)


def wait_for(true, seconds: float = 15) -> None:
    deadline = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < deadline, "waited too long"
        time.sleep(0.02)


def test_only_one_session_is_measured_at_a_time(tmp_path):
    lock = tmp_path / "lock"
    taken = pytest.raises(BusyError)
    with machine_to_ourselves(path=lock), taken, machine_to_ourselves(wait=False, path=lock):
        pass
    with machine_to_ourselves(wait=False, path=lock):
        pass


def test_the_agent_plays_alone_prints_readings_and_writes_a_file(tmp_path):
    file = tmp_path / "one.session"
    file.write_text(script("time load", "  press l", '  until log "loaded"'))
    out = tmp_path / "one.run"
    command = [sys.executable, "-m", "yardstick_agent", "play", str(file), "--log", "subject.log"]
    command += ["--variant", " ".join(SDL), "--out", str(out)]
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    assert "\nTimes\n  load in Only" in done.stdout
    assert out.stat().st_size > 1000


def test_the_agent_shows_a_script_with_mistakes_where_they_are(tmp_path):
    file = tmp_path / "bad.session"
    file.write_text(script("pres Enter"))
    command = [sys.executable, "-m", "yardstick_agent", "play", str(file), "--variant", "true"]
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 2
    assert "line 5, column 3" in done.stderr
    assert "did you mean “press”?" in done.stderr


def test_laps_are_noted_one_by_one_with_the_timing_in_them(tmp_path):
    text = script(
        "laps 4 as turn", "  time answer", "    press l", '    until log "loaded"', "  wait 50ms"
    )
    run = played(tmp_path, text, SDL)
    assert run.outcome == "finished"
    laps = [s for s in run.stretches if s.kind == "lap"]
    assert [lap.path for lap in laps] == [("Only", "turn")] * 4
    assert all(a.end_ns <= b.start_ns for a, b in pairwise(laps))
    readings = {(r.stretch, r.metric): r for r in derive(run)}
    answers = [s.duration_s for s in run.stretches if s.path == ("Only", "turn", "answer")]
    assert len(answers) == 4
    assert readings[("Only", "turn", "answer"), "duration"].value == pytest.approx(
        sorted(answers)[1] / 2 + sorted(answers)[2] / 2
    )
    assert readings[("Only", "turn"), "lap_time"].value > 0.05


def test_laps_for_a_time_end_with_the_lap_in_which_it_passes(tmp_path):
    run = played(tmp_path, script("for 900ms as soak", "  press x", "  wait 200ms"), SDL)
    assert run.outcome == "finished"
    laps = [s for s in run.stretches if s.kind == "lap"]
    assert 2 <= len(laps) <= 6
    # The time runs from when the first input was due; on a busy machine it is sent later.
    took_ns = laps[-1].end_ns - laps[0].start_ns + run.inputs[0].late_ns
    assert took_ns / 1e6 >= 880


def test_a_wrong_result_is_played_to_the_end_and_is_no_finished_run(tmp_path):
    text = script('expect log "nothing like this", within 200ms', "press x")
    run = played(tmp_path, text, SDL)
    assert run.outcome == "wrong result"
    assert "line 5: expected that log “nothing like this”" in run.detail
    assert [i.what for i in run.inputs] == ["press x"]
    held = [entry["held"] for entry in run.journal if entry["kind"] == "expected"]
    assert held == [False]


def test_a_file_equal_to_a_fixture_is_right(tmp_path):
    text = script('expect file "copy.txt" equals "given.txt", within 5s')
    text = text.replace("step", '  fixture given = "given.txt"\nstep', 1)
    folder = prepared(
        tmp_path / "run", text,
        [sys.executable, "-c", COPIES],
    )  # fmt: skip
    (folder / "work" / "given.txt").write_text("woven")
    measure(folder)
    assert SpoolReader(folder).run().outcome == "finished"


COPIES = """
import shutil, time
time.sleep(0.3)
shutil.copy("given.txt", "copy.txt")
open("subject.log", "w").write("ready\\n")
time.sleep(20)
"""


ALL_BUSY = """
import os, subprocess, sys, time
one = "import time; end = time.time() + 1.5\\nwhile time.time() < end: pass"
for busy in [subprocess.Popen([sys.executable, "-c", one]) for _ in range(os.cpu_count())]:
    busy.wait()
time.sleep(60)
"""


@pytest.mark.quiet
def test_waiting_for_the_processor_to_be_quiet(tmp_path):
    text = 'session "S"\nstep "A"\n  start\n  time calm\n'
    text += "    until cpu is below 70% for 500ms, within 60s\n"
    run = played(tmp_path, text, [sys.executable, "-c", ALL_BUSY])
    assert run.outcome == "finished"
    calm = next(s for s in run.stretches if s.path[-1] == "calm")
    assert calm.duration_s > 0.7
    assert calm.plus_minus_ns == 50_000_000


SETTLED = 'session "S"\n  every run\n    settle cpu below {share} for 300ms, within 1s\n'


def test_a_machine_that_does_not_settle_refuses_the_run(tmp_path):
    text = SETTLED.format(share="0.001%") + 'step "A"\n  start\n'
    busy = subprocess.Popen([sys.executable, "-c", "while True: pass"])
    try:
        run = played(tmp_path, text, SDL)
    finally:
        busy.kill()
        busy.wait()
    assert run.outcome == "refused"
    assert "line 3 asks that cpu is below 0.001 % for 300 ms" in run.detail
    assert run.stretches == ()


def test_how_long_a_machine_took_to_settle_is_noted(tmp_path):
    text = SETTLED.format(share="200%") + 'step "A"\n  start\n  until log "ready"\n'
    run = played(tmp_path, text, SDL)
    assert run.outcome == "finished"
    (settled,) = (entry for entry in run.journal if entry["kind"] == "precondition")
    assert settled["state"] == "passed"
    waited_s = float(settled["found"].removeprefix("after ").removesuffix(" s"))
    assert 0.2 < waited_s < 1.5


@pytest.mark.parametrize("part", ["yardstick_agent.playing.measure", "yardstick_agent.cli"])
def test_what_runs_on_a_rig_reads_in_nothing_that_only_a_server_needs(part):
    code = f"import sys, {part}; sys.exit('scipy' in sys.modules or 'polars' in sys.modules)"
    environment = {**os.environ, "PYTHONPATH": str(SOURCES)}
    assert subprocess.run([sys.executable, "-c", code], env=environment).returncode == 0
