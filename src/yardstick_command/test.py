"""`./yardstick test`: checks, unit tests of the web interface, and all the tests."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import IO

from yardstick_command.check import check
from yardstick_command.install import npm, say, web_packages
from yardstick_command.places import PROJECT, SOURCES, VENV_PYTHON
from yardstick_command.postgres import Cluster

#: Tests that only compute and store, and bear others beside them.
TOGETHER = ("tests/core", "tests/server")
#: Tests that play sessions: much of their time they wait for a program, as those that browse do.
PLAYING = ("tests/agent", "tests/command", "tests/demo", "tests/faults")
BROWSING = "tests/browser"
BROWSERS, GIVES_WAY = 2, 5
QUIET, OTHERS = ("-m", "quiet"), ("-m", "not quiet", "--durations=12")


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
            say("tests that need a quiet machine")
            codes.append(_pytest(cluster, *PLAYING, *QUIET))
            codes += _beside(cluster)
    finally:
        cluster.stop()
    sys.stdout.flush()
    say(f"after {(time.monotonic() - started) / 60:.1f} min")
    return max(codes)


def _beside(cluster: Cluster) -> list[int]:
    """Run the tests that play sessions beside those that browse, each with a folder of its own.

    The folder for temporary files is where a machine's one measured session is agreed on: with
    several of them, none waits for the sessions of another. Which files a browser gets is the same
    each time, for within one the demonstration's studies are worked on by one file after another.
    Those that browse give way: a session is played at its moments, a browser can wait.
    """
    say("tests that play and kill, beside those that browse (some minutes; shown as they end)")
    files = sorted(
        str(file.relative_to(PROJECT)) for file in (PROJECT / BROWSING).glob("test_*.py")
    )
    parts = {f"browser-{n + 1}": files[n::BROWSERS] for n in range(BROWSERS)}
    parts["playing"] = list(PLAYING)
    with ThreadPoolExecutor(len(parts)) as pool:
        return list(pool.map(partial(_apart, cluster), parts, parts.values()))


def _apart(cluster: Cluster, part: str, words: list[str]) -> int:
    """Run pytest with a folder for temporary files of its own; what it says comes when it ends."""
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryFile() as shown:
        os.chmod(folder, 0o755)  # a database may run as another user
        own = {"TMPDIR": folder, "YARDSTICK_TEST_PART": part}
        tests = _start(cluster, *words, *OTHERS, shown=shown, **own)
        if part != "playing":
            os.setpriority(os.PRIO_PROCESS, tests.pid, GIVES_WAY)
        code = tests.wait()
        shown.seek(0)
        print(shown.read().decode(errors="replace"), flush=True)
    return code


def _pytest(cluster: Cluster, *words: str) -> int:
    return _start(cluster, *words).wait()


def _start(
    cluster: Cluster, *words: str, shown: IO[bytes] | None = None, **environment: str
) -> subprocess.Popen[bytes]:
    """Start pytest; what it says goes to the terminal, or into a file."""
    return subprocess.Popen(
        [str(VENV_PYTHON), "-m", "pytest", *words],
        cwd=PROJECT,
        env={
            **os.environ,
            **cluster.environment("yardstick"),
            "PYTHONPATH": f"{SOURCES}:{PROJECT / 'demo'}",
            "YARDSTICK_SECRET_KEY": "only-for-tests",
            **environment,
        },
        stdin=subprocess.DEVNULL,
        stdout=shown,
        stderr=subprocess.STDOUT if shown else None,
    )
