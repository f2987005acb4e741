"""`./yardstick test`: checks, unit tests of the web interface, and all the tests.

A test that fails beside others is run once more by itself when all have ended. Where it passes then
it is unsteady, and said to be; more than a few of those fail the run like one that fails twice.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from itertools import chain
from pathlib import Path
from typing import IO

from yardstick_command.developer.check import check
from yardstick_command.install import npm, say, web_packages
from yardstick_command.places import PROJECT, SOURCES, VENV_PYTHON
from yardstick_command.postgres import Cluster

#: Tests that only compute and store, and bear others beside them.
TOGETHER = ("tests/core", "tests/server")
#: Tests that play sessions: much of their time they wait for a program, as those that browse do.
PLAYING = {
    "playing": ("tests/agent",),
    "served": ("tests/command", "tests/demo", "tests/faults"),
}
BROWSING = "tests/browser"
BROWSERS, GIVES_WAY = 2, 5
SLOWEST = "--durations=12"
QUIET, OTHERS = ("-m", "quiet"), ("-m", "not quiet", SLOWEST)
#: Exit statuses of pytest: everything passed; all that can be mended by a second try.
PASSED, TESTS_FAILED = 0, 1
MOST_UNSTEADY = 6
#: With more failures than this the fault is no single test's: a second try would only cost time.
MOST_AGAIN = 12


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
    with tempfile.TemporaryDirectory() as kept:
        failures = Path(kept) / "failed"
        try:
            cluster.start()
            codes = _everything(cluster, failures) if not rest else [_pytest(cluster, *rest)]
            code = max(codes)
            if not rest and code == TESTS_FAILED:
                code = _again(cluster, failures)
        finally:
            cluster.stop()
    sys.stdout.flush()
    say(f"after {(time.monotonic() - started) / 60:.1f} min")
    return code


def _everything(cluster: Cluster, failures: Path) -> list[int]:
    """Run all tests; the exit statuses. Which tests failed is noted in `failures`, a line each."""
    noted = {"YARDSTICK_TEST_FAILURES": str(failures)}
    say("tests of core and server, on all cores")
    codes = [_pytest(cluster, *TOGETHER, "--numprocesses", "auto", SLOWEST, **noted)]
    say("tests that need a quiet machine")
    codes.append(_pytest(cluster, *chain(*PLAYING.values()), *QUIET, **noted))
    return codes + _sessions_and_browsers(cluster, noted)


def _again(cluster: Cluster, failures: Path) -> int:
    """Run each test that failed once more, by itself; what that makes of the whole run."""
    failed = list(dict.fromkeys(failures.read_text().splitlines()))
    if len(failed) > MOST_AGAIN:
        say(f"{len(failed)} tests failed: too many for a second try each")
        return TESTS_FAILED
    say(f"once more, each by itself: {len(failed)} that failed")
    outcomes = {test: _pytest(cluster, test) for test in failed}
    twice = [test for test, code in outcomes.items() if code != PASSED]
    unsteady = [test for test in failed if test not in twice]
    for test in twice:
        say(f"FAILED twice, beside others and by itself: {test}")
    for test in unsteady:
        say(f"unsteady: failed beside others, passed by itself: {test}")
    if len(unsteady) > MOST_UNSTEADY:
        say(f"{len(unsteady)} tests are unsteady, more than {MOST_UNSTEADY}: the run fails")
    return TESTS_FAILED if twice or len(unsteady) > MOST_UNSTEADY else PASSED


def _sessions_and_browsers(cluster: Cluster, noted: dict[str, str]) -> list[int]:
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
    parts: dict[str, Sequence[str]] = {**PLAYING}
    parts |= {f"browser-{n + 1}": files[n::BROWSERS] for n in range(BROWSERS)}
    with ThreadPoolExecutor(len(parts)) as pool:
        return list(pool.map(partial(_apart, cluster, noted), parts, parts.values()))


def _apart(cluster: Cluster, noted: dict[str, str], part: str, words: Sequence[str]) -> int:
    """Run pytest with a folder for temporary files of its own; what it says comes when it ends."""
    with tempfile.TemporaryDirectory() as folder, tempfile.TemporaryFile() as shown:
        os.chmod(folder, 0o755)  # a database may run as another user
        own = {**noted, "TMPDIR": folder, "YARDSTICK_TEST_PART": part}
        tests = _start(cluster, *words, *OTHERS, shown=shown, **own)
        if part not in PLAYING:
            os.setpriority(os.PRIO_PROCESS, tests.pid, GIVES_WAY)
        code = tests.wait()
        shown.seek(0)
        print(shown.read().decode(errors="replace"), flush=True)
    return code


def _pytest(cluster: Cluster, *words: str, **environment: str) -> int:
    return _start(cluster, *words, shown=None, **environment).wait()


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
