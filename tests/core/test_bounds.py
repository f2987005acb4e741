"""Bounds of what a session may ask for: nothing in it takes time or memory without end."""

import time
from typing import get_args

import numpy as np
import pytest

from core.test_script import problems
from yardstick_core.file_names import is_below, is_fixture_name, runnable_kind
from yardstick_core.script import parse, schedule
from yardstick_core.script.model import MOST_PROBLEMS
from yardstick_core.script.patterns import compiled, escaped, last_match
from yardstick_core.streams import chunk
from yardstick_core.streams.entries import Entry, check_entry

HEAD = 'session "x"\n\nstep "One"\n  start\n'


@pytest.mark.parametrize(
    ("line", "bound"),
    [
        ("scroll down 1000000000000", "at most 1000"),
        ("press A 1000000 times", "at most 10000"),
        ("wait 99999999999999999999999999h", "at most 31 days"),
        ("wait " + "9" * 400 + "s", "at most 31 days"),
        ("repeat " + "9" * 5000, "at most 4000 characters"),
        ("mark " + "a" * 3000, "at most 120 characters"),
        ("until log /" + "(" * 1500 + "/", "a pattern that can be read"),
        ("until log /(?=a)/", "a pattern that can be read"),
        ("until log /(a)\\1/", "a pattern that can be read"),
        ('until file "/etc/shadow" is written', "below the folder of the run"),
        ('until file "../spool" is written', "below the folder of the run"),
        ('take x from file "/etc/shadow" /(.)/ as count, higher is better', "below the folder"),
    ],
)
def test_what_is_beyond_a_bound_is_refused_with_it(line, bound):
    assert any(bound in problem for problem in problems(f"{HEAD}  {line}\n"))


def test_a_text_of_near_misses_is_given_up_after_so_many_mistakes():
    words = "\n".join(f"  pres{'s' * (n % 9)}x Enter" for n in range(4900))
    started = time.process_time()
    found = problems(HEAD + words)
    assert len(found) == MOST_PROBLEMS
    sane = HEAD + "  press Enter\n" * 400
    parse(sane)
    assert time.process_time() - started < 20  # it was 8 s for this alone, and 1.7 GB


@pytest.mark.parametrize("text", ["x" * 400_000, "#\n" * 9000, HEAD + " " * 200 + "press A\n"])
def test_a_script_has_a_size(text):
    assert any("at most" in problem for problem in problems(text))


@pytest.mark.parametrize("name", ["--help", "-rf", ".profile", "a/b", "", "a\nb", "x" * 300, "_x"])
def test_a_fixture_is_never_called_like_an_option(name):
    assert not is_fixture_name(name)
    line = f'  fixture f = "{name}"\n'
    if "\n" not in name:
        assert problems(f'session "x"\n{line}\nstep "One"\n  start\n')


def test_plain_names_are_good():
    assert is_fixture_name("tea-towel.weft")
    assert is_fixture_name("Ünïcode 1.txt")
    assert is_below("out/report.txt")
    assert not is_below("out/../../x")
    assert not is_below("a\x00b")


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("weftwright.py", b""), ("lib.so", b""), ("lib.so.3", b""), ("weftwright.ini", b""),
        ("a.PY", b""), ("notes.txt", b"#!/bin/sh\n"), ("picture.png", b"\x7fELF..."),
        ("x.desktop", b""), ("sitecustomize.pyc", b""),
    ],
)  # fmt: skip
def test_what_a_program_may_load_is_known_by_name_or_content(name, content):
    assert runnable_kind(name, content)


def test_documents_are_plain_data():
    for name in ("tea-towel.weft", "notes.txt", "photo.png", "table.csv", "README"):
        assert runnable_kind(name, b"plain text") == ""


def test_patterns_take_time_by_the_text_alone():
    """A pattern that backtracks without end elsewhere: 2^35 steps for 35 letters."""
    started = time.process_time()
    assert compiled("(a+)+$").search("a" * 50_000 + "b") is None
    assert time.process_time() - started < 5
    assert compiled(escaped("a+b (1)")).search("x a+b (1)") is not None
    found = last_match(compiled(r"n=(\d+)"), "n=1\nn=22\nrest\n")
    assert found is not None
    assert found.group(1) == "22"


def test_equal_sessions_have_equal_digests_without_spelling_all_out():
    text = HEAD + "  repeat 5000\n    press A\n    press B\n"
    one, same = schedule(parse(text)), schedule(parse(text))
    other = schedule(parse(text.replace("press B", "press C")))
    assert one.digest == same.digest != other.digest


def test_a_chunk_that_says_it_unpacks_to_far_more_is_refused_unread():
    packed = chunk.encode_counter(np.arange(4000) * 100, np.zeros(4000))
    assert chunk.read_head(packed).count == 4000
    boasting = packed[:28] + (15 << 20).to_bytes(4, "little") + packed[32:]
    with pytest.raises(chunk.ChunkError, match="says it holds"):
        chunk.read_head(boasting)


@pytest.mark.parametrize(
    "entry",
    [
        {}, {"at": 1}, {"kind": "mark", "at": None, "name": "x"}, {"kind": "mark", "at": 10**30},
        {"kind": "mark", "at": [1], "name": "x"}, {"kind": "mark", "at": 1},
        {"kind": "time", "at": 1, "path": [], "start": 0, "end": 1},
        {"kind": "time", "at": 1, "path": ["a"], "start": "0", "end": 1},
        {"kind": "facts", "at": 1, "facts": 5},
        {"kind": "time", "at": 9, "path": ["a"], "start": 1, "end": 9, "plus_minus": "2"},
        {"kind": "footprint", "at": 1, "bytes": None, "files": 3},
        {"kind": "note", "at": 1, "text": "a\x00b"}, {"kind": "note", "at": 1, "value": 1e400},
        {"kind": "note", "at": 1, "value": 10**400}, {"kind": "note", "at": 1, "\ud800": 1},
    ],
)  # fmt: skip
def test_entries_that_would_spoil_a_page_are_refused(entry):
    with pytest.raises(chunk.ChunkError):
        check_entry(entry)


def test_entries_of_ours_pass():
    check_entry({"kind": "mark", "at": 5, "name": "shown"})
    check_entry({"kind": "something new", "at": -5, "value": [1, {"a": None}]})
    stretch = {"kind": "time", "at": 9, "path": ["Open", "open"], "start": 1, "end": 9}
    check_entry({**stretch, "right_censored": False})
    check_entry({**stretch, "plus_minus": 4, "hertz": None})


def test_every_kind_of_entry_is_declared_once_and_says_which_fields_it_needs():
    kinds = [kind for one in get_args(Entry) for kind in get_args(one.__annotations__["kind"])]
    assert len(kinds) == len(set(kinds)) > 25
    for one in get_args(Entry):
        needed = one.__required_keys__ - {"kind", "at"}
        checked = {name for name in needed if hasattr(one.__annotations__[name], "__metadata__")}
        for kind in get_args(one.__annotations__["kind"]) if checked else ():
            with pytest.raises(chunk.ChunkError, match="that can be used"):
                check_entry({"kind": kind, "at": 1})
