"""The spool: written at once, cut the same way every time, sent until the server has it all."""

import hashlib
import json

import httpx
import numpy as np
import pytest

from yardstick_agent.client import Client, ServerAway
from yardstick_agent.config import ConfigError, RigConfig, load
from yardstick_agent.service import RunRefused, Service, note_outcome, prepare, put_fixture
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.sender import Sender
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_core.streams.batch import unpack

MS = 1_000_000


def recorded(folder, frames=5000, outcome="finished"):
    """A spooled run as a measurement leaves it."""
    writer = SpoolWriter(folder, 0)
    (folder / "assignment.json").write_text("{}")
    writer.journal({"kind": "facts", "at": 0, "facts": {"cores": 2}})
    for n in range(frames):
        writer.frames([n * 7 * MS])
    for n in range(450):
        writer.counter("subject.resident", n * 50 * MS, 1000.0 + n)
    writer.journal({"kind": "mark", "at": 5 * MS, "name": "half"})
    if outcome:
        writer.journal({"kind": "outcome", "at": frames * 7 * MS, "outcome": outcome, "detail": ""})
    writer.close()
    return folder


class FakeServer:
    """A server that keeps chunks in a dict and can be away, forget or refuse."""

    def __init__(self):
        self.chunks, self.seals = {}, []
        self.away_for = 0
        self.forget = []

    def answer(self, request: httpx.Request) -> httpx.Response:
        if self.away_for:
            self.away_for -= 1
            raise httpx.ConnectError("no route")
        path = request.url.path
        if path.endswith("/chunks"):
            for piece in unpack(request.content):
                assert piece.sha256 == hashlib.sha256(piece.data).hexdigest()
                self.chunks[piece.stream, piece.sequence] = piece.data
            return httpx.Response(200, json={})
        if path.endswith("/seal"):
            return self.seal(json.loads(request.content))
        return httpx.Response(404, json={"detail": "nothing here"})

    def seal(self, body):
        for key in self.forget:
            self.chunks.pop(key)
        self.forget = []
        missing = [
            {"stream": stream, "sequence": n}
            for stream, part in body["streams"].items()
            for n in range(part["chunks"])
            if (stream, n) not in self.chunks
        ]
        if missing:
            return httpx.Response(409, json={"missing": missing})
        self.seals.append(body)
        return httpx.Response(200, json={"sealed": True})

    def client(self) -> Client:
        return Client("http://server", "token", httpx.MockTransport(self.answer))


def test_over_a_slow_way_chunks_go_in_smaller_messages_and_all_arrive(tmp_path, monkeypatch):
    """A server that cuts off what is longer than a slow way can bring in time."""
    monkeypatch.setattr("yardstick_agent.client.LEAST_BYTES", 1_000)
    server, lengths = FakeServer(), []

    def answer(request: httpx.Request) -> httpx.Response:
        if request.url.path.endswith("/chunks"):
            lengths.append(len(request.content))
            if lengths[-1] > 20_000:
                return httpx.Response(408, json={"detail": "it came slower than 16 KiB/s"})
        return server.answer(request)

    folder = recorded(tmp_path / "run", frames=10, outcome="")
    writer = SpoolWriter(folder, 0)
    rng = np.random.default_rng(1)
    for at in np.cumsum(rng.integers(5 * MS, 9 * MS, 30_000)):
        writer.frames([int(at) + 70 * MS])
    writer.journal({"kind": "outcome", "at": 300_000 * MS, "outcome": "finished", "detail": ""})
    writer.close()
    client = Client("http://server", "token", httpx.MockTransport(answer))
    client.most_bytes = 64_000
    attempts = 0
    while not server.seals:
        attempts += 1
        assert attempts < 5
        try:
            Sender(client, 1, folder).seal()
        except ServerAway:
            continue
    assert attempts > 1
    assert max(lengths) > 20_000
    assert client.most_bytes <= 16_000
    assert server.seals[0]["streams"]["frames"]["samples"] == 30_010


def test_cutting_twice_gives_the_same_chunks(tmp_path):
    reader = SpoolReader(recorded(tmp_path))
    once, again = (
        [part.sha256 for s in reader.streams() for part in reader.chunks(s, 0, 0, finished=True)]
        for _ in range(2)
    )
    assert once == again
    assert len(once) == 1 + 3 + 3


def test_a_part_filled_chunk_waits_for_the_end(tmp_path):
    reader = SpoolReader(recorded(tmp_path, frames=3000))
    assert [part.samples for part in reader.chunks("frames", 0, 0, finished=False)] == [2048]
    assert [part.samples for part in reader.chunks("frames", 0, 0, finished=True)] == [2048, 952]


def test_the_run_read_back_is_what_was_written(tmp_path):
    run = SpoolReader(recorded(tmp_path)).run()
    assert np.array_equal(run.frames_ns, np.arange(5000) * 7 * MS)
    assert run.counters["subject.resident"][1][-1] == 1449
    assert run.marks == ((5 * MS, "half"),)
    assert run.outcome == "finished"


def test_a_torn_last_line_or_sample_is_passed_over(tmp_path):
    recorded(tmp_path)
    with open(tmp_path / "journal.jsonl", "a") as journal:
        journal.write('{"kind": "ma')
    with open(tmp_path / "frames.raw", "ab") as frames:
        frames.write(b"\1\2\3")
    run = SpoolReader(tmp_path).run()
    assert len(run.frames_ns) == 5000
    assert run.outcome == "finished"


def test_a_long_pause_between_frames_begins_a_new_chunk(tmp_path):
    writer = SpoolWriter(tmp_path, 0)
    for at in (0, 10 * MS, 300_000 * MS, 300_010 * MS):
        writer.frames([at])
    writer.close()
    parts = list(SpoolReader(tmp_path).chunks("frames", 0, 0, finished=True))
    assert [part.samples for part in parts] == [2, 2]
    assert SpoolReader(tmp_path).run().frames_ns[-1] == 300_010 * MS


def test_an_interrupted_sending_goes_on_where_it_stood(tmp_path):
    server = FakeServer()
    folder = recorded(tmp_path)
    server.away_for = 0
    sender = Sender(server.client(), 7, folder)
    sender.send(finished=False)
    first = dict(server.chunks)
    server.away_for = 1
    with pytest.raises(ServerAway):
        Sender(server.client(), 7, folder).seal()
    Sender(server.client(), 7, folder).seal()
    assert len(server.seals) == 1
    assert all(server.chunks[key] == data for key, data in first.items())
    assert server.seals[0]["streams"]["frames"]["samples"] == 5000
    assert server.seals[0]["facts"] == {"cores": 2}


def test_what_grows_while_it_is_sent_is_sent_on_from_where_it_stood(tmp_path):
    """Chunks cut while a run goes on are those that would be cut from the whole at the end."""
    whole, growing = tmp_path / "whole", tmp_path / "growing"
    for folder in (whole, growing):
        (folder / "counters").mkdir(parents=True)
    server = FakeServer()
    writer, all_at_once = SpoolWriter(growing, 0), SpoolWriter(whole, 0)
    for turn in range(4):
        for n in range(1300):
            for each in (writer, all_at_once):
                each.frames([(turn * 1300 + n) * 7 * MS])
                each.journal({"kind": "mark", "at": n * MS, "name": f"mark {turn} {n}"})
                each.counter("subject.resident", (turn * 1300 + n) * MS, float(n))
        Sender(server.client(), 1, growing).send(finished=False)
    for each in (writer, all_at_once):
        each.journal({"kind": "outcome", "at": 0, "outcome": "finished", "detail": ""})
        each.close()
    Sender(server.client(), 1, growing).seal()
    reader = SpoolReader(whole)
    wanted = {
        (stream, part.sequence): part.data
        for stream in reader.streams()
        for part in reader.chunks(stream, 0, 0, finished=True)
    }
    assert server.chunks == wanted
    assert server.seals[0]["streams"]["frames"]["samples"] == 5200


def test_chunks_the_server_lost_are_sent_again(tmp_path):
    server = FakeServer()
    server.forget = [("frames", 1), ("journal", 0)]
    Sender(server.client(), 7, recorded(tmp_path)).seal()
    assert ("frames", 1) in server.chunks
    assert len(server.seals) == 1


def service(tmp_path, server, programs=None) -> tuple[Service, list[str]]:
    said: list[str] = []
    config = RigConfig("http://server", "token", tmp_path, programs or {})
    return Service(config, server.client(), said.append), said


def test_runs_left_over_by_an_earlier_service_are_sent(tmp_path):
    server = FakeServer()
    recorded(tmp_path / "run-12", outcome="")
    rig, _ = service(tmp_path, server)
    rig.send_left_over()
    assert server.seals[0]["outcome"] == "aborted"
    assert "ended before the run did" in server.seals[0]["detail"]
    assert server.seals[0]["streams"]["frames"]["samples"] == 5000
    assert not (tmp_path / "run-12").exists()


def test_while_the_server_is_away_the_record_stays_and_goes_out_later(tmp_path):
    server = FakeServer()
    server.away_for = 1
    folder = recorded(tmp_path / "run-3")
    rig, said = service(tmp_path, server)
    with pytest.raises(ServerAway):
        rig.send_left_over()
    assert folder.exists()
    rig.send_left_over()
    assert len(server.seals) == 1
    assert not folder.exists()
    assert said == ["run 3: sent"]


def test_a_run_the_server_refuses_is_kept_and_said(tmp_path):
    server = FakeServer()
    server.seal = lambda body: httpx.Response(400, json={"detail": "no such outcome"})
    folder = recorded(tmp_path / "run-3")
    rig, said = service(tmp_path, server)
    rig.send_left_over()
    assert "no such outcome" in said[0]
    assert folder.exists()
    count = len(said)
    rig.send_left_over()
    assert len(said) == count


def test_a_program_the_rig_does_not_know_is_refused(tmp_path):
    config = RigConfig("http://server", "t", tmp_path, {"editor-1": {"command": ["editor"]}})
    assignment = {"program": "rm -rf", "fixtures": []}
    with pytest.raises(RunRefused, match="may not start “rm -rf”; it may start: editor-1"):
        prepare(tmp_path / "run-1", assignment, config, FakeServer().client())


def test_a_fixture_with_other_content_is_refused(tmp_path):
    good = {"name": "a.weft", "sha256": hashlib.sha256(b"draft").hexdigest()}
    put_fixture(tmp_path, good, b"draft")
    assert (tmp_path / "a.weft").read_bytes() == b"draft"
    with pytest.raises(RunRefused, match="not the one of the script"):
        put_fixture(tmp_path, good, b"another")


def test_a_fixture_cannot_leave_the_working_folder(tmp_path):
    work = tmp_path / "work"
    work.mkdir()
    content = b"x"
    with pytest.raises(RunRefused, match="may not be called"):
        put_fixture(work, {"name": "../up", "sha256": hashlib.sha256(content).hexdigest()}, content)
    assert not (tmp_path / "up").exists()


def test_a_run_that_could_not_begin_has_an_outcome(tmp_path):
    note_outcome(tmp_path / "run-9", "not started", "why")
    run = SpoolReader(tmp_path / "run-9").run()
    assert (run.outcome, run.detail) == ("not started", "why")


def test_a_rig_file_that_cannot_be_read_says_why(tmp_path):
    with pytest.raises(ConfigError, match="there is no rig file"):
        load(tmp_path / "none.json")
    (tmp_path / "bad.json").write_text("{")
    with pytest.raises(ConfigError, match="cannot be read"):
        load(tmp_path / "bad.json")
