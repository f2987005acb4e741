"""Chunks and their min/max: what goes in comes out, damage is noticed, no spike vanishes."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yardstick_core.record import join
from yardstick_core.streams import chunk
from yardstick_core.streams.pyramid import narrow, summarise, unpack


def frames(count: int, seed: int = 1) -> np.ndarray:
    """Instants of pictures about 7 ms apart, to 100 ns."""
    gaps = np.random.default_rng(seed).gamma(9, 0.8, count) * 1e6
    return (np.cumsum(gaps).astype(np.int64) // 100) * 100 + 1_000_000


@settings(max_examples=60, deadline=None)
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


def envelope(instants: np.ndarray, size: int = 1000):
    packed, before = [], -1
    for start in range(0, len(instants), size):
        part = instants[start : start + size]
        packed.append(summarise(*chunk.decode_frame_ticks(chunk.encode_frames(part, before))))
        before = int(part[-1])
    return unpack(packed)


def test_min_and_max_of_every_bucket_are_those_of_its_frames():
    instants = frames(5000)
    found = envelope(instants)
    times = np.diff(instants) / 1e6
    assert found.high_ms.max() == pytest.approx(times.max(), abs=2e-4)
    assert found.low_ms.min() == pytest.approx(times.min(), abs=2e-4)
    edges = np.searchsorted(instants[1:], found.end_ns)
    for place in (0, 7, len(edges) - 1):
        inside = times[(edges[place - 1] + 1 if place else 0) : edges[place] + 1]
        assert found.high_ms[place] == pytest.approx(inside.max(), abs=2e-4)


def test_a_single_spike_survives_every_narrowing():
    instants = frames(50_000)
    instants[31_234:] += 333_000_000
    found = envelope(instants)
    for most in (300, 40, 7, 1):
        narrowed = narrow(found, most)
        assert len(narrowed.end_ns) <= most
        assert narrowed.high_ms.max() > 333


def test_the_first_frame_of_a_run_counts_as_no_frame_time():
    found = envelope(np.array([5_000_000_000, 5_010_000_000]))
    assert found.high_ms.tolist() == [10.0]


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
