"""Patterns that texts of others meet: none takes for ever, whatever the text."""

import importlib
import pkgutil
import re
import signal

import pytest

import yardstick_core.formats as formats
from yardstick_core.formats.guessing import naming

#: What a pattern that can read it in two ways tries in 2²⁸ ways: minutes at best. Others need µs.
REPEATED = 28
PATIENCE_S = 30
STARTS = ["", "abc: ", "4.1: ", "10:00:01 ", "# a\n", "a=1 ", "[x] ", '"1,2",', "1"]
PUMPS = [
    "1 ", "1  ", "1,", "1, ", "1.1,", "1;", "a ", "a  ", "a=1 ", "a: 1 ", "1 s ", "1s, ", "| ",
    "- ", "\n", "a\n", "- a\n", "1:11", "11", "aa", "a.", "...", "( ", "] ", "\t", "1\t", "--",
    "1'", "1 and ", "run 1 ", "1.", "a,",
]  # fmt: skip
ENDS = ["!", "x", ""]


def patterns():
    """All compiled patterns of the formats, by where they stand."""
    found = {f"words of {role}": pattern for role, pattern in naming._patterns()}
    for module in pkgutil.walk_packages(formats.__path__, "yardstick_core.formats."):
        if module.name.endswith("__main__"):
            continue
        for name, value in vars(importlib.import_module(module.name)).items():
            of = value if isinstance(value, dict) else {"": value}
            for key, one in of.items():
                if isinstance(one, re.Pattern):
                    found[f"{module.name}.{name}{key}"] = one
    return found


def out_of_patience(*_):
    raise TimeoutError("the pattern takes for ever")


@pytest.mark.parametrize("name", patterns())
def test_no_text_makes_a_pattern_try_for_ever(name):
    pattern = patterns()[name]
    before = signal.signal(signal.SIGALRM, out_of_patience)
    try:
        for start in STARTS:
            for pump in PUMPS:
                for end in ENDS:
                    text: str | bytes = start + REPEATED * pump + end
                    text = text.encode() if isinstance(pattern.pattern, bytes) else text
                    signal.alarm(PATIENCE_S)
                    pattern.fullmatch(text)
                    pattern.search(text)
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)
