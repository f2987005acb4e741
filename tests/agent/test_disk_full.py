"""A disk that gets full ends the run; what was measured until then is whole, and says so."""

import errno
import json
import os

import pytest
from sessions import SDL, prepared

from yardstick_agent.playing import measure as measuring
from yardstick_agent.playing.measure import Measurement
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.writer import CounterFile, SpoolWriter


class FullDisk:
    """Stands before `os.write`: from the nth sample on there is no room, but in the reserve."""

    def __init__(self, samples: int, folder) -> None:
        self.left, self.folder, self.write = samples, folder, os.write
        self.torn = b""

    def __call__(self, handle: int, data: bytes) -> int:
        if not data.startswith((b"{", b"\n")):  # instants of pictures, 8 bytes each, or a sample
            self.left -= max(1, len(data) // 16)
        if self.left <= 0 and (self.folder / "reserve").exists():
            raise OSError(errno.ENOSPC, "No space left on device")
        return self.write(handle, data)


def test_samples_stop_whole_and_the_outcome_still_fits(tmp_path, monkeypatch):
    writer = SpoolWriter(tmp_path, 0)
    monkeypatch.setattr(os, "write", FullDisk(30, tmp_path))
    for n in range(50):
        writer.frames([n * 10_000_000])
        writer.counter("subject.resident", n * 10_000_000, 5.0)
    assert "No space left" in writer.trouble
    writer.journal(
        {"kind": "outcome", "at": 500_000_000, "outcome": "aborted", "detail": writer.trouble}
    )
    writer.close()
    run = SpoolReader(tmp_path).run()
    assert len(run.frames_ns) + len(run.counters["subject.resident"][0]) == 29
    assert run.outcome == "aborted"
    assert not (tmp_path / "reserve").exists()


def test_a_line_torn_by_a_full_disk_is_written_again(tmp_path, monkeypatch):
    writer = SpoolWriter(tmp_path, 0)
    write = os.write
    calls = []

    def torn(handle: int, data: bytes) -> int:
        calls.append(data)
        return write(handle, data[:7] if len(calls) == 1 else data)

    monkeypatch.setattr(os, "write", torn)
    writer.journal({"kind": "mark", "at": 0, "name": "here"})
    writer.close()
    assert [entry["name"] for entry in SpoolReader(tmp_path).journal()] == ["here"]
    assert "disk is full" in writer.trouble


@pytest.mark.screen
def test_a_run_on_a_full_disk_ends_with_what_it_has(tmp_path, monkeypatch):
    text = 'session "S"\nstep "Frames"\n  start\n  until log "ready"\n  press f\n  wait 30s\n'
    folder = prepared(tmp_path / "run", text, SDL)
    assignment = json.loads((folder / "assignment.json").read_text())
    monkeypatch.setattr(measuring.compiled, "library", lambda: None)
    monkeypatch.setattr(measuring.os, "write", FullDisk(120, folder))
    outcome = Measurement(folder, assignment).run()
    run = SpoolReader(folder).run()
    assert outcome == run.outcome == "aborted"
    assert "No space left" in run.detail
    samples = len(run.frames_ns) + sum(len(at) for at, _ in run.counters.values())
    assert 100 <= samples <= 240


@pytest.mark.screen
def test_a_run_ends_when_compiled_code_finds_the_disk_full(tmp_path, monkeypatch):
    text = 'session "S"\nstep "Frames"\n  start\n  until log "ready"\n  wait 30s\n'
    folder = prepared(tmp_path / "run", text, SDL)
    assignment = json.loads((folder / "assignment.json").read_text())
    full = os.open("/dev/full", os.O_WRONLY)
    monkeypatch.setattr(SpoolWriter, "counter_file", lambda *_: CounterFile(full, 0.0))
    outcome = Measurement(folder, assignment).run()
    os.close(full)
    run = SpoolReader(folder).run()
    assert outcome == run.outcome == "aborted"
    assert "the record cannot be written on: the disk may be full" in run.detail
    assert len(run.counters["subject.resident"][0]) == 1  # taken before compiled code began
    assert len(run.counters["machine.busy_seconds"][0]) > 1
