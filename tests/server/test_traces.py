"""Traces and stretches as the interface asks for them."""

import numpy as np
import pytest

from server.worlds import S, deliver, recorded_streams
from yardstick_core.compare.text import THIN
from yardstick_core.readings.derive import stretch_readings
from yardstick_core.streams import chunk
from yardstick_server.analysis.records import run_record, stretch_record
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import Run
from yardstick_server.traces.models import Overview


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
    assert body["inputs"] == 21
    assert len(body["beside"]) == 1


def test_a_trace_holds_every_frame_where_they_are_few(world, run):
    trace = world.owner.get(f"/api/runs/{run}/trace").json()
    assert trace["frames"]["every"] is True
    assert len(trace["frames"]["at_s"]) == 249
    assert np.mean(trace["frames"]["high"]) == pytest.approx(8, abs=0.1)
    resident = trace["counters"]["subject.resident"]
    assert (resident["high"][0], resident["unit"]) == (50, "MiB")
    assert trace["counters"]["subject.processor"]["mean"][5] == pytest.approx(0.6)
    assert trace["cores"] == 2
    assert trace["inputs"]["count"] == 21
    assert trace["inputs"]["what"][1] == "scroll down 2"
    assert len(trace["latency"]["at_s"]) == 20


def test_only_the_counters_asked_for_are_sent(world, run):
    trace = world.owner.get(f"/api/runs/{run}/trace?counters=subject.resident,unheard").json()
    assert list(trace["counters"]) == ["subject.resident"]
    assert "subject.processor" in trace["known"]
    assert world.owner.get(f"/api/runs/{run}/trace?points=1").status_code == 400
    assert world.owner.get(f"/api/runs/{run}/trace?points=x").status_code == 400


def test_a_stretch_of_a_trace_holds_only_that_stretch(world, run):
    trace = world.owner.get(f"/api/runs/{run}/trace?from=2.5&to=3").json()
    within = [at for at in trace["frames"]["at_s"] if 2.5 <= at <= 3]
    assert 55 <= len(within) <= 70
    assert len(trace["frames"]["at_s"]) - len(within) <= 2


def long_run(world, frames: int = 300_000, spike: int = 123_456) -> int:
    """A run of frames of 5 ms with one of 240 ms, and an idle minute; sealed and read."""
    world.study.add_rounds(1)
    number = world.rig.post("/api/agent/runs/take").json()["run"]
    gaps = np.full(frames, 5_000_000)
    gaps[spike] = 240_000_000
    gaps[200_000] = 60 * S
    instants = np.cumsum(gaps)
    before, parts = -1, []
    for start in range(0, len(instants), 16_384):
        part = instants[start : start + 16_384]
        parts.append(chunk.encode_frames(part, before))
        before = int(part[-1])
    at = np.arange(0, int(instants[-1]), S // 20)
    resident = np.full(len(at), 50 * 2.0**20)
    resident[17_000] = 900 * 2.0**20
    streams = {
        "frames": parts,
        "journal": [chunk.encode_journal([{"kind": "outcome", "at": 1, "outcome": "finished"}])],
        "subject.resident": [chunk.encode_counter(at, resident)],
        "subject.bytes_written": [chunk.encode_counter(at, np.arange(len(at)) * 2.0**20)],
    }
    assert deliver(world, number, streams).status_code == 200
    return number


@pytest.mark.parametrize("sealed", [False, True])
def test_a_long_trace_is_thinned_and_keeps_its_spike_and_its_peak(world, sealed):
    number = long_run(world)
    if sealed:
        read_run(number)
    trace = world.owner.get(f"/api/runs/{number}/trace?points=500").json()
    assert trace["frames"]["every"] is False
    assert len(trace["frames"]["at_s"]) <= 500
    assert max(trace["frames"]["high"]) == 240
    assert trace["spikes"] == {"count": 1, "at_s": [pytest.approx(617.52)], "ms": [240]}
    assert trace["idle"]["end_s"][0] - trace["idle"]["start_s"][0] == pytest.approx(60)
    assert max(trace["counters"]["subject.resident"]["high"]) == 900
    assert trace["whole_s"] == pytest.approx(1560.2, abs=0.1)


def test_close_up_every_frame_and_every_sample_is_there(world):
    number = long_run(world)
    read_run(number)
    close = world.owner.get(f"/api/runs/{number}/trace?from=617&to=619").json()
    assert close["frames"]["every"] is True
    assert max(close["frames"]["high"]) == 240
    resident = close["counters"]["subject.resident"]
    assert resident["every"] is True
    assert 40 <= len(resident["at_s"]) <= 44
    assert close["counters"]["subject.bytes_written"]["mean"][3] == pytest.approx(20)


def test_zooms_lost_are_made_again_from_the_chunks(world):
    number = long_run(world)
    read_run(number)
    before = world.owner.get(f"/api/runs/{number}/trace").json()
    Overview.objects.all().delete()
    assert world.owner.get(f"/api/runs/{number}/trace").json() == before
    assert Overview.objects.filter(run=number, series="frames").count() == 2


def test_a_stretch_of_a_long_run_reads_as_from_the_whole_record(world):
    number = long_run(world)
    read_run(number)
    found = Run.objects.get(pk=number)
    start, end = 600 * S, 1200 * S
    part = stretch_readings(stretch_record(found, start, end), start, end)
    assert part == stretch_readings(run_record(found), start, end)
    assert {r.metric for r in part} >= {"average_rate", "peak_memory", "disk_written"}


def test_stretches_stand_side_by_side(world, run):
    body = world.owner.get(
        f"/api/side-by-side?of={run}:2.0:2.9&of={run}:2.1:3.9&of={run}:0:1"
    ).json()
    assert [side["frames"] for side in body["stretches"]] == [
        pytest.approx(112, abs=2), pytest.approx(225, abs=2), 0,
    ]  # fmt: skip
    rate = next(line for line in body["lines"] if line["metric"] == "average_rate")
    assert rate["values"][:2] == [pytest.approx(125, abs=1.5)] * 2
    assert rate["values"][2] is None
    assert rate["changes"][2] is None
    assert len(body["stretches"][0]["quantiles_ms"]) == len(body["shares"])
    assert sum(body["stretches"][0]["bins"]) == pytest.approx(1)
    assert len(body["edges_ms"]) == len(body["stretches"][0]["bins"]) + 1


@pytest.mark.parametrize("of", ["", "1", "x:0:1", "1:2:1", "99999999999999999999:0:1", "1:0"])
def test_side_by_side_of_nonsense_is_refused(world, run, of):
    assert world.owner.get(f"/api/side-by-side?of={of}").status_code == 400
    assert world.owner.get("/api/side-by-side").status_code == 400


def test_another_teams_run_stands_beside_none_of_ours(world, others, run):
    for path in (f"side-by-side?of={run}:0:1", f"runs/{run}/laps", f"runs/{run}/trace"):
        assert others.owner.get(f"/api/{path}").status_code == 404


def test_laps_come_with_an_outlook(world):
    world.study.add_rounds(1)
    number = world.rig.post("/api/agent/runs/take").json()["run"]
    streams = recorded_streams()
    laps = [
        {"kind": "lap", "at": 4 * S, "path": ["Loop", "lap"], "start": n * S, "end": (n + 1) * S}
        for n in range(4)
    ]
    streams["journal"].append(chunk.encode_journal(laps))
    deliver(world, number, streams)
    body = world.owner.get(f"/api/runs/{number}/laps").json()
    assert [lap["crest_mib"] for lap in body["laps"]] == [50] * 4
    assert body["outlook"]["kind"] == "too short to say"
    assert body["outlook"]["text"].startswith("too short to say: 0")
    assert body["outlook"]["after"] == []


def test_a_stretch_chosen_by_hand_is_read_exactly(world, run):
    body = world.owner.get(f"/api/runs/{run}/stretch?from=2.1&to=3.9").json()
    rate = next(r for r in body["readings"] if r["metric"] == "average_rate")
    assert float(rate["text"].split(THIN)[0]) == pytest.approx(125, abs=1.5)
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
    gaps = np.full(238, 8_000_000)
    gaps[100] = 90_000_000
    streams["frames"] = [chunk.encode_frames(2 * S + np.cumsum(gaps))]
    deliver(world, number, streams)
    body = world.owner.get(f"/api/runs/{number}/stretch?from=2&to=4").json()
    (spike,) = body["spikes"]
    assert body["spike_count"] == 1
    assert spike["ms"] == pytest.approx(90)
    assert spike["after"] == "scroll down 2"
    assert spike["step"] == "Scroll"
