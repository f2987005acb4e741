"""Several companions and copies of one, started by a line each, on a real display."""

import json
import sys
from itertools import pairwise

import pytest
from sessions import SDL, prepared

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive

pytestmark = pytest.mark.screen

MIB = 2**20
#: Holds what it was told to, in pages of its own, and rests.
IDLE = "import sys, time; held = b'x' * (int(sys.argv[1]) << 20); time.sleep(60)"
SCRIPT = """session "Many"
step "Start"
  start
  until log "ready"
  start "loom", "shuttle"
  start "bobbin" 3 times every 4s
  wait 4500ms
  stop "bobbin"
  stop "loom"
  press q
  until exited
"""


def idle(mib):
    return {"command": [sys.executable, "-c", IDLE, str(mib)]}


@pytest.fixture(scope="module")
def run(tmp_path_factory):
    folder = prepared(tmp_path_factory.mktemp("many") / "run", SCRIPT, SDL)
    assignment = json.loads((folder / "assignment.json").read_text())
    assignment["program"]["companions"] = {
        "loom": idle(60), "shuttle": idle(5), "bobbin": idle(20),
    }  # fmt: skip
    (folder / "assignment.json").write_text(json.dumps(assignment))
    assert measure(folder) == "finished"
    return SpoolReader(folder).run()


def test_each_companion_has_readings_by_its_name_and_all_of_them_together(run):
    found = {(one.stretch[-1], one.metric): one.value for one in derive(run)}
    assert 60 < found["loom", "companion_memory"] < 110
    assert found["shuttle", "companion_memory"] < 60
    assert found["bobbin", "companion_memory"] > 60
    parts = sum(found[name, "companion_processor"] for name in ("loom", "shuttle", "bobbin"))
    assert found["Whole session", "companions_processor"] == pytest.approx(parts, abs=0.03)


def test_each_further_copy_costs_what_it_holds(run):
    found = {(one.stretch[-1], one.metric): one.value for one in derive(run)}
    assert found["bobbin", "memory_per_copy"] == pytest.approx(23, abs=4)
    assert found["bobbin", "processor_per_copy"] < 0.05
    assert ("loom", "memory_per_copy") not in found


def test_copies_start_at_their_own_time_and_end_together(run):
    starts = [entry for entry in run.journal if entry["kind"] == "started"]
    instants = [entry["at"] for entry in starts if entry["companion"] == "bobbin"]
    gaps = [(after - before) / 1e9 for before, after in pairwise(instants)]
    assert gaps == pytest.approx([4.0, 4.0], abs=0.8)
    copies = run.counters["companion.bobbin.copies"][1]
    assert copies.max() == 3
    assert copies[-1] == 0
