"""What goes out comes in again unchanged; captions and trace events say what the record says."""

import json

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.record_table import (
    RecordReader,
    text_of,
    write_parquet,
)
from yardstick_core.formats.source import look_at
from yardstick_core.formats.spans import trace_events, webvtt
from yardstick_core.record import RunRecord, from_journal

S = 10**9
JOURNAL = [
    {"kind": "step", "at": 2 * S, "path": ["Open, “wide”"], "start": 0, "end": 2 * S},
    {"kind": "time", "at": 2 * S, "path": ["Open, “wide”", "open"], "start": S, "end": 2 * S,
     "plus_minus": 1_000_000},
    {"kind": "input", "at": 5, "what": 'type "a,b"\t\\', "late": 7},
    {"kind": "mark", "at": 6 * S, "name": "half <way>\n--> there"},
    {"kind": "outcome", "at": 7 * S, "outcome": "finished", "detail": ""},
]  # fmt: skip


def record(frames: int = 500, seed: int = 1) -> RunRecord:
    rng = np.random.default_rng(seed)
    at = np.cumsum(rng.integers(1, 10**7, 80))
    return from_journal(
        JOURNAL,
        np.cumsum(rng.integers(1, 10**8, frames)),
        {
            "subject.resident": (at, rng.normal(1e9, 1e3, 80)),
            "log.warp": (at, rng.normal(0, 1e-9, 80)),
        },
    )


def out_and_in(path, made: RunRecord, kind: str) -> RunRecord:
    if kind == "parquet":
        write_parquet(made, path)
    else:
        path.write_bytes(b"".join(text_of(made, kind)))
    source = look_at(path)
    proposal = propose(source)
    assert proposal.record
    reader = RecordReader(source, proposal.mapping)
    frames, counters = [], {}
    for piece in reader.pieces():
        if piece.stream == "frames":
            frames.append(piece.instants)
        else:
            counters.setdefault(piece.stream, []).append(piece)
    assert reader.broken == []
    return from_journal(
        reader.journal,
        np.concatenate(frames) if frames else None,
        {
            name: (
                np.concatenate([p.instants for p in parts]),
                np.concatenate([p.values for p in parts]),
            )
            for name, parts in counters.items()
        },
    )


def same(a: RunRecord, b: RunRecord) -> None:
    assert a.journal == b.journal
    assert a.stretches == b.stretches
    assert a.frames_ns.tolist() == b.frames_ns.tolist()
    assert a.counters.keys() == b.counters.keys()
    for name, (at, values) in a.counters.items():
        assert at.tolist() == b.counters[name][0].tolist()
        assert values.tolist() == b.counters[name][1].tolist()


@pytest.mark.parametrize("kind", ["csv", "jsonl", "parquet"])
def test_a_record_that_went_out_comes_in_unchanged(tmp_path, kind):
    made = record()
    same(made, out_and_in(tmp_path / f"run.{kind}", made, kind))


def test_a_long_record_goes_out_in_parts_and_comes_in_whole(tmp_path):
    made = record(150_000)
    same(made, out_and_in(tmp_path / "run.csv", made, "csv"))


def ordinary(value: float) -> bool:
    """Neither so small that text rounds it away, nor minus nothing."""
    return value == 0 or abs(value) > 1e-300


#: What the database keeps: a record holds nothing else.
keepable = st.characters(exclude_categories=["Cs"], exclude_characters="\0")


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    texts=st.lists(st.text(keepable, max_size=30), max_size=6),
    values=st.lists(
        st.floats(allow_nan=False, allow_infinity=False).filter(ordinary),
        min_size=1, max_size=20,
    ),
    kind=st.sampled_from(["csv", "jsonl", "parquet"]),
)  # fmt: skip
def test_any_text_and_any_number_comes_in_unchanged(tmp_path, texts, values, kind):
    journal = [{"kind": "mark", "at": n, "name": text} for n, text in enumerate(texts)]
    journal.append({"kind": "outcome", "at": 9, "outcome": "finished"})
    counter = (np.arange(len(values), dtype=np.int64), np.array(values))
    made = from_journal(journal, np.array([1, 2]), {"log.any": counter})
    same(made, out_and_in(tmp_path / f"any.{kind}", made, kind))


def test_only_a_stretch_goes_out(tmp_path):
    made = record()
    middle = int(made.frames_ns[250])
    lines = b"".join(text_of(made, "jsonl", middle, 2**62)).decode().splitlines()
    frames = [json.loads(line) for line in lines if '"frames"' in line]
    assert len(frames) == 250
    assert frames[0]["at_ns"] == middle


def test_captions_are_in_order_and_cannot_be_broken_by_names():
    text = webvtt(record())
    assert text.startswith("WEBVTT\n")
    assert "00:00:01.000 --> 00:00:02.000\ntime: Open, “wide” / open" in text
    assert "mark: half &lt;way> → there" in text
    cues = [line for line in text.splitlines() if "-->" in line]
    assert cues == sorted(cues)


def test_trace_events_hold_stretches_marks_and_inputs():
    events = trace_events(record(), 7)["traceEvents"]
    (opened,) = [event for event in events if event["name"] == "Open, “wide” / open"]
    assert (opened["ph"], opened["ts"], opened["dur"], opened["pid"]) == ("X", 1e6, 1e6, 7)
    assert {event["ph"] for event in events} == {"M", "X", "i"}
