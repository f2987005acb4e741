"""A program from the distribution that nobody here wrote: an X11 text editor of plain widgets.

It draws in windows within windows, states no process id and keeps no log.
"""

import shutil

import pytest
from sessions import prepared

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive
from yardstick_core.readings.latency import ONLY_ANSWERS

pytestmark = pytest.mark.screen

SESSION = """\
session "Type into a strange editor"
  fixture text = "notes.txt"

step "Launch"
  time launch
    start with "{text}"
    until window is steady for 300ms, within 20s

step "Type"
  click at 200,300
  frames typing
    repeat 40 every 50ms
      type "weft "
  press Ctrl+Home
  frames scrolling
    repeat 20 every 50ms
      press Ctrl+V
  press Ctrl+Home
  frames paging at 59.94 Hz
    repeat 8 every 400ms
      press Ctrl+V
  time rest
    press Home
    until picture is steady for 1s, within 10s
"""


def test_a_strange_editor_is_driven_and_measured(tmp_path):
    editor = shutil.which("xedit")
    assert editor, "the tests install it with the package x11-apps"
    folder = prepared(tmp_path / "run", SESSION, [editor], log="")
    lines = "".join(f"pick {number}: {'over under ' * 6}\n" for number in range(900))
    (folder / "work/notes.txt").write_text(lines)
    assert measure(folder) == "finished"
    run = SpoolReader(folder).run()
    found = {(r.stretch[-1], r.metric): r.value for r in derive(run)}
    assert 0.005 < found["launch", "duration"] < 10
    assert 30 <= len([i for i in run.inputs if i.what.startswith("type")]) <= 40
    # A picture for nearly every word typed, each soon after its key.
    assert found["typing", "average_rate"] > 10
    assert found["typing", "key_to_picture"] < 50
    # Pages are there at once and rest until the next: how often was asked is no rate of it.
    pages = {r.metric: r for r in derive(run) if r.stretch[-1] == "paging"}
    assert pages["average_rate"].warning == ONLY_ANSWERS
    assert 0 < pages["key_to_rest"].value < 200
    assert "on_rate.59.94" in pages
    assert found["Whole session", "peak_memory"] > 2
