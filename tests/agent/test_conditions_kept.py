"""What is noted with a run besides its samples: settings, footprint, preconditions; and control
runs, which are not sampled.
"""

import json
import os
import sys

import pytest
from sessions import SDL, prepared

from yardstick_agent.cli import measure
from yardstick_agent.config import RigConfig, described
from yardstick_agent.footprint import installed, settings
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.match.conditions import conditions
from yardstick_core.readings import derive

SESSION = """\
session "Frames and a load"
  every run
    require cores at least 1
    confirm "lamp off"
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


def measured(folder, command=SDL, script=SESSION, **more):
    run = prepared(folder / "run", script, command)
    assignment = json.loads((run / "assignment.json").read_text())
    program = more.pop("program", {})
    assignment["program"] |= program
    assignment["confirmed"] = [{"text": "lamp off", "by": "ida", "at": "today"}]
    (run / "assignment.json").write_text(json.dumps({**assignment, **more}))
    measure(run)
    return SpoolReader(run).run()


def of(run, kind):
    return [entry for entry in run.journal if entry["kind"] == kind]


@pytest.mark.screen
def test_a_run_keeps_its_conditions_beside_its_samples(tmp_path):
    made = tmp_path / "made"
    made.mkdir()
    (made / "a").write_bytes(b"x" * 5000)
    run = measured(tmp_path, program={"installed": [str(made)]}, settings=[{"file": "none.ini"}])
    assert run.outcome == "finished", run.detail
    known = conditions(run.journal)
    assert [(one.what, one.state) for one in known.preconditions] == [
        ("cores at least 1", "passed"), ("lamp off", "ticked"),
    ]  # fmt: skip
    assert known.settings == {}
    assert known.work == {"steps": 1, "inputs": 3, "windows": 1}
    (facts,) = of(run, "facts")
    assert facts["facts"]["display"]["manager"] == "Openbox"
    readings = {reading.metric: reading.value for reading in derive(run)}
    assert readings["installed_files"] == 1
    assert readings["installed"] >= 5000 / 2**20
    assert readings["handles"] >= 3
    assert readings["start_threads"] >= 1
    by_end, sampled = readings["processor_spent"], readings["processor_seconds"]
    assert by_end >= sampled - 0.1
    (spent,) = of(run, "spent")
    assert 0 < spent["ended"] <= spent["at"]


@pytest.mark.screen
def test_a_control_run_keeps_its_outer_timings_and_no_sample(tmp_path):
    run = measured(tmp_path, watch="outer")
    assert run.outcome == "finished", run.detail
    assert run.counters == {}
    assert len(run.frames_ns) == 0
    metrics = {reading.metric for reading in derive(run)}
    assert {"duration", "processor_spent"} <= metrics
    assert not {"average_rate", "processor_seconds", "key_to_picture"} & metrics
    (observer,) = of(run, "observer")
    assert observer["watch"] == "outer"
    assert observer["frames"] == 0


@pytest.mark.screen
def test_a_control_run_still_sees_what_ends_its_timings(tmp_path):
    script = SESSION.replace('until log "loaded"', "until picture is steady for 300ms")
    run = measured(tmp_path, script=script, watch="outer")
    assert run.outcome == "finished", run.detail
    assert len(run.frames_ns) == 0


def test_the_footprint_counts_every_file_once(tmp_path):
    (tmp_path / "deep").mkdir()
    (tmp_path / "deep/a").write_bytes(b"x" * 10_000)
    os.link(tmp_path / "deep/a", tmp_path / "b")
    (tmp_path / "c").symlink_to("deep/a")
    size, files = installed([str(tmp_path)])
    assert files == 2
    assert 10_000 <= size < 30_000
    assert installed([str(tmp_path / "none")]) is None


def test_settings_are_only_looked_for_where_they_may_lie(tmp_path):
    work, home, secret = tmp_path / "work", tmp_path / "home", tmp_path / "secret.ini"
    for folder in (work, home):
        folder.mkdir()
    (home / "w.ini").write_text("[view]\nrows = 3\n")
    secret.write_text("[keys]\na = b\n")
    asked = [{"file": "w.ini"}, {"file": "../secret.ini"}, {"file": str(secret)}]
    values, troubles = settings(asked, work, [home])
    assert values == {"w.ini: view.rows": "3"}
    assert troubles == []
    (work / "w.ini").write_text("[view]\nrows = 4\n")
    assert settings(asked, work, [home])[0] == {"w.ini: view.rows": "4"}
    (work / "w.json").write_text("{")
    assert "cannot be read" in settings([{"file": "w.json"}], work, [])[1][0]


def test_a_rig_says_what_it_may_start_but_no_value_of_its_environment(tmp_path):
    program = {"command": [sys.executable, "-m", "weave"], "environment": {"KEY": "hidden"}}
    config = RigConfig("http://127.0.0.1", "t", tmp_path, {"weave": program})
    told = described(config)["weave"]
    assert told["environment"] == ["KEY"]
    assert told["command"].endswith("-m weave")
    assert "hidden" not in str(told)
