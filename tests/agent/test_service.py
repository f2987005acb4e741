"""A rig's whole loop against a server that is only pretended: take, play for real, send, seal."""

import hashlib
import io
import json
import subprocess
import sys
import threading
import time

import httpx
import numpy as np
import pygame
import pytest
from sessions import SDL, script

from yardstick_agent import leftovers
from yardstick_agent.client import Client, ServerAway, ServerRefused
from yardstick_agent.config import RigConfig
from yardstick_agent.display.picture import png
from yardstick_agent.sampling import processes
from yardstick_agent.service import Service, prepare
from yardstick_core import PROTOCOL
from yardstick_core.streams.batch import unpack
from yardstick_core.streams.chunk import decode_journal

pytestmark = pytest.mark.screen
DRAFT = b"a draft"


class PretendedServer:
    """Hands out the runs it was given and keeps all that comes back."""

    def __init__(self, runs):
        self.runs, self.chunks, self.seals = list(runs), {}, {}
        self.beats, self.hellos = [], []
        self.rehearsals, self.told, self.pictures = [], [], []
        self.away = False
        self.abort = False
        self.waits, self.allowed, self.hands, self.refusal = [], 0, [], None
        self.keep_state, self.states = False, []

    def answer(self, request: httpx.Request) -> httpx.Response:
        if self.away:
            raise httpx.ConnectError("gone")
        path = request.url.path
        assert request.headers["Authorization"] == "Rig token"
        if path.endswith("/hello"):
            self.hellos.append(json.loads(request.content))
            return self.refusal or httpx.Response(200, json={"rig": "loft", "protocol": PROTOCOL})
        if path.endswith("/errands/take"):
            waiting = self.rehearsals
            return httpx.Response(200, json=waiting.pop(0)) if waiting else httpx.Response(204)
        if path.endswith("/tell"):
            self.told.append(json.loads(request.content))
            hands = self.hands[self.told[-1].get("acted", 0) :]
            answer = {
                "stop": self.abort,
                "keep_state": self.keep_state,
                "allowed": self.allowed,
                "hands": hands,
            }
            return httpx.Response(200, json=answer)
        if path.endswith("/picture"):
            self.pictures.append(request.content)
            return httpx.Response(200, json={})
        if path.endswith("/state"):
            self.states.append(request.content)
            return httpx.Response(200, json={})
        if "/states/" in path:
            return httpx.Response(200, content=self.states[-1])
        if path.endswith("/take"):
            return httpx.Response(200, json=self.runs.pop(0)) if self.runs else httpx.Response(204)
        if "/fixtures/" in path:
            return httpx.Response(200, content=DRAFT)
        if path.endswith("/heartbeat"):
            self.beats.append(json.loads(request.content)["progress"])
            return httpx.Response(200, json={"abort": self.abort})
        if path.endswith("/chunks"):
            run = int(path.split("/")[-2])
            for piece in unpack(request.content):
                self.chunks[run, piece.stream, piece.sequence] = piece.data
            return httpx.Response(200, json={})
        if request.method == "PUT":
            self.chunks[path] = request.content
            return httpx.Response(200, json={})
        run = int(path.split("/")[-2])
        self.seals[run] = json.loads(request.content)
        return httpx.Response(200, json={"sealed": True})


def assignment(number, text, program="truth"):
    fixture = {"name": "a.weft", "sha256": hashlib.sha256(DRAFT).hexdigest(), "size": len(DRAFT)}
    return {"run": number, "title": f"run {number}", "script": text, "program": program,
            "fixtures": [fixture]}  # fmt: skip


def serve(tmp_path, server, until, seconds=40):
    """Run a service until something is true; what it said."""
    said: list[str] = []
    programs = {"truth": {"command": SDL, "log": "subject.log"}}
    config = RigConfig("http://server", "token", tmp_path, programs)
    client = Client("http://server", "token", httpx.MockTransport(server.answer))
    service = Service(config, client, said.append)
    thread = threading.Thread(target=service.serve)
    thread.start()
    deadline = time.monotonic() + seconds
    while not until() and time.monotonic() < deadline:
        time.sleep(0.05)
    service.stop()
    thread.join(20)
    assert not thread.is_alive()
    return said


def has_drawn(run) -> bool:
    """Whether a few dozen pictures of a run under way have been kept."""
    frames = run / "frames.raw"
    return frames.exists() and frames.stat().st_size > 8 * 30


LOAD = script("time load", "  press l", '  until log "loaded"')


def test_runs_are_taken_played_and_sent_one_after_another(tmp_path):
    server = PretendedServer([assignment(1, LOAD), assignment(2, LOAD)])
    serve(tmp_path, server, lambda: len(server.seals) == 2)
    assert [seal["outcome"] for seal in server.seals.values()] == ["finished", "finished"]
    assert server.hellos[0]["facts"]["cores"] > 0
    assert any(beat.get("step") == "Only" for beat in server.beats)
    for run in (1, 2):
        assert (run, "subject.resident", 0) in server.chunks
        assert server.seals[run]["streams"]["journal"]["samples"] > 5
    assert list(tmp_path.glob("run-*")) == []


def test_an_unknown_program_becomes_the_outcome_of_the_run(tmp_path):
    server = PretendedServer([assignment(3, LOAD, program="format-disk")])
    serve(tmp_path, server, lambda: server.seals)
    assert server.seals[3]["outcome"] == "not started"
    assert "may not start “format-disk”" in server.seals[3]["detail"]


def test_an_abort_from_the_server_ends_the_run_and_keeps_its_record(tmp_path):
    server = PretendedServer([assignment(4, script("press f", "wait 60s"))])

    def aborting():
        server.abort = server.abort or has_drawn(tmp_path / "run-4")
        return 4 in server.seals

    serve(tmp_path, server, aborting)
    assert server.seals[4]["outcome"] == "aborted"
    assert server.seals[4]["streams"]["frames"]["samples"] > 10


def test_a_server_that_goes_away_during_a_run_gets_all_of_it_later(tmp_path):
    server = PretendedServer([assignment(5, script("press f", 'until log "frames done"'))])

    def leaving():
        if any(beat.get("step") for beat in server.beats) and not server.seals:
            if not server.away and not hasattr(server, "left"):
                server.away, server.left = True, time.monotonic()
            if server.away and time.monotonic() - server.left > 9:
                server.away = False
        return bool(server.seals)

    said = serve(tmp_path, server, leaving)
    assert server.seals[5]["outcome"] == "finished"
    # A busy machine merges up to half of the 415 pictures; what came while it was away is there.
    assert server.seals[5]["streams"]["frames"]["samples"] > 200
    assert any("stays on this rig meanwhile" in text for text in said)
    assert any("the server is back" in text for text in said)


def test_a_service_that_is_stopped_hands_in_its_run_at_the_next_start(tmp_path):
    server = PretendedServer([assignment(6, script("press f", "wait 60s"))])
    serve(tmp_path, server, lambda: has_drawn(tmp_path / "run-6"))
    assert 6 not in server.seals
    assert (tmp_path / "run-6").exists()
    serve(tmp_path, server, lambda: server.seals)
    assert server.seals[6]["outcome"] == "aborted"
    assert server.seals[6]["streams"]["frames"]["samples"] > 10


def test_errors_of_the_server_are_told_apart():
    def answering(status, body):
        return Client(
            "http://server",
            "t",
            httpx.MockTransport(lambda request: httpx.Response(status, content=body)),
        )

    with pytest.raises(ServerAway, match="answers 503"):
        answering(503, b"").take()
    with pytest.raises(ServerAway):
        answering(429, b"").take()
    with pytest.raises(ServerRefused, match="403: no such rig"):
        answering(403, b'{"detail": "no such rig"}').take()
    with pytest.raises(ServerRefused, match="404: plain words"):
        answering(404, b"plain words").heartbeat(1, {})
    assert answering(204, b"").take() is None


def test_what_comes_too_slowly_is_sent_again_in_smaller_messages():
    slow = Client("http://server", "t", httpx.MockTransport(lambda _: httpx.Response(408)))
    for most in (1024 * 1024, 256 * 1024, 64 * 1024, 64 * 1024):
        with pytest.raises(ServerAway, match="too slowly"):
            slow.put_chunks(1, b"x")
        assert slow.most_bytes == most


def rehearsal(text, program="truth"):
    return {**assignment(1, text, program), "rehearsal": 7}


def test_a_rehearsal_is_played_shown_and_leaves_nothing(tmp_path):
    server = PretendedServer([])
    server.rehearsals = [rehearsal(LOAD)]
    serve(tmp_path, server, lambda: server.told and "outcome" in server.told[-1])
    ending = server.told[-1]
    assert ending["outcome"] == "finished"
    assert [t["path"] for t in ending["timings"]] == [["Only", "load"]]
    assert 0.5 < ending["timings"][0]["seconds"] < 3
    assert server.pictures
    assert all(picture.startswith(b"\x89PNG") for picture in server.pictures)
    assert (server.chunks, server.seals, list(tmp_path.glob("run-*"))) == ({}, {}, [])


def test_a_rehearsal_names_the_line_that_did_not_come_true(tmp_path):
    server = PretendedServer([])
    server.rehearsals = [rehearsal(script('until log "never", within 1s'))]
    serve(tmp_path, server, lambda: server.told and "outcome" in server.told[-1])
    assert (server.told[-1]["outcome"], server.told[-1]["line"]) == ("cut off", 5)


def test_a_rehearsal_of_what_the_rig_may_not_start_says_so(tmp_path):
    server = PretendedServer([])
    server.rehearsals = [rehearsal(LOAD, program="secret")]
    serve(tmp_path, server, lambda: server.told)
    assert server.told[-1]["outcome"] == "not started"
    assert "may not start “secret”" in server.told[-1]["detail"]


def test_a_picture_holds_the_pixels_it_was_made_of():
    pixels = np.random.default_rng(1).integers(0, 255, (5, 7, 3), np.uint8)
    surface = pygame.image.load(io.BytesIO(png(pixels)))
    read = pygame.surfarray.array3d(surface).transpose(1, 0, 2)
    assert (read == pixels).all()


def test_a_rehearsal_goes_line_by_line_when_it_is_let_on(tmp_path):
    server = PretendedServer([])
    server.rehearsals = [{**rehearsal(LOAD), "step_by_step": True}]

    def letting_on():
        if server.told and server.told[-1].get("waits"):
            server.waits.append(server.told[-1]["line"])
            server.allowed = len(set(server.waits))
        return bool(server.told) and "outcome" in server.told[-1]

    serve(tmp_path, server, letting_on)
    assert server.told[-1]["outcome"] == "finished"
    assert sorted(set(server.waits)) == [3, 4, 6, 7]  # every line that does something
    seen = [one for told in server.told for one in told.get("windows", [])]
    assert seen[-1]["title"] == "Truth"  # the toolkit's own name until the program gives it one
    assert all(one["width"] == 640 for one in seen)


def test_work_through_the_picture_comes_back_as_a_draft(tmp_path):
    server = PretendedServer([])
    server.rehearsals = [{**rehearsal(LOAD), "kind": "draft"}]
    server.hands = [{"kind": "type", "keys": "l"}]

    def ending():
        server.abort = server.abort or any(told.get("heard") for told in server.told)
        return bool(server.told) and "outcome" in server.told[-1]

    serve(tmp_path, server, ending)
    ending = server.told[-1]
    assert ending["outcome"] == "finished"
    assert '  type "l"\n' in ending["draft"]
    assert "  fixture " not in ending["draft"]
    assert list(tmp_path.glob("rehearsal-*")) == []


def test_pictures_of_a_run_come_before_its_seal(tmp_path):
    text = script('until log "never", within 300ms')
    server = PretendedServer([assignment(8, text)])
    serve(tmp_path, server, lambda: server.seals)
    assert server.seals[8]["outcome"] == "cut off"
    assert server.chunks["/api/agent/runs/8/pictures/end"].startswith(b"\x89PNG")


def test_a_server_of_another_version_is_not_served_and_nothing_is_lost(tmp_path):
    server = PretendedServer([assignment(9, LOAD)])
    server.refusal = httpx.Response(409, json={"detail": "the agent is older"})
    said = serve(tmp_path, server, lambda: server.hellos)
    assert said[-1] == "the server does not want this rig: 409: the agent is older"
    assert server.runs  # not taken


def test_what_a_killed_agent_left_is_ended_and_handed_in(tmp_path):
    """The whole agent is killed, with the recorder; the next start ends the rest and sends it."""
    programs = {"truth": {"command": SDL, "log": "subject.log"}}
    folder = tmp_path / "run-5"
    config = RigConfig("http://server", "token", tmp_path, programs)
    server = PretendedServer([])
    client = Client("http://server", "token", httpx.MockTransport(server.answer))
    prepare(folder, assignment(5, script("press f", "wait 30s")), config, client)
    process = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)],
        start_new_session=True,
    )
    frames = folder / "frames.raw"
    while not (frames.exists() and frames.stat().st_size > 8 * 30):
        time.sleep(0.05)
    process.kill()
    process.wait()
    noted = [json.loads(line)["pid"] for line in (folder / leftovers.FILE).open()]
    stray = tmp_path / "rehearsal-3"
    (stray / "run").mkdir(parents=True)
    serve(tmp_path, server, lambda: server.seals)
    assert server.seals[5]["outcome"] == "aborted"
    assert server.seals[5]["streams"]["frames"]["samples"] >= 30
    assert not any(map(processes.alive, noted))
    assert not stray.exists()


def test_the_state_a_rehearsal_leaves_is_kept_and_begins_a_run(tmp_path):
    """What the program wrote into its home in the one stands in its home in the other."""
    server = PretendedServer([])
    keeps = script("press l", 'until log "loaded"')
    server.rehearsals, server.keep_state = [rehearsal(keeps)], True
    serve(tmp_path, server, lambda: bool(server.states))
    assert server.states
    sha256 = hashlib.sha256(server.states[0]).hexdigest()
    server.runs = [{**assignment(9, keeps), "state": sha256}]
    serve(tmp_path, server, lambda: 9 in server.seals)
    entries = decode_journal(server.chunks[9, "journal", 0])
    facts = next(entry for entry in entries if entry["kind"] == "facts")["facts"]
    assert facts["home"] == "its own, prepared"
    server.runs = [{**assignment(10, keeps), "state": "0" * 64}]
    serve(tmp_path, server, lambda: 10 in server.seals)
    assert server.seals[10]["outcome"] == "not started"
    assert "made on it" in server.seals[10]["detail"]
