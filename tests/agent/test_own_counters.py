"""Counters that a rig's owner names: read as lines, in a process of their own, within a time."""

import sys
import time

import pytest

from yardstick_agent import own_counters
from yardstick_agent.own_counters import Counted, OwnCounters, checked_counters, counted, read


def test_a_line_is_a_name_a_value_and_a_unit():
    assert counted("coolant 41.5 °C\nfan 2 1200 rpm\nrate -3e2\nnothing here\n") == [
        Counted("coolant", 41.5, "°C"),
        Counted("fan 2", 1200.0, "rpm"),
        Counted("rate", -300.0, ""),
    ]


def test_a_number_alone_has_the_name_and_unit_of_the_rigs_file():
    assert counted(" 42\n", "queue", "jobs") == [Counted("queue", 42.0, "jobs")]
    assert counted("42\n") == []
    assert counted("42 W\n", "power") == [Counted("power", 42.0, "W")]


def test_of_a_line_of_numbers_the_first_has_the_name():
    line = "0.51 1.51 3.32 4/145 92113\n"
    assert counted(line, "load") == [Counted("load", 0.51, "")]
    assert counted(line) == []


def test_a_file_is_read_anew_and_one_that_cannot_be_read_is_said(tmp_path):
    file = tmp_path / "queue"
    file.write_text("7\n")
    assert read({"file": str(file), "unit": "jobs"}) == ([Counted("queue", 7.0, "jobs")], "")
    file.write_text("none\n")
    assert "holds no line with a number" in read({"file": str(file)})[1]
    assert "No such file" in read({"file": str(tmp_path / "gone")})[1]


def test_a_command_is_ended_with_all_it_started_when_it_takes_too_long():
    began = time.monotonic()
    found, trouble = read({"command": ["sh", "-c", "sleep 60 & sleep 60"], "within_s": 0.3})
    assert found == []
    assert "took longer than 0.3 s" in trouble
    assert time.monotonic() - began < 20


def test_a_command_that_prints_for_ever_takes_no_memory_for_it():
    found, trouble = read({"command": ["yes", "level 3 m"], "within_s": 0.5})
    assert found == []
    assert "took longer" in trouble


def test_a_command_that_fails_or_is_not_there_is_said():
    assert "ended with 3" in read({"command": ["sh", "-c", "echo a 1; exit 3"]})[1]
    assert "cannot be started" in read({"command": ["/no/such/thing"]})[1]


@pytest.mark.parametrize(
    ("told", "what"),
    [
        ("a", "is a list"),
        ([{"file": "a", "command": ["b"]}], "one of the two"),
        ([{"command": "a b"}], "a list of words"),
        ([{"file": "a", "every_s": 0}], "every_s"),
        ([{"file": "a", "within_s": 900}], "within_s"),
        ([{"file": "a", "better": "more"}], "better"),
        ([{"file": "a", "shell": True}], "nothing else"),
    ],
)
def test_what_cannot_be_a_counter_is_refused_in_words(told, what):
    with pytest.raises(ValueError, match=what):
        checked_counters(told)


def test_two_counters_go_on_at_their_own_beat_and_trouble_is_noted_once(tmp_path):
    file = tmp_path / "level"
    file.write_text("5\n")
    kept, noted = {}, []
    own = OwnCounters(
        [
            {"file": str(file), "name": "fill level", "unit": "%", "every_s": 0.1},
            {"command": [sys.executable, "-c", "raise SystemExit(1)"], "every_s": 0.1},
        ],
        lambda name, at, value: kept.setdefault(name, []).append(value),
        noted.append,
    )
    own.start()
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline and (
        len(kept.get("own.fill_level", ())) < 3 or len(noted) < 2
    ):
        time.sleep(0.05)
    file.write_text("9\n")
    while time.monotonic() < deadline and 9.0 not in kept["own.fill_level"]:
        time.sleep(0.05)
    own.stop()
    assert set(kept) == {"own.fill_level"}
    assert kept["own.fill_level"][0] == 5.0
    assert 9.0 in kept["own.fill_level"]
    described = [entry for entry in noted if entry["kind"] == "counter"]
    assert [{**entry, "at": 0} for entry in described] == [
        {
            "kind": "counter", "at": 0, "stream": "own.fill_level", "name": "fill level",
            "unit": "%", "better": "",
        }
    ]  # fmt: skip
    assert [entry["kind"] for entry in noted].count("counter trouble") == 1


def test_names_that_become_one_stream_are_kept_apart():
    own = object.__new__(OwnCounters)
    own._streams, own.journal = {}, lambda _: None
    told = {"at": 0, "unit": "W", "better": ""}
    first = own._stream({**told, "name": "fan 1"})
    second = own._stream({**told, "name": "fan.1"})
    assert (first, second) == ("own.fan_1", "own.fan_1_")
    assert own._stream({**told, "name": "fan 1"}) == first
    assert own_counters.stream_of("°") == "own.counter"
