"""Logs from elsewhere: what is proposed, what is understood, what is refused; every oddity."""

import gzip
import io
import json
import zlib

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest
import zstandard
from hypothesis import given
from hypothesis import strategies as st

from yardstick_core.formats import source as sources
from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.mapping import (
    Column,
    Mapping,
    MappingError,
    check,
    mapping_from,
)
from yardstick_core.formats.source import NotALog, look_at

PLAIN = "time (s),frame time (ms),cpu (%),memory (MiB)\n" + "".join(
    f"{0.01 * n:.3f},{10 + n % 3},{50 + n % 5},{100 + n}\n" for n in range(1, 101)
)


def file(tmp_path, content: str | bytes, name: str = "loom.csv"):
    path = tmp_path / name
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return look_at(path)


def proposed(tmp_path, content, name="loom.csv"):
    return propose(file(tmp_path, content, name))


def roles(mapping: Mapping) -> list[tuple[str, str]]:
    return [(column.role, column.unit) for column in mapping.columns]


def read(tmp_path, content, mapping=None, **changes):
    """Streams of each part, and the summary, of a log as proposed or by a mapping."""
    found = file(tmp_path, content)
    used = mapping or propose(found).mapping
    if changes:
        used = mapping_from({**used.as_dict(), **changes})
    reader = LogReader(found, used)
    streams: dict[tuple[int, str], list] = {}
    for piece in reader.pieces():
        streams.setdefault((piece.part, piece.stream), []).append(piece)
    joined = {
        key: (
            np.concatenate([p.instants for p in pieces]),
            None if pieces[0].values is None else np.concatenate([p.values for p in pieces]),
        )
        for key, pieces in streams.items()
    }
    return joined, reader.summary


def test_a_plain_log_is_understood_as_it_stands(tmp_path):
    found = proposed(tmp_path, PLAIN)
    assert roles(found.mapping) == [
        ("time", "s"), ("frame time", "ms"), ("processor", "% of the machine"), ("memory", "MiB"),
    ]  # fmt: skip
    assert found.mapping.frames == "frame time"
    assert found.mapping.header == 1
    assert found.doubts == [
        "“cpu (%)” does not say of what: the whole machine is taken for 100 %, not one core"
    ]
    assert len(found.rows) == 50


@pytest.mark.parametrize("separator", [";", "\t", "|"])
def test_separator_and_decimal_comma_are_found(tmp_path, separator):
    text = PLAIN.replace(",", separator).replace(".", ",")
    found = proposed(tmp_path, text)
    assert (found.mapping.separator, found.mapping.decimal) == (separator, ",")
    streams, summary = read(tmp_path, text)
    assert summary.broken == 0
    frames, _ = streams[0, "frames"]
    assert np.diff(frames)[:3].tolist() == [11_000_000, 12_000_000, 10_000_000]


@pytest.mark.parametrize(
    ("name", "role", "unit"),
    [
        ("FrameTime_us", "frame time", "µs"),
        ("frame time [s]", "frame time", "s"),
        ("Elapsed (ms)", "time", "ms"),
        ("timestamp ns", "time", "ns"),
        ("RSS (KiB)", "memory", "KiB"),
        ("memory [MB]", "memory", "MB"),
        ("CPU (cores)", "processor", "cores"),
        ("processor %", "processor", "% of the machine"),
        ("frame rate", "rate", "fps"),
        ("shed count", "other", ""),
        ("loom temperature (s)", "other", "s"),
        ("frame_ms", "frame time", "ms"),
        ("frames (us)", "frame time", "µs"),
    ],
)
def test_names_say_what_a_column_is_and_its_unit(tmp_path, name, role, unit):
    values = [n + 1 if role == "time" else n * 3 % 7 + 1 for n in range(40)]
    text = f"{name},spare\n" + "".join(f"{value},{n % 2}\n" for n, value in enumerate(values))
    assert roles(proposed(tmp_path, text).mapping)[0] == (role, unit)


@pytest.mark.parametrize(
    ("values", "unit"),
    [([0.016, 0.017], "s"), ([16.1, 17], "ms"), ([16_100, 17_000], "µs"), ([16.1e6, 17e6], "ns")],
)
def test_a_unit_that_is_not_said_is_guessed_by_size_and_doubted(tmp_path, values, unit):
    rows = "".join(f"{values[n % 2]},1\n" for n in range(30))
    found = proposed(tmp_path, "frame time,x\n" + rows)
    assert roles(found.mapping)[0] == ("frame time", unit)
    assert any("names no unit" in doubt for doubt in found.doubts)


def test_without_names_the_column_that_climbs_is_the_time(tmp_path):
    found = proposed(tmp_path, "".join(f"{n * 0.5},{(n * 7) % 5}\n" for n in range(50)))
    assert roles(found.mapping) == [("time", "s"), ("other", "")]
    assert found.mapping.header == 0
    assert len(found.doubts) == 2


def test_numbers_may_be_markers_where_the_name_says_so_and_they_are_few(tmp_path):
    text = "time (s),memory (MB),phase,label\n" + "".join(
        f"{n},{n + 1},{4.1 if n < 20 else 4.2},{n}\n" for n in range(40)
    )
    assert [role for role, _ in roles(proposed(tmp_path, text).mapping)] == [
        "time", "memory", "marker", "other",
    ]  # fmt: skip


def test_a_preamble_is_passed_over(tmp_path):
    text = "Loom watcher 3\nmade for the shed\n\n" + PLAIN
    found = proposed(tmp_path, text)
    assert found.mapping.header == 4
    streams, summary = read(tmp_path, text)
    assert (summary.rows, summary.broken) == (100, 0)
    assert len(streams[0, "frames"][0]) == 101


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings_are_told(tmp_path, encoding):
    text = PLAIN.replace("memory (MiB)", "Spülzeit µ")
    streams, summary = read(tmp_path, text.encode(encoding))
    assert summary.broken == 0
    assert len(streams[0, "frames"][0]) == 101
    assert (0, "log.spulzeit") in streams


def test_line_ends_of_every_kind_are_read(tmp_path):
    _, summary = read(tmp_path, PLAIN.replace("\n", "\r\n"))
    assert (summary.rows, summary.broken) == (100, 0)
    _, summary = read(tmp_path, PLAIN.rstrip("\n"))
    assert summary.rows == 100


@pytest.mark.parametrize(
    "pack", [gzip.compress, zstandard.ZstdCompressor().compress], ids=["gzip", "zstd"]
)
def test_packed_logs_are_read(tmp_path, pack):
    plain, _ = read(tmp_path, PLAIN)
    packed, summary = read(tmp_path, pack(PLAIN.encode()))
    assert summary.rows == 100
    assert packed[0, "frames"][0].tolist() == plain[0, "frames"][0].tolist()


def test_json_lines_and_parquet_say_the_same_as_csv(tmp_path):
    names = PLAIN.splitlines()[0].split(",")
    rows = [[float(cell) for cell in line.split(",")] for line in PLAIN.splitlines()[1:]]
    lines = "".join(json.dumps(dict(zip(names, row, strict=True))) + "\n" for row in rows)
    table = pa.table({name: [row[n] for row in rows] for n, name in enumerate(names)})
    written = io.BytesIO()
    pa.parquet.write_table(table, written)
    wanted, _ = read(tmp_path, PLAIN)
    for content in (lines, written.getvalue()):
        streams, summary = read(tmp_path, content)
        assert summary.rows == 100
        assert streams.keys() == wanted.keys()
        for key, (instants, values) in wanted.items():
            assert np.array_equal(streams[key][0], instants)
            assert values is None or np.allclose(streams[key][1], values)


def test_frames_memory_and_processor_come_out_in_the_units_of_a_record(tmp_path):
    streams, summary = read(tmp_path, PLAIN, cores=2)
    frames, _ = streams[0, "frames"]
    assert frames[0] == 0
    assert len(frames) == 101
    resident_at, resident = streams[0, "subject.resident"]
    assert resident[0] == 101 * 2**20
    assert len(resident_at) == 100
    _, used = streams[0, "subject.processor_seconds"]
    assert used[-1] == pytest.approx(2 * 0.52 * frames[-1] / 1e9, rel=0.05)
    assert summary.parts[0].frames == 100


def test_broken_lines_are_counted_and_named_and_the_rest_is_kept(tmp_path):
    lines = PLAIN.splitlines()
    lines[10] = "0.1,ten,50,110"
    lines[20] = "0.2,10"
    lines[30] = ""
    lines[40] = "0.05,10,50,140"
    _, summary = read(tmp_path, "\n".join(lines) + "\n")
    assert summary.rows == 96
    assert summary.broken == 3
    told = {one.line: one.why for one in summary.first_broken}
    assert "“ten” in frame time (ms) is no number" in told[11]
    assert told[21] == "2 values where 4 were expected"
    assert told[41] == "the time goes back"


def test_broken_json_lines_are_named_and_the_rest_is_kept(tmp_path):
    rows = [{"time (s)": 0.01 * n, "frame time (ms)": 10.0, "memory (MiB)": 100 + n}
            for n in range(1, 200)]  # fmt: skip
    lines = [json.dumps(row) for row in rows]
    lines[20] = '{"time (s)": 0.21, "frame time (ms)": '
    lines[50] = "[1, 2, 3]"
    lines[80] = json.dumps({**rows[80], "frame time (ms)": "fast"})
    lines[110] = json.dumps({**rows[110], "memory (MiB)": None})
    lines.insert(140, "")
    streams, summary = read(tmp_path, "\n".join(lines))
    assert [one.line for one in summary.first_broken] == [21, 51, 81]
    assert [one.why for one in summary.first_broken[:2]] == ["no JSON object"] * 2
    assert "“fast” in frame time (ms) is no number" in summary.first_broken[2].why
    assert summary.rows == 196
    assert len(streams[0, "subject.resident"][0]) == 195


def test_an_empty_cell_is_missing_and_not_broken(tmp_path):
    lines = PLAIN.splitlines()
    lines[10] = "0.1,10,,NaN"
    streams, summary = read(tmp_path, "\n".join(lines))
    assert summary.broken == 0
    assert summary.missing == {"cpu (%)": 1, "memory (MiB)": 1}
    assert len(streams[0, "subject.resident"][0]) == 99


def test_gaps_and_repeats_are_counted(tmp_path):
    rows = [f"{t},{m}" for t, m in ((0, 1), (1, 2), (1, 3), (2, 4), (3, 5), (60, 6), (61, 7))]
    _, summary = read(tmp_path, "time (s),memory (MiB)\n" + "\n".join(rows) + "\n")
    assert (summary.repeats, summary.gaps, summary.longest_gap_s) == (1, 1, 57)


def test_missing_frames_are_a_gap_and_not_a_drift(tmp_path):
    times = np.r_[np.arange(1, 101) * 0.01, 5 + np.arange(1, 101) * 0.01]
    text = "time (s),frame time (ms)\n" + "".join(f"{t:.3f},10\n" for t in times)
    streams, _ = read(tmp_path, text)
    frames, _ = streams[0, "frames"]
    gaps = np.diff(frames) / 1e6
    assert (gaps > 3000).sum() == 1
    assert frames[-1] == pytest.approx(6.01e9, abs=2e7)
    assert np.delete(gaps, np.argmax(gaps)) == pytest.approx(10)


def test_instants_of_frames_need_no_frame_time(tmp_path):
    text = "frame shown at (ms)\n" + "".join(f"{16 * n}\n" for n in range(50))
    found = proposed(tmp_path, text)
    assert found.mapping.frames == "time"
    streams, _ = read(tmp_path, text)
    assert np.diff(streams[0, "frames"][0]).tolist() == [16_000_000] * 49


def test_rows_without_a_time_are_as_far_apart_as_is_said(tmp_path):
    head = "cpu %,memory MiB\n"
    text = head + (f"50,{100}\n" * 40 + head) * 3  # a tool that says its names again and again
    found = proposed(tmp_path, text)
    assert "or how far apart rows are" in found.doubts[-1]
    with pytest.raises(MappingError, match="steady pace"):
        check(found.mapping)
    streams, summary = read(tmp_path, text, every_s=0.5)
    assert (summary.rows, summary.broken, summary.parts[0].seconds) == (120, 0, 59.5)
    instants, used = streams[0, "subject.processor_seconds"]
    assert np.diff(instants).tolist() == [500_000_000] * 119
    assert used[-1] == pytest.approx(59.5 / 2)
    with pytest.raises(MappingError, match="seconds apart"):
        read(tmp_path, text, every_s=-1)


def test_dates_are_times(tmp_path):
    text = "date,memory (MB)\n" + "".join(
        f"2026-03-01T10:00:{n:02d}.500,{n + 1}\n" for n in range(20)
    )
    found = proposed(tmp_path, text)
    assert roles(found.mapping) == [("time", "date and time"), ("memory", "MB")]
    streams, summary = read(tmp_path, text)
    assert summary.broken == 0
    at, values = streams[0, "subject.resident"]
    assert np.diff(at).tolist() == [1_000_000_000] * 19
    assert values[0] == 1e6


MARKED = "time (s),memory (MiB),marker\n" + "".join(
    f"{n},{n + 1},{'' if n < 3 or n == 8 else 'warp' if n < 8 else 'weft'}\n" for n in range(14)
)


def test_marked_stretches_become_runs_with_a_time_of_their_own(tmp_path):
    streams, summary = read(tmp_path, MARKED, markers="runs")
    assert [(part.name, part.rows) for part in summary.parts] == [("warp", 5), ("weft", 5)]
    assert summary.between == 4
    assert streams[0, "subject.resident"][0].tolist() == [n * 10**9 for n in range(5)]
    assert streams[1, "subject.resident"][1].tolist() == [n * 2.0**20 for n in range(10, 15)]


def test_marked_stretches_become_steps_or_moments(tmp_path):
    _, summary = read(tmp_path, MARKED, markers="steps")
    (part,) = summary.parts
    assert part.steps == [("warp", 2 * 10**9, 7 * 10**9), ("weft", 8 * 10**9, 13 * 10**9)]
    _, summary = read(tmp_path, MARKED, markers="moments")
    assert summary.parts[0].marks == [(3 * 10**9, "warp"), (9 * 10**9, "weft")]


@pytest.mark.parametrize("markers", ["runs", "steps", "moments"])
@pytest.mark.parametrize(("block", "turn"), [(40, 1), (97, 2), (100_000, 7), (100_000, 10**6)])
def test_where_blocks_are_cut_changes_nothing(tmp_path, monkeypatch, markers, block, turn):
    text = "".join(
        line + (",marker" if not n else f",{'abc'[n // 30 % 3]}") + "\n"
        for n, line in enumerate(PLAIN.splitlines())
    )
    wanted, whole = read(tmp_path, text, markers=markers)
    monkeypatch.setattr("yardstick_core.formats.tables.blocks",
                        lambda source: sources.blocks(source, block))  # fmt: skip
    monkeypatch.setattr("yardstick_core.formats.log.ROWS_OF_A_TURN", turn)
    found, summary = read(tmp_path, text, markers=markers)
    assert summary.as_dict() == whole.as_dict()
    assert found.keys() == wanted.keys()
    for key, (instants, values) in wanted.items():
        assert found[key][0].tolist() == instants.tolist()
        assert values is None or found[key][1] == pytest.approx(values)


RUNS_ANEW = "time (s),frame time (ms)\n" + "".join(
    f"{0.01 * n:.3f},{9 + n % 3}\n" for _ in range(3) for n in range(1, 41)
)


@pytest.mark.parametrize("turn", [1, 3, 39, 40, 41, 119])
def test_runs_that_begin_anew_are_told_wherever_rows_are_parted(tmp_path, monkeypatch, turn):
    wanted, whole = read(tmp_path, RUNS_ANEW)
    assert [part.rows for part in whole.parts] == [40, 40, 40]
    monkeypatch.setattr("yardstick_core.formats.log.ROWS_OF_A_TURN", turn)
    found, summary = read(tmp_path, RUNS_ANEW)
    assert [part.rows for part in summary.parts] == [40, 40, 40]
    assert {key: at.tolist() for key, (at, _) in found.items()} == {
        key: at.tolist() for key, (at, _) in wanted.items()
    }


def png() -> bytes:
    return b"\x89PNG\r\n\x1a\n" + bytes(200)


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "empty"),
        (png(), "a picture"),
        (b"PK\x03\x04" + b"x" * 50, "ZIP"),
        (b"time,x\n1,2\n" + bytes(50), "zero bytes"),
        (bytes(range(1, 9)) * 100, "control characters"),
        (b"\n\n  \n", "no line"),
        (b"a," * 5000 + b"b\n" + b"1," * 5000 + b"2\n", "columns"),
        (b"x" * 600_000, "no end"),
        (gzip.compress(PLAIN.encode())[:-30], "damaged"),
        (b"PAR1" + b"x" * 40 + b"PAR1", "damaged"),
    ],
)
def test_what_is_no_log_is_refused_with_the_reason(tmp_path, content, why):
    with pytest.raises(NotALog, match=why):
        propose(file(tmp_path, content))


def test_a_bomb_is_unpacked_no_further_than_it_takes_to_tell(tmp_path, monkeypatch):
    monkeypatch.setattr(sources, "_RATIO_FROM", 2**20)
    packer = zlib.compressobj(9, wbits=31)
    content = packer.compress(b"time,x\n") + b"".join(
        packer.compress(b"1,2\n" * 250_000) for _ in range(20)
    )
    found = file(tmp_path, content + packer.flush())
    mapping = Mapping("separated", (Column("time", "time", "s"), Column("x", "other")))
    with pytest.raises(NotALog, match="unpacks to more than"):
        list(LogReader(found, mapping).pieces())


def test_a_line_without_end_is_refused_midway(tmp_path):
    content = "time,x\n" + "1,2\n" * 200_000 + "3," + "4" * 3_000_000
    mapping = Mapping("separated", (Column("time", "time", "s"), Column("x", "other")))
    with pytest.raises(NotALog, match="longer than a MiB"):
        list(LogReader(file(tmp_path, content), mapping).pieces())


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"kind": "guess"}, "no kind"),
        ({"separator": ",", "decimal": ","}, "at once"),
        ({"frames": "frame time"}, "there is none"),
        ({"markers": "songs"}, "markers"),
        ({"columns": []}, "columns"),
        ({"columns": [{"name": "t", "role": "time", "unit": "weeks"}]}, "no unit"),
        ({"columns": [{"name": "t", "role": "time", "unit": "s"}]}, "nothing but time"),
        ({"columns": [{"name": "m", "role": "memory", "unit": "MB"}]}, "says when"),
        ({"columns": "x"}, "cannot be read"),
        ({"cores": 0}, "cores"),
    ],
)
def test_a_mapping_that_contradicts_itself_is_refused(changes, why):
    good = Mapping("separated", (Column("t", "time", "s"), Column("m", "memory", "MB")))
    check(good)
    assert mapping_from(good.as_dict()) == good
    with pytest.raises(MappingError, match=why):
        mapping_from({**good.as_dict(), **changes})


@given(st.binary(max_size=400))
def test_no_bytes_whatever_break_the_reader(tmp_path_factory, content):
    path = tmp_path_factory.getbasetemp() / "any"
    path.write_bytes(content)
    try:
        proposal = propose(look_at(path))
        check(proposal.mapping)
        list(LogReader(look_at(path), proposal.mapping).pieces())
    except (NotALog, MappingError):
        pass
