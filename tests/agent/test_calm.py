"""How busy a rig is by itself: told while idle, waited for before a run."""

import threading

import pytest

from yardstick_agent import calm


class FakeMachine:
    """A machine whose other programs take given shares, one after another, percent."""

    def __init__(self, monkeypatch, *shares: float):
        self.shares, self.now, self.busy = list(shares), 0.0, 0.0
        monkeypatch.setattr(calm.time, "monotonic", lambda: self.now)
        monkeypatch.setattr(calm.time, "process_time", lambda: 0.0)
        monkeypatch.setattr(calm.os, "cpu_count", lambda: 2)
        monkeypatch.setattr(calm.machine, "busy_seconds", lambda: (self.busy, []))

    def wait(self, seconds: float) -> bool:
        self.now += seconds
        share = self.shares.pop(0) if len(self.shares) > 1 else self.shares[0]
        self.busy += seconds * 2 * share / 100
        return False


class Never(threading.Event):
    def __init__(self, machine: FakeMachine):
        super().__init__()
        self.machine = machine

    def wait(self, timeout=None):
        return self.machine.wait(timeout)


def test_a_run_waits_until_others_are_calm_and_not_for_ever(monkeypatch):
    machine = FakeMachine(monkeypatch, 40, 30, 4)
    busyness = calm.Busyness()
    assert busyness.wait_until_calm(5, Never(machine)) == pytest.approx(1.5)
    machine.shares = [80]
    assert busyness.wait_until_calm(5, Never(machine)) == pytest.approx(calm.MOST_SECONDS, abs=0.5)


def test_the_idle_share_is_the_usual_one_and_unknown_at_first(monkeypatch):
    machine = FakeMachine(monkeypatch, 90, 3, 3, 2, 4, 3)
    busyness = calm.Busyness()
    assert busyness.idle_share is None
    for _ in range(6):
        machine.wait(1.0)
        busyness.note_idle()
    assert busyness.idle_share == 3.0
