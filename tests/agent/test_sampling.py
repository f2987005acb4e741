"""What is read from /proc, on real processes with known use."""

import os
import subprocess
import sys
import time
from itertools import pairwise

import pytest

from yardstick_agent.sampling import machine, processes
from yardstick_agent.sampling import sampler as sampling
from yardstick_agent.sampling.kept_open import MOST_OPEN, KeptOpen
from yardstick_agent.sampling.sampler import Sampler
from yardstick_core.streams.counters import companion_stream

TREE = """
import os, subprocess, sys, time
work = "import time; held = bytearray(40_000_000); time.sleep(30)"
child = subprocess.Popen([sys.executable, "-c", work])
print(child.pid, flush=True)
end = time.process_time() + 0.4
while time.process_time() < end: pass
print("done", flush=True)
time.sleep(30)
"""


@pytest.fixture
def tree():
    """A process with a child that holds 40 MB, after 0.4 s of work."""
    process = subprocess.Popen(
        [sys.executable, "-c", TREE], stdout=subprocess.PIPE, text=True, start_new_session=True
    )
    child = int(process.stdout.readline())
    process.stdout.readline()
    time.sleep(0.2)
    yield process, child
    os.killpg(process.pid, 9)
    process.wait()


def test_a_tree_is_a_process_and_all_its_children(tree):
    process, child = tree
    assert processes.tree(process.pid) == [process.pid, child]
    assert processes.descends_from(child, process.pid)
    assert not processes.descends_from(os.getpid(), process.pid)
    assert processes.parent(child) == process.pid


def test_usage_is_that_of_the_whole_tree(tree):
    process, child = tree
    used = processes.usage(processes.tree(process.pid))
    assert used.processes == 2
    assert used.threads >= 2
    assert 0.35 < used.processor_seconds < 2
    assert used.resident > 40_000_000
    assert processes.usage([child]).resident > 40_000_000
    shares = processes.memory_shares([process.pid, child])
    assert 40_000_000 < shares.unique <= shares.proportional <= used.resident


def test_the_time_of_a_child_that_ended_stays_counted():
    code = (
        "import subprocess, sys, time\n"
        "work = 'import time\\nend = time.process_time() + 0.3\\n"
        "while time.process_time() < end: pass'\n"
        "subprocess.run([sys.executable, '-c', work])\n"
        "print('reaped', flush=True); time.sleep(30)"
    )
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    try:
        process.stdout.readline()
        used = processes.usage(processes.tree(process.pid))
        assert used.processes == 1
        assert used.processor_seconds >= 0.29
    finally:
        process.kill()
        process.wait()


def test_a_process_that_is_gone_uses_nothing():
    process = subprocess.Popen(["true"])
    process.wait()
    assert processes.usage([process.pid]) == processes.Usage()
    assert processes.children(process.pid) == []
    assert processes.memory_shares([process.pid]) == processes.Shares()
    assert processes.storage_bytes(process.pid) is None
    assert processes.parent(process.pid) == 0


def test_the_machines_busy_time_only_grows_and_is_that_of_its_cores():
    before, cores = machine.busy_seconds()
    assert len(cores) == os.cpu_count()
    assert sum(cores) == pytest.approx(before, rel=0.01, abs=1)
    end = time.process_time() + 0.2
    while time.process_time() < end:
        pass
    after, _ = machine.busy_seconds()
    assert after - before >= 0.15


def test_the_sampler_keeps_a_steady_beat_and_tells_subject_from_others(tree):
    process, _ = tree
    kept: dict[str, list[tuple[int, float]]] = {}
    sampler = Sampler(
        lambda name, at, value: kept.setdefault(name, []).append((at, value)), lambda: [os.getpid()]
    )
    sampler.follow(lambda: processes.tree(process.pid))
    sampler.start()
    time.sleep(1.05)
    sampler.stop()
    beats = kept["subject.resident"]
    assert 15 <= len(beats) <= 24
    gaps = [(b[0] - a[0]) / 1e6 for a, b in pairwise(beats)]
    assert sorted(gaps)[len(gaps) // 2] == pytest.approx(50, abs=5)
    assert kept["machine.cores"][0][1] == os.cpu_count()
    assert len(kept["subject.proportional"]) in (1, 2)
    seconds = [value for _, value in kept["subject.processor_seconds"]]
    assert seconds == sorted(seconds)
    assert 4 <= len(kept["machine.own_seconds"]) <= 6
    for at, own in kept["machine.own_seconds"]:
        busy = dict(kept["machine.busy_seconds"])[at]
        subject = dict(kept["subject.processor_seconds"])[at]
        assert dict(kept["machine.foreign_seconds"])[at] == pytest.approx(busy - own - subject)


def test_a_subject_that_we_reaped_is_nothing_that_we_used():
    """Its time is its own: counted as ours as well, it would be taken from what others used."""
    kept = {}
    sampler = Sampler(lambda name, at, value: kept.setdefault(name, []).append(value),
                      lambda: [os.getpid()])  # fmt: skip
    sampler.sample(0)
    begun = time.process_time()
    burn = "import time\nuntil = time.process_time() + 0.6\nwhile time.process_time() < until: pass"
    subprocess.run([sys.executable, "-c", burn], check=True)
    sampler.sample(0)
    before, after = kept["machine.own_seconds"]
    assert after - before <= time.process_time() - begun + 0.1
    assert processes.usage([os.getpid()]).processor_seconds >= after + 0.6


def test_processes_are_looked_for_where_one_has_begun_since(monkeypatch):
    begun, looked = [b"70"], []
    monkeypatch.setattr(machine, "last_begun", lambda read: begun[0])

    def pids() -> list[int]:
        looked.append(begun[0])
        return [os.getpid()]

    sampler = Sampler(lambda *_: None, lambda: [])
    sampler.follow(pids)
    looked.clear()
    for beat in range(6):
        sampler.sample(beat)
    begun[0] = b"71"
    for beat in range(6):
        sampler.sample(beat)
    assert looked == [b"70", b"71"]


def test_a_child_begun_later_is_found_and_a_file_kept_open_tells_of_no_other_process():
    parent = "import subprocess, sys; sys.stdin.readline(); subprocess.run(['sleep', '60'])"
    process = subprocess.Popen([sys.executable, "-c", parent], stdin=subprocess.PIPE)
    kept: dict[str, list[float]] = {}
    sampler = Sampler(lambda name, _, value: kept.setdefault(name, []).append(value), lambda: [])
    sampler.follow(lambda: processes.tree(process.pid))
    sampler.sample(0)
    process.stdin.write(b"go\n")
    process.stdin.flush()
    deadline = time.monotonic() + 10
    while not processes.children(process.pid) and time.monotonic() < deadline:
        time.sleep(0.02)
    sampler.sample(0)
    assert kept["subject.processes"] == [1, 2]
    all_of_it = processes.tree(process.pid)
    for pid in all_of_it:
        os.kill(pid, 9)
    process.wait()
    while any(map(processes.alive, all_of_it)) and time.monotonic() < deadline:
        time.sleep(0.02)
    sampler.sample(0)
    assert kept["subject.processes"][-1] == 0
    assert kept["subject.resident"][-1] == 0


def test_files_kept_open_are_read_anew_and_closed(tmp_path):
    kept, file = KeptOpen(), tmp_path / "number"
    for text in ("1", "22", "3"):
        file.write_text(text)
        assert kept.read(str(file)) == text.encode()
    before = len(os.listdir("/proc/self/fd"))
    for n in range(2 * MOST_OPEN):
        (tmp_path / str(n)).write_text("")
        kept.read(str(tmp_path / str(n)))
    assert len(os.listdir("/proc/self/fd")) <= before + MOST_OPEN
    kept.close()
    with pytest.raises(FileNotFoundError):
        kept.read(str(tmp_path / "nothing"))


def test_a_second_start_of_the_subject_adds_to_the_first(tree):
    process, _ = tree
    kept: list[float] = []
    sampler = Sampler(
        lambda name, at, value: kept.append(value) if name == "subject.processor_seconds" else None,
        lambda: [],
    )
    sampler.follow(lambda: processes.tree(process.pid))
    sampler.sample(1)
    sampler.follow(lambda: processes.tree(process.pid))
    sampler.sample(1)
    assert kept[1] == pytest.approx(2 * kept[0], rel=0.2)


def test_what_begins_to_be_counted_during_a_sample_is_not_written_before_its_beginning(tree):
    """The player says it from another thread, and nobody reads a record whose instants go back."""
    process, _ = tree
    kept: dict[str, list[int]] = {}
    begun: list[str] = []

    def own_processes() -> list[int]:
        name = f"loom-{len(begun)}"
        begun.append(name)
        sampler.accompany(name, lambda: processes.tree(process.pid))
        return []

    sampler = Sampler(lambda name, at, _: kept.setdefault(name, []).append(at), own_processes)
    for _ in range(3):
        sampler.sample(0)
    sampler.own_processes = lambda: []
    sampler.sample(0)
    assert len(begun) == 3
    assert len(kept[f"{companion_stream('loom-0')}.processor_seconds"]) == 2
    for name, instants in kept.items():
        assert instants == sorted(instants), name


@pytest.mark.parametrize(("took_ms", "looks"), [(1, 5), (50, 2)])
def test_memory_is_divided_more_rarely_where_that_takes_long(monkeypatch, took_ms, looks):
    """A large program is held up meanwhile: at most for a fiftieth of the time."""
    clock, kept = [0], []

    def shares(pids: list[int]) -> processes.Shares:
        busy[0] += took_ms * 1_000_000
        return processes.Shares(1, 1)

    busy = [0]
    monkeypatch.setattr(sampling, "now_ns", lambda: clock[0])
    monkeypatch.setattr(time, "thread_time_ns", lambda: busy[0])
    monkeypatch.setattr(processes, "memory_shares", shares)
    sampler = Sampler(lambda name, at, _: kept.append(name), lambda: [])
    sampler.follow(lambda: [os.getpid()])
    for beat in range(5 * sampling.BEATS_PER_SLOW_SAMPLE):
        clock[0] = beat * sampling.BEAT_NS
        sampler.sample(beat)
    assert kept.count("subject.proportional") == looks
    assert kept.count("machine.memory_used") == 5
