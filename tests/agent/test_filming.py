"""Films of a display: what was drawn is in them, when it was drawn, whatever ends the recorder."""

import json
import os
import signal
import subprocess
import sys
import time
from itertools import pairwise

import av
import numpy as np
import pytest
from sessions import SDL, prepared, script

from yardstick_agent.cli import measure
from yardstick_agent.client import ServerRefused
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.filming import ABOUT, FILM
from yardstick_agent.filming.film_file import KEY_EVERY, FilmFile
from yardstick_agent.spool.film_sender import FilmSender
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.films.container import FilmError, picture_at, put_in_order

SLOT_MS = 1000 / 60


def filmed(folder, *lines):
    """A session played with its film; the folder of the run."""
    folder = prepared(folder / "run", script(*lines), SDL)
    assignment = json.loads((folder / "assignment.json").read_text())
    (folder / "assignment.json").write_text(json.dumps(assignment | {"film": True}))
    assert measure(folder) == "finished"
    return folder


def pictures(path):
    """Instant in the film, seconds, and pixels of each of its pictures."""
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            yield frame.time, frame.to_ndarray(format="rgb24")


@pytest.mark.screen
def test_what_was_drawn_is_on_the_film_on_the_clock_of_the_run(tmp_path):
    folder = filmed(tmp_path, "press f", "wait 4s", "stop")
    run = SpoolReader(folder).run()
    about = json.loads((folder / ABOUT).read_text())
    shades = [(at, tuple(map(int, pixels[400, 640]))) for at, pixels in pictures(folder / FILM)]
    changed = [at for (_, before), (at, now) in pairwise(shades) if now != before]
    seen_ns = about["began_ns"] + np.array(changed) * 1e9
    # A picture on the film is one that the run's own watcher saw drawn just before.
    drawn = run.frames_ns[np.searchsorted(run.frames_ns, seen_ns + 1e6) - 1]
    late_ms = (seen_ns - drawn) / 1e6
    # a busy machine takes fewer, and later; it loses none that stood for long
    assert len(changed) > 20
    assert np.median(late_ms) < 10 * SLOT_MS
    # three quiet seconds stand in it, told by a picture a second
    gaps = np.diff([at for at, _ in shades])
    quiet = gaps[gaps > 0.5]
    assert len(quiet) >= 2
    assert np.median(quiet) < 1.5  # a busy machine takes one or the other later
    assert len(run.frames_ns) > len(changed), "more was drawn than sixty pictures a second"


@pytest.mark.screen
def test_the_pointer_is_on_the_film(tmp_path):
    folder = filmed(tmp_path, "move to 100,100", "wait 3s", "move to 300,200", "wait 3s", "stop")
    run = SpoolReader(folder).run()
    began_ns = json.loads((folder / ABOUT).read_text())["began_ns"]
    put_in_order(folder / FILM, tmp_path / "whole.mp4")
    first, after = (
        picture_at(tmp_path / "whole.mp4", (sent.at_ns - began_ns) / 1e9 + 2.5).astype(int)
        for sent in run.inputs
        if sent.what.startswith("move")
    )
    # In the window nothing else is drawn once it has come up.
    where = np.argwhere(np.abs(first - after).max(axis=2) > 60)
    assert len(where), "the pointer has moved, and nothing has changed on the film"
    # where it was and where it is, an arrow of some 20 pixels at each
    assert np.ptp(where[:, 1]) == pytest.approx(200, abs=30)
    assert np.ptp(where[:, 0]) == pytest.approx(100, abs=30)


@pytest.mark.screen
def test_a_film_whose_recorder_was_killed_plays_to_its_last_second(tmp_path):
    with VirtualDisplay(320, 200) as display:
        environment = os.environ | {"DISPLAY": display.name}
        command = [sys.executable, "-m", "yardstick_agent.filming.record", str(tmp_path)]
        origin = time.monotonic_ns()
        recorder = subprocess.Popen([*command, display.name, str(origin)], env=environment)
        painter = subprocess.Popen(
            [sys.executable, SDL[1]], env=environment, cwd=tmp_path, stdout=subprocess.DEVNULL
        )
        try:
            deadline = time.monotonic() + 60
            while not (tmp_path / FILM).exists() or (tmp_path / FILM).stat().st_size < 3000:
                assert time.monotonic() < deadline
                time.sleep(0.1)
            time.sleep(3)
        finally:
            recorder.send_signal(signal.SIGKILL)
            recorder.wait()
            killed = time.monotonic_ns()
            painter.kill()
            painter.wait()
    facts = put_in_order(tmp_path / FILM, tmp_path / "whole.mp4")
    began = origin + json.loads((tmp_path / ABOUT).read_text())["began_ns"]
    assert facts.frames >= 2
    # a fragment is of a second, and a picture that stands is told once a second
    assert (killed - began) / 1e9 - facts.seconds < 3
    assert sum(1 for _ in pictures(tmp_path / "whole.mp4")) == facts.frames


def made(folder, shades, gap_ns=25_000_000):
    """A film of plain pictures, one shade each."""
    folder.mkdir(exist_ok=True)
    with FilmFile(folder, 65, 49) as film:
        for number, shade in enumerate(shades):
            film.add(np.full((49, 65, 4), shade, np.uint8), 7_000_000 + number * gap_ns)
    return folder / FILM


def test_a_picture_is_found_at_its_instant(tmp_path):
    put_in_order(made(tmp_path, range(0, 250, 2)), tmp_path / "whole.mp4")
    for seconds, shade in ((0, 0), (0.024, 0), (0.026, 2), (2.513, 200), (99, 248), (-4, 0)):
        found = picture_at(tmp_path / "whole.mp4", seconds)
        assert found.shape == (48, 64, 3), "odd sizes lose a row and a column"
        assert abs(int(found[20, 20, 1]) - shade) <= 3, seconds


def test_a_part_is_drawn_anew_and_the_rest_stands(tmp_path):
    with FilmFile(tmp_path, 64, 48) as written:
        written.add(np.full((48, 64, 4), 40, np.uint8), 0)
        blue = np.zeros((20, 30, 4), np.uint8)
        blue[:, :, 0] = 255
        written.add(blue, 50_000_000, 16, 8)
        written.add(None, 100_000_000)
        written.add(np.full((200, 200, 4), 200, np.uint8), 150_000_000, 60, 40)
    first, second, third, fourth = (pixels.astype(int) for _, pixels in pictures(tmp_path / FILM))
    assert np.abs(first - 40).max() <= 6
    assert second[18, 30, 2] > 180
    assert second[18, 30, 0] < 60
    assert np.abs(second[:, :12] - 40).max() <= 20
    assert np.abs(third - second).max() <= 12, "nothing was drawn"
    assert fourth[44, 62].min() > 150, "what lies outside of the film is left away"
    assert fourth[18, 30, 2] > 180


def test_pictures_that_stand_alone_are_never_far(tmp_path):
    made(tmp_path, range(200))
    with av.open(str(tmp_path / FILM)) as container:
        keys = [n for n, packet in enumerate(container.demux(video=0)) if packet.is_keyframe]
    assert max(np.diff(keys)) <= KEY_EVERY


def test_two_pictures_never_share_an_instant(tmp_path):
    made(tmp_path, range(20), gap_ns=0)
    instants = [at for at, _ in pictures(tmp_path / FILM)]
    assert len(instants) == 20
    assert (np.diff(instants) > 0).all()


HEAD_ALONE = b"\0\0\0\x18ftypisom" + b"\0" * 99


@pytest.mark.parametrize("content", [b"", b"no film at all" * 50, HEAD_ALONE])
def test_what_is_no_film_is_said_so(tmp_path, content):
    (tmp_path / "bad").write_bytes(content)
    with pytest.raises(FilmError):
        put_in_order(tmp_path / "bad", tmp_path / "out.mp4")
    with pytest.raises(FilmError):
        picture_at(tmp_path / "bad", 0)


class Receiver:
    """A server that keeps films, forgets what it is told to and takes at most so much."""

    def __init__(self, limit=1 << 40):
        self.film, self.limit, self.ended, self.spoils = b"", limit, [], 0
        self.most_bytes = 4096

    def put_film(self, run, at, piece):
        if len(self.film) + len(piece) > self.limit:
            raise ServerRefused(400, "no room")
        if at <= len(self.film):
            self.film += piece[len(self.film) - at :]
        return len(self.film)

    def end_film(self, run, body):
        if self.spoils:
            self.spoils, self.film = self.spoils - 1, b""
            return False
        self.ended.append(body)
        return True


def test_a_film_goes_up_as_it_grows_and_goes_on_after_an_interruption(tmp_path):
    whole = made(tmp_path, range(150)).read_bytes()
    server = Receiver()
    (tmp_path / FILM).write_bytes(whole[:6000])
    FilmSender(server, 1, tmp_path).send(least=1)
    assert server.film == whole[:6000]
    (tmp_path / FILM).write_bytes(whole)
    again = FilmSender(server, 1, tmp_path)
    again.finish()
    assert server.film == whole
    assert server.ended[0]["began_ns"] == 7_000_000
    assert server.ended[0]["size"] == len(whole)
    assert again.lost == ""


def test_a_film_that_came_otherwise_is_sent_anew(tmp_path):
    whole = made(tmp_path, range(150)).read_bytes()
    server = Receiver()
    server.spoils = 1
    FilmSender(server, 1, tmp_path).finish()
    assert server.film == whole


def test_a_film_that_is_not_taken_is_said_and_holds_nothing_up(tmp_path):
    made(tmp_path, range(150))
    sender = FilmSender(Receiver(limit=5000), 1, tmp_path)
    sender.finish()
    assert "no room" in sender.lost


def test_a_run_that_was_to_be_filmed_and_was_not_says_so(tmp_path):
    sender = FilmSender(None, 1, tmp_path)
    sender.finish(wanted=True)
    assert sender.lost == "nothing was recorded"


def test_a_run_without_a_film_asks_the_server_nothing(tmp_path):
    sender = FilmSender(None, 1, tmp_path)
    sender.send()
    sender.finish()
    assert sender.lost == ""
