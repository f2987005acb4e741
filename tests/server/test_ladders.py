"""Ladders: a round plays every level, readings of one level are compared with that level only."""

from server.worlds import SCRIPT, measure_all
from yardstick_server.inventory.models import Fixture
from yardstick_server.runs.models import Run

LADDER = SCRIPT.replace(
    '  fixture draft = "small.weft"\n',
    '  ladder ends = 100, 200, 400\n  fixture draft = "carpet-{ends}.weft"\n',
)


def with_ladder(world):
    for ends in (100, 200, 400):
        Fixture.keep(world.workspace, f"carpet-{ends}.weft", str(ends).encode())
    url = f"/api/studies/{world.study.pk}/script"
    kept = world.owner.put(url, {"text": LADDER}, content_type="application/json")
    assert kept.status_code == 200, kept.content
    return world.study


def test_the_fixtures_of_every_level_must_be_there(world):
    Fixture.keep(world.workspace, "carpet-100.weft", b"100")
    url = f"/api/studies/{world.study.pk}/script"
    refused = world.owner.put(url, {"text": LADDER}, content_type="application/json")
    assert refused.status_code == 400
    assert "carpet-200.weft, carpet-400.weft" in refused.content.decode()


def test_a_round_goes_up_the_ladder_and_the_next_one_down(world):
    study = with_ladder(world)
    study.add_rounds(2)
    order = list(
        study.runs.order_by("round", "order_in_round").values_list(
            "round", "level", "variant__position"
        )
    )
    assert [level for number, level, _ in order if number == 0] == [
        "100", "100", "200", "200", "400", "400",
    ]  # fmt: skip
    assert [level for number, level, _ in order if number == 1][:2] == ["400", "400"]
    plan = world.owner.get(f"/api/studies/{study.pk}/plan").json()
    assert (plan["ladder"], plan["levels"]) == ("ends", ["100", "200", "400"])


def test_a_rig_is_given_the_level_and_its_fixture(world):
    with_ladder(world).add_rounds(1)
    given = world.rig.post("/api/agent/runs/take").json()
    assert given["values"] == {"ends": "100"}
    assert [fixture["name"] for fixture in given["fixtures"]] == ["carpet-100.weft"]
    assert "cold round at ends 100" in given["title"]


def test_levels_are_rows_of_their_own_on_the_board(world):
    study = with_ladder(world)
    study.add_rounds(4)
    measure_all(world, {0: 1.0, 1: 0.5})
    board = world.owner.get(f"/api/studies/{study.pk}/board").json()
    opened = [row for row in board["rows"] if row["metric"] == "duration"]
    assert [row["stretch"] for row in opened] == [
        [f"Open · ends {ends}", "open"] for ends in (100, 200, 400)
    ]
    for row in opened:
        assert [len(side) for side in row["samples"]] == [4, 4]
        assert row["differences"][1]["verdict"] == "ahead"


def test_a_repeated_run_keeps_its_level(world):
    study = with_ladder(world)
    study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 0.5})
    run = study.runs.get(level="400", variant__position=1, cold=False)
    again = world.owner.post(
        f"/api/runs/{run.pk}/repeat", {"reason": "a bell rang"}, content_type="application/json"
    ).json()
    assert Run.objects.get(pk=again["id"]).level == "400"
