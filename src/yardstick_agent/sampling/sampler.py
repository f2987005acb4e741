"""Samples the counters of a run at a steady beat, in a thread of its own."""

from __future__ import annotations

import os
import threading
from collections import deque
from collections.abc import Callable

from yardstick_agent.clock import now_ns, sleep_until
from yardstick_agent.sampling import machine, processes

BEAT_NS = 50_000_000
#: What is slower to read, or need not be known so closely, is read every so many beats.
BEATS_PER_MACHINE_SAMPLE = 2
BEATS_PER_OWN_SAMPLE = 4
BEATS_PER_SLOW_SAMPLE = 20
BEATS_REMEMBERED = 1200

Keep = Callable[[str, int, float], None]


class Sampler:
    """Reads the subject 20 times a second, the machine 10 times, our own part and the rest less."""

    def __init__(self, keep: Keep, own_processes: Callable[[], list[int]]) -> None:
        self.keep, self.own_processes = keep, own_processes
        self.subject: Callable[[], list[int]] | None = None
        self.companions: list[Callable[[], list[int]]] = []
        self.latest = processes.Usage()
        self._most_seconds = 0.0
        self._beside = 0.0
        self._ended_seconds = 0.0
        self._bytes: dict[int, tuple[int, int]] = {}
        self._busy: deque[tuple[int, float]] = deque(maxlen=BEATS_REMEMBERED)
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="sampler", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        self._thread.join(2)

    def follow(self, pids: Callable[[], list[int]] | None) -> None:
        """From now on the subject is these processes; the time of earlier ones stays counted."""
        self._ended_seconds = self._most_seconds
        self.subject = pids

    def accompany(self, pids: Callable[[], list[int]]) -> None:
        """Count these processes too, apart from the subject: those of a companion."""
        self.companions.append(pids)

    def _run(self) -> None:
        cores = os.cpu_count() or 1
        self.keep("machine.cores", now_ns(), cores)
        due, beat = now_ns(), 0
        while not self._stopping.is_set():
            self.sample(beat)
            beat += 1
            due = max(due + BEAT_NS, now_ns())
            sleep_until(due)

    def sample(self, beat: int) -> None:
        """Take the sample of a beat: the subject at each, the rest at some, all of it at the first.

        What others use is only known where the machine's, the subject's and our own use are.
        """
        at = now_ns()
        subject = self.subject() if self.subject else []
        used = processes.usage(subject)
        seconds = max(self._most_seconds, self._ended_seconds + used.processor_seconds)
        self._most_seconds, self.latest = seconds, used
        self.keep("subject.processor_seconds", at, seconds)
        self.keep("subject.resident", at, used.resident)
        if beat % BEATS_PER_MACHINE_SAMPLE == 0:
            busy = self._machine(at)
            if beat % BEATS_PER_OWN_SAMPLE == 0:
                self._others(at, busy - seconds)
                self.keep("subject.threads", at, used.threads)
                self.keep("subject.processes", at, used.processes)
                self._storage(subject, at)
                open_now = processes.handles(subject)
                if open_now is not None:
                    self.keep("subject.handles", at, open_now)
        if beat % BEATS_PER_SLOW_SAMPLE == 0:
            self.keep("machine.memory_used", at, machine.memory_used())
            if subject:
                shares = processes.memory_shares(subject)
                self.keep("subject.proportional", at, shares.proportional)
                self.keep("subject.unique", at, shares.unique)

    def _machine(self, at: int) -> float:
        """Note how busy the machine and each core have been; all cores together, seconds."""
        busy, per_core = machine.busy_seconds()
        self.keep("machine.busy_seconds", at, busy)
        self._busy.append((at, busy))
        for number, value in enumerate(per_core):
            self.keep(f"core.{number}.busy_seconds", at, value)
        return busy

    def _others(self, at: int, without_subject: float) -> None:
        """Note what our own part uses, and what all the others do."""
        own = processes.usage(self.own_processes()).processor_seconds
        beside = self._companions(at) if self.companions else 0.0
        self.keep("machine.own_seconds", at, own)
        self.keep("machine.foreign_seconds", at, without_subject - own - beside)

    def _companions(self, at: int) -> float:
        """Note what the companions use; their processor time so far, seconds."""
        used = processes.usage([pid for pids in list(self.companions) for pid in pids()])
        self._beside = max(self._beside, used.processor_seconds)
        self.keep("companions.processor_seconds", at, self._beside)
        self.keep("companions.resident", at, used.resident)
        return self._beside

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
            found = processes.storage_bytes(pid)
            if found is not None:
                self._bytes[pid] = found
        if self._bytes:
            self.keep("subject.bytes_read", at, sum(read for read, _ in self._bytes.values()))
            self.keep("subject.bytes_written", at, sum(b for _, b in self._bytes.values()))
