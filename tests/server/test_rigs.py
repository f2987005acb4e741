"""Rigs join, speak the same version, are drained, confirmed for, and keep pictures of runs."""

import pytest
from django.test import Client

from server.worlds import SCRIPT, deliver, recorded_streams
from yardstick_core import PROTOCOL
from yardstick_server.runs.models import Run

PICTURE = b"\x89PNG\r\n\x1a\n picture"
ASKING = SCRIPT.replace(
    "  place cloth", '  every run\n    confirm "scaling is 100 %"\n  place cloth', 1
)


def post(client, route, **body):
    return client.post(f"/api/{route}", body, content_type="application/json")


def hello(client, protocol=PROTOCOL):
    body = {"agent_version": "1", "protocol": protocol, "facts": {"cores": 2}}
    return post(client, "agent/hello", **body)


def test_a_machine_joins_with_the_token_it_is_given_once(world):
    made = post(world.owner, "rigs", name="attic 2")
    assert made.status_code == 201
    token = made.json()["token"]
    assert made.json()["command"].endswith(f" {token}")
    rig = Client(headers={"Authorization": f"Rig {token}"})
    welcome = hello(rig).json()
    assert (welcome["rig"], welcome["protocol"]) == ("attic 2", PROTOCOL)
    names = [entry["name"] for entry in world.owner.get("/api/rigs").json()]
    assert names == ["attic 2", "loft"]
    assert token not in world.owner.get("/api/rigs").content.decode()


def test_a_new_token_takes_the_place_of_the_old_one(world):
    fresh = post(world.owner, "rigs", name="loft").json()["token"]
    assert hello(world.rig).status_code == 401
    assert hello(Client(headers={"Authorization": f"Rig {fresh}"})).status_code == 200


@pytest.mark.parametrize("name", ["", "../etc", "-x", "a" * 70])
def test_a_rig_needs_a_name_that_can_be_said(world, name):
    assert post(world.owner, "rigs", name=name).status_code == 400


def test_a_reader_may_not_let_machines_join_or_confirm(world):
    assert post(world.reader, "rigs", name="attic").status_code == 403
    assert post(world.reader, "rigs/loft/confirmations", text="a").status_code == 403


def test_two_versions_of_the_protocol_do_not_work_together(world):
    refused = hello(world.rig, "1")
    assert refused.status_code == 409
    assert "the agent is older, bring both to the same release" in refused.json()["detail"]
    assert "the server is older" in hello(world.rig, "900").json()["detail"]


def test_a_paused_rig_with_a_run_is_draining(world):
    hello(world.rig)
    world.study.add_rounds(1)
    world.rig.post("/api/agent/runs/take")
    patched = world.owner.patch("/api/rigs/loft", {"paused": True}, content_type="application/json")
    assert patched.json()["state"] == "draining"
    run = Run.objects.get(state="running")
    deliver(world, run.pk, recorded_streams())
    assert world.owner.get("/api/rigs").json()[0]["state"] == "paused"


def test_a_run_waits_until_somebody_has_confirmed_for_the_rig(world):
    url = f"/api/studies/{world.study.pk}"
    world.owner.put(f"{url}/script", {"text": ASKING}, content_type="application/json")
    world.study.add_rounds(1)
    assert world.owner.get(f"{url}/plan").json()["confirms"] == ["scaling is 100 %"]
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    state = post(world.owner, "rigs/loft/confirmations", text="scaling is 100 %").json()
    assert [(entry["text"], entry["by"]) for entry in state["confirmed"]] == [
        ("scaling is 100 %", "weavers-owner")
    ]
    given = world.rig.post("/api/agent/runs/take").json()
    assert [(one["text"], one["by"]) for one in given["confirmed"]] == [
        ("scaling is 100 %", "weavers-owner")
    ]
    taken_back = {"text": "scaling is 100 %", "confirmed": False}
    assert post(world.owner, "rigs/loft/confirmations", **taken_back).json()["confirmed"] == []


def test_a_run_that_asks_for_nothing_is_not_held_up_by_one_that_does(world):
    world.study.add_rounds(1)
    url = f"/api/studies/{world.study.pk}/script"
    world.owner.put(url, {"text": ASKING}, content_type="application/json")
    world.study.add_rounds(1)
    # A cold and a warm round of the first version; then only what asks is left.
    taken = [world.rig.post("/api/agent/runs/take").status_code for _ in range(5)]
    assert taken == [200, 200, 200, 200, 204]


def test_pictures_of_a_run_are_kept_and_shown_to_its_own_team(world, others):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]

    def put(name, data=PICTURE):
        url = f"/api/agent/runs/{run}/pictures/{name}"
        return world.rig.put(url, data, content_type="image/png")

    assert put("end").status_code == put("end").status_code == 200
    assert put("Line 3").status_code == 400
    assert put("text", b"no picture").status_code == 400
    deliver(world, run, recorded_streams(outcome="cut off"), "cut off")
    assert put("end").status_code == 200  # sent again after an answer was lost
    assert put("late").status_code == 400
    shown = world.owner.get(f"/api/runs/{run}/pictures/end")
    assert (shown.content, shown.headers["Content-Type"]) == (PICTURE, "image/png")
    assert others.owner.get(f"/api/runs/{run}/pictures/end").status_code == 404
    assert others.rig.put(f"/api/agent/runs/{run}/pictures/end").status_code in (404, 415)
