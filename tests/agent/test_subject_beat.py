"""Compiled code samples the subject: as the interpreter does, and only its own processes."""

import os
import subprocess
import sys
import time
from itertools import pairwise

import numpy as np
import pytest

from yardstick_agent.clock import now_ns
from yardstick_agent.compiled import library
from yardstick_agent.sampling import processes
from yardstick_agent.sampling.sampler import RESIDENT, SECONDS, Sampler
from yardstick_agent.sampling.subject_beat import SubjectBeat
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.writer import SpoolWriter

BEAT_NS = 10_000_000
#: Its name holds what parts the fields of /proc/PID/stat.
WORKING = """
import ctypes, sys, time
ctypes.CDLL(None).prctl(15, b"odd ) name", 0, 0, 0)
end = time.process_time() + float(sys.argv[1])
held = bytearray(30_000_000)
while time.process_time() < end: pass
print("done", flush=True)
sys.stdin.read()
"""


def working(seconds: float) -> subprocess.Popen:
    """A process that has worked for so long and waits now."""
    process = subprocess.Popen(
        [sys.executable, "-c", WORKING, str(seconds)], stdin=subprocess.PIPE, stdout=subprocess.PIPE
    )
    process.stdout.readline()
    return process


@pytest.fixture
def subjects():
    started = [working(0.3), working(0.1)]
    yield started
    for process in started:
        process.kill()
        process.wait()
        process.stdin.close()
        process.stdout.close()


@pytest.fixture
def writer(tmp_path):
    writer = SpoolWriter(tmp_path, now_ns())
    writer.counter(SECONDS, now_ns(), 0.0)
    writer.counter(RESIDENT, now_ns(), 0.0)
    yield writer
    writer.close()


def beat_of(writer: SpoolWriter) -> SubjectBeat:
    files = (writer.counter_file(name) for name in (SECONDS, RESIDENT))
    return SubjectBeat(*files, writer.origin_ns, BEAT_NS)


def sampled(beat: SubjectBeat, beats: int) -> None:
    """Wait until so many more samples have been taken."""
    wanted, deadline = beat.beats + beats, time.monotonic() + 20
    while beat.beats < wanted:
        assert time.monotonic() < deadline
        time.sleep(0.002)


def counters(writer: SpoolWriter) -> list[np.ndarray]:
    found = SpoolReader(writer.folder).run().counters
    return [found[name][1] for name in (SECONDS, RESIDENT)]


def test_it_is_compiled_here():
    assert library() is not None


def test_it_says_what_the_interpreter_reads(writer, subjects):
    pids = [process.pid for process in subjects]
    beat = beat_of(writer)
    beat.start()
    beat.follow(pids, 0.0)
    sampled(beat, 5)
    read = processes.usage(pids)
    sampled(beat, 2)
    beat.stop()
    seconds, resident = counters(writer)
    assert seconds[-1] == pytest.approx(read.processor_seconds, abs=0.03)
    assert seconds[-1] == beat.most_seconds >= 0.4
    assert resident[-1] == pytest.approx(read.resident, rel=0.02)
    assert resident[-1] > 60_000_000


def test_the_time_of_those_before_stays_counted_and_never_falls(writer, subjects):
    one, two = (process.pid for process in subjects)
    beat = beat_of(writer)
    beat.start()
    beat.follow([one], 0.0)
    sampled(beat, 3)
    first = beat.most_seconds
    beat.follow([two], first)
    sampled(beat, 3)
    assert beat.most_seconds == pytest.approx(first + 0.12, abs=0.08)
    subjects[1].kill()
    subjects[1].wait()
    sampled(beat, 3)
    beat.stop()
    seconds, resident = counters(writer)
    assert list(seconds) == sorted(seconds)
    assert resident[-1] == 0


def test_files_of_those_that_went_are_closed(writer, subjects):
    one, two = (process.pid for process in subjects)
    beat = beat_of(writer)
    beat.start()
    before = len(os.listdir("/proc/self/fd"))
    for _ in range(20):
        beat.follow([one], 0.0)
        sampled(beat, 2)
        beat.follow([one, two], 0.0)
        sampled(beat, 2)
    assert len(os.listdir("/proc/self/fd")) <= before + 4
    beat.stop()
    assert len(os.listdir("/proc/self/fd")) < before + 1


def test_what_a_counter_had_reached_before_a_restart_is_added(tmp_path, subjects):
    origin = now_ns()
    before = SpoolWriter(tmp_path, origin)
    before.counter(SECONDS, now_ns(), 70.0)
    before.counter(RESIDENT, now_ns(), 9.0)
    before.close()
    writer = SpoolWriter(tmp_path, origin)
    writer.go_on()
    for name in (SECONDS, RESIDENT):
        writer.counter(name, now_ns(), 0.0)
    beat = beat_of(writer)
    beat.start()
    beat.follow([subjects[0].pid], 0.0)
    sampled(beat, 3)
    beat.stop()
    seconds, resident = counters(writer)
    writer.close()
    assert 70.25 < seconds[-1] < 72
    assert 30_000_000 < resident[-1] < 200_000_000


def test_a_record_that_cannot_be_written_on_ends_it(writer, subjects):
    full = os.open("/dev/full", os.O_WRONLY)
    nowhere = writer.counter_file(SECONDS)._replace(handle=full)
    beat = SubjectBeat(nowhere, writer.counter_file(RESIDENT), 0, BEAT_NS)
    beat.start()
    deadline = time.monotonic() + 10
    while not beat.failed and time.monotonic() < deadline:
        time.sleep(0.005)
    assert beat.failed
    assert beat.beats == 1
    beat.stop()
    os.close(full)


def test_the_sampler_reads_the_rest_beside_it(writer, subjects):
    """The machine five times a second instead of ten, the subject at each beat."""
    sampler = Sampler(writer.counter, lambda: [os.getpid()], steadily=lambda: beat_of(writer))
    sampler.follow(lambda: [subjects[0].pid])
    sampler.start()
    time.sleep(1.1)
    sampler.follow(lambda: [subjects[1].pid])
    time.sleep(0.5)
    sampler.stop()
    assert not sampler.failed
    found = SpoolReader(writer.folder).run().counters
    gaps = [(b - a) / 1e6 for a, b in pairwise(found[RESIDENT][0][2:])]
    assert np.median(gaps) == pytest.approx(BEAT_NS / 1e6, abs=3)
    looks = [(b - a) / 1e6 for a, b in pairwise(found["machine.busy_seconds"][0])]
    assert np.median(looks) == pytest.approx(200, abs=20)
    assert len(found["subject.proportional"][0]) in (1, 2)
    seconds = found[SECONDS][1]
    assert list(seconds) == sorted(seconds)
    assert seconds[-1] == pytest.approx(0.42, abs=0.12)
    at, foreign = found["machine.foreign_seconds"]
    busy = np.interp(at, *found["machine.busy_seconds"])
    own = np.interp(at, *found["machine.own_seconds"])
    subject = np.interp(at, *found[SECONDS])
    assert foreign[1:-1] == pytest.approx((busy - own - subject)[1:-1], abs=0.15)
