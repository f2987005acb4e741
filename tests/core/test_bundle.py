"""Bundles: whole and unchanged, or refused; the streams in them chunk by chunk."""

import json
import subprocess
import sys
import zipfile
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from yardstick_core.formats.__main__ import main
from yardstick_core.formats.bundle import (
    MANIFEST,
    Bundle,
    BundleError,
    BundleWriter,
    crate,
    upgraded,
)
from yardstick_core.formats.chunk_table import NotATable, read_chunks, write_chunks
from yardstick_core.streams import chunk

COUNTS = st.lists(st.integers(1, 40), min_size=1, max_size=6)
NUMBERS = st.floats(allow_nan=False, allow_infinity=False, width=64)


def frames(counts, seed):
    """Chunks of frames as an agent sends them: each begins where it likes, within 100 ns."""
    rng = np.random.default_rng(seed)
    found, at, before = [], 0, chunk.NO_FRAME
    for number, count in enumerate(counts):
        start = at + int(rng.integers(1, 10**8))
        instants = start + np.cumsum(rng.integers(1, 10**6, count)) * chunk.TICK_NS
        data = chunk.encode_frames(instants, before)
        before = int(chunk.decode_frames(data)[-1])
        at = int(instants[-1])
        found.append(("frames", number, data))
    return found


@given(COUNTS, COUNTS, st.integers(0, 99), st.lists(NUMBERS, min_size=1, max_size=30))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_chunks_come_out_as_they_went_in(tmp_path_factory, first, second, seed, values):
    journal = [{"kind": "mark", "at": n, "name": f"“{n}”\u2028 ü"} for n in range(5)]
    at = np.cumsum(np.full(len(values), 37)) * 13
    chunks = [
        ("journal", 0, chunk.encode_journal(journal[:2])),
        ("journal", 1, chunk.encode_journal(journal[2:])),
        *frames([*first, *second], seed),
        ("subject.resident", 0, chunk.encode_counter(at, np.array(values))),
    ]
    file = tmp_path_factory.mktemp("t") / "x.parquet"
    rows = write_chunks(file, chunks)
    back = list(read_chunks(file, rows))
    assert [(one.stream, one.sequence, one.data) for one in back] == chunks


def test_a_long_chunk_is_put_together_again_over_what_is_read_at_once(tmp_path):
    at = np.arange(200_000) * 1000
    chunks = [
        ("machine.cores", 0, chunk.encode_counter(at, np.random.default_rng(1).random(len(at))))
    ]
    rows = write_chunks(tmp_path / "x", chunks)
    assert rows == 200_000
    assert [one.data for one in read_chunks(tmp_path / "x")] == [chunks[0][2]]


def table(path, **columns):
    whole = {
        "series": ["frames"], "chunk": [0], "at_ns": [5], "value": [None], "entry": [None],
        **columns,
    }  # fmt: skip
    kinds = {
        "series": pa.string(), "value": pa.float64(), "entry": pa.string(), "at_ns": pa.int64(),
    }  # fmt: skip
    made = {name: pa.array(some, kinds.get(name)) for name, some in whole.items()}
    pq.write_table(pa.table(made), path)
    return path


@pytest.mark.parametrize(
    ("columns", "why"),
    [
        ({"chunk": [1]}, "first chunks of frames are missing"),
        ({"series": [None]}, "says not where"),
        ({"at_ns": [None]}, "no instant"),
        ({"at_ns": [2**62]}, "more than a year"),
        ({"series": ["a"]}, "no value"),
        ({"series": ["journal"]}, "missing or too long"),
        ({"series": ["journal"], "entry": ["{"]}, "cannot be read"),
        ({"series": ["journal"], "entry": ["[1]"]}, "cannot be read"),
        ({"extra": [1]}, "other columns"),
    ],
)
def test_a_table_that_is_none_of_ours_is_refused(tmp_path, columns, why):
    with pytest.raises(NotATable, match=why):
        list(read_chunks(table(tmp_path / "x", **columns)))


def test_instants_that_go_backwards_and_chunks_out_of_order_are_refused(tmp_path):
    two = {"value": [None] * 2, "entry": [None] * 2, "series": ["frames"] * 2}
    with pytest.raises(NotATable, match="go backwards"):
        list(read_chunks(table(tmp_path / "x", **two, chunk=[0, 0], at_ns=[9, 5])))
    with pytest.raises(NotATable, match="do not follow"):
        list(read_chunks(table(tmp_path / "x", **two, chunk=[0, 2], at_ns=[5, 9])))
    with pytest.raises(NotATable, match="longer than is allowed"):
        list(read_chunks(table(tmp_path / "x"), most_rows=0))


@given(data=st.binary(max_size=300))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_no_bytes_are_taken_for_a_table_or_a_bundle(tmp_path, data):
    file = tmp_path / "x"
    file.write_bytes(data)
    with pytest.raises(NotATable):
        list(read_chunks(file))
    with pytest.raises(BundleError):
        Bundle(file)


def made(path: Path) -> Path:
    writer = BundleWriter(path)
    writer.add_json("study.json", {"question": "Is it faster?"})
    writer.add("runs/1/run.json", "{}")
    writer.add("fixtures/1", b"\x00\xff" * 5000)
    packed = path.with_suffix(".packed")
    packed.write_bytes(b"packed already" * 99)
    writer.add_file("runs/1/streams.parquet", packed)
    writer.close(question="Is it faster?", made="2026-11-28", sessions=[1])
    return path


def changed(path: Path, name: str, data: bytes, **about) -> Path:
    """The same bundle with one member in place of, or beside, another."""
    other = path.with_suffix(".changed")
    with zipfile.ZipFile(path) as source, zipfile.ZipFile(other, "w") as target:
        for member in source.infolist():
            if member.filename != about.get("instead", name):
                target.writestr(member, source.read(member.filename))
        target.writestr(name, data)
    return other


def test_a_bundle_holds_what_was_put_into_it(tmp_path):
    with Bundle(made(tmp_path / "b")) as opened:
        seen = []
        opened.check(lambda done, total: seen.append((done, total)))
        assert opened.manifest.question == "Is it faster?"
        assert opened.json("study.json") == {"question": "Is it faster?"}
        assert opened.read("fixtures/1") == b"\x00\xff" * 5000
        assert b"".join(opened.parts("runs/1/streams.parquet")) == b"packed already" * 99
    assert seen[-1][0] == seen[-1][1] == sum(e.size for e in opened.manifest.files.values())


def test_the_terminal_says_of_each_file_whether_it_is_whole(tmp_path, capsys):
    assert main([str(made(tmp_path / "b"))]) == 0
    assert "all 4 files are whole" in capsys.readouterr().out
    assert main([str(tmp_path / "b"), str(tmp_path / "gone")]) == 1


@pytest.mark.parametrize(
    "name",
    ["sessions/0/study.json", "sessions/2/fixtures/1", "sessions/2/bundle.json",
     "../etc/passwd", "/etc/passwd", "runs/1/../../x", "study.json/", "runs/1/x.exe", "STUDY.json",
     "fixtures/a", "runs/1/pictures/1.svg", "scripts/1.session\n"],
)  # fmt: skip
def test_a_name_that_no_bundle_has_is_refused(tmp_path, name):
    with pytest.raises(BundleError, match="no bundle has"):
        Bundle(changed(made(tmp_path / "b"), name, b"x"))


def test_what_the_manifest_does_not_name_or_size_is_refused(tmp_path):
    base = made(tmp_path / "b")
    with pytest.raises(BundleError, match="does not hold what its manifest names"):
        Bundle(changed(base, "report.html", b"x"))
    with pytest.raises(BundleError, match="another size"):
        Bundle(changed(base, "runs/1/run.json", b"{ }"))


def test_a_byte_that_was_changed_is_found(tmp_path):
    other = changed(made(tmp_path / "b"), "runs/1/run.json", b"[]")
    with Bundle(other) as opened, pytest.raises(BundleError, match="changed or damaged"):
        opened.check()
    whole = bytearray(made(tmp_path / "b").read_bytes())
    place = whole.index(b"packed already") + 50
    whole[place] ^= 1
    (tmp_path / "b").write_bytes(whole)
    with Bundle(tmp_path / "b") as opened, pytest.raises(BundleError):
        opened.check()


def test_a_file_that_unpacks_to_more_than_it_says_is_stopped(tmp_path):
    """A head that lies about the size of what follows it."""
    base = made(tmp_path / "b")
    with zipfile.ZipFile(base) as source:
        about = json.loads(source.read(MANIFEST))
    about["files"]["fixtures/1"]["size"] = 10
    bomb = changed(base, MANIFEST, json.dumps(about).encode())
    with pytest.raises(BundleError, match="another size"):
        Bundle(bomb)
    with Bundle(base) as opened, pytest.raises(BundleError, match="larger than is allowed"):
        opened.read("fixtures/1", most=100)


@pytest.mark.parametrize(
    ("changes", "why"),
    [({"version": 3}, "take a newer release"), ({"version": "1"}, "of version '1'"),
     ({"format": "another"}, "no bundle of ours"), ({"files": [1]}, "manifest cannot be read"),
     ({"sessions": None}, "manifest cannot be read"), ({"sessions": []}, "no session"),
     ({"version": 1}, "manifest cannot be read")],
)  # fmt: skip
def test_a_manifest_of_another_kind_is_refused(tmp_path, changes, why):
    base = made(tmp_path / "b")
    with zipfile.ZipFile(base) as source:
        about = json.loads(source.read(MANIFEST)) | changes
    with pytest.raises(BundleError, match=why):
        Bundle(changed(base, MANIFEST, json.dumps(about).encode()))


def test_a_bundle_of_the_first_version_is_read_as_what_it_did_not_say_yet(tmp_path):
    base = made(tmp_path / "b")
    with zipfile.ZipFile(base) as source:
        about = json.loads(source.read(MANIFEST))
    about |= {"version": 1, "runs": about.pop("sessions")[0]}
    with Bundle(changed(base, MANIFEST, json.dumps(about).encode())) as opened:
        assert (opened.manifest.sessions, opened.manifest.runs) == ((1,), 1)
    old = {"question": "Is it?", "subject": {"name": "W"}, "plan": {}, "variants": [{"name": "a"}]}
    new = upgraded(old, "study", 1)
    assert new["question"] == "Is it?"
    assert new["subject"] == {"name": "W", "release_order": []}
    assert (new["plan"], new["jobs"], new["second_factor"]) == ({"film": False}, [], "")
    assert new["variants"][0]["first_level"] == ""
    assert upgraded(old, "study", 2) is old
    assert upgraded({"round": 1}, "run", 1) == {"round": 1, "shown": []}
    assert upgraded([], "study", 1) == []


def test_the_crate_names_every_file():
    found = crate("Is it faster?", "2026-11-28", ["study.json", "runs/1/streams.parquet"])
    parts = found["@graph"][1]["hasPart"]
    assert [part["@id"] for part in parts] == ["study.json", "runs/1/streams.parquet"]


def test_a_run_six_times_as_long_takes_no_more_memory():
    """What the benchmark prints, of two small sizes; each in a process of its own."""
    bench = Path(__file__).resolve().parents[2] / "bench" / "bundles.py"

    def mib(samples):
        words = [sys.executable, str(bench), "--one", str(samples)]
        done = subprocess.run(words, capture_output=True, text=True, check=True)
        return float(done.stdout.split()[1])

    assert mib(6_000_000) < 1.4 * mib(1_000_000)
