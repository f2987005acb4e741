"""Start commands: argument lists that any rig can check, and that say how to allow them."""

import shlex

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yardstick_core.start_command import (
    StartCommand,
    StartCommandError,
    proposed_factor,
    split_command,
)

WORDS = st.text(st.characters(blacklist_characters="\0"), max_size=20)


def test_a_typed_command_becomes_words_and_environment():
    start = split_command("LANG=de_DE.UTF-8 weftwright --draft 'harbour blanket.weft'")
    assert start.command == ("weftwright", "--draft", "harbour blanket.weft")
    assert start.environment == {"LANG": "de_DE.UTF-8"}
    assert start.text == "LANG=de_DE.UTF-8 weftwright --draft 'harbour blanket.weft'"


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("", "no program to start"),
        ("A=1", "no program to start"),
        ("weftwright | tee log", "needs a shell"),
        ("a && b", "needs a shell"),
        ('weft "wright', "cannot be read"),
        ("LD_PRELOAD=evil.so weftwright", "only by the rig's own file"),
        ("HOME=/root weftwright", "set by the run"),
    ],
)
def test_what_cannot_be_started_is_said(text, why):
    with pytest.raises(StartCommandError, match=why):
        split_command(text)


@pytest.mark.parametrize(
    "values",
    [
        {},
        {"command": []},
        {"command": "weftwright"},
        {"command": ["a", 1]},
        {"command": ["a\0b"]},
        {"command": ["a"], "environment": {"A B": "1"}},
        {"command": ["a"], "environment": {"A": 1}},
        {"command": ["a"], "environment": ["A"]},
        {"command": ["a"], "prepare": "rm -r /"},
        {"command": ["a"], "home": "/root"},
        {"command": ["a"], "log": "../../etc/passwd"},
        {"command": ["a"] * 101},
    ],
)
def test_nothing_but_a_start_command_is_taken(values):
    with pytest.raises(StartCommandError):
        StartCommand.checked(values)


@given(
    st.lists(WORDS, min_size=1, max_size=5),
    st.dictionaries(st.from_regex(r"[A-Z]{3,8}_X", fullmatch=True), st.text("ab ='\"", max_size=9)),
)
def test_the_line_for_the_rig_says_the_same_start(words, environment):
    start = StartCommand.checked({"command": words, "environment": environment})
    line = shlex.split(start.line("my program"))
    assert line[:3] == ["yardstick-agent", "allow", "my program"]
    assert line[line.index("--") + 1 :][-len(words) :] == words
    assert StartCommand.checked(start.values()).digest == start.digest


def test_another_environment_is_another_start():
    one, other = (StartCommand(("a",), {"LANG": lang}) for lang in ("C", "de_DE.UTF-8"))
    assert one.digest != other.digest


@pytest.mark.parametrize(
    ("lines", "factor"),
    [
        (["weftwright"], ""),
        (["weftwright", "weftwright --renderer=software"], "setting"),
        (["weftwright", "LANG=de_DE.UTF-8 weftwright"], "setting"),
        (["/opt/weft-4.1/bin/weftwright", "/opt/weft-4.2/bin/weftwright"], "release"),
        (["plainpad", "weftwright"], "program"),
    ],
)
def test_what_is_meant_to_differ_is_proposed(lines, factor):
    assert proposed_factor([split_command(line) for line in lines]) == factor
