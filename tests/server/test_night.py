"""Rigs at night: the queue and how long it lasts, what failed and was repeated, how rigs stand."""

import io
import time
import zipfile
from datetime import timedelta

import pytest
from django.utils import timezone

from server.worlds import deliver, read_all, recorded_streams
from yardstick_core import PROTOCOL
from yardstick_core.release_digest import release_digest
from yardstick_server.inventory.models import Rig
from yardstick_server.joining.package import handed_out, wheel
from yardstick_server.planning.night import until
from yardstick_server.runs.models import Run

JSON = "application/json"


def night(world, **asked):
    return world.owner.get("/api/night", asked).json()


def take(world):
    return world.rig.post("/api/agent/runs/take").json()["run"]


def test_a_free_workspace_has_nothing_queued_and_nothing_failed(world):
    found = night(world)
    assert (found["queue"], found["failed"], found["measured"]) == ([], [], [])
    assert found["until"] is None


def test_the_queue_says_how_long_it_takes_by_how_long_its_runs_took(world):
    world.study.add_rounds(2)
    run = take(world)
    deliver(world, run, recorded_streams())
    read_all([run])
    began = timezone.now() - timedelta(seconds=100)
    Run.objects.filter(pk=run).update(started=began, ended=began + timedelta(seconds=40))
    left = world.study.runs.filter(state="queued").count()
    (queued,) = night(world)["queue"]
    assert queued["question"] == world.study.question
    assert (queued["runs"], queued["each_s"]) == (left, 40)
    assert queued["left_s"] == 40 * left


def test_when_it_will_be_done_shares_among_rigs_what_any_may_take():
    any_rig = {"rig": None, "left_s": 3600.0}
    loom = {"rig": "loom", "left_s": 3000.0}
    in_two = (until([any_rig, loom], 2) - timezone.now()).total_seconds()
    assert in_two == pytest.approx(3300, abs=5)
    alone = (until([loom, {"rig": "loom", "left_s": 600.0}], 3) - timezone.now()).total_seconds()
    assert alone == pytest.approx(3600, abs=5)
    assert until([{"rig": None, "left_s": None}], 1) is None
    assert until([any_rig], 0) is None


def test_what_did_not_finish_is_listed_with_why_and_what_repeated_it(world):
    world.study.add_rounds(1)
    run = take(world)
    deliver(world, run, recorded_streams(outcome="crashed"), outcome="crashed")
    read_all([run])
    world.tester.post(f"/api/runs/{run}/repeat", {}, content_type=JSON)
    found = night(world)
    (failed,) = found["failed"]
    assert (failed["run"], failed["outcome"]) == (run, "crashed")
    assert failed["rig"] == world.rig_record.name
    assert found["failed_in_all"] == 1
    assert found["measured"] == [{"rig": world.rig_record.name, "runs": 1}]
    again = Run.objects.filter(repeats=run).values_list("pk", flat=True).first()
    assert failed["repeated_by"] == again
    Run.objects.filter(pk=run).update(ended=timezone.now() - timedelta(hours=30))
    assert night(world)["failed"] == []
    assert night(world, hours=72)["failed_in_all"] == 1


def test_a_rig_tells_its_disk_and_clock_while_it_asks_for_errands(world):
    told = {"wall_s": time.time() + 12, "disk_free_bytes": 3 << 30}
    world.rig.post("/api/agent/errands/take", told, content_type=JSON)
    (rig,) = [one for one in night(world)["rigs"] if one["name"] == world.rig_record.name]
    assert rig["clock_off_s"] == pytest.approx(12, abs=2)
    assert rig["disk_free_bytes"] == 3 << 30
    troubles = " ".join(rig["troubles"])
    assert "12 s ahead of the server's" in troubles
    assert "only 3.0 GiB are left" in troubles


def test_what_changes_by_less_than_is_noticed_is_not_written_anew(world):
    world.rig.post("/api/agent/errands/take", {"disk_free_bytes": 9 << 30}, content_type=JSON)
    almost = {"disk_free_bytes": (9 << 30) + (1 << 20)}
    world.rig.post("/api/agent/errands/take", almost, content_type=JSON)
    assert Rig.objects.get(pk=world.rig_record.pk).disk_free_bytes == 9 << 30


def hello(world, digest):
    body = {"agent_version": "1", "protocol": PROTOCOL, "facts": {}, "agent_digest": digest}
    return world.rig.post("/api/agent/hello", body, content_type=JSON)


def test_an_agent_of_another_release_is_said_and_told_what_makes_up_this_one(world):
    welcome = hello(world, "0" * 64)
    assert welcome.status_code == 200, welcome.content
    assert welcome.json()["release"] == handed_out()
    assert any(name.endswith(".whl") for name in welcome.json()["files"])
    (rig,) = [one for one in night(world)["rigs"] if one["name"] == world.rig_record.name]
    assert rig["older"]
    assert "of another release" in " ".join(rig["troubles"])
    hello(world, handed_out())
    (rig,) = [one for one in night(world)["rigs"] if one["name"] == world.rig_record.name]
    assert not rig["older"]


def test_what_is_handed_out_is_once_installed_the_release_that_is_told(tmp_path):
    with zipfile.ZipFile(io.BytesIO(wheel())) as packed:
        packed.extractall(tmp_path)
    (tmp_path / "yardstick_core/__pycache__").mkdir()
    (tmp_path / "yardstick_core/__pycache__/x.cpython-311.pyc").write_bytes(b"made")
    assert release_digest(tmp_path) == handed_out()


@pytest.mark.parametrize("hours", ["0", "-1", "many", "100000"])
def test_a_span_that_is_none_is_refused(world, hours):
    assert world.owner.get("/api/night", {"hours": hours}).status_code == 400
