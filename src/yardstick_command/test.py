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
        say("tests of core, agent, server and browser (a few minutes)")
        done = subprocess.run(
            [str(VENV_PYTHON), "-m", "pytest", *(rest or ["tests"])],
            cwd=PROJECT,
            env={
                **os.environ,
                **cluster.environment("yardstick"),
                "PYTHONPATH": f"{SOURCES}:{PROJECT / 'demo'}",
                "YARDSTICK_SECRET_KEY": "only-for-tests",
            },
            stdin=subprocess.DEVNULL,
        )
    finally:
        cluster.stop()
    sys.stdout.flush()
    say(f"after {(time.monotonic() - started) / 60:.1f} min")
    return done.returncode
