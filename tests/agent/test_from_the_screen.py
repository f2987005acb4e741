"""What a run takes from the screen and from counters of the rig's owner, on a real display."""

import json
import os
import sys

import pytest
from sessions import HERE, prepared

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive

pytestmark = pytest.mark.screen

PYTHON = "/usr/bin/python3" if os.access("/usr/bin/python3", os.X_OK) else sys.executable
SHOWS = [PYTHON, str(HERE / "shows_tk.py")]
SCRIPT = """session "Score"
  place score = region 40,50 160x50
  place elsewhere = region 40,50 160x50 in "Another window"
step "Play"
  start
  until log "ready"
  press Space
  until log "counting"
  take climbing from picture at score as points, higher is better, within 1200ms
  take settled from picture at score as points, higher is better, within 600ms
  take missing from picture at elsewhere as points, higher is better, within 200ms
  press q
  until exited
  wait 600ms
"""


@pytest.fixture(scope="module")
def run(tmp_path_factory):
    folder = prepared(tmp_path_factory.mktemp("shown") / "run", SCRIPT, SHOWS)
    level = folder / "level"
    level.write_text("7\n")
    assignment = json.loads((folder / "assignment.json").read_text())
    assignment["counters"] = [
        {"file": str(level), "name": "fill level", "unit": "%", "every_s": 0.2, "better": "lower"},
        {"command": ["sh", "-c", "echo queue 3 jobs; exit 1"], "every_s": 0.5},
    ]
    (folder / "assignment.json").write_text(json.dumps(assignment))
    assert measure(folder) == "finished"
    return SpoolReader(folder).run(), folder


def taken(run):
    return {entry["path"][-1]: entry for entry in run.journal if entry["kind"] == "shown"}


def test_each_picture_of_the_region_is_kept_once_with_how_often_it_was_seen(run):
    record, folder = run
    settled = taken(record)["settled"]
    assert [look["count"] for look in settled["looks"]] == [5]
    assert (settled["unit"], settled["higher_is_better"]) == ("points", True)
    climbing = taken(record)["climbing"]["looks"]
    assert 2 <= len(climbing) <= 5
    assert sum(look["count"] for look in climbing) == 5
    for look in (*settled["looks"], *climbing):
        assert (folder / f"pictures/{look['picture']}.png").stat().st_size > 200


def test_the_picture_is_of_the_region_and_shows_what_stood_there(run):
    from PIL import Image

    from yardstick_core.readings.shown import made_readable

    record, folder = run
    (look,) = taken(record)["settled"]["looks"]
    with Image.open(folder / f"pictures/{look['picture']}.png") as picture:
        assert picture.size == (160, 50)
        import numpy as np

        letters, _ = made_readable(np.asarray(picture.convert("L")), 32)
    assert 10 < letters.shape[0] < 40
    assert 30 < letters.shape[1] < 120


def test_a_region_that_is_not_shown_is_said_and_the_run_goes_on(run):
    record, _ = run
    assert taken(record)["missing"]["looks"] == []
    outcome = next(entry for entry in record.journal if entry["kind"] == "outcome")
    assert "no missing taken: nothing is shown there" in outcome["detail"]


def test_counters_of_the_owner_are_lanes_and_readings(run):
    record, _ = run
    assert set(record.counters) >= {"own.fill_level", "own.queue"}
    readings = {(one.stretch, one.metric): one.value for one in derive(record)}
    assert readings[("Whole session", "fill level"), "counted.lower.%"] == 7
    assert readings[("Whole session", "queue"), "counted.neither.jobs"] == 3
    troubles = [entry["trouble"] for entry in record.journal if entry["kind"] == "counter trouble"]
    assert troubles == ["sh ended with 1"]


def test_what_reads_the_counters_is_none_of_the_subject(run):
    record, _ = run
    instants, processes = record.counters["subject.processes"]
    gone = next(s.end_ns for s in record.stretches if s.kind == "step") - 300_000_000
    assert processes.max() == 1
    assert set(processes[instants > gone]) == {0}


def test_what_the_machine_tells_of_itself_is_a_fact_of_the_run(run):
    record, _ = run
    facts = next(entry["facts"] for entry in record.journal if entry["kind"] == "facts")
    assert facts["sensors"]
    assert not facts["sensors"].startswith("simulated")
