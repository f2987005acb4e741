"""`./yardstick test`: checks, unit tests of the web interface, and all the tests."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from typing import Any

from yardstick_command.check import check
from yardstick_command.install import npm, say, web_packages
from yardstick_command.places import PROJECT, SOURCES, VENV_PYTHON
from yardstick_command.postgres import Cluster

#: Tests that measure must not be disturbed; the others come in two halves that suit each other.
MEASURING = ["tests/agent", "tests/faults", "tests/demo", "tests/command"]
WORKING = ["tests/core", "tests/server"]
WAITING = ["tests/browser"]


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
        codes = _run(cluster, rest) if rest else _run_all(cluster)
    finally:
        cluster.stop()
    sys.stdout.flush()
    say(f"after {(time.monotonic() - started) / 60:.1f} min")
    return max(codes)


def _run_all(cluster: Cluster) -> list[int]:
    """What measures, alone on the machine; then what only works, beside what mostly waits."""
    codes = _run(cluster, MEASURING)
    with tempfile.TemporaryFile() as said:
        beside = subprocess.Popen(
            stdout=said, stderr=subprocess.STDOUT, **_pytest(cluster, WAITING)
        )
        try:
            codes += _run(cluster, WORKING)
        finally:
            codes.append(beside.wait())
        said.seek(0)
        sys.stdout.write(said.read().decode(errors="replace"))
    return codes


def _run(cluster: Cluster, words: list[str]) -> list[int]:
    return [subprocess.run(**_pytest(cluster, words)).returncode]


def _pytest(cluster: Cluster, words: list[str]) -> dict[str, Any]:
    sys.stdout.flush()
    return {
        "args": [str(VENV_PYTHON), "-m", "pytest", *words],
        "cwd": PROJECT,
        "env": {
            **os.environ,
            **cluster.environment("yardstick"),
            "PYTHONPATH": f"{SOURCES}:{PROJECT / 'demo'}",
            "YARDSTICK_SECRET_KEY": "only-for-tests",
        },
        "stdin": subprocess.DEVNULL,
    }
