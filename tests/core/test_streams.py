"""Chunks and their min/max: what goes in comes out, damage is noticed, no spike vanishes."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yardstick_core.record import join
from yardstick_core.streams import chunk
from yardstick_core.streams.counters import cumulative, drawn, drawn_name, drawn_unit
from yardstick_core.streams.overview import narrow, pack, plain, summarise, unpack


def frames(count: int, seed: int = 1) -> np.ndarray:
    """Instants of pictures about 7 ms apart, to 100 ns."""
    gaps = np.random.default_rng(seed).gamma(9, 0.8, count) * 1e6
    return (np.cumsum(gaps).astype(np.int64) // 100) * 100 + 1_000_000


@settings(max_examples=60)
@given(st.lists(st.integers(0, 200_000_000), min_size=1, max_size=400))
def test_frames_come_back_to_100_ns(gaps):
    instants = np.cumsum(np.array(gaps, np.int64))
    back = chunk.decode_frames(chunk.encode_frames(instants))
    assert np.abs(back - instants).max() < 200


def test_intervals_do_not_drift_over_a_long_stream():
    instants = np.arange(100_000, dtype=np.int64) * 6_944_444
    parts = [
        chunk.encode_frames(instants[i : i + 2048], int(instants[i - 1]) if i else -1)
        for i in range(0, len(instants), 2048)
    ]
    back = np.concatenate([chunk.decode_frames(part) for part in parts])
    assert np.abs(back - instants).max() < 200


def test_counters_and_journal_come_back():
    at = np.arange(5, dtype=np.int64) * 50_000_000
    values = np.array([0.0, 1.5, -3.0, 1e12, 0.1])
    times, back = chunk.decode_counter(chunk.encode_counter(at, values))
    assert times.tolist() == at.tolist()
    assert back.tolist() == values.tolist()
    entries = [{"kind": "mark", "at": 5, "name": "hälfte"}, {"kind": "outcome", "at": 9}]
    assert chunk.decode_journal(chunk.encode_journal(entries)) == entries


#: Steps between samples, ns: as usual, back in time, and longer than 32 bits of ticks hold.
STEPS = st.sampled_from([10_000_000, 100, 0, -700, 300 * 10**9])


@given(st.lists(st.tuples(STEPS, st.floats(allow_nan=False)), min_size=1, max_size=60))
def test_samples_of_any_steps_come_back(samples):
    at = 5_000 + np.cumsum([step for step, _ in samples], dtype=np.int64)
    values = np.array([value for _, value in samples])
    times, back = chunk.decode_counter(chunk.encode_counter(at, values))
    assert times.tolist() == at.tolist()
    assert back.tolist() == values.tolist()


@pytest.mark.parametrize("damage", ["cut", "turned", "other", "empty", "bomb"])
def test_a_damaged_chunk_is_refused(damage):
    data = chunk.encode_frames(frames(500))
    broken = {
        "cut": data[:-5],
        "turned": data[:40] + bytes([data[40] ^ 0xFF]) + data[41:],
        "other": b"PNG!" + data[4:],
        "empty": b"",
        "bomb": data[:28] + (2**31 - 1).to_bytes(4, "little") + data[32:],
    }[damage]
    with pytest.raises(chunk.ChunkError):
        chunk.decode_frames(broken)


def test_two_frames_too_far_apart_do_not_share_a_chunk():
    with pytest.raises(chunk.ChunkError, match="214 s"):
        chunk.encode_frames(np.array([0, 300_000_000_000]))


@pytest.mark.parametrize("sizes", [[], [5], [200, 200, 200, 17], [1, 64, 1, 64]])
def test_chunks_taken_apart_together_are_those_taken_apart_one_by_one(sizes):
    rng = np.random.default_rng(3)
    at = np.cumsum(rng.integers(1, 10**8, max(1, sum(sizes)))) // 100 * 100
    values = rng.normal(0, 1e9, len(at))
    edges = np.cumsum([0, *sizes])
    spans = list(pairwise(edges))
    counters = [chunk.encode_counter(at[a:b], values[a:b]) for a, b in spans]
    instants, back = chunk.decode_counters(counters)
    assert instants.tolist() == at[: sum(sizes)].tolist()
    assert back.tolist() == values[: sum(sizes)].tolist()
    frames_ = [chunk.encode_frames(at[a:b], int(at[a - 1]) if a else -1) for a, b in spans]
    assert chunk.decode_all_frames(frames_).tolist() == at[: sum(sizes)].tolist()


@pytest.mark.parametrize("before", [-1, 700])
def test_chunks_made_together_are_those_made_one_by_one(before):
    rng = np.random.default_rng(4)
    at = 1_000 + np.cumsum(rng.integers(1, 10**6, 300)) * 100
    at[100:] += 250 * 10**9 * (before < 0)  # a gap between two chunks is no gap within one
    values = rng.normal(0, 1e9, len(at))
    spans = [(0, 100), (100, 200), (200, 300)]
    assert chunk.encode_frames_of(at, 100, before) == [
        chunk.encode_frames(at[a:b], int(at[a - 1]) if a else before) for a, b in spans
    ]
    assert chunk.encode_counter_of(at, values, 100) == [
        chunk.encode_counter(at[a:b], values[a:b]) for a, b in spans
    ]


def test_one_damaged_chunk_among_many_is_told():
    good = chunk.encode_counter(np.array([100, 200]), np.ones(2))
    with pytest.raises(chunk.ChunkError):
        chunk.decode_counters([good, good[:-3]])
    with pytest.raises(chunk.ChunkError, match="counter"):
        chunk.decode_all_frames([good])


def series(size: int = 50_000) -> tuple[np.ndarray, np.ndarray]:
    instants = frames(size + 1)
    return instants[1:], np.diff(instants) / 1e6


@pytest.mark.parametrize("size", [64, 1024, 7])
def test_every_point_holds_least_greatest_and_mean_of_its_samples(size):
    instants, values = series(5000)
    found = summarise(instants, values, size)
    for place in (0, 3, len(found) - 1):
        part = values[place * size : (place + 1) * size]
        assert found.low[place] == part.min()
        assert found.high[place] == part.max()
        assert found.mean[place] == pytest.approx(part.mean())
        assert found.end_ns[place] == instants[min((place + 1) * size, len(values)) - 1]


def test_a_single_spike_survives_every_narrowing():
    instants, values = series()
    values[31_234] = 333
    found = summarise(instants, values, 64)
    for most in (300, 40, 7, 1):
        narrowed = narrow(found, most)
        assert len(narrowed) <= most
        assert narrowed.high.max() == 333
        assert narrowed.mean.mean() == pytest.approx(values.mean(), rel=0.01)


def test_points_come_back_from_their_bytes():
    found = summarise(*series(), 64)
    again = unpack(pack(found))
    assert again.end_ns.tolist() == found.end_ns.tolist()
    assert np.allclose(again.high, found.high, rtol=1e-6)
    with pytest.raises(ValueError, match="buffer size"):
        unpack(b"half a point")


def test_a_part_of_a_series_reaches_one_point_beyond_each_end():
    points = plain(np.arange(10) * 100, np.arange(10.0))
    assert points.between(250, 510).end_ns.tolist() == [200, 300, 400, 500, 600]
    assert points.between(0, 10_000).plain
    assert len(points.between(5000, 6000)) == 1


@pytest.mark.parametrize(
    ("name", "shown", "unit", "counts_on"),
    [
        ("subject.processor_seconds", "subject.processor", "cores", True),
        ("core.1.busy_seconds", "core.1.busy", "cores", True),
        ("subject.bytes_written", "subject.bytes_written", "MiB/s", True),
        ("subject.resident", "subject.resident", "MiB", False),
        ("subject.threads", "subject.threads", "", False),
    ],
)
def test_a_counter_is_drawn_in_its_unit(name, shown, unit, counts_on):
    assert drawn_name(name) == shown
    assert drawn_unit(name) == unit
    assert cumulative(name) is counts_on


def test_totals_are_drawn_as_rates_and_bytes_as_mib():
    at = np.arange(6) * 500_000_000
    _, cores = drawn("subject.processor_seconds", at, np.arange(6) * 0.25)
    assert cores.tolist() == pytest.approx([0.5] * 5)
    _, written = drawn("subject.bytes_written", at, np.arange(6) * 2**20)
    assert written.tolist() == [2.0] * 5
    _, held = drawn("subject.resident", at, np.full(6, 3 * 2.0**20))
    assert held.tolist() == [3.0] * 6
    assert len(drawn("subject.processor_seconds", at[:1], np.ones(1))[0]) == 0


def test_a_run_is_joined_from_its_chunks():
    journal = [
        {"kind": "step", "at": 9, "path": ["Open"], "start": 0, "end": 2_000_000_000},
        {"kind": "input", "at": 5, "what": "press Enter", "late": 7},
        {"kind": "mark", "at": 6, "name": "half"},
        {"kind": "outcome", "at": 10, "outcome": "crashed", "detail": "killed by SIGSEGV"},
    ]
    instants = frames(100)
    run = join(
        {
            "journal": [chunk.encode_journal(journal[:2]), chunk.encode_journal(journal[2:])],
            "frames": [
                chunk.encode_frames(instants[:60]),
                chunk.encode_frames(instants[60:], int(instants[59])),
            ],
            "subject.resident": [chunk.encode_counter(np.array([1, 2]) * 10**8, np.ones(2))],
        }
    )
    assert run.outcome == "crashed"
    assert run.detail == "killed by SIGSEGV"
    assert len(run.frames_ns) == 100
    assert run.inputs[0].late_ns == 7
    assert run.marks == ((6, "half"),)
    assert run.counters["subject.resident"][1].tolist() == [1, 1]


def test_a_record_without_an_outcome_was_cut_off():
    assert join({}).outcome == "cut off"
