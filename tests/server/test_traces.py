"""Traces and stretches as the interface asks for them."""

import numpy as np
import pytest

from server.conftest import S, deliver, put_chunk, recorded_streams
from yardstick_core.compare import words
from yardstick_core.streams import chunk
from yardstick_server.analysis.tasks import read_run


@pytest.fixture
def run(world) -> int:
    world.study.add_rounds(1)
    number = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, number, recorded_streams())
    read_run(number)
    return number


def test_a_run_shows_its_stretches_readings_and_machine(world, run):
    body = world.owner.get(f"/api/runs/{run}").json()
    assert [s["path"] for s in body["stretches"] if s["kind"] == "step"] == [["Open"], ["Scroll"]]
    opened = next(s for s in body["stretches"] if s["kind"] == "time")
    assert opened["end_s"] == pytest.approx(1.0)
    assert opened["plus_minus_s"] == pytest.approx(0.002)
    assert body["facts"]["cores"] == 2
    assert len(body["inputs"]) == 21
    assert len(body["beside"]) == 1


def test_a_trace_holds_every_frame_where_they_are_few(world, run):
    trace = world.owner.get(f"/api/runs/{run}/trace").json()
    assert trace["frames"]["every_frame"] is True
    assert len(trace["frames"]["at_s"]) == 249
    assert np.mean(trace["frames"]["high_ms"]) == pytest.approx(8, abs=0.1)
    assert trace["counters"]["subject.resident"]["value"][0] == 50
    assert trace["counters"]["subject.processor"]["value"][5] == pytest.approx(0.6)
    assert trace["cores"] == 2


def test_a_stretch_of_a_trace_holds_only_that_stretch(world, run):
    trace = world.owner.get(f"/api/runs/{run}/trace?from=2.5&to=3").json()
    assert min(trace["frames"]["at_s"]) >= 2.5
    assert max(trace["frames"]["at_s"]) <= 3
    assert 55 <= len(trace["frames"]["at_s"]) <= 70


def test_a_long_trace_is_thinned_and_keeps_its_spike(world):
    world.study.add_rounds(1)
    number = world.rig.post("/api/agent/runs/take").json()["run"]
    gaps = np.full(200_000, 5_000_000)
    gaps[123_456] = 480_000_000
    instants = np.cumsum(gaps)
    before = -1
    for sequence, start in enumerate(range(0, len(instants), 16_384)):
        part = instants[start : start + 16_384]
        put_chunk(world.rig, number, "frames", sequence, chunk.encode_frames(part, before))
        before = int(part[-1])
    trace = world.owner.get(f"/api/runs/{number}/trace").json()
    assert trace["frames"]["every_frame"] is False
    assert len(trace["frames"]["at_s"]) <= 20_000
    assert max(trace["frames"]["high_ms"]) == 480
    close = world.owner.get(f"/api/runs/{number}/trace?from=617&to=619").json()
    assert close["frames"]["every_frame"] is True


def test_a_stretch_chosen_by_hand_is_read_exactly(world, run):
    body = world.owner.get(f"/api/runs/{run}/stretch?from=2.1&to=3.9").json()
    rate = next(r for r in body["readings"] if r["metric"] == "average_rate")
    assert float(rate["words"].split(words.THIN)[0]) == pytest.approx(125, abs=1.5)
    assert body["frames"] == pytest.approx(225, abs=2)
    assert rate["definition"]


@pytest.mark.parametrize("query", ["from=3&to=2", "from=x", "from=-1&to=2", "to=1e99", "to=nan"])
def test_a_stretch_that_makes_no_sense_is_refused(world, run, query):
    answer = world.owner.get(f"/api/runs/{run}/stretch?{query}")
    assert answer.status_code == 400


def test_a_run_without_any_chunk_is_shown_empty(world):
    world.study.add_rounds(1)
    queued = world.study.runs.first().pk
    assert world.owner.get(f"/api/runs/{queued}").json()["stretches"] == []
    trace = world.owner.get(f"/api/runs/{queued}/trace").json()
    assert trace["frames"]["at_s"] == []


def test_spikes_name_the_input_before_them(world):
    world.study.add_rounds(1)
    number = world.rig.post("/api/agent/runs/take").json()["run"]
    streams = recorded_streams()
    gaps = np.full(200, 8_000_000)
    gaps[100] = 90_000_000
    streams["frames"] = [chunk.encode_frames(2 * S + np.cumsum(gaps))]
    deliver(world, number, streams)
    (spike,) = world.owner.get(f"/api/runs/{number}/trace").json()["spikes"]
    assert spike["ms"] == pytest.approx(90)
    assert spike["after"] == "scroll down 2"
