"""What all tests share: what to say at the end, and where the database is."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

#: Lines that a run of the tests must end with, whatever their outcome.
SAID: list[str] = []


#: File in which the tests that fail are noted, a line each, so that they can be run once more.
FAILURES = os.environ.get("YARDSTICK_TEST_FAILURES")

#: No test is bound in time: a busy machine is no fault. Elsewhere each run tries other examples;
#: where a change is let in or not, the same ones.
settings.register_profile("unhurried", deadline=None)
settings.register_profile("same", deadline=None, derandomize=True)
settings.load_profile("same" if os.environ.get("CI") else "unhurried")


def pytest_configure(config):
    """Give each of several processes a folder for temporary files of its own.

    A machine's one measured session is agreed on there: none waits for the sessions of another.
    """
    worker = getattr(config, "workerinput", None)
    if worker and "YARDSTICK_TEST_PART" in os.environ:
        folder = Path(tempfile.gettempdir()) / worker["workerid"]
        folder.mkdir(exist_ok=True)
        folder.chmod(0o755)  # a database may run as another user
        os.environ["TMPDIR"] = tempfile.tempdir = str(folder)


@pytest.fixture
def say(request):
    """Say something at the end of the test run: what was measured, what could not be judged."""
    return lambda line: request.node.user_properties.append(("said", line))


def pytest_collection_modifyitems(items):
    """Browser tests come last: their event loop stays in the main thread until the end."""
    items.sort(key=lambda item: "browser" in item.path.parts)


def pytest_runtest_logreport(report):
    if report.failed and FAILURES and not os.environ.get("PYTEST_XDIST_WORKER"):
        with open(FAILURES, "a", encoding="utf-8") as noted:
            noted.write(report.nodeid + "\n")
    if report.when == "teardown":  # also of a test that another process ran
        SAID.extend(line for name, line in report.user_properties if name == "said")


def pytest_terminal_summary(terminalreporter):
    if SAID:
        terminalreporter.section("measured by the tests")
        for line in SAID:
            terminalreporter.write_line(line)
