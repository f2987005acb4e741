"""Samples the counters of a run at a steady beat, in a thread of its own."""

from __future__ import annotations

import os
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence

from yardstick_agent.clock import now_ns
from yardstick_agent.sampling import machine, processes
from yardstick_agent.sampling.kept_open import KeptOpen
from yardstick_agent.sampling.sources import Source
from yardstick_agent.sampling.subject_beat import SubjectBeat
from yardstick_core.streams.counters import companion_stream

BEAT_NS = 50_000_000
#: What is slower to read, or need not be known so closely, is read every so many beats.
BEATS_PER_MACHINE_SAMPLE = 2
#: Which processes the subject consists of is looked up so often: a child is seen a beat late.
BEATS_PER_SEARCH = 2
#: Where compiled code samples the subject, the rest is looked at so often; or more closely, where a
#: condition waits for a quiet machine.
BEATS_PER_LOOK, BEATS_PER_CLOSE_LOOK = 4, 2
BEATS_PER_OWN_SAMPLE = 4
BEATS_PER_SLOW_SAMPLE = 20
BEATS_REMEMBERED = 1200
#: The kernel goes through all pages of a program to divide its memory, and holds the program up
#: meanwhile: it is asked the more rarely the longer that takes.
MOST_SHARE_DIVIDING = 0.02

Keep = Callable[[str, int, float], None]
SECONDS, RESIDENT = "subject.processor_seconds", "subject.resident"


class Sampler:
    """Reads the subject 20 times a second, the machine 10 times, our own part and the rest less.

    `sources` are what this machine has beside these; each says how often it is read. `steadily`
    begins to sample the subject in compiled code; the rest is then read less often, or, `closely`,
    the machine as often as without.
    """

    def __init__(
        self,
        keep: Keep,
        own_processes: Callable[[], list[int]],
        sources: Sequence[Source] = (),
        steadily: Callable[[], SubjectBeat] | None = None,
        closely: bool = False,
    ) -> None:
        self.keep, self.own_processes, self.sources = keep, own_processes, sources
        self.steadily, self.closely = steadily, closely
        self.steady: SubjectBeat | None = None
        self._step = 1
        self._following = threading.Lock()
        self.subject: Callable[[], list[int]] | None = None
        self._subject: list[int] = []
        self.companions: dict[str, list[Callable[[], list[int]]]] = {}
        self.latest = processes.Usage()
        self._most_seconds = 0.0
        self._divided_again_ns = 0
        self._beside: dict[str, float] = {}
        self._accompanied_ns = 0
        self._ended_seconds = 0.0
        self._bytes: dict[int, tuple[int, int]] = {}
        self._busy: deque[tuple[int, float]] = deque(maxlen=BEATS_REMEMBERED)
        self._files = KeptOpen()
        #: What was found by whoever looks for processes, and which process had begun last then.
        self._found: dict[Callable[[], list[int]], tuple[bytes, list[int]]] = {}
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="sampler", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        self._thread.join(2)

    def follow(self, pids: Callable[[], list[int]] | None) -> None:
        """From now on the subject is these processes; the time of earlier ones stays counted."""
        if self.steady:
            self._most_seconds = max(self._most_seconds, self.steady.most_seconds)
        self._ended_seconds = self._most_seconds
        self.subject = pids
        self._found.clear()
        self._set_subject(pids() if pids else [])

    @property
    def failed(self) -> bool:
        """Whether the subject's samples could not be kept any more."""
        return self.steady is not None and self.steady.failed

    def _set_subject(self, subject: list[int]) -> None:
        with self._following:
            self._subject = subject
            if self.steady:
                self.steady.follow(subject, self._ended_seconds)

    def _begin_steadily(self, begin: Callable[[], SubjectBeat]) -> None:
        with self._following:
            self.steady = begin()
            self.steady.follow(self._subject, self._ended_seconds)
        self.steady.start()
        self._step = BEATS_PER_CLOSE_LOOK if self.closely else BEATS_PER_LOOK

    def accompany(self, name: str, pids: Callable[[], list[int]]) -> None:
        """Count these processes too, apart from the subject: those of a companion, or a copy.

        Said by another thread than the one that samples: a sample begun before is not written
        behind what is written here.
        """
        at = now_ns()
        if not self.companions:
            self.keep("companions.processor_seconds", at, 0.0)
        if name not in self.companions:
            self.keep(f"{companion_stream(name)}.processor_seconds", at, 0.0)
        self._accompanied_ns = at
        self.companions.setdefault(name, []).append(pids)

    def _run(self) -> None:
        cores = os.cpu_count() or 1
        self.keep("machine.cores", now_ns(), cores)
        due, beat = now_ns(), 0
        while not self._stopping.is_set():
            self.sample(beat)
            if beat == 0 and self.steadily:
                self._begin_steadily(self.steadily)
            beat += self._step
            due = max(due + self._step * BEAT_NS, now_ns())
            self._stopping.wait((due - now_ns()) / 1e9)
        if self.steady:
            self.steady.stop()
        self._last_look()
        self._files.close()

    def _last_look(self) -> None:
        """Read what adds up once more: what is read rarely would not reach to the run's end."""
        at = now_ns()
        for source in self.sources:
            if source.sums:
                for name, value in source.sample(at, self._subject):
                    self.keep(name, at, value)

    def sample(self, beat: int) -> None:
        """Take the sample of a beat: the subject at each, the rest at some, all of it at the first.

        What others use is only known where the machine's, the subject's and our own use are.
        """

        def is_due(every: int) -> bool:
            """Whether this is the first look of so many beats."""
            return beat % every < self._step

        at = now_ns()
        if is_due(BEATS_PER_SEARCH) and self.subject:
            found = self._processes(self.subject)
            if found is not self._subject:
                self._set_subject(found)
        subject = self._subject
        used = processes.usage(subject, self._files.read)
        seconds = max(self._most_seconds, self._ended_seconds + used.processor_seconds)
        self._most_seconds, self.latest = seconds, used
        if self.steady is None:
            self.keep(SECONDS, at, seconds)
            self.keep(RESIDENT, at, used.resident)
        if is_due(BEATS_PER_MACHINE_SAMPLE):
            busy = self._machine(at)
            if is_due(BEATS_PER_OWN_SAMPLE):
                self._others(at, busy - seconds)
                self.keep("subject.threads", at, used.threads)
                self.keep("subject.processes", at, used.processes)
                self._storage(subject, at)
                open_now = processes.handles(subject)
                if open_now is not None:
                    self.keep("subject.handles", at, open_now)
        for source in self.sources:
            if is_due(source.beats):
                for name, value in source.sample(at, subject):
                    self.keep(name, at, value)
        if is_due(BEATS_PER_SLOW_SAMPLE):
            self.keep("machine.memory_used", at, machine.memory_used(self._files.read))
            if at >= self._divided_again_ns:
                begun = time.thread_time_ns()
                self._divided(at, subject)
                took = time.thread_time_ns() - begun
                self._divided_again_ns = at + round(took / MOST_SHARE_DIVIDING)

    def _processes(self, pids: Callable[[], list[int]]) -> list[int]:
        """Look for processes, unless none has begun on the whole machine since they were found.

        A subject of many threads takes long to look through.
        """
        begun = machine.last_begun(self._files.read)
        before, found = self._found.get(pids, (b"", []))
        if begun != before:
            found = pids()
            self._found[pids] = (begun, found)
        return found

    def _machine(self, at: int) -> float:
        """Note how busy the machine and each core have been; all cores together, seconds."""
        busy, per_core = machine.busy_seconds(self._files.read)
        self.keep("machine.busy_seconds", at, busy)
        self._busy.append((at, busy))
        for number, value in enumerate(per_core):
            self.keep(f"core.{number}.busy_seconds", at, value)
        return busy

    def _others(self, at: int, without_subject: float) -> None:
        """Note what our own part uses, and what all the others do."""
        # what we reap is the subject, whose time is counted already
        ours = processes.usage(self.own_processes(), self._files.read, reaped=False)
        own = ours.processor_seconds
        beside = self._all_companions(at) if self.companions else 0.0
        self.keep("machine.own_seconds", at, own)
        self.keep("machine.foreign_seconds", at, without_subject - own - beside)

    def _all_companions(self, at: int) -> float:
        """Note what the companions use, each and together; their processor time so far, seconds."""
        if at <= self._accompanied_ns:
            return sum(self._beside.values())
        seconds, resident = 0.0, 0
        for name, copies in list(self.companions.items()):
            running = [found for pids in list(copies) if (found := self._processes(pids))]
            all_running = [pid for pids in running for pid in pids]
            used = processes.usage(all_running, self._files.read)
            before = self._beside.get(name, 0.0)
            self._beside[name] = max(before, used.processor_seconds)
            seconds, resident = seconds + self._beside[name], resident + used.resident
            stream = companion_stream(name)
            self.keep(f"{stream}.processor_seconds", at, self._beside[name])
            self.keep(f"{stream}.resident", at, used.resident)
            alive = sum(any(map(processes.alive, pids)) for pids in running)
            self.keep(f"{stream}.copies", at, alive)
        self.keep("companions.processor_seconds", at, seconds)
        self.keep("companions.resident", at, resident)
        return seconds

    def _divided(self, at: int, subject: list[int]) -> None:
        """Note memory with shared pages divided, which is slow to read."""
        if subject:
            shares = processes.memory_shares(subject)
            self.keep("subject.proportional", at, shares.proportional)
            self.keep("subject.unique", at, shares.unique)
        for name, copies in list(self.companions.items()):
            running = [pid for pids in list(copies) for pid in self._processes(pids)]
            shares = processes.memory_shares(running)
            self.keep(f"{companion_stream(name)}.proportional", at, shares.proportional)

    def busy_share(self, over_ns: int) -> float | None:
        """Share of the machine that was busy over the last so many ns, percent.

        None where the samples do not reach back as far.
        """
        samples = list(self._busy)
        if not samples or samples[-1][0] - samples[0][0] < over_ns:
            return None
        at, busy = samples[-1]
        before = next(sample for sample in reversed(samples) if at - sample[0] >= over_ns)
        seconds = (at - before[0]) / 1e9 * (os.cpu_count() or 1)
        return 100 * (busy - before[1]) / seconds

    def _storage(self, subject: list[int], at: int) -> None:
        """Bytes read and written so far; those of a process that has ended stay counted."""
        for pid in subject:
            found = processes.storage_bytes(pid, self._files.read)
            if found is not None:
                self._bytes[pid] = found
        if self._bytes:
            self.keep("subject.bytes_read", at, sum(read for read, _ in self._bytes.values()))
            self.keep("subject.bytes_written", at, sum(b for _, b in self._bytes.values()))
