"""The database away, full, or its clock set back: nothing half done, and what to do is said."""

from datetime import timedelta

import pytest
from django.db import InterfaceError, OperationalError
from django.utils import timezone
from psycopg_pool import PoolTimeout

from server.worlds import deliver, put_chunk, recorded_streams
from yardstick_server.runs.models import Run
from yardstick_server.traces.models import Chunk

TROUBLES = [
    OperationalError("could not extend file: No space left on device"),
    OperationalError("server closed the connection unexpectedly"),
    InterfaceError("connection already closed"),
    PoolTimeout("couldn't get a connection after 30.00 sec"),
]


@pytest.mark.parametrize("error", TROUBLES, ids=lambda error: type(error).__name__)
def test_a_chunk_the_database_cannot_take_is_asked_for_again(world, monkeypatch, error):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    streams = recorded_streams()
    with monkeypatch.context() as patched:
        patched.setattr(Chunk, "save", lambda *_, **__: (_ for _ in ()).throw(error))
        answer = put_chunk(world.rig, run, "frames", 0, streams["frames"][0])
    assert answer.status_code == 503
    assert answer["Retry-After"] == "2"
    assert "nothing was changed, try again" in answer.json()["detail"]
    assert deliver(world, run, streams).status_code == 200


def test_what_a_person_asks_for_is_not_half_done(world, monkeypatch):
    real = Run.save
    saved = []

    def breaks(self, *args, **more):
        saved.append(self)
        if len(saved) == 3:
            raise OperationalError("server closed the connection unexpectedly")
        return real(self, *args, **more)

    monkeypatch.setattr(Run, "save", breaks)
    url = f"/api/studies/{world.study.pk}/rounds"
    answer = world.owner.post(url, {"count": 2}, content_type="application/json")
    assert answer.status_code == 503
    assert world.study.runs.count() == 0


@pytest.fixture
def two_rigs(world):
    """A run leased to one rig, and another rig that asks for work."""
    from django.test import Client

    from yardstick_server.accounts.models import digest

    world.study.add_rounds(1)
    world.study.runs.exclude(order_in_round=0, round=0).delete()
    run = Run.objects.get(pk=world.rig.post("/api/agent/runs/take").json()["run"])
    world.workspace.rigs.create(name="attic", token_digest=digest("attic"))
    return run, Client(headers={"Authorization": "Rig attic"})


def test_a_clock_set_back_does_not_keep_a_dead_rigs_run_for_hours(two_rigs):
    run, other = two_rigs
    assert other.post("/api/agent/runs/take").status_code == 204
    # The lease was given before the clock went back by two hours.
    Run.objects.filter(pk=run.pk).update(lease_until=timezone.now() + timedelta(hours=2))
    run.refresh_from_db()
    assert run.silent
    again = other.post("/api/agent/runs/take")
    assert again.status_code == 200
    assert Run.objects.get(pk=again.json()["run"]).repeats_id == run.pk


def test_a_heartbeat_after_the_clock_was_set_back_keeps_the_run(world, two_rigs):
    run, other = two_rigs
    Run.objects.filter(pk=run.pk).update(lease_until=timezone.now() + timedelta(hours=2))
    url = f"/api/agent/runs/{run.pk}/heartbeat"
    world.rig.post(url, {"progress": {}}, content_type="application/json")
    assert other.post("/api/agent/runs/take").status_code == 204
