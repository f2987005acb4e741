"""Instants of a run come from the clock that is never set, whatever the wall clock does."""

import ast
import time
from pathlib import Path

import pytest

import yardstick_agent
from yardstick_agent.clock import LONGEST_LAG_NS, MS, lag_ns, now_ns

AGENT = Path(yardstick_agent.__file__).parent


def test_no_instant_of_the_agent_is_taken_from_the_wall_clock():
    """Neither `time.time` nor a date is asked for anywhere that measures."""
    for file in AGENT.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
                name = f"{node.value.id}.{node.attr}"
                assert name not in ("time.time", "time.time_ns", "datetime.now"), file


def test_the_clock_goes_on_while_the_wall_clock_is_elsewhere(monkeypatch):
    monkeypatch.setattr(time, "time", lambda: 0.0)
    monkeypatch.setattr(time, "time_ns", lambda: 0)
    before = now_ns()
    time.sleep(0.01)
    assert now_ns() - before >= 10_000_000


@pytest.mark.parametrize(
    ("server_ms", "received_ms", "late_ms"),
    [(5_000, 5_000, 0), (5_000, 5_030, 30), (2**32 - 1, 2**32 + 4, 5), (7, 2**32 + 9, 2)],
)
def test_a_display_says_how_late_we_were_told(server_ms, received_ms, late_ms):
    assert lag_ns(server_ms, received_ms * MS + 123_456) == late_ms * MS


def test_a_display_a_tick_ahead_or_with_a_clock_of_its_own_says_nothing():
    assert lag_ns(5_001, 5_000 * MS) > LONGEST_LAG_NS
    assert lag_ns(2**31, 5_000 * MS) > LONGEST_LAG_NS
