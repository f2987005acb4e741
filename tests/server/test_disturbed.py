"""Runs that others disturbed: marked by the plan's limit, averaged nowhere, repeated by it."""

import numpy as np
import pytest

from server.worlds import S, deliver, recorded_streams, texts
from yardstick_core.plan import background_cpu_limit
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.processor import FOREIGN_SHARE
from yardstick_core.streams import chunk
from yardstick_server.analysis.disturbed import mark_disturbed
from yardstick_server.analysis.models import RunReading
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import Run


def disturbed_streams(share: float, length: float, seed: int):
    """Streams of a run during which others took this share of two cores, percent."""
    streams = recorded_streams(length, seed=seed)
    at = np.arange(0, 5 * S, S // 20)
    streams["machine.foreign_seconds"] = [chunk.encode_counter(at, at / S * 2 * share / 100)]
    return streams


def measure(world, shares):
    """Take and deliver runs, each with the next of these shares of the machine taken by others."""
    runs = []
    for share in shares:
        answer = world.rig.post("/api/agent/runs/take")
        if answer.status_code != 200:
            break
        run = answer.json()["run"]
        deliver(world, run, disturbed_streams(share, 1.0, run))
        read_run(run)
        runs.append(run)
    return runs


def change_plan(world, **changes):
    url = f"/api/studies/{world.study.pk}/plan"
    return world.owner.patch(url, changes, content_type="application/json")


def summaries(world):
    detail = world.owner.get(f"/api/studies/{world.study.pk}").json()
    return {run["id"]: run for run in detail["runs"]}


def start(world):
    return world.owner.post(f"/api/studies/{world.study.pk}/plan/start")


def test_a_run_on_a_disturbed_machine_is_marked_and_averaged_nowhere(world):
    world.study.add_rounds(2)
    first, *_ = measure(world, [9.0, 1.0, 1.0, 1.0])
    found = summaries(world)[first]
    assert found["outcome"] == "disturbed"
    assert found["detail"] == "other programs took 9.0 % of the machine, the plan allows 5 %"
    board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
    row = next(row for row in board["rows"] if row["metric"] == "duration")
    assert sorted(len(side) for side in row["cold"] + row["samples"]) == [0, 1, 1, 1]
    assert any("1 of 2 runs" in note and "disturbed" in note for note in texts(board["notes"]))


def test_another_limit_marks_anew_without_measuring(world):
    world.study.add_rounds(1)
    first, second = measure(world, [9.0, 3.0])
    change_plan(world, background_cpu_limit=2)
    assert [summaries(world)[run]["outcome"] for run in (first, second)] == ["disturbed"] * 2
    change_plan(world, background_cpu_limit=20)
    assert [summaries(world)[run]["outcome"] for run in (first, second)] == ["finished"] * 2


def test_a_plan_repeats_what_was_disturbed(world):
    change_plan(world, stop="fixed", rounds=2, cold_rounds=0)
    start(world)
    first, *_ = measure(world, [9.0, 1.0, 1.0, 1.0])
    found = summaries(world)
    (again,) = [run for run in found.values() if run["repeats"] == first]
    assert again["state"] == "queued"
    plan = world.owner.get(f"/api/studies/{world.study.pk}/plan").json()
    assert plan["state"] == "running"
    measure(world, [1.0])
    plan = world.owner.get(f"/api/studies/{world.study.pk}/plan").json()
    assert (plan["state"], plan["reason"]) == ("ended", "all 2 rounds of the plan are done")


def test_a_plan_gives_up_on_a_machine_that_never_gets_quiet(world):
    change_plan(world, stop="fixed", rounds=2, cold_rounds=0)
    start(world)
    measure(world, [9.0] * 30)
    plan = world.owner.get(f"/api/studies/{world.study.pk}/plan").json()
    assert plan["state"] == "ended"
    assert "was disturbed 4 times in a row" in plan["reason"]
    assert "Close what took it on loft" in plan["reason"]


def test_the_limit_is_taken_from_what_the_rig_shows_when_idle_until_somebody_sets_it(world):
    idle = {"background_cpu_share": 4.2}
    assert world.rig.post("/api/agent/errands/take", idle, "application/json").status_code == 204
    url = f"/api/studies/{world.study.pk}/plan"
    assert world.owner.get(url).json()["background_cpu_limit"] == 12.0, "what it will be"
    started = world.owner.post(f"{url}/start").json()
    assert (started["background_cpu_limit"], started["background_cpu_limit_set"]) == (12.0, False)
    assert started["background_cpu_share"] == 4.2
    assignment = world.rig.post("/api/agent/runs/take").json()
    assert assignment["background_cpu_limit"] == 12.0
    world.owner.post(f"/api/studies/{world.study.pk}/stop")
    world.owner.patch(url, {"background_cpu_limit": 7}, "application/json")
    again = world.owner.post(f"{url}/start").json()
    assert (again["background_cpu_limit"], again["background_cpu_limit_set"]) == (7.0, True)


@pytest.mark.parametrize(
    ("idle", "limit"), [(None, 5.0), (0.0, 5.0), (1.0, 5.0), (4.2, 12.0), (60.0, 25.0)]
)
def test_the_proposed_limit_leaves_room_and_never_lets_everything_pass(idle, limit):
    assert background_cpu_limit(idle) == limit


def test_a_disturbed_run_names_who_took_the_time(world):
    world.study.add_rounds(1)
    run = Run.objects.filter(study=world.study).first()
    run.state, run.outcome = "read", "finished"
    run.conditions = {"background_programs": [["chromium", 3.1], ["postgres", 1.2]]}
    run.save()
    RunReading.objects.create(run=run, stretch=[WHOLE], metric=FOREIGN_SHARE.key, value=9.0)
    mark_disturbed(world.study, run)
    run.refresh_from_db()
    assert run.outcome == "disturbed"
    assert "9.0 % of the machine (chromium 3.1 %, postgres 1.2 %)" in run.detail
