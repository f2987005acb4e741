"""A plan at work: it queues rounds, looks, stops and says why; runs are left out and repeated."""

from datetime import timedelta

import pytest
from django.utils import timezone

from server.worlds import deliver, measure_all, recorded_streams, texts
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import Run


def plan_of(world):
    return world.owner.get(f"/api/studies/{world.study.pk}/plan").json()


def change_plan(world, **changes):
    url = f"/api/studies/{world.study.pk}/plan"
    return world.owner.patch(url, changes, content_type="application/json")


def start(world):
    return world.owner.post(f"/api/studies/{world.study.pk}/plan/start")


def board_of(world):
    return world.owner.get(f"/api/studies/{world.study.pk}/board").json()


def post(world, route, **body):
    return world.owner.post(f"/api/{route}", body, content_type="application/json")


def test_the_order_is_shown_before_it_runs(world):
    shown = plan_of(world)
    assert (shown["state"], shown["looks_at"]) == ("ready", [5, 8, 12, 20])
    coming = shown["coming"]
    assert [entry["cold"] for entry in coming[:3]] == [True, False, False]
    start(world)
    queued = world.study.runs.order_by("round", "order_in_round")
    runs = queued.values_list("round", "variant__position")
    assert [(entry["number"], v) for entry in coming[:6] for v in entry["order"]] == list(runs)


def test_it_measures_to_the_first_look_and_stops_when_all_is_decided(world):
    assert start(world).json()["state"] == "running"
    assert world.study.runs.count() == 12
    measure_all(world, {0: 2.0, 1: 1.4})
    ended = plan_of(world)
    assert ended["state"] == "ended"
    assert ended["reason"] == "after 5 rounds every main metric is decided"
    assert [(look["rounds"], look["open"]) for look in ended["looks"]] == [(5, 0)]
    assert world.study.runs.count() == 12


def test_it_goes_on_to_the_next_look_while_something_is_open(world):
    change_plan(world, stop="precise", precision=0.1, cap=8)
    start(world)
    measure_all(world, {0: 2.0, 1: 1.4})
    ended = plan_of(world)
    assert [look["rounds"] for look in ended["looks"]] == [5, 8]
    assert ended["reason"].startswith("the cap of 8 rounds is reached")
    assert world.study.runs.count() == 2 * 9


def test_a_fixed_number_looks_once_at_95_percent_and_rounds_added_later_count_as_a_look(world):
    change_plan(world, rounds=3)
    change_plan(world, stop="fixed")
    start(world)
    measure_all(world, {0: 2.0, 1: 1.4})
    assert plan_of(world)["reason"] == "all 3 rounds of the plan are done"
    assert board_of(world)["level"].startswith("95\u00a0%")
    post(world, f"studies/{world.study.pk}/rounds", count=1)
    measure_all(world, {0: 2.0, 1: 1.4})
    assert plan_of(world)["added"] is True
    assert board_of(world)["level"].startswith("99.6")


def test_a_variant_that_never_starts_ends_the_plan(world):
    start(world)
    while (answer := world.rig.post("/api/agent/runs/take")).status_code == 200:
        run = answer.json()["run"]
        outcome = "finished" if Run.objects.get(pk=run).variant.position == 0 else "not started"
        deliver(world, run, recorded_streams(outcome=outcome), outcome)
        read_run(run)
    ended = plan_of(world)
    assert ended["state"] == "ended"
    assert "4.2 could not be started 2 times in a row" in ended["reason"]
    assert world.study.runs.filter(state="withdrawn").exists()


def test_a_running_plan_is_not_changed_and_stopping_ends_it(world):
    start(world)
    refused = change_plan(world, cap=12)
    assert refused.status_code == 400
    assert "stop it first" in refused.content.decode()
    assert plan_of(world)["cap"] == 20
    post(world, f"studies/{world.study.pk}/stop")
    stopped = plan_of(world)
    assert (stopped["state"], stopped["reason"]) == ("stopped", "stopped by hand")
    assert change_plan(world, cap=12).json()["looks_at"] == [5, 8, 12]
    assert start(world).json()["state"] == "running"


@pytest.mark.parametrize(
    "changes",
    [{"stop": "whenever"}, {"rounds": 1}, {"cap": 500}, {"order": "random"}, {"rest_s": -1}],
)
def test_a_plan_that_makes_no_sense_is_refused_and_changes_nothing(world, changes):
    before = plan_of(world)
    assert change_plan(world, **changes).status_code == 400
    assert plan_of(world) == before


def test_a_rig_rests_between_runs(world):
    change_plan(world, rest_s=60)
    start(world)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, run, recorded_streams())
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    Run.objects.filter(pk=run).update(ended=timezone.now() - timedelta(seconds=61))
    assert world.rig.post("/api/agent/runs/take").status_code == 200


def test_without_cold_rounds_every_round_counts(world):
    change_plan(world, cold_rounds=0, order="alternating")
    start(world)
    runs = list(world.study.runs.order_by("round", "order_in_round"))
    assert not any(run.cold for run in runs)
    assert [run.variant.position for run in runs[:4]] == [0, 1, 1, 0]


@pytest.fixture
def measured(world):
    change_plan(world, stop="fixed", rounds=4)
    start(world)
    measure_all(world, {0: 2.0, 1: 1.4})
    return world


def opening(world):
    rows = board_of(world)["rows"]
    return next(r for r in rows if r["metric"] == "duration" and r["stretch"] == ["Open", "open"])


def test_a_run_left_out_stays_visible_and_can_be_taken_back(measured):
    run = measured.study.runs.filter(cold=False, variant__position=1).first()
    assert post(measured, f"runs/{run.pk}/left-out", reason="").status_code == 400
    answer = post(measured, f"runs/{run.pk}/left-out", reason="an update ran")
    assert (answer.json()["left_out"], answer.json()["left_out_by"]) == (
        "an update ran", "weavers-owner",
    )  # fmt: skip
    row = opening(measured)
    assert [sample["run"] for sample in row["left_out"][1]] == [run.pk]
    assert run.pk not in [sample["run"] for sample in row["samples"][1]]
    assert row["differences"][1]["candidate_runs"] == 3
    assert f"Run {run.pk} of 4.2 is left out: an update ran." in texts(board_of(measured)["notes"])
    measured.owner.delete(f"/api/runs/{run.pk}/left-out")
    assert opening(measured)["differences"][1]["candidate_runs"] == 4


def test_a_finished_run_is_repeated_only_with_a_reason_and_then_left_out(measured):
    run = measured.study.runs.filter(cold=False, variant__position=1).first()
    assert post(measured, f"runs/{run.pk}/repeat").status_code == 400
    again = post(measured, f"runs/{run.pk}/repeat", reason="someone used the machine").json()
    assert (again["round"], again["variant"], again["repeats"]) == (run.round, 1, run.pk)
    measure_all(measured, {0: 2.0, 1: 1.4})
    row = opening(measured)
    used = [sample["run"] for sample in row["samples"][1]]
    assert again["id"] in used
    assert run.pk not in used
    assert row["differences"][1]["candidate_runs"] == 4


def test_a_run_that_waits_can_be_neither_left_out_nor_repeated(world):
    world.study.add_rounds(1)
    run = world.study.runs.first()
    assert post(world, f"runs/{run.pk}/left-out", reason="no").status_code == 400
    assert post(world, f"runs/{run.pk}/repeat", reason="no").status_code == 400
    assert world.study.runs.count() == 4


def test_runs_on_two_machines_in_one_round_get_no_verdict(measured):
    from yardstick_server.inventory.models import Rig

    other = Rig.objects.create(workspace=measured.workspace, name="barn", token_digest="x")
    measured.study.runs.filter(variant__position=1).update(rig=other)
    post(measured, f"studies/{measured.study.pk}/ask", why="who knows")
    board = board_of(measured)
    difference = opening(measured)["differences"][1]
    assert (difference["verdict"], difference["verdict_withheld"]) == ("open", True)
    assert any("what differs may be the machines" in note for note in texts(board["notes"]))


def measure_rounds(world, count):
    """Measure the next rounds one run at a time, as a rig does."""
    for _ in range(2 * count):
        number = world.rig.post("/api/agent/runs/take").json()["run"]
        side = Run.objects.get(pk=number).variant.position
        deliver(world, number, recorded_streams(open_s=(2.0, 1.4)[side], seed=number))
        read_run(number)


def opening_shown(world):
    """What the board says of the opening of the second variant: its medians, its difference."""
    rows = board_of(world)["rows"]
    (row,) = [row for row in rows if (row["metric"], row["stretch"][-1]) == ("duration", "open")]
    return [median["value"] for median in row["medians"]], row["differences"][1]


def test_whoever_watches_sees_verdicts_at_looks_only(world):
    change_plan(world, stop="precise", precision=0.1, cap=8)
    start(world)
    measure_rounds(world, 4)  # a cold one and three warm ones
    before = board_of(world)
    assert before["judged_after"] == 0
    assert before["headline"] == "first judged after 5 rounds"
    assert "No verdict yet" in texts(before["notes"])[0]
    medians, difference = opening_shown(world)
    assert (len(medians), difference) == (2, None)
    measure_rounds(world, 2)
    assert board_of(world)["judged_after"] == 5
    _, at_look = opening_shown(world)
    assert at_look["verdict"] == "ahead"
    assert at_look["baseline_runs"] == 5
    measure_rounds(world, 1)
    assert board_of(world)["judged_after"] == 5
    assert "Judged after 5 rounds, next after 8" in texts(board_of(world)["notes"])[0]
    assert opening_shown(world)[1] == at_look
    measure_rounds(world, 2)
    assert plan_of(world)["state"] == "ended"
    assert board_of(world)["judged_after"] is None
    assert opening_shown(world)[1]["baseline_runs"] == 8


def test_between_looks_neither_drift_nor_ladder_nor_growth_is_read_anew(world, monkeypatch):
    from yardstick_server.analysis import board, judging

    seen = []
    monkeypatch.setattr(judging, "drifts", lambda rows: seen.append(rows) or [])
    monkeypatch.setattr(board, "growing", lambda rows, *about: seen.append(rows) or [])
    change_plan(world, stop="precise", precision=0.1, cap=8)
    start(world)
    measure_rounds(world, 7)  # a cold one and six warm ones
    seen.clear()
    judging.judge_study(world.study)
    rounds = {
        sample.round for rows in seen for row in rows for side in row.samples for sample in side
    }
    assert (len(seen), len(rounds)) == (2, 5)


def test_the_plan_names_what_is_done_before_each_run(world):
    """Homes, fresh copies, preparation, caches and what is waited for; of commands their name."""
    study, rig = world.study, world.rig_record
    url = f"/api/studies/{study.pk}/plan"
    assert world.owner.get(url).json()["before_each_run"][0] == (
        "Each program begins with an empty home of its own."
    )
    first, second = (part.variant for part in study.variants)
    rig.programs = {
        first.program: {"command": "weftwright", "home": "real"},
        second.program: {"command": "weftwright", "prepare": ["/opt/switch-release", "--to=4.2"]},
    }
    rig.save()
    study.rig = rig
    study.save()
    text = study.script.text.replace(
        "\n\nstep", "\n  every run\n    clear cache\n    settle cpu below 20%\n\nstep", 1
    )
    study.keep_script(text)
    said = world.owner.get(url).json()["before_each_run"]
    assert said[:2] == [
        f"{first.name} begins with the home of the person whose machine it is, as the last run "
        "left it.",
        f"{second.name} begins with an empty home of its own.",
    ]
    assert f"For {second.name} “switch-release” prepares the machine." in said
    assert "Its caches are emptied." in said
    assert said[-1].startswith("It waits until cpu is below 20")
