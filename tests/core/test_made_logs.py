"""Logs and results made at random, each with what it must come to: hundreds of layouts."""

import json
import random
from collections import Counter
from datetime import datetime, timedelta

import numpy as np
import pytest
from made_frames import made_frames
from made_results import made_lines, made_table
from test_foreign_logs import brought

from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.mapping import check

#: So many of each kind: enough for each feature to meet most others.
FRAMES, TABLES, LINES, EVENTS = range(150), range(140), range(60), range(60)


def read(tmp_path, content):
    """Roles of the columns, what was found, and by stream of the first run instants and values."""
    source = brought(tmp_path, content)
    mapping = propose(source).mapping
    check(mapping)
    reader = LogReader(source, mapping)
    streams: dict[str, list] = {}
    for piece in reader.pieces():
        if piece.part == 0 and piece.stream:
            streams.setdefault(piece.stream, []).append((piece.instants, piece.values))
    return [column.role for column in mapping.columns], reader.summary, {
        name: (
            np.concatenate([at for at, _ in pieces]),
            np.concatenate([v for _, v in pieces]) if pieces[0][1] is not None else None,
        )
        for name, pieces in streams.items()
    }  # fmt: skip


@pytest.mark.parametrize("seed", FRAMES)
def test_frames_and_meters_of_a_log_are_found(tmp_path, seed):
    made = made_frames(seed)
    roles, summary, streams = read(tmp_path, made.content)
    assert len(summary.parts) == 1, made.features
    if made.lengths:
        lengths = np.diff(streams["frames"][0]) / 1e9
        assert len(made.lengths) - 2 - 2 * made.broken <= len(lengths) <= len(made.lengths)
        apart = abs(float(np.median(lengths)) - float(np.median(made.lengths)))
        # instants written in ms leave a length within two of them
        written = 0.0021 if made.features["kind"] == "instants" else 0.0003
        assert apart <= (written if not made.broken else 0.002), made.features
    else:
        assert "frames" not in streams, made.features
        assert "rate" in roles, made.features
        at = next(at for name, (at, _) in streams.items() if name.startswith("log."))
        assert (at[-1] - at[0]) / 1e9 == pytest.approx(
            made.instants[-1] - made.instants[0], abs=0.01
        )
    assert "processor" in roles or not made.processor, made.features
    assert "marker" in roles or not made.marked, made.features
    if made.memory:
        found = streams["subject.resident"][1]
        assert np.median(found) == pytest.approx(np.median(made.memory), rel=0.02), made.features


def results_of(summary):
    return Counter(
        (part.name, name, round((end - start) / 1e9, 3))
        for part in summary.parts for name, start, end in part.timings
    )  # fmt: skip


def expected_of(results):
    return Counter((variant, name, one) for (variant, name, _), one in results.took.items())


@pytest.mark.parametrize("seed", TABLES)
def test_results_of_a_table_are_found(tmp_path, seed):
    results, content = made_table(seed)
    _, summary, _ = read(tmp_path, content)
    assert results_of(summary) == expected_of(results), results.layout


@pytest.mark.parametrize("seed", LINES)
def test_results_in_lines_are_found(tmp_path, seed):
    results, content = made_lines(seed)
    _, summary, _ = read(tmp_path, content)
    found, expected = results_of(summary), expected_of(results)
    if summary.parts[0].timings[0][0]:  # what was timed is said in the line
        found = Counter({(v, "", one): n for (v, _, one), n in found.items()})
    assert found == expected, results.layout


WHEN = {
    "s": lambda at: f"{at:.4f}", "ms": lambda at: f"{1000 * at:.1f}",
    "ISO": lambda at: (datetime(2026, 5, 3, 14) + timedelta(seconds=at)).isoformat(),
    "time of day": lambda at: (
        datetime(2026, 5, 3, 14) + timedelta(seconds=at)).strftime("%H:%M:%S.%f")[:-3],
    "ms since 1970": lambda at: f"{1_795_000_000_000 + 1000 * at:.0f}",
}  # fmt: skip
EDGES = [
    ("begin {}", "end {}"), ("{} started", "{} finished"), ("Starting {}", "Finished {}"),
    (">> {}", "<< {}"), ("Begin: {}", "End: {}"), ("enter {}", "leave {}"),
]  # fmt: skip
TOOK = [
    "{w} INFO {o} took {d:.4f} s", "[{w}] {o}: {d:.4f} s", "{w} {o} completed in {d:.4f}s",
    "{w} DEBUG perf: {o} finished in {d:.4f} s", "{w} - {o} ({d:.4f} s)",
]  # fmt: skip


def made_events(seed):
    """A log of what was done, how it is written, and the events: name, begin and duration, s."""
    draw = random.Random(seed)
    events, at = [], 100.0
    for number in range(24):
        took = round(draw.uniform(0.02, 0.9), 3)
        events.append((["load draft", "weave preview", "save", "export"][number % 4], at, took))
        at = round(at + took + draw.uniform(0.05, 0.5), 3)
    kind = draw.choice(list(WHEN))
    when, unit = WHEN[kind], f" ({kind})" if kind in ("s", "ms") else ""
    shape = draw.choice(["spans", "lengths", "objects", "took", "edges", "phases"])
    if shape == "spans":
        lines = [f"Task;Begin{unit};End{unit}"]
        lines += [f"{o};{when(at)};{when(at + d)}" for o, at, d in events]
    elif shape == "lengths":
        lines = [f"Started{unit},Operation,Duration (ms)"]
        lines += [f"{when(at)},{o},{1000 * d:.1f}" for o, at, d in events]
    elif shape == "phases":
        lines = ["ts_ms,name,phase"]
        for o, at, d in events:
            lines += [f"{1000 * at:.1f},{o},B", f"{1000 * (at + d):.1f},{o},E"]
    elif shape == "objects":
        lines = [json.dumps({"action": o, "finished_at": when(at + d), "elapsed_ms": 1000 * d})
                 for o, at, d in events]  # fmt: skip
    elif shape == "took":
        line = shape = draw.choice(TOOK)
        lines = [line.format(w=when(at + d), o=o, d=d) for o, at, d in events]
    else:
        first, last = shape = draw.choice(EDGES)
        lines = []
        for o, at, d in events:
            lines += [f"{when(at)} [main] {first.format(o)}",
                      f"{when(at + d)} [main] {last.format(o)}"]  # fmt: skip
    return "\n".join(lines) + "\n", (shape, kind), events


@pytest.mark.parametrize("seed", EVENTS)
def test_what_was_done_is_found(tmp_path, seed):
    content, written, events = made_events(seed)
    _, summary, _ = read(tmp_path, content)
    found = [(name, (end - at) / 1e9) for name, at, end in summary.parts[0].timings]
    assert [name for name, _ in found] == [name for name, _, _ in events], written
    assert [one for _, one in found] == pytest.approx([d for _, _, d in events], abs=0.002), written
