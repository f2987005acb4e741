"""The queue and ingest under real concurrency, and after things went wrong."""

import threading
from datetime import timedelta

import pytest
from django.db import connection, connections
from django.test import Client
from django.utils import timezone
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from server.worlds import deliver, make_world, put_chunk, recorded_streams
from yardstick_core import PROTOCOL
from yardstick_server.accounts.models import digest
from yardstick_server.inventory.models import Rig
from yardstick_server.runs.models import Run
from yardstick_server.traces.models import Chunk


def at_once(count, work):
    """Do the same work in several threads at the same moment; what each returned."""
    results, start = [], threading.Barrier(count)

    def one(number):
        try:
            start.wait(5)
            results.append(work(number))
        finally:
            connections.close_all()

    threads = [threading.Thread(target=one, args=(n,)) for n in range(count)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    return results


@pytest.mark.django_db(transaction=True)
def test_many_rigs_asking_at_once_get_different_runs():
    world = make_world("crowd")
    world.study.add_rounds(3)
    for n in range(6):
        Rig.objects.create(
            workspace=world.workspace, name=f"rig-{n}", token_digest=digest(f"rig-{n}")
        )

    def take(number):
        rig = Client(headers={"Authorization": f"Rig rig-{number}"})
        taken = [rig.post("/api/agent/runs/take") for _ in range(2)]
        return [answer.json()["run"] for answer in taken if answer.status_code == 200]

    runs = [run for taken in at_once(6, take) for run in taken]
    assert len(runs) == len(set(runs)) == 8
    assert Run.objects.filter(state="running").count() == 8


@pytest.mark.django_db(transaction=True)
def test_the_same_chunk_from_two_connections_is_kept_once():
    world = make_world("echo")
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    data = recorded_streams()["frames"][0]

    def send(_):
        rig = Client(headers={"Authorization": f"Rig {world.token}"})
        return put_chunk(rig, run, "frames", 0, data).status_code

    assert sorted(at_once(4, send)) == [200, 200, 200, 201]
    assert Chunk.objects.count() == 1


@pytest.mark.django_db(transaction=True)
def test_rounds_asked_for_at_once_are_all_added():
    world = make_world("eager")
    world.study.add_rounds(1)
    study = world.study.pk

    def ask(_):
        person = Client()
        person.force_login(world.workspace.members.get(role="owner").user)
        answer = person.post(
            f"/api/studies/{study}/rounds", {"count": 2}, content_type="application/json"
        )
        return answer.json()["rounds"]

    rounds = sorted(number for added in at_once(3, ask) for number in added)
    assert rounds == [2, 3, 4, 5, 6, 7]


def test_a_rig_that_falls_silent_is_seen_and_may_still_deliver(world):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    Run.objects.filter(pk=run).update(lease_until=timezone.now() - timedelta(seconds=1))
    shown = world.owner.get(f"/api/studies/{world.study.pk}").json()["runs"]
    assert next(r for r in shown if r["id"] == run)["silent"] is True
    assert deliver(world, run, recorded_streams()).status_code == 200
    assert Run.objects.get(pk=run).outcome == "finished"


def test_a_lost_run_goes_to_another_rig_and_its_record_is_still_taken(world):
    world.study.add_rounds(1)
    runs = [world.rig.post("/api/agent/runs/take").json()["run"] for _ in range(4)]
    Rig.objects.create(workspace=world.workspace, name="barn", token_digest=digest("barn"))
    barn = Client(headers={"Authorization": "Rig barn"})
    assert barn.post("/api/agent/runs/take").status_code == 204
    lost = Run.objects.filter(pk=runs[2])
    lost.update(lease_until=timezone.now() - timedelta(seconds=1))
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    taken = barn.post("/api/agent/runs/take").json()["run"]
    assert taken not in runs
    again, old = Run.objects.get(pk=taken), lost.get()
    assert (again.round, again.variant_id, again.cold) == (old.round, old.variant_id, old.cold)
    assert old.left_out == f"its rig fell silent; run {taken} took its place"
    assert barn.post("/api/agent/runs/take").status_code == 204
    assert deliver(world, runs[2], recorded_streams()).status_code == 200
    assert lost.get().outcome == "finished"
    assert lost.get().left_out


def test_a_rig_that_is_restarted_within_a_session_keeps_its_run(world):
    world.study.add_rounds(1)
    runs = [world.rig.post("/api/agent/runs/take").json()["run"] for _ in range(4)]
    Rig.objects.create(workspace=world.workspace, name="barn", token_digest=digest("barn"))
    barn = Client(headers={"Authorization": "Rig barn"})
    beat = {"progress": {"step": "Again", "restarting_s": 600}}
    world.rig.post(f"/api/agent/runs/{runs[0]}/heartbeat", beat, content_type="application/json")
    away = Run.objects.filter(pk=runs[0])
    away.update(lease_until=timezone.now() - timedelta(seconds=1))
    assert barn.post("/api/agent/runs/take").status_code == 204
    progress = away.get().progress
    away.update(progress={**progress, "restarting_until": timezone.now().timestamp() - 1})
    assert barn.post("/api/agent/runs/take").status_code == 200


def test_pages_hear_at_once_that_a_person_has_to_switch_a_rig_off_and_on(world, monkeypatch):
    heard = []
    monkeypatch.setattr(
        "yardstick_server.api.agent.runs.notify", lambda *said, **_: heard.append(said[1])
    )
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    away = {"step": "Again", "restarting_s": 600, "restarting_by_hand": True}
    heard.clear()
    for progress in (away, away, {"step": "Again"}, {"step": "Again"}):
        url = f"/api/agent/runs/{run}/heartbeat"
        world.rig.post(url, {"progress": progress}, content_type="application/json")
        (told,) = [one for one in world.owner.get(f"/api/studies/{world.study.pk}").json()["runs"]
                   if one["id"] == run]  # fmt: skip
        assert told["progress"].get("restarting_by_hand", False) is (progress is away)
    assert [kind for kind in heard if kind == "run"] == ["run", "run"]


def change_rig(world, **changes):
    return world.owner.patch("/api/rigs/loft", changes, content_type="application/json")


def test_a_paused_rig_ends_its_run_and_takes_no_other(world):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    assert change_rig(world, paused=True).json()["paused"] is True
    assert deliver(world, run, recorded_streams()).status_code == 200
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    change_rig(world, paused=False)
    assert world.rig.post("/api/agent/runs/take").status_code == 200


def test_a_revoked_rig_is_a_stranger_for_good(world):
    world.study.add_rounds(1)
    assert change_rig(world, revoked=True).json()["state"] == "revoked"
    assert world.rig.post("/api/agent/runs/take").status_code == 401
    assert change_rig(world, revoked=False).status_code == 400
    assert world.rig.post("/api/agent/runs/take").status_code == 401


def test_a_rig_of_another_team_is_not_there(world, others):
    Rig.objects.filter(workspace=others.workspace).update(name="barn")
    answer = world.owner.patch("/api/rigs/barn", {"paused": True}, content_type="application/json")
    assert answer.status_code == 404


def test_a_rigs_state_is_what_it_last_showed(world):
    def state():
        return world.owner.get("/api/rigs").json()[0]["state"]

    assert state() == "never seen"
    hello = {"agent_version": "1", "protocol": PROTOCOL, "facts": {"cores": 2}}
    world.rig.post("/api/agent/hello", hello, content_type="application/json")
    assert state() == "idle"
    world.study.add_rounds(1)
    world.rig.post("/api/agent/runs/take")
    assert state() == "running"
    Rig.objects.update(last_seen=timezone.now() - timedelta(minutes=1))
    assert state() == "silent"
    known = world.owner.get("/api/rigs").json()[0]["known"]
    assert {"name": "cores", "value": "2"} in known


@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.binary(max_size=300), st.sampled_from(["frames", "journal", "subject.resident"]))
def test_no_bytes_make_the_server_fail(world, data, stream):
    if not Run.objects.filter(state="running").exists():
        world.study.add_rounds(1)
        world.rig.post("/api/agent/runs/take")
    run = Run.objects.filter(state="running").first().pk
    head = b"NYC1\x01\0\0\0" if len(data) % 2 else b""
    answer = put_chunk(world.rig, run, stream, 0, head + data)
    assert answer.status_code == 400
    assert Chunk.objects.count() == 0


@pytest.mark.parametrize(
    "body",
    ["", "{", "[]", '"x"', '{"count": null}', '{"count": 1e99}', '{"count": {"a": 1}}'],
)
def test_no_body_makes_the_server_fail(world, body):
    for method, route in (
        ("post", "rounds"), ("post", "claims"), ("post", "ask"), ("post", "variants"),
        ("put", "variants/1"), ("put", "terms"), ("post", "profiles"), ("patch", "plan"),
        ("post", "rehearsals"), ("put", "script"),
    ):  # fmt: skip
        url = f"/api/studies/{world.study.pk}/{route}"
        answer = getattr(world.owner, method)(url, body, content_type="application/json")
        assert answer.status_code in (200, 201, 400), f"{route} {body}"
    answer = world.rig.post("/api/agent/hello", body, content_type="application/json")
    assert answer.status_code == 400


def test_chunks_are_stored_out_of_line_and_uncompressed(db):
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT attname, attstorage FROM pg_attribute "
            "WHERE attrelid = 'traces_chunk'::regclass AND attname = 'data'"
        )
        assert dict(cursor.fetchall()) == {"data": "e"}
