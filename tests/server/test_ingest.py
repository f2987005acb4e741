"""Chunks and seals: idempotent, checked, refused with a reason, and nothing lost."""

import numpy as np
import pytest

from server.worlds import (
    S,
    deliver,
    put_chunk,
    recorded_streams,
    seal_body,
    sha,
)
from yardstick_core.streams import chunk
from yardstick_server.runs.models import Run
from yardstick_server.traces.models import Chunk

FRAMES = chunk.encode_frames(np.arange(1, 400, dtype=np.int64) * 7_000_000)


@pytest.fixture
def run(world) -> int:
    """A run that the rig has taken."""
    world.study.add_rounds(1)
    return world.rig.post("/api/agent/runs/take").json()["run"]


def test_a_chunk_is_kept_as_it_came(world, run):
    answer = put_chunk(world.rig, run, "frames", 0, FRAMES)
    assert answer.status_code == 201
    assert answer.json() == {"kept": True, "samples": 399}
    kept = Chunk.objects.get()
    assert bytes(kept.data) == FRAMES
    assert kept.last_ns == 399 * 7_000_000


def test_the_same_chunk_twice_is_kept_once(world, run):
    put_chunk(world.rig, run, "frames", 0, FRAMES)
    again = put_chunk(world.rig, run, "frames", 0, FRAMES)
    assert again.status_code == 200
    assert again.json()["kept"] is False
    assert Chunk.objects.count() == 1


def test_another_chunk_in_the_same_place_is_refused_and_the_first_stays(world, run):
    put_chunk(world.rig, run, "frames", 0, FRAMES)
    other = chunk.encode_frames(np.array([5_000_000]))
    answer = put_chunk(world.rig, run, "frames", 0, other)
    assert answer.status_code == 409
    assert "already there, with other content" in answer.json()["detail"]
    assert bytes(Chunk.objects.get().data) == FRAMES


def test_a_wrong_checksum_keeps_nothing_and_says_what_to_do(world, run):
    answer = put_chunk(world.rig, run, "frames", 0, FRAMES, claimed=sha(b"else"))
    assert answer.status_code == 400
    assert "nothing was kept, send the chunk again" in answer.content.decode()
    assert Chunk.objects.count() == 0
    assert put_chunk(world.rig, run, "frames", 0, FRAMES).status_code == 201


@pytest.mark.parametrize(
    ("stream", "data", "says"),
    [
        ("frames", b"not a chunk at all, whatever it says", "not a chunk"),
        ("frames", FRAMES[:-9], "damaged"),
        ("subject.resident", FRAMES, "a chunk of frames, where one of counter was expected"),
        ("Bad-Name", FRAMES, "no name for a stream"),
        (
            "subject.resident",
            chunk.encode_counter(np.array([1]), np.array([np.inf])),
            "no numbers",
        ),
    ],
    ids=["no chunk", "cut", "other kind", "bad name", "infinite"],
)
def test_what_cannot_be_read_is_refused_with_the_reason(world, run, stream, data, says):
    answer = put_chunk(world.rig, run, stream, 0, data)
    assert answer.status_code == 400
    assert says in answer.content.decode()
    assert Chunk.objects.count() == 0


def test_an_oversized_body_is_refused(world, run):
    answer = put_chunk(world.rig, run, "frames", 0, b"x" * (8 * 1024 * 1024 + 1))
    assert answer.status_code == 400
    assert "at most" in answer.content.decode()


def test_only_the_rig_that_has_the_run_may_send(world, others, run):
    assert put_chunk(others.rig, run, "frames", 0, FRAMES).status_code == 404
    assert Chunk.objects.count() == 0


def test_a_seal_with_all_chunks_ends_the_run(world, run):
    answer = deliver(world, run, recorded_streams())
    assert answer.json() == {"sealed": True}
    sealed = Run.objects.get(pk=run)
    assert (sealed.state, sealed.outcome) == ("measured", "finished")
    assert sealed.facts.facts["cores"] == 2


def test_a_seal_names_the_chunks_that_are_missing(world, run):
    streams = recorded_streams()
    put_chunk(world.rig, run, "frames", 1, streams["frames"][1])
    answer = world.rig.post(
        f"/api/agent/runs/{run}/seal", seal_body(streams), content_type="application/json"
    )
    assert answer.status_code == 409
    missing = {(part["stream"], part["sequence"]) for part in answer.json()["missing"]}
    assert ("frames", 0) in missing
    assert ("frames", 1) not in missing
    assert Run.objects.get(pk=run).state == "running"


def test_sealing_twice_changes_nothing(world, run):
    streams = recorded_streams()
    deliver(world, run, streams)
    again = world.rig.post(
        f"/api/agent/runs/{run}/seal",
        seal_body(streams, "crashed"),
        content_type="application/json",
    )
    assert again.status_code == 200
    assert Run.objects.get(pk=run).outcome == "finished"


def test_a_sealed_run_takes_no_new_chunk_but_knows_the_old_ones(world, run):
    streams = recorded_streams()
    deliver(world, run, streams)
    assert put_chunk(world.rig, run, "frames", 0, streams["frames"][0]).status_code == 200
    more = put_chunk(world.rig, run, "frames", 9, FRAMES)
    assert more.status_code == 409
    assert "takes no more chunks" in more.json()["detail"]


def test_facts_are_kept_once_for_each_state_of_a_rig(world):
    world.study.add_rounds(1)
    for _ in range(3):
        run = world.rig.post("/api/agent/runs/take").json()["run"]
        deliver(world, run, recorded_streams(seed=run))
    assert world.rig_record.facts.count() == 1


def test_a_heartbeat_keeps_the_lease_and_brings_an_abort(world, run):
    body = {"progress": {"step": "Open", "elapsed_ns": 5 * S, "beats": [[1, 2, 3.0]]}}
    url = f"/api/agent/runs/{run}/heartbeat"
    assert world.rig.post(url, body, content_type="application/json").json()["abort"] is False
    kept = Run.objects.get(pk=run)
    assert kept.progress == {"step": "Open", "elapsed_ns": 5 * S}
    assert not kept.silent
    world.owner.post(f"/api/runs/{run}/abort")
    assert world.rig.post(url, body, content_type="application/json").json()["abort"] is True
