"""Logs that say their numbers in words, as programs write them."""

import json

import numpy as np
import pytest
from test_foreign_logs import AT, LENGTHS, brought, clock, read

from yardstick_core.formats.converting.sentences import rows_of
from yardstick_core.formats.guessing.guess import propose

ROUNDS = "".join(f"\nreal\t0m{2 + n / 8:.3f}s\nuser\t0m1.0{n}0s\nsys\t0m0.100s\n" for n in range(6))

#: Of each: how it is written, and the role and unit of each column.
SAID = {
    "a frame a line, with the time of day": (
        "".join(
            f"[{clock(36_000 + at)}] INFO render: frame {n} took {ms} ms\n"
            for n, (at, ms) in enumerate(zip(AT, LENGTHS, strict=True))
        ),
        [("time", "time of day"), ("other", ""), ("frame time", "ms")],
    ),
    "a frame a line, seconds in brackets, other lines between": (
        "Loom 4.2 starting\n"
        + "".join(
            f"[{at:9.4f}] frame={n} dt={ms}ms mem={200 + n // 10}MiB\n"
            + ("[note] redraw\n" if n % 40 == 0 else "")
            for n, (at, ms) in enumerate(zip(AT, LENGTHS, strict=True))
        ),
        [("skip", ""), ("time", "s"), ("other", ""), ("frame time", "ms"), ("memory", "MiB")],
    ),
    "how long something took, with date and time": (
        "".join(
            f"2026-05-03 14:00:{3 * n:02},120 - loom - INFO - opened in {1.8 + n % 3 / 8} seconds\n"
            for n in range(12)
        ),
        [("end", "date and time"), ("duration", "s")],
    ),
    "laps": (
        "Lap 1: 12.34 s\nLap 2: 12.10 s\nLap 3: 11.98 s\nLap 4: 12.05 s\n",
        [("skip", ""), ("duration", "s")],
    ),
    "rounds of names with a value each": (
        ROUNDS, [("duration", "s"), ("skip", ""), ("skip", "")],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SAID)
def test_what_a_line_says_is_understood(tmp_path, name):
    text, expected = SAID[name]
    proposal = propose(brought(tmp_path, text))
    assert [(c.role, c.unit) for c in proposal.mapping.columns] == expected
    assert proposal.doubts


def test_no_line_is_lost_and_other_lines_are_counted(tmp_path):
    source = brought(tmp_path, SAID["a frame a line, with the time of day"][0])
    summary, streams = read(source, propose(source).mapping)
    assert (summary.rows, summary.broken) == (120, 0)
    assert np.diff(streams[0, "frames"]) / 1e6 == pytest.approx(LENGTHS, abs=0.002)
    source = brought(tmp_path, SAID["a frame a line, seconds in brackets, other lines between"][0])
    summary, _ = read(source, propose(source).mapping)
    assert (summary.rows, summary.broken) == (120, 4), "the start and three notes have no time"


def test_what_took_so_long_ended_when_it_was_said(tmp_path):
    source = brought(tmp_path, SAID["how long something took, with date and time"][0])
    summary, _ = read(source, propose(source).mapping)
    (part,) = summary.parts
    assert [name for name, _, _ in part.timings] == ["opened"] * 12
    took = [(end - begin) / 1e9 for _, begin, end in part.timings]
    assert took == pytest.approx([1.8, 1.925, 2.05] * 4, abs=1e-6)
    ends = [end / 1e9 for _, _, end in part.timings]
    assert np.diff(ends) == pytest.approx([3] * 11, abs=1e-6)


@pytest.mark.parametrize(
    ("name", "seconds"), [("laps", 12.34), ("rounds of names with a value each", 2)]
)
def test_each_said_once_a_round_is_a_run(tmp_path, name, seconds):
    source = brought(tmp_path, SAID[name][0])
    summary, _ = read(source, propose(source).mapping)
    assert summary.parts[0].end_ns / 1e9 == pytest.approx(seconds)
    assert len(summary.parts) == (4 if name == "laps" else 6)


@pytest.mark.parametrize(
    "text",
    [
        "1000  4321  20.00  loom\n" * 20,  # a table with a word that stays
        "4.1,weave,12\n4.1,weave,13\n" * 10,
        "once upon a time\nthere was a loom\n" * 5,
        "alpha 1\nbeta 2\n",
    ],
)
def test_tables_and_tales_are_no_sentences_with_numbers(text):
    assert rows_of(text.splitlines()) is None


def test_lines_of_objects_stay_as_they_are(tmp_path):
    text = "".join(f'{{"series": "frames", "at_ns": {n}, "value": null}}\n' for n in range(30))
    assert brought(tmp_path, text).path.read_text() == text


def test_events_of_a_trace_are_timings(tmp_path):
    events = [{"ph": "M", "name": "thread_name", "pid": 1, "args": {"name": "main"}}]
    for n in range(4):
        events.append({"name": "Open", "ph": "X", "ts": 10**6 * n, "dur": 400_000 + n, "pid": 1})
        events.append({"name": "Weave", "ph": "B", "ts": 10**6 * n + 5, "pid": 1, "tid": 2})
        events.append({"ph": "E", "ts": 10**6 * n + 50_005, "pid": 1, "tid": 2, "name": ""})
    source = brought(tmp_path, json.dumps({"traceEvents": events}))
    summary, _ = read(source, propose(source).mapping)
    (part,) = summary.parts
    assert part.timings[0] == ("Open", 0, 400_000_000)
    assert [end - begin for name, begin, end in part.timings if name == "Weave"] == [50_000_000] * 4


def test_rows_that_begin_where_the_last_ended_are_frames(tmp_path):
    ends = np.cumsum(np.round(LENGTHS * 1e6).astype(int))
    starts = [0, *ends[:-1]]
    text = "frame_start_ns,frame_end_ns\n" + "".join(
        f"{start},{end}\n" for start, end in zip(starts, ends, strict=True)
    )
    source = brought(tmp_path, text)
    _, streams = read(source, propose(source).mapping)
    assert np.diff(streams[0, "frames"]) / 1e6 == pytest.approx(LENGTHS[1:], abs=0.002)
