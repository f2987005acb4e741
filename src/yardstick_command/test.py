"""`./yardstick test`: checks, unit tests of the web interface, and all the tests."""

from __future__ import annotations

import os
import subprocess
import sys
import time

from yardstick_command.check import check
from yardstick_command.install import npm, say, web_packages
from yardstick_command.places import PROJECT, SOURCES, VENV_PYTHON
from yardstick_command.postgres import Cluster

#: Tests that only compute and store, and bear others beside them.
TOGETHER = ("tests/core", "tests/server")
#: Tests that need the machine for themselves.
ALONE = ("tests/agent", "tests/command", "tests/demo", "tests/faults", "tests/browser")


def test(rest: list[str]) -> int:
    """Run everything; with words for pytest, only that part of it."""
    started = time.monotonic()
    if not rest:
        say("checks")
        if check():
            return 1
        say("unit tests of the web interface")
        web_packages()
        npm("run", "--silent", "test")
    cluster = Cluster("test-postgres", quick=True)
    try:
        cluster.start()
        if rest:
            codes = [_pytest(cluster, *rest)]
        else:
            say("tests of core and server, on all cores")
            codes = [_pytest(cluster, *TOGETHER, "--numprocesses", "auto")]
            say("tests that measure, kill and browse, one after another (some minutes)")
            codes.append(_pytest(cluster, *ALONE, "--durations=25"))
    finally:
        cluster.stop()
    sys.stdout.flush()
    say(f"after {(time.monotonic() - started) / 60:.1f} min")
    return max(codes)


def _pytest(cluster: Cluster, *words: str) -> int:
    done = subprocess.run(
        [str(VENV_PYTHON), "-m", "pytest", *words],
        cwd=PROJECT,
        env={
            **os.environ,
            **cluster.environment("yardstick"),
            "PYTHONPATH": f"{SOURCES}:{PROJECT / 'demo'}",
            "YARDSTICK_SECRET_KEY": "only-for-tests",
        },
        stdin=subprocess.DEVNULL,
    )
    return done.returncode
