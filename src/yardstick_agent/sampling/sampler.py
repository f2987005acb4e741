"""Samples the counters of a run at a steady beat, in a thread of its own."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable

from yardstick_agent.clock import now_ns, sleep_until
from yardstick_agent.sampling import machine, processes

BEAT_NS = 50_000_000
BEATS_PER_PROPORTIONAL = 20

Keep = Callable[[str, int, float], None]


class Sampler:
    """Reads the subject's tree, our own part and the whole machine 20 times a second."""

    def __init__(self, keep: Keep, own_processes: Callable[[], list[int]]) -> None:
        self.keep, self.own_processes = keep, own_processes
        self.subject: int | None = None
        self.latest = processes.Usage()
        self._most_seconds = 0.0
        self._ended_seconds = 0.0
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="sampler", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        self._thread.join(2)

    def follow(self, pid: int | None) -> None:
        """From now on the subject is this process; the time of an earlier one stays counted."""
        self._ended_seconds = self._most_seconds
        self.subject = pid

    def _run(self) -> None:
        cores = os.cpu_count() or 1
        self.keep("machine.cores", now_ns(), cores)
        due, beat = now_ns(), 0
        while not self._stopping.is_set():
            self.sample(beat % BEATS_PER_PROPORTIONAL == 0)
            beat += 1
            due = max(due + BEAT_NS, now_ns())
            sleep_until(due)

    def sample(self, with_proportional: bool) -> None:
        """Take one sample of everything."""
        at = now_ns()
        subject = processes.tree(self.subject) if self.subject else []
        used = processes.usage(subject)
        busy, per_core = machine.busy_seconds()
        own = processes.usage(self.own_processes()).processor_seconds
        seconds = max(self._most_seconds, self._ended_seconds + used.processor_seconds)
        self._most_seconds, self.latest = seconds, used
        self.keep("subject.processor_seconds", at, seconds)
        self.keep("subject.resident", at, used.resident)
        self.keep("subject.threads", at, used.threads)
        self.keep("subject.processes", at, used.processes)
        self.keep("machine.busy_seconds", at, busy)
        self.keep("machine.own_seconds", at, own)
        self.keep("machine.foreign_seconds", at, busy - seconds - own)
        for number, value in enumerate(per_core):
            self.keep(f"core.{number}.busy_seconds", at, value)
        if with_proportional and subject:
            self.keep("subject.proportional", at, processes.proportional_bytes(subject))
