"""Drafting: what is done on a display is heard, and the script written from it does the same."""

import json
import subprocess
import sys
import threading
import time

import pytest
from sessions import HERE, SDL
from test_known_truth import python_for

from yardstick_agent.clock import MS, now_ns
from yardstick_agent.display.input import Input
from yardstick_agent.display.listening import Listener
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.sampling import processes
from yardstick_core.script import keys, parse

pytestmark = pytest.mark.screen


@pytest.fixture
def display():
    with VirtualDisplay(640, 480) as display:
        yield display.name


def heard_of(display, act):
    heard = []
    listener = Listener(display, heard.append)
    listener.start()
    inputs = Input(display)
    time.sleep(0.2)
    act(inputs)
    time.sleep(0.3)
    inputs.close()
    listener.stop()
    return heard


def test_every_key_and_button_is_heard_with_its_meaning(display):
    heard = heard_of(display, lambda inputs: (inputs.press("Ctrl+O"), inputs.type("A織")))
    down = [one.code for one in heard if one.kind == "key" and one.down]
    assert down[:2] == [keys.MODIFIERS["Ctrl"], ord("o")]
    assert ord("A") in down
    assert keys.character_keysym("織") in down
    assert sum(one.down for one in heard) == sum(not one.down for one in heard)


def test_the_pointer_is_heard_where_it_was(display):
    def act(inputs):
        inputs.click(50, 60, "right", False)
        inputs.scroll("down", 3, (70, 80))
        inputs.drag((10, 20), (110, 220), 200_000_000)

    heard = [one for one in heard_of(display, act) if one.kind == "button"]
    assert [(one.code, one.x, one.y) for one in heard[:2]] == [(3, 50, 60), (3, 50, 60)]
    assert sum(one.code == 5 and one.down for one in heard) == 3
    start, end = heard[-2:]
    assert (start.x, start.y, end.x, end.y) == (10, 20, 110, 220)
    assert 150 <= (end.at_ns - start.at_ns) / 1e6 <= 400


def test_keys_told_late_keep_their_order_and_their_time(display):
    """A listener that is kept waiting: when a key was heard is said by the display."""
    heard, told = [], []

    def tell(one):
        time.sleep(0.02)
        heard.append(one)
        told.append(now_ns())

    listener = Listener(display, tell)
    listener.start()
    inputs = Input(display)
    time.sleep(0.2)
    began = now_ns()
    inputs.type("tea-towel")
    time.sleep(1)
    inputs.close()
    listener.stop()
    down = [one for one in sorted(heard, key=lambda one: one.at_ns) if one.down]
    assert "".join(map(keys.keysym_character, (one.code for one in down))) == "tea-towel"
    assert began - MS <= down[0].at_ns
    # told one after another, each late by all before it; they came as close as they were typed
    assert down[-1].at_ns - down[0].at_ns < (told[-1] - told[0]) / 2
    assert down[-1].at_ns < told[-1]


class Work:
    """A drafting under way, worked with from elsewhere."""

    def __init__(self, folder, command, fixtures=()):
        self.folder = folder
        (folder / "work").mkdir(parents=True)
        head = "".join(f'  fixture f{n} = "{name}"\n' for n, name in enumerate(fixtures))
        assignment = {
            "script": f'session "S"\n{head}step "A"\n  start\n',
            "program": {"command": command, "log": "subject.log"},
        }
        (folder / "assignment.json").write_text(json.dumps(assignment))
        self.process = subprocess.Popen(
            [sys.executable, "-m", "yardstick_agent.playing.drafting", str(folder)]
        )

    def wait_for(self, true, seconds=15):
        deadline = time.monotonic() + seconds
        while not true():
            assert time.monotonic() < deadline, "waited too long"
            time.sleep(0.02)

    def do(self, **hand):
        with open(self.folder / "hands.jsonl", "a") as file:
            file.write(json.dumps(hand) + "\n")

    def logged(self, text):
        log = self.folder / "work/subject.log"
        return log.exists() and text in log.read_text()

    def draft(self):
        assert self.process.wait(20) == 0
        return (self.folder / "draft.session").read_text()


def test_work_done_through_the_picture_becomes_a_script(tmp_path):
    work = Work(tmp_path / "run", [python_for("qt"), str(HERE / "acting.py"), "qt"])
    work.wait_for(lambda: work.logged("ready"))
    time.sleep(0.5)
    work.do(kind="click", x=640, y=400)
    time.sleep(0.6)
    work.do(kind="type", keys="d")
    time.sleep(1.5)
    work.do(kind="type", keys="c")
    time.sleep(1.0)
    work.do(kind="click", x=640, y=400)
    time.sleep(0.6)
    work.do(kind="type", keys="n")
    work.wait_for(lambda: work.logged("woven"))
    assert (work.folder / "picture.png").read_bytes().startswith(b"\x89PNG")
    assert json.loads((work.folder / "live.json").read_text())["heard"] >= 3
    time.sleep(1.7)
    work.do(kind="type", keys="q")
    text = work.draft()
    parse(text)
    assert 'until window "Acting" is steady' in text
    assert 'until window "Save as" is shown' in text
    assert 'until window "Save as" is gone' in text
    assert "click at " in text
    assert "the log said: woven 1,234 picks" in text
    assert text.endswith('step "End"\n  until exited, within 10s\n')


def test_ending_the_work_leaves_no_process_and_a_script_that_stops(tmp_path):
    work = Work(tmp_path / "run", SDL)
    work.wait_for(lambda: work.logged("ready"))
    pids = [json.loads(line)["pid"] for line in (work.folder / "processes.jsonl").open()]
    work.process.terminate()
    text = work.draft()
    assert "  stop\n" in text
    assert not any(map(processes.alive, pids))


def test_a_draft_played_does_the_same_again(tmp_path):
    """The whole circle: work, draft, play the draft, and find the same in the program's log."""
    from sessions import played

    command = [python_for("tk"), str(HERE / "typed_tk.py")]
    work = Work(tmp_path / "draft", ["/usr/bin/python3", *command[1:]])
    work.wait_for(lambda: work.logged("ready"))
    time.sleep(0.5)
    for text in ("loom ", "and reed"):
        work.do(kind="type", keys=text)
        time.sleep(0.2)
    work.do(kind="press", keys="Enter")
    work.wait_for(lambda: work.logged("typed: loom and reed"))
    time.sleep(0.3)
    threading.Timer(0.1, work.process.terminate).start()
    script = work.draft()
    run = played(tmp_path, script, ["/usr/bin/python3", *command[1:]])
    assert run.outcome == "finished", run.detail
    assert "typed: loom and reed" in (tmp_path / "run/work/subject.log").read_text()
