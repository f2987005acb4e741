"""Timing by hand: turns in the plan's order, splits as readings, reactions as ±."""

import pytest

from server.worlds import measure_all, texts
from yardstick_server.api.study.by_hand import hand_steps
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import BY_HAND, Run


@pytest.fixture(autouse=True)
def no_queue(monkeypatch):
    monkeypatch.setattr(read_run, "defer", lambda **given: None)


def by_hand(world) -> dict:
    return world.owner.get(f"/api/studies/{world.study.pk}/by-hand").json()


def send(world, client=None, **changes):
    turn = by_hand(world)["turn"]
    body = {
        "round": turn["round"], "variant": turn["variant"], "spread_ms": 40, "trials": 10,
        "splits": [
            {"step": "Open", "start_s": 0, "end_s": 2.5},
            {"step": "Scroll", "start_s": 2.5, "end_s": 9},
        ],
    }  # fmt: skip
    url = f"/api/studies/{world.study.pk}/by-hand"
    return (client or world.owner).post(url, {**body, **changes}, content_type="application/json")


def test_steps_stand_for_the_timing_they_hold(world):
    assert hand_steps(world.study) == [
        {"name": "Open", "path": ["Open", "open"]},
        {"name": "Scroll", "path": ["Scroll", "by hand"]},
    ]


def test_variants_take_turns_in_the_plans_order(world):
    turns = []
    for _ in range(5):
        turn = by_hand(world)["turn"]
        turns.append((turn["round"], turn["variant"], turn["cold"]))
        assert send(world).status_code == 201
    assert turns[:2] == [(0, 0, True), (0, 1, True)]
    assert {variant for round_, variant, _ in turns if round_ == 1} == {0, 1}
    assert turns[4][0] == 2
    assert not turns[2][2]


def test_splits_become_readings_with_the_reaction_as_plus_minus(world):
    number = send(world).json()["id"]
    read_run(number)
    run = Run.objects.get(pk=number)
    assert (run.origin, run.outcome) == (BY_HAND, "finished")
    opened = run.readings.get(metric="duration", stretch=["Open", "open"])
    assert opened.value == 2.5
    assert opened.plus_minus == pytest.approx(1.96 * 2**0.5 * 0.040)
    assert opened.warning == "timed by hand"
    body = world.owner.get(f"/api/runs/{number}").json()
    assert body["run"]["origin"] == "timed by hand"
    assert body["import_source"]["trials"] == 10


def test_what_was_never_reached_is_longer_than_and_not_dropped(world):
    splits = [{"step": "Open", "start_s": 0, "end_s": 30, "reached": False}]
    number = send(world, splits=splits).json()["id"]
    read_run(number)
    run = Run.objects.get(pk=number)
    assert run.outcome == "cut off"
    assert "never reached" in run.detail
    opened = run.readings.get(metric="duration")
    assert (opened.value, opened.right_censored) == (30, True)


def test_the_board_marks_hand_timed_readings_and_widens_their_intervals(world):
    for n in range(8):
        turn = by_hand(world)["turn"]
        end = (2.5 if turn["variant"] == 0 else 2.4) + 0.001 * n
        splits = [{"step": "Open", "start_s": 0, "end_s": end}]
        number = send(world, spread_ms=200, splits=splits).json()["id"]
        read_run(number)
    board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
    row = next(
        r for r in board["rows"] if r["metric"] == "duration" and r["stretch"] == ["Open", "open"]
    )
    assert "timed by hand" in row["warnings"]
    difference = row["differences"][1]
    assert difference["verdict"] == "open"
    assert any("are known to ±" in doubt for doubt in texts(difference["caveats"]))


def test_measured_rounds_and_rounds_by_hand_do_not_get_in_each_others_way(world):
    world.study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 1.0})
    turn = by_hand(world)["turn"]
    assert turn["round"] == world.study.runs.order_by("-round").first().round + 1
    send(world)
    assert world.study.add_rounds(1) == [turn["round"] + 1]


@pytest.mark.parametrize(
    "splits",
    [
        [],
        [{"step": "Sing", "start_s": 0, "end_s": 1}],
        [{"step": "Open", "start_s": 2, "end_s": 1}],
        [{"step": "Open", "start_s": 0, "end_s": 2}, {"step": "Scroll", "start_s": 1, "end_s": 3}],
        [{"step": "Open", "start_s": 0, "end_s": 2}, {"step": "Open", "start_s": 2, "end_s": 3}],
        [
            {"step": "Open", "start_s": 0, "end_s": 2, "reached": False},
            {"step": "Scroll", "start_s": 2, "end_s": 3},
        ],
    ],
)
def test_splits_that_make_no_sense_are_refused(world, splits):
    assert send(world, splits=splits).status_code == 400
    assert not world.study.runs.exists()


def test_a_spread_nobody_has_and_a_turn_that_is_over_are_refused(world):
    assert send(world, spread_ms=0).status_code == 400
    assert send(world, trials=1).status_code == 400
    assert send(world, variant=1).status_code == 400
    assert not world.study.runs.exists()


def test_readers_keep_no_times_and_other_teams_see_nothing(world, others):
    assert send(world, world.reader).status_code == 403
    assert send(world, others.owner).status_code == 404
    assert others.owner.get(f"/api/studies/{world.study.pk}/by-hand").status_code == 404
