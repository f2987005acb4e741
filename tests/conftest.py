"""What all tests share: what to say at the end, and where the database is."""

from __future__ import annotations

import os

import pytest
from hypothesis import settings

#: Lines that a run of the tests must end with, whatever their outcome.
SAID: list[str] = []


#: Elsewhere each run tries other examples; where a change is let in or not, the same ones.
settings.register_profile("same", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("same")


@pytest.fixture
def say():
    """Say something at the end of the test run: what was measured, what could not be judged."""
    return SAID.append


def pytest_collection_modifyitems(items):
    """Browser tests come last: their event loop stays in the main thread until the end."""
    items.sort(key=lambda item: "browser" in item.path.parts)


def pytest_terminal_summary(terminalreporter):
    if SAID:
        terminalreporter.section("measured by the tests")
        for line in SAID:
            terminalreporter.write_line(line)
