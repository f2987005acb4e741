"""Compiled code stamps what was drawn: in order, round and round, and past the recorder's end."""

import json
import os
import struct
import subprocess
import sys
import threading
import time

import pytest

from yardstick_agent.changes import Changes
from yardstick_agent.compiled import library
from yardstick_agent.display import watcher as watching
from yardstick_agent.display.connection import Connection
from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.display.watcher import Watcher
from yardstick_agent.sampling.processes import descends_from
from yardstick_agent.spool import ring as rings
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.recovering import keep_pictures_left
from yardstick_agent.spool.ring import Ring, left_in
from yardstick_agent.spool.writer import SpoolWriter

MS = 1_000_000
ORIGIN = 5_000 * MS
DRAWING = """
import json, os, time
os.environ["SDL_FRAMEBUFFER_ACCELERATION"] = "0"
import pygame
pygame.display.init()
screen = pygame.display.set_mode((320, 200))
time.sleep(0.5)
shown = []
for number in range({pictures}):
    screen.fill((number % 250, 90, 7))
    pygame.display.flip()
    shown.append(time.monotonic_ns())
    if {pause}:
        time.sleep({pause})
print(json.dumps(shown), flush=True)
time.sleep(30)
"""


def put(ring: Ring, at_ns: int, kind: int = rings.DRAWN, window: int = 7) -> None:
    """Put a record in as the compiled code does."""
    written = ring._header[rings.WRITTEN]
    record = struct.pack("<qIIhhHHII", at_ns, window, at_ns // MS, 0, 0, 320, 200, kind, 0)
    start = rings.HEADER_BYTES + written % rings.CAPACITY * len(record)
    ring.memory[start : start + len(record)] = record
    ring._header[rings.WRITTEN] = written + 1


def test_what_is_put_in_is_taken_once_and_in_order_round_and_round(tmp_path):
    ring = Ring(tmp_path / "ring")
    put_in, taken = 0, []
    for many in (3, rings.CAPACITY - 5, 7, rings.CAPACITY):
        for _ in range(many):
            put(ring, put_in)
            put_in += 1
        taken += [one.at_ns for one in ring.look()]
        assert ring.waiting
        ring.take()
        assert not ring.waiting
    assert taken == list(range(put_in))
    ring.discard()
    assert not (tmp_path / "ring").exists()


def test_what_was_looked_at_and_not_taken_is_left(tmp_path):
    ring = Ring(tmp_path / "ring", ORIGIN)
    for n in range(10):
        put(ring, n)
    assert len(list(ring.look())) == 10
    assert [one.at_ns for one in left_in(tmp_path / "ring")[1]] == list(range(10))
    ring.discard()
    assert (tmp_path / "ring").exists()  # not all of it was taken


def test_a_disk_without_room_for_it_keeps_no_run_from_being_measured(tmp_path, monkeypatch):
    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(rings.os, "posix_fallocate", full)
    ring = Ring(tmp_path / "ring")
    put(ring, 4)
    assert [one.at_ns for one in ring.look()] == [4]
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("damage", [lambda data: data[:100], lambda data: b"\xff" * len(data)])
def test_a_damaged_ring_leaves_nothing(tmp_path, damage):
    put(Ring(tmp_path / "ring"), 4)
    (tmp_path / "ring").write_bytes(damage((tmp_path / "ring").read_bytes()))
    assert left_in(tmp_path / "ring")[1] == []


@pytest.mark.parametrize("origin", [ORIGIN, -ORIGIN], ids=["usual", "before this start"])
def test_pictures_left_are_kept_once(tmp_path, origin):
    """Of a killed recorder: two were kept, but not yet counted as taken."""
    writer = SpoolWriter(tmp_path, origin)
    ring = Ring(tmp_path / rings.FILE, origin)
    for n in range(6):
        put(ring, ORIGIN + n * 20 * MS)
        put(ring, ORIGIN + n * 20 * MS + MS, window=8)  # of the same picture
    writer.frames([ORIGIN, ORIGIN + 20 * MS])
    writer.close()
    with open(tmp_path / "frames.raw", "ab") as file:
        file.write(b"torn")
    assert keep_pictures_left(tmp_path) == 4
    shown = [ORIGIN - origin + n * 20 * MS for n in range(6)]
    assert list(SpoolReader(tmp_path).run().frames_ns) == shown
    assert keep_pictures_left(tmp_path) == 0


def test_a_run_without_a_ring_has_nothing_left(tmp_path):
    SpoolWriter(tmp_path, 0).close()
    assert keep_pictures_left(tmp_path) == 0


def test_a_recorder_that_ends_before_it_took_anything_loses_no_picture(tmp_path, monkeypatch):
    """Nobody takes anything here: all there is, compiled code has put into the run's folder."""
    assert library() is not None
    writer = SpoolWriter(tmp_path, time.monotonic_ns())
    ring = Ring(tmp_path / rings.FILE, writer.origin_ns)
    with VirtualDisplay() as display:
        program, shown = _watched(display.name, writer, ring, 120, 0.007, monkeypatch)
        program.kill()
        program.wait()
    writer.close()
    assert keep_pictures_left(tmp_path) > 0
    found = SpoolReader(tmp_path).run().frames_ns + writer.origin_ns
    drawn = (found > shown[0] - MS) & (found < shown[-1] + 20 * MS)
    assert 0.95 * len(shown) <= drawn.sum() <= len(shown) + 1


def _watched(display, writer, ring, pictures, pause, monkeypatch):
    """A program, and when it showed its pictures; windows are followed, pictures not taken."""
    code = DRAWING.format(pictures=pictures, pause=pause)
    begun = threading.Event()
    program = None

    def belongs(pid):
        begun.wait(5)
        return descends_from(pid, program.pid)

    def follow(self):
        """Answer what wants an answer until the program draws, then nothing more."""
        while not any(window.visible for window in self.windows.values()):
            self.stamping.wait(0.05)
            self.take_in()

    monkeypatch.setattr(Watcher, "_follow", follow)
    watcher = Watcher(display, belongs, writer.frames, Changes(), ring=ring)
    watcher.start()
    program = subprocess.Popen(
        [sys.executable, "-c", code],
        env={**os.environ, "DISPLAY": display},
        stdout=subprocess.PIPE,
        text=True,
    )
    begun.set()
    lines = iter(program.stdout.readline, "")
    shown = json.loads(next(line for line in lines if line.startswith("[")))
    return program, shown


def test_more_than_the_ring_holds_is_waited_for(tmp_path, monkeypatch):
    """Nobody takes for a while: nothing is written over, and all of it is told in the end."""
    monkeypatch.setattr(rings, "CAPACITY", 64)
    monkeypatch.setattr(rings, "_SIZE", rings.HEADER_BYTES + 64 * 32)
    writer = SpoolWriter(tmp_path, 0)
    taken = []
    with VirtualDisplay() as display:
        watcher = Watcher(display.name, lambda pid: True, taken.extend, Changes(), ring=Ring())
        held = watcher.take_in
        monkeypatch.setattr(watcher, "take_in", lambda: time.sleep(0.02) or held())
        drawn, changed = [], watcher._changed
        monkeypatch.setattr(watcher, "_changed", lambda *one: drawn.append(one) or changed(*one))
        watcher.start()
        program = subprocess.Popen(
            [sys.executable, "-c", DRAWING.format(pictures=2000, pause=0)],
            env={**os.environ, "DISPLAY": display.name}, stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        lines = iter(program.stdout.readline, "")
        shown = json.loads(next(line for line in lines if line.startswith("[")))
        deadline = time.monotonic() + 30
        while watcher.last_change_ns < shown[-1] - 5 * MS and time.monotonic() < deadline:
            time.sleep(0.05)
        time.sleep(0.3)
        program.kill()
        program.wait()
        watcher.stop()
    writer.close()
    whole = [at for at, _, area in drawn if area[3:] == (320, 200)]
    assert len(whole) >= 2000, "nothing was written over"
    assert len(set(drawn)) == len(drawn), "nothing was taken twice"
    assert 0 < len(taken) <= len(drawn)
    assert taken == sorted(taken)
    assert watcher.told.count == len(taken)


def test_a_display_that_keeps_whoever_takes_in_waiting_keeps_nobody_else_for_long(monkeypatch):
    monkeypatch.setattr(watching, "MOMENT_SECONDS", 0.1)
    held, entered = threading.Event(), threading.Event()

    def belongs(pid: int) -> bool:
        entered.set()
        return held.wait(30)

    with VirtualDisplay() as display:
        watcher = Watcher(display.name, belongs, lambda pictures: None, Changes(), ring=Ring())
        watcher.start()
        other = Connection(display.name)
        for _ in range(2):
            other.core.CreateWindow(
                0, other.raw.generate_id(), other.root, 0, 0, 9, 9, 0, 1,
                other.screen.root_visual, 0, [],
            )  # fmt: skip
        other.raw.flush()
        assert entered.wait(10)
        put(watcher.stamping.ring, time.monotonic_ns(), kind=rings.DRAWN)
        assert watcher.last_change_ns == 0  # it comes back, and says what it knows
        held.set()
        other.close()
        watcher.stop()
