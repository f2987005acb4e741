"""Many chunks in one message: all are kept or none, and the same message again changes nothing."""

import pytest

from server.worlds import pieces, recorded_streams, seal_body, sha
from yardstick_core.streams.batch import pack


@pytest.fixture
def run(world):
    world.study.add_rounds(1)
    return world.study.runs.get(pk=world.rig.post("/api/agent/runs/take").json()["run"])


def send(world, run, sent, rig=None):
    return (rig or world.rig).post(
        f"/api/agent/runs/{run.pk}/chunks", pack(sent), content_type="application/octet-stream"
    )


def test_a_run_sent_together_is_the_run(world, run):
    streams = recorded_streams()
    sent = pieces(streams)
    assert send(world, run, sent).json() == {"kept": len(sent), "known": 0}
    assert send(world, run, sent).json() == {"kept": 0, "known": len(sent)}
    assert run.chunks.count() == len(sent)
    url = f"/api/agent/runs/{run.pk}/seal"
    sealed = world.rig.post(url, seal_body(streams), content_type="application/json")
    assert sealed.status_code == 200


def test_what_is_new_is_kept_beside_what_is_known(world, run):
    sent = pieces(recorded_streams())
    send(world, run, sent[:2])
    assert send(world, run, sent).json() == {"kept": len(sent) - 2, "known": 2}


@pytest.mark.parametrize(
    ("spoil", "status", "why"),
    [
        (lambda p: p._replace(sha256="0" * 64), 400, "checksum of chunk 0 of frames"),
        (lambda p: p._replace(data=b"x", sha256=sha(b"x")), 400, "cannot be read"),
        (lambda p: p._replace(stream="../etc"), 400, "is no name for a stream"),
        (lambda p: p._replace(sequence=500_000), 400, "at most"),
    ],
)
def test_one_bad_chunk_and_none_is_kept(world, run, spoil, status, why):
    sent = pieces(recorded_streams())
    place = next(n for n, piece in enumerate(sent) if piece.stream == "frames")
    sent[place] = spoil(sent[place])
    answer = send(world, run, sent)
    assert answer.status_code == status
    assert why in answer.content.decode()
    assert run.chunks.count() == 0


def test_another_chunk_in_the_same_place_is_a_conflict(world, run):
    sent = pieces(recorded_streams())
    send(world, run, sent)
    other = pieces(recorded_streams(seed=9))
    assert send(world, run, other).status_code == 409
    assert run.chunks.count() == len(sent)


@pytest.mark.parametrize("message", [b"", b"noise", pack([])[:-1], b"YB1\nxx"])
def test_what_is_no_message_is_refused(world, run, message):
    url = f"/api/agent/runs/{run.pk}/chunks"
    answer = world.rig.post(url, message, content_type="application/octet-stream")
    assert answer.status_code == 400
    assert "nothing was kept" in answer.content.decode()


def test_another_teams_rig_sends_nothing(world, others, run):
    assert send(world, run, pieces(recorded_streams()), others.rig).status_code == 404


def test_where_many_measure_each_is_asked_to_come_less_often(world, run):
    from django.core.cache import cache

    from yardstick_server.api.agent.runs import (
        MOST_HEARTBEATS_A_SECOND,
        SLOWEST_S,
        again_s,
    )

    url = f"/api/agent/runs/{run.pk}/heartbeat"
    cache.set("running", 1)
    answer = world.rig.post(url, {"progress": {}}, content_type="application/json").json()
    assert answer["again_s"] == 0.5
    cache.set("running", 4 * MOST_HEARTBEATS_A_SECOND)
    assert again_s() == 4
    cache.set("running", 10**6)
    assert again_s() == SLOWEST_S
    cache.clear()
