"""Every end condition and outcome on three toolkits, against what the program itself noted."""

import json
import os
import signal
import time
from pathlib import Path

import pytest
from PIL import Image
from sessions import HERE, prepared
from test_known_truth import python_for

from yardstick_agent.cli import measure
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive
from yardstick_core.record import RunRecord

pytestmark = pytest.mark.screen

MS = 1_000_000
TOOLKITS = ("tk", "qt", "sdl")


@pytest.fixture(params=TOOLKITS)
def toolkit(request) -> str:
    return str(request.param)


def wanted_picture(spoilt: int = 0) -> Image.Image:
    """The picture that the key p paints, with so many pixels changed."""
    picture = Image.new("RGB", (400, 300), (32, 80, 128))
    picture.paste((192, 64, 32), (0, 0, 200, 150))
    picture.paste((192, 64, 32), (200, 150, 400, 300))
    for number in range(spoilt):
        picture.putpixel((number % 100, number // 100), (0, 255, 0))
    return picture


#: Other tests work beside these, and the program itself may note late what it did; how exact ends
#: are is held by the known truth.
BUSY_NS = 400 * MS


def acted(folder: Path, toolkit: str, *lines: str, head: str = "", how: str = "") -> RunRecord:
    """The record of a session with the acting program."""
    command = [python_for(toolkit), str(HERE / "acting.py"), toolkit, *how.split()]
    body = "".join(f"  {line}\n" for line in lines)
    text = f'session "Acting"\n{head}\nstep "Act"\n{body}'
    run = prepared(folder / "run", text, command)
    for name, spoilt in (("wanted.png", 0), ("spoilt.png", 1300)):
        wanted_picture(spoilt).save(run / "work" / name)
    measure(run)
    return SpoolReader(run).run()


def truth(folder: Path, run: RunRecord) -> dict[str, int]:
    """When the program did what, the last time, in ns since the run's origin."""
    origin = next(entry["clock_ns"] for entry in run.journal if entry["kind"] == "facts")
    lines = (folder / "run/work/truth.jsonl").read_text().splitlines()
    return {entry["what"]: entry["at"] - origin for entry in map(json.loads, lines)}


def ends(run: RunRecord) -> dict[str, tuple[int, int]]:
    return {s.path[-1]: (s.end_ns, s.plus_minus_ns) for s in run.stretches if s.kind == "time"}


HEAD = """\
  fixture wanted = "wanted.png"
  fixture spoilt = "spoilt.png"
  place cloth = region 0,0 200x150
  place caret = region 340,10 30x40
"""


def test_a_picture_that_is_not_there_is_looked_like_by_nothing(tmp_path):
    head = '  fixture cloth = "cloth.png"\n'
    line = 'until picture looks like "cloth.png" within 1%, within 500ms'
    run = acted(tmp_path, "tk", "start", 'until log "ready"', line, head=head)
    assert run.outcome == "cut off"
    assert "“cloth.png” within 1 % did not come true" in run.detail


def test_conditions_of_a_whole_session_hold(tmp_path, toolkit):
    # SDL draws the whole window anew for every blink: there the caret cannot be told apart.
    calm = ("press b", "wait 300ms",
            "time calm", "  until picture except caret is steady for 600ms, within 5s")  # fmt: skip
    run = acted(
        tmp_path, toolkit,
        "start", 'until log "ready"', 'until window "Acting" is steady',
        "time red", "  press p", '  until picture looks like "wanted.png" within 1%, within 5s',
        *(() if toolkit == "sdl" else calm),
        "time dialog", "  press d", '  until window "Save as" is shown, within 5s',
        "wait 300ms",
        "time closed", "  press c", '  until window "Save as" is gone, within 5s',
        "wait 100ms", "click at 200,150", "wait 100ms",
        "time image", "  press i", '  until file "out.png" looks like "wanted.png" within 0.5%',
        "press n",
        r"take picks from log /woven ([\d,]+) picks/ as picks, higher is better",
        "time renamed", "  press r", '  until window "draft" is shown, within 5s',
        "press q", "until exited",
        head=HEAD,
    )  # fmt: skip
    assert run.outcome == "finished", run.detail
    true, end = truth(tmp_path, run), ends(run)
    noted = {"red": "painted", "dialog": "opened", "closed": "closed", "renamed": "renamed"}
    for name, what in noted.items():
        at, plus_minus = end[name]
        assert abs(at - true[what]) <= BUSY_NS + plus_minus, name
    if toolkit != "sdl":
        # The caret blinks on; what is looked at had come to rest before it began.
        calm_at = next(s for s in run.stretches if s.path[-1] == "calm")
        assert calm_at.duration_s < 0.01
    said = [r for r in derive(run) if r.metric.startswith("said")]
    assert [(r.stretch, r.metric, r.value) for r in said] == [
        (("Act", "picks"), "said.higher.picks", 1234.0)
    ]


def test_a_blinking_caret_is_no_change_and_moves_no_end(tmp_path, toolkit):
    """Faster than the quiet that is asked for; SDL draws the whole window anew for every blink."""
    run = acted(
        tmp_path, toolkit,
        "start", 'until log "ready"', 'until window "Acting" is steady',
        "press b", "wait 3s",  # several blinks, on a busy machine too
        "time red", "  press p", "  until picture is steady for 600ms, within 10s",
        "time nothing", "  press z", "  until picture is steady for 600ms, within 10s",
        "press q", "until exited",
    )  # fmt: skip
    assert run.outcome == "finished", run.detail
    at, plus_minus = ends(run)["red"]
    assert abs(at - truth(tmp_path, run)["painted"]) <= BUSY_NS + plus_minus
    assert run.detail == "nothing followed its input: Act / nothing"
    durations = {r.stretch: r.value for r in derive(run) if r.metric == "duration"}
    assert list(durations) == [("Act", "red")]


#: What comes out here is found by the recorder alone, whatever draws the windows.
one_toolkit = pytest.mark.parametrize("toolkit", ["qt"], indirect=True)


@one_toolkit
def test_a_wrong_picture_is_told_with_how_wrong_it_is_and_where(tmp_path, toolkit):
    run = acted(
        tmp_path, toolkit,
        "start", 'until log "ready"', "wait 200ms", "press p", "wait 300ms",
        'expect picture looks like "spoilt.png" within 0.5%', "press q", "until exited",
        head=HEAD,
    )  # fmt: skip
    assert run.outcome == "wrong result"
    assert "(1.1 % of the pixels differ)" in run.detail
    marked = Image.open(tmp_path / "run/pictures/line-13-difference.png").convert("RGB")
    assert marked.size == (400, 300)
    odd = sum(pixel == (200, 30, 140) for pixel in marked.get_flattened_data())
    assert odd == 1300


def test_a_program_that_answers_no_more_hangs(tmp_path, toolkit):
    run = acted(
        tmp_path, toolkit,
        "start", 'until log "ready"', "wait 200ms", "press h", "wait 100ms",
        'until log "loaded", within 500ms',
    )  # fmt: skip
    if toolkit == "tk":  # its windows do not know how to answer, so nobody can tell
        assert run.outcome == "cut off"
    else:
        assert run.outcome == "hung", run.detail
        assert "the program did not answer for 3 s" in run.detail
    assert (tmp_path / "run/pictures/end.png").exists()


@one_toolkit
def test_a_program_that_answers_is_only_cut_off(tmp_path, toolkit):
    lines = ("start", 'until log "ready"', "wait 200ms", 'until log "loaded", within 300ms')
    run = acted(tmp_path, toolkit, *lines)
    assert run.outcome == "cut off", run.detail


@one_toolkit
@pytest.mark.parametrize(
    ("key", "how"), [("x", "killed by SIGKILL"), ("e", "ended with exit status 3")]
)
def test_a_program_that_dies_has_crashed(tmp_path, toolkit, key, how):
    lines = ("start", 'until log "ready"', "wait 200ms", f"press {key}", 'until log "loaded"')
    run = acted(tmp_path, toolkit, *lines)
    assert run.outcome == "crashed"
    assert f"crashed in step “Act”: {how}" in run.detail
    assert "its last words:" in run.detail
    kept = [entry["what"] for entry in run.journal if entry["kind"] == "picture"]
    assert kept == ["the screen when step “Act” began, the last picture before the end"]


def test_a_splash_window_is_not_the_main_one(tmp_path, toolkit):
    run = acted(
        tmp_path, toolkit,
        "time splash", "  start", '  until window "Starting" is shown, within 10s',
        "time main", '  until window "Acting" is steady, within 10s',
        'until log "ready"', 'until window "Starting" is gone',
        how="splash",
    )  # fmt: skip
    assert run.outcome == "finished", run.detail
    true, end = truth(tmp_path, run), ends(run)
    assert end["splash"][0] <= true["splash"] + BUSY_NS
    # its window is made 300 ms after; the splash may be seen late on a busy machine
    assert end["splash"][0] < end["main"][0]
    assert end["main"][0] >= true["splash"] + 290 * MS


def test_a_launcher_that_ends_leaves_its_window_to_its_child(tmp_path, toolkit):
    run = acted(
        tmp_path, toolkit,
        "start", 'until log "ready", within 10s', 'until window "Acting" is steady',
        "time red", "  press p", "  until picture is steady for 300ms",
        "press q", "until exited, within 5s",
        how="launch",
    )  # fmt: skip
    assert run.outcome == "finished", run.detail
    true, end = truth(tmp_path, run), ends(run)
    assert abs(end["red"][0] - true["painted"]) <= BUSY_NS
    used = run.counters["subject.resident"][1]
    assert used.max() > 10_000_000
    started = next(entry["pid"] for entry in run.journal if entry["kind"] == "started")
    assert not any(map(processes.alive, processes.in_sessions({started})))


def test_a_companion_is_started_watched_counted_and_ended(tmp_path):
    loom = "import time; held = bytearray(60_000_000)\nprint('loom warm', flush=True)\n"
    loom += "time.sleep(1.5); print('7,5 threads', flush=True); time.sleep(60)"
    companion = {"command": [python_for("tk"), "-c", loom]}
    text = (
        'session "S"\nstep "A"\n  start "loom"\n  until log of "loom" "loom warm"\n'
        '  start\n  until log "ready"\n  until log of "loom" /threads/\n'
        '  take threads from log of "loom" /([\\d,]+) threads/ as threads, lower is better\n'
        '  stop "loom"\n  until exited of "loom", within 5s\n  wait 200ms\n'
    )
    folder = prepared(tmp_path / "run", text, [python_for("tk"), str(HERE / "acting.py"), "tk"])
    assignment = json.loads((folder / "assignment.json").read_text())
    assignment["program"]["companions"] = {"loom": companion}
    (folder / "assignment.json").write_text(json.dumps(assignment))
    assert measure(folder) == "finished"
    run = SpoolReader(folder).run()
    assert run.counters["companions.resident"][1].max() > 60_000_000
    assert run.counters["subject.resident"][1].max() < 60_000_000
    found = {r.metric: r.value for r in derive(run)}
    assert found["said.lower.threads"] == 7.5
    assert 57 < found["companions_memory"] < 120
    assert found["companions_processor"] < 5


def test_an_unknown_companion_is_refused_by_the_rig(tmp_path):
    text = 'session "S"\nstep "A"\n  start "loom"\n'
    folder = prepared(tmp_path / "run", text, ["true"])
    assert measure(folder) == "not started: this rig knows no companion “loom”; it knows: none"


def test_a_stopped_process_is_seen_to_hang(tmp_path):
    """Stopped from outside, in the middle of a wait, as a debugger or a full terminal does it."""
    import threading

    stopped = threading.Event()

    def stop() -> None:
        journal = tmp_path / "run/journal.jsonl"
        deadline = time.monotonic() + 20
        while time.monotonic() < deadline and not stopped.wait(0.05):
            lines = journal.read_text().splitlines() if journal.exists() else []
            found = [entry for entry in map(json.loads, lines) if entry["kind"] == "mark"]
            if found:
                pid = next(e["pid"] for e in map(json.loads, lines) if e["kind"] == "started")
                os.kill(pid, signal.SIGSTOP)
                return

    thread = threading.Thread(target=stop)
    thread.start()
    lines = ("start", 'until log "ready"', "wait 200ms", "mark now", 'until log "never", within 1s')
    run = acted(tmp_path, "qt", *lines)
    stopped.set()
    thread.join()
    assert run.outcome == "hung", run.detail
