"""Logs as other instruments and people write them: what they mean is proposed, or doubted."""

import json

import numpy as np
import pytest
from sheets import open_sheet, packed, sheet

from yardstick_core.formats.converting.convert import converted
from yardstick_core.formats.converting.json_tables import MOST_DEPTH
from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.guessing.naming import ORDER, role_of
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.source import NotALog, look_at

RNG = np.random.default_rng(7)
LENGTHS = np.round(RNG.uniform(8, 24, 120), 3)
AT = np.round(np.cumsum(LENGTHS) / 1000, 6)
MIB = 2**20


def table(head, *columns, sep=",", row="{}"):
    lines = [sep.join(row.format(cell) for cell in cells) for cells in zip(*columns, strict=True)]
    return "\n".join([*([head] if isinstance(head, str) else head), *lines]) + "\n"


def comma(values, digits=3):
    return [f"{value:.{digits}f}".replace(".", ",") for value in values]


def clock(seconds):
    return f"{int(seconds // 3600) % 24:02}:{int(seconds // 60) % 60:02}:{seconds % 60:06.3f}"


RESULTS = [["release", "run", "seconds"]] + [
    [release, run + 1, seconds]
    for run in range(4)
    for release, seconds in (("4.1 stable", 2.25 + run / 8), ("4.2 beta", 1.5 + run / 16))
]

#: Of each: how it is written, the role and unit of each column, and the record it must come to.
LOGS = {
    "german, decimal comma": (
        table("Zeit [s];Bildzeit [ms];Speicher [MB]", comma(AT, 6), comma(LENGTHS),
              comma(200 + AT), sep=";"),
        [("time", "s"), ("frame time", "ms"), ("memory", "MB")],
    ),
    "french, with an apostrophe": (
        table("temps (s)\ttemps d'image (ms)\tprocesseur (%)", AT, LENGTHS, 40 + LENGTHS, sep="\t"),
        [("time", "s"), ("frame time", "ms"), ("processor", "% of the machine")],
    ),
    "japanese": (
        table("時刻(ms),フレーム時間(ms),メモリ(MiB)", AT * 1000, LENGTHS, 200 + AT),
        [("time", "ms"), ("frame time", "ms"), ("memory", "MiB")],
    ),
    "russian": (
        table("время (с),время кадра (ms),память (MB)", AT, LENGTHS, 200 + AT),
        [("time", "s"), ("frame time", "ms"), ("memory", "MB")],
    ),
    "one letter each": (
        table("t,ft,m", AT, LENGTHS, RNG.uniform(0, 1, 120).round(3)),
        [("time", "s"), ("frame time", "ms"), ("other", "")],
    ),
    "unknown names, differences of the time": (
        table("lambda,kappa", AT, (LENGTHS / 1000).round(6)),
        [("time", "s"), ("frame time", "s")],
    ),
    "a number a line, in seconds": (
        "".join(f"{one / 1000:.5f}\n" for one in LENGTHS),
        [("frame time", "s")],
    ),
    "a number a line, in milliseconds, with a name": (
        "delta\n" + "".join(f"{one}\n" for one in LENGTHS),
        [("frame time", "ms")],
    ),
    "a row of units": (
        table(["elapsed,frame,heap", "s,ms,MiB"], AT, LENGTHS, 200 + AT),
        [("time", "s"), ("frame time", "ms"), ("memory", "MiB")],
    ),
    "aligned with blanks, a header with a hash": (
        "#   time[s]   frametime[ms]     rss[KiB]\n"
        + "".join(
            f"{at:12.6f}  {ms:10.3f}   {rss:10d}\n"
            for at, ms, rss in zip(AT, LENGTHS, range(200_000, 200_120), strict=True)
        ),
        [("time", "s"), ("frame time", "ms"), ("memory", "KiB")],
    ),
    "clock of the day across midnight": (
        table("clock,frame time (ms)", [clock(86_399 + at) for at in AT], LENGTHS),
        [("time", "time of day"), ("frame time", "ms")],
    ),
    "dates with points and a decimal comma in them": (
        table("Uhrzeit;Bildzeit (ms)",
              [f"28.11.2026 {clock(50_000 + at).replace('.', ',')}" for at in AT],
              comma(LENGTHS), sep=";"),
        [("time", "date and time"), ("frame time", "ms")],
    ),
    "errors in the first rows": (
        table("time s,frame time ms,cpu %",
              ["ERR", "ERR", "ERR", *AT[3:]], ["ERR", "ERR", "n/a", *LENGTHS[3:]],
              ["ERR", "ERR", "ERR", *[50] * 117]),
        [("time", "s"), ("frame time", "ms"), ("processor", "% of the machine")],
    ),
    "thousands parted within quotes": (
        table("time ms,frame time us,memory kB",
              [f'"{at * 1000:,.3f}"' for at in AT], [f'"{ms * 1000:,.0f}"' for ms in LENGTHS],
              [f'"{200_000 + n:,}"' for n in range(120)]),
        [("time", "ms"), ("frame time", "µs"), ("memory", "kB")],
    ),
    "events that begin and end": (
        table("task,begin (ms),end (ms)", [f"load {n % 3}" for n in range(30)],
              range(0, 3000, 100), range(40, 3040, 100)),
        [("marker", ""), ("begin", "ms"), ("end", "ms")],
    ),
    "memory by its unit alone": (
        table("t (s),heap (MiB)", AT, 200 + AT),
        [("time", "s"), ("memory", "MiB")],
    ),
    "a preamble, then names": (
        table(["Recorder 3", "machine: loom-7", "", "Elapsed (s),FPS,Frametime (ms)"],
              AT, (1000 / LENGTHS).round(2), LENGTHS),
        [("time", "s"), ("rate", "fps"), ("frame time", "ms")],
    ),
    "nested JSON lines": (
        "".join(
            json.dumps({"t": at, "frame": {"time_ms": ms}, "mem": {"rss": {"MiB": 200 + at}}})
            + "\n"
            for at, ms in zip(AT, LENGTHS, strict=True)
        ),
        [("time", "s"), ("frame time", "ms"), ("memory", "MiB")],
    ),
    "one JSON document": (
        json.dumps({"data": {"frames": [
            {"time_s": at, "frame_ms": ms} for at, ms in zip(AT, LENGTHS, strict=True)]}}),
        [("time", "s"), ("frame time", "ms")],
    ),
    "a JSON document of columns": (
        json.dumps({"timestamps_s": AT.tolist(), "frame_times_ms": LENGTHS.tolist()}),
        [("time", "s"), ("frame time", "ms")],
    ),
    "names with their values": (
        "".join(f"t={at} ft={ms} load=0.{n % 9}\n"
                for n, (at, ms) in enumerate(zip(AT, LENGTHS, strict=True))),
        [("time", "s"), ("frame time", "ms"), ("other", "")],
    ),
    "the number of each frame and when it came": (
        table("Frame, Time (ms)", range(120), AT * 1000, sep=", "),
        [("skip", ""), ("time", "ms")],
    ),
    "the number of each frame and its length": (
        table(["# by hand", "# frame_no delta"], range(120), LENGTHS, sep=" "),
        [("skip", ""), ("frame time", "ms")],
    ),
    "the day apart from the time": (
        table("Date,Time,Frame Time (ms)", ["2026-11-28"] * 120,
              [clock(40_000 + at) for at in AT], LENGTHS),
        [("skip", ""), ("time", "time of day"), ("frame time", "ms")],
    ),
    "a table with bars": (
        table("| t (s) | frame ms |", AT, LENGTHS, sep=" | ", row="{}").replace("\n", " |\n| "),
        [("skip", ""), ("time", "s"), ("frame time", "ms"), ("skip", "")],
    ),
    "a table of results": (
        "\n".join(",".join(map(str, row)) for row in RESULTS) + "\n",
        [("variant", ""), ("skip", ""), ("duration", "s")],
    ),
    "a spreadsheet of results": (
        sheet(RESULTS), [("variant", ""), ("skip", ""), ("duration", "s")],
    ),
    "an open document of results": (
        open_sheet(RESULTS), [("variant", ""), ("skip", ""), ("duration", "s")],
    ),
    "results, a column for each variant": (
        table("run,4.1 (s),4.2 (s)", range(1, 7), [2.2, 2.4, 2.1, 2.3, 2.5, 2.2],
              [1.5, 1.4, 1.6, 1.5, 1.7, 1.4]),
        [("skip", ""), ("duration", "s"), ("duration", "s")],
    ),
    "results in seconds with a decimal comma": (
        table("Version;Durchgang;Dauer (s)", ["alt", "neu"] * 4, [1, 1, 2, 2, 3, 3, 4, 4],
              comma([61.2, 50.1, 63.3, 48.8, 60.9, 51.4, 62.0, 49.9], 1), sep=";"),
        [("variant", ""), ("skip", ""), ("duration", "s")],
    ),
    "results in minutes and seconds": (
        table("Version,Dauer", ["alt", "neu"] * 3,
              ["1:01.2", "0:50.1", "1:03.3", "0:48.8", "1:00.9", "0:51.4"]),
        [("variant", ""), ("duration", "minutes:seconds")],
    ),
    "results in minutes and seconds, called a time": (
        table("version,time", ["alt", "neu"] * 3,
              ["1:01.2", "0:50.1", "1:03.3", "0:48.8", "1:00.9", "0:51.4"]),
        [("variant", ""), ("duration", "minutes:seconds")],
    ),
}  # fmt: skip


def brought(tmp_path, content):
    path = tmp_path / "log"
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    converted(path)
    return look_at(path)


def read(source, mapping):
    reader = LogReader(source, mapping)
    streams = {}
    for piece in reader.pieces():
        streams.setdefault((piece.part, piece.stream), []).append(piece.instants)
    return reader.summary, {key: np.concatenate(parts) for key, parts in streams.items()}


@pytest.mark.parametrize("name", LOGS)
def test_all_of_it_is_understood(tmp_path, name):
    content, expected = LOGS[name]
    proposal = propose(brought(tmp_path, content))
    assert [(c.role, c.unit) for c in proposal.mapping.columns] == expected


@pytest.mark.parametrize(
    "name", [name for name, (_, e) in LOGS.items() if ("frame time", "ms") in e]
)
def test_frame_times_come_out_as_they_were(tmp_path, name):
    source = brought(tmp_path, LOGS[name][0])
    summary, streams = read(source, propose(source).mapping)
    lengths = np.diff(streams[0, "frames"]) / 1e6
    assert np.median(np.abs(lengths[-100:] - LENGTHS[-100:])) < 0.002
    assert summary.gaps == 0
    assert len(lengths) >= 115


def test_after_midnight_the_time_goes_on(tmp_path):
    source = brought(tmp_path, LOGS["clock of the day across midnight"][0])
    summary, streams = read(source, propose(source).mapping)
    assert summary.parts[0].seconds == pytest.approx(AT[-1], abs=0.03)
    assert summary.broken == 0
    assert streams[0, "frames"][-1] / 1e9 == pytest.approx(AT[-1], abs=0.03)


def test_events_become_timings_with_their_names(tmp_path):
    source = brought(tmp_path, LOGS["events that begin and end"][0])
    summary, _ = read(source, propose(source).mapping)
    assert len(summary.parts) == 1
    assert summary.parts[0].timings[1] == ("load 1", 100_000_000, 140_000_000)
    assert len(summary.parts[0].timings) == 30


@pytest.mark.parametrize(
    "name", ["a table of results", "a spreadsheet of results", "an open document of results"]
)
def test_each_result_is_a_run_of_its_variant(tmp_path, name):
    source = brought(tmp_path, LOGS[name][0])
    summary, _ = read(source, propose(source).mapping)
    assert [part.name for part in summary.parts[:3]] == ["4.1 stable", "4.2 beta", "4.1 stable"]
    assert [part.end_ns for part in summary.parts[:2]] == [2_250_000_000, 1_500_000_000]
    assert len(summary.parts) == 8


def test_a_column_for_each_variant_is_a_run_of_each_in_every_row(tmp_path):
    source = brought(tmp_path, LOGS["results, a column for each variant"][0])
    summary, _ = read(source, propose(source).mapping)
    assert [part.name for part in summary.parts[:2]] == ["4.1", "4.2"]
    assert len(summary.parts) == 12


def test_minutes_and_seconds_are_durations(tmp_path):
    source = brought(tmp_path, LOGS["results in minutes and seconds"][0])
    summary, _ = read(source, propose(source).mapping)
    assert [part.end_ns / 1e9 for part in summary.parts[:2]] == [61.2, 50.1]
    assert summary.broken == 0


#: Lines that a reader may only take as long as they are: each would keep a careless one for years.
HOSTILE = {
    "names and values that may be parted in many ways": "a" + "=bcd" * 90 + "=!;=\n",
    "a quote in each value": 'a="b"' * 400 + "\n",
    "a word without end": "t=1 ft=2\n" + "a" * 300_000 + "\n",
    "brackets that never close": "(" * 200_000 + ",t\n1,2\n",
    "blanks within a number": "t,x\n1," + "1" + " " * 200_000 + "x\n2,3\n",
    "thousands without end": 't,x\n1,"' + "1,111" * 40_000 + '"\n2,3\n',
}


@pytest.mark.parametrize("name", HOSTILE)
def test_no_line_keeps_the_reader_longer_than_it_is_long(tmp_path, name):
    """Each of these took a reader that tries all ways minutes to years."""
    try:
        proposal = propose(brought(tmp_path, HOSTILE[name]))
    except NotALog:
        return
    assert proposal.mapping.columns


#: Of columns whose names and values say little or nothing: what is guessed is doubted too.
UNSURE = {
    "no names": table("1,2,3", AT, LENGTHS, LENGTHS[::-1]),
    "unknown names, differences of the time": LOGS["unknown names, differences of the time"][0],
    "a number a line": LOGS["a number a line, in seconds"][0],
    "no unit": table("time,frame time", AT, LENGTHS),
    "results": LOGS["a table of results"][0],
    "wide results": LOGS["results, a column for each variant"][0],
    "events": LOGS["events that begin and end"][0],
    "heap": LOGS["memory by its unit alone"][0],
    "a row of units": LOGS["a row of units"][0],
    "words alone": "alpha,beta\nred,blue\ngreen,pink\n" * 20,
}


@pytest.mark.parametrize("name", UNSURE)
def test_what_is_guessed_is_doubted(tmp_path, name):
    assert propose(brought(tmp_path, UNSURE[name])).doubts


def test_numbers_that_are_no_differences_are_no_frame_times(tmp_path):
    text = table("lambda,kappa", AT, (LENGTHS[::-1] / 1000).round(6))
    assert [c.role for c in propose(brought(tmp_path, text)).mapping.columns] == ["time", "other"]


def test_disk_in_mebibytes_is_no_memory(tmp_path):
    text = table("t (s),disk read (MiB)", AT, 200 + AT)
    assert [c.role for c in propose(brought(tmp_path, text)).mapping.columns] == ["time", "other"]


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("Bildzeit", "frame time"), ("tiempo de fotograma", "frame time"), ("dt", "frame time"),
        ("kuva-aika", "frame time"), ("czas klatki", "frame time"), ("帧时间", "frame time"),
        ("프레임 시간", "frame time"), ("beeldtijd", "frame time"),
        ("tempo de quadro", "frame time"),
        ("doba snímku", "frame time"), ("час кадру", "frame time"), ("kare süresi", "frame time"),
        ("Hauptspeicher", "memory"), ("mémoire vive", "memory"), ("память", "memory"),
        ("Prozessor", "processor"), ("işlemci", "processor"), ("reloj", ""), ("heure", "time"),
        ("hora", "time"), ("tid", "time"), ("aika", "time"), ("ts", "time"), ("temperature", ""),
        ("tidy", ""), ("Beginn", "begin"), ("fin", "end"), ("Version", "variant"),
        ("durée", "duration"),
    ],
)  # fmt: skip
def test_names_are_known_in_a_dozen_languages(name, role):
    assert role_of(name) == role
    assert role in ("", *ORDER)


def test_a_sheet_that_is_damaged_or_empty_is_refused_in_words(tmp_path):
    whole = sheet(RESULTS)
    for content in (sheet([[]]), packed({"xl/workbook.xml": "<nothing>"})):
        path = tmp_path / "sheet"
        path.write_bytes(content)
        with pytest.raises(NotALog, match=r"spreadsheet|holds anything"):
            converted(path)
    path.write_bytes(whole[: len(whole) // 2])
    assert converted(path) == "", "an archive that cannot be opened is none of ours"


def test_an_archive_of_something_else_is_left_as_it_is(tmp_path):
    path = tmp_path / "archive"
    path.write_bytes(packed({"readme.txt": "hello"}))
    before = path.read_bytes()
    assert converted(path) == ""
    assert path.read_bytes() == before


def test_a_document_without_rows_is_refused_and_one_too_deep_too(tmp_path):
    path = tmp_path / "document"
    deep: object = [{"t": 1}, {"t": 2}]
    for _ in range(MOST_DEPTH + 3):
        deep = {"in": deep}
    for document in ({"tool": "x", "list": []}, deep):
        path.write_text(json.dumps(document, indent=1))
        with pytest.raises(NotALog, match="no list in it"):
            converted(path)


def test_lines_of_objects_are_no_document(tmp_path):
    path = tmp_path / "lines"
    path.write_text('{"t": 1, "x": [1, 2]}\n{"t": 2, "x": [3]}\n')
    assert converted(path) == ""
