"""Rehearsals: asked for, taken by a rig, told of with pictures, stopped; never a measurement."""

from datetime import timedelta

from django.utils import timezone

from server.worlds import SCRIPT
from yardstick_server.runs.models import Rehearsal

PICTURE = b"\x89PNG\r\n\x1a\n picture"


def ask(world, text=SCRIPT, variant=1, **more):
    return world.owner.post(
        f"/api/studies/{world.study.pk}/rehearsals",
        {"variant": variant, "text": text, **more},
        content_type="application/json",
    )


def tell(world, number, **body):
    return world.rig.post(
        f"/api/agent/rehearsals/{number}/tell",
        {"line": 3, "elapsed_ns": 10**9, **body},
        content_type="application/json",
    )


def newest(world):
    return world.owner.get(f"/api/studies/{world.study.pk}/rehearsals").json()


def test_a_rehearsal_goes_its_way_and_is_no_run(world):
    assert world.owner.get(f"/api/studies/{world.study.pk}/rehearsals").status_code == 204
    number = ask(world).json()["id"]
    assert newest(world)["state"] == "waits"
    given = world.rig.post("/api/agent/rehearsals/take").json()
    assert (given["rehearsal"], given["program"]) == (number, "weftwright-4.2")
    assert given["fixtures"][0]["name"] == "small.weft"
    assert world.rig.post("/api/agent/rehearsals/take").status_code == 204
    assert tell(world, number, line=11).json() == {
        "stop": False, "keep_state": False, "allowed": 0, "hands": [],
    }  # fmt: skip
    assert (newest(world)["state"], newest(world)["line"]) == ("plays", 11)
    put = world.rig.put(
        f"/api/agent/rehearsals/{number}/picture", PICTURE, content_type="image/png"
    )
    assert put.status_code == 200
    shown = world.owner.get(f"/api/rehearsals/{number}/picture")
    assert (shown.content, shown.headers["Content-Type"]) == (PICTURE, "image/png")
    timing = {"path": ["Open", "open"], "seconds": 1.5, "right_censored": False}
    tell(world, number, outcome="finished", detail="", timings=[timing])
    ended = newest(world)
    assert (ended["state"], ended["outcome"], ended["timings"]) == ("ended", "finished", [timing])
    assert world.study.runs.count() == 0


def test_an_unkept_text_is_rehearsed_and_one_with_mistakes_refused(world):
    assert ask(world, SCRIPT + "# not kept\n").status_code == 201
    assert world.study.scripts.count() == 1
    refused = ask(world, 'session "S"\nstep "A"\n  strat\n')
    assert refused.status_code == 400
    assert "did you mean “start”?" in refused.content.decode()
    assert ask(world, SCRIPT.replace("small.weft", "none.weft")).status_code == 400
    assert ask(world, variant=9).status_code == 404


def test_stopping_is_told_to_the_rig_and_a_new_one_takes_the_place_of_one_that_waits(world):
    first = ask(world).json()["id"]
    second = ask(world).json()["id"]
    assert world.rig.post("/api/agent/rehearsals/take").json()["rehearsal"] == second != first
    world.owner.post(f"/api/rehearsals/{second}/stop")
    assert tell(world, second).json()["stop"] is True
    assert newest(world)["state"] == "plays"
    unheard = world.owner.post(f"/api/rehearsals/{second}/stop").json()
    assert (unheard["state"], unheard["outcome"]) == ("ended", "aborted")
    third = ask(world).json()["id"]
    stopped = world.owner.post(f"/api/rehearsals/{third}/stop").json()
    assert (stopped["state"], stopped["outcome"]) == ("ended", "aborted")


def test_a_picture_must_be_one(world):
    number = ask(world).json()["id"]
    world.rig.post("/api/agent/rehearsals/take")
    url = f"/api/agent/rehearsals/{number}/picture"
    assert world.rig.put(url, b"<html>", content_type="image/png").status_code == 400
    assert world.owner.get(f"/api/rehearsals/{number}/picture").status_code == 204


def test_another_team_neither_sees_nor_stops_nor_tells(world, others):
    number = ask(world).json()["id"]
    assert others.rig.post("/api/agent/rehearsals/take").status_code == 204
    assert others.owner.get(f"/api/studies/{world.study.pk}/rehearsals").status_code == 404
    assert others.owner.post(f"/api/rehearsals/{number}/stop").status_code == 404
    assert others.owner.get(f"/api/rehearsals/{number}/picture").status_code == 404
    world.rig.post("/api/agent/rehearsals/take")
    answer = others.rig.post(
        f"/api/agent/rehearsals/{number}/tell", {"line": 1, "elapsed_ns": 1},
        content_type="application/json",
    )  # fmt: skip
    assert answer.status_code == 404
    assert world.reader.post(f"/api/rehearsals/{number}/stop").status_code == 403


def test_step_by_step_each_line_is_let_on_by_somebody(world):
    number = ask(world, step_by_step=True).json()["id"]
    assert world.rig.post("/api/agent/rehearsals/take").json()["step_by_step"] is True
    window = {"title": "Weftwright", "x": 4, "y": 24, "width": 900, "height": 600}
    assert tell(world, number, waits=True, windows=[window]).json()["allowed"] == 0
    assert (newest(world)["waits"], newest(world)["windows"]) == (True, [window])
    stepped = world.owner.post(f"/api/rehearsals/{number}/step").json()
    assert stepped["waits"] is False
    assert tell(world, number).json()["allowed"] == 1
    # Windows stay known after the end: the editor offers their names.
    tell(world, number, outcome="finished", windows=[])
    assert newest(world)["windows"] == [window]


def test_a_rehearsal_that_nobody_watches_is_over(world):
    number = ask(world).json()["id"]
    world.rig.post("/api/agent/rehearsals/take")
    Rehearsal.objects.update(watched=timezone.now() - timedelta(seconds=15))
    assert tell(world, number).json()["stop"] is False
    Rehearsal.objects.update(watched=timezone.now() - timedelta(seconds=25))
    assert tell(world, number).json()["stop"] is True
    newest(world)  # somebody looks again
    assert tell(world, number).json()["stop"] is False


def test_what_a_person_does_goes_to_the_rig_once_and_in_order(world):
    number = ask(world, kind="draft").json()["id"]
    assert world.rig.post("/api/agent/rehearsals/take").json()["kind"] == "draft"

    def do(*hands):
        url = f"/api/rehearsals/{number}/hands"
        return world.owner.post(url, {"hands": list(hands)}, content_type="application/json")

    press, click = {"kind": "press", "keys": "Ctrl+O"}, {"kind": "click", "x": 3, "y": 4}
    assert do(press).status_code == 200
    assert do(click, {"kind": "type", "keys": " a"}).status_code == 200
    assert [hand["kind"] for hand in tell(world, number, acted=0).json()["hands"]] == [
        "press", "click", "type",
    ]  # fmt: skip
    assert tell(world, number, acted=2, heard=5).json()["hands"] == [{"kind": "type", "keys": " a"}]
    assert newest(world)["heard"] == 5
    assert do({"kind": "press"}).status_code == 400
    assert do({"kind": "shell", "keys": "rm"}).status_code == 400
    tell(world, number, outcome="finished", draft="session\n")
    assert newest(world)["draft"] == "session\n"
    assert do(press).status_code == 400


def test_a_script_that_is_played_takes_no_hands(world):
    number = ask(world).json()["id"]
    url = f"/api/rehearsals/{number}/hands"
    body = {"hands": [{"kind": "press", "keys": "a"}]}
    assert world.owner.post(url, body, content_type="application/json").status_code == 404


def test_the_state_a_rehearsal_leaves_is_what_later_runs_begin_with(world):
    begun = ask(world).json()["id"]
    taken = world.rig.post("/api/agent/rehearsals/take").json()
    assert taken["state"] == ""
    kept = f"/api/rehearsals/{begun}/keep-state"
    assert world.tester.post(kept, {"keep_for": "nobody"}, "application/json").status_code == 400
    put = {"content_type": "application/octet-stream"}
    state = f"/api/agent/rehearsals/{begun}/state"
    assert world.rig.put(state, b"unasked", **put).status_code == 400
    world.tester.post(kept, {"keep_for": "all"}, "application/json")
    told = world.rig.post(
        f"/api/agent/rehearsals/{begun}/tell", {"line": 1, "elapsed_ns": 1}, "application/json"
    ).json()
    assert (told["stop"], told["keep_state"]) == (True, True)
    sha256 = world.rig.put(state, b"a packed home", **put).json()["sha256"]
    world.study.add_rounds(1)
    assert world.rig.post("/api/agent/runs/take").json()["state"] == sha256
    assert world.rig.get(f"/api/agent/states/{sha256}").content == b"a packed home"
    variants = world.tester.get(f"/api/studies/{world.study.pk}").json()["variants"]
    assert all(variant["state"].startswith("kept on loft") for variant in variants)
    world.tester.delete(f"/api/studies/{world.study.pk}/variants/0/state")
    variants = world.tester.get(f"/api/studies/{world.study.pk}").json()["variants"]
    assert [variant["state"] != "" for variant in variants] == [False, True]
