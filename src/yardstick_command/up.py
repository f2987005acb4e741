"""`./yardstick up`: database, API, live server, worker and a local agent, with demo data."""

from __future__ import annotations

import fcntl
import json
import os
import secrets
import shutil
import subprocess
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlsplit

from yardstick_agent.session_user import unreachable
from yardstick_command.install import Missing, made_user, say
from yardstick_command.places import AS_ROOT, PROJECT, SOURCES, STATE, VENV_PYTHON
from yardstick_command.postgres import Cluster, free_port
from yardstick_command.processes import Part, Together
from yardstick_server.queues import LONG, SHORT

RIG = "this-machine"
#: Where this runs as root, whose rights the programs of sessions have.
SESSION_USER = "yardstick-session"
#: Ends connections whose head takes too long.
WORKER = "yardstick_server.head_timeout.HeadTimeoutWorker"
RELEASES = (
    *("3.6", "3.7", "3.7.1", "3.8", "3.8.1", "3.9", "3.9.1", "4.0", "4.0.1", "4.0.2", "4.1", "4.2"),
    "5.0-rc1",
)
#: Those whose setting can be narrowed, and how.
NARROW = tuple((one, "--tile-margin", "0") for one in ("4.2", "5.0-rc1"))
READY_SECONDS = 90


def up(*, fresh: bool, port: int, bare: bool = False, database: str = "yardstick") -> int:
    """Start everything and wait until stopped."""
    started = time.monotonic()
    os.umask(0o077)  # what is stored and logged is nobody else's to read
    STATE.mkdir(parents=True, exist_ok=True)
    with open(STATE / "running.lock", "w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise Missing(f"It is already running from {PROJECT}; stop it there first.") from None
        (STATE / RUNNING).unlink(missing_ok=True)
        cluster = Cluster("postgres")
        if fresh and cluster.folder.exists():
            say("starting over: all stored data is thrown away")
            cluster.remove()
            shutil.rmtree(STATE / "spool", ignore_errors=True)
            shutil.rmtree(STATE / "uploads", ignore_errors=True)
        try:
            say("starting PostgreSQL")
            cluster.start()
            cluster.create_database(database)
            return _serve(cluster, database, port, started, bare)
        finally:
            cluster.stop()
            say("stopped; what was measured is kept")


def _serve(cluster: Cluster, database: str, wanted: int, started: float, bare: bool) -> int:
    port, live_port = free_port(wanted), free_port(wanted + 1)
    if port != wanted:
        say(f"port {wanted} is taken: using {port}")
    environment = server_environment(cluster, database, port, live_port)
    (STATE / RUNNING).write_text(json.dumps(environment))
    say("preparing the database")
    rig_file = STATE / "rig.json"
    link = prepare(environment, rig_file, STATE / "spool", bare=bare)
    together = Together(parts(environment, port, live_port, rig_file), below=[cluster])
    try:
        together.start()
        wait_until_served(port)
        print(
            f"\nNoble Yardstick is up after {time.monotonic() - started:.0f} s.\n\n"
            f"    Sign in (once, within the hour):  {link}\n"
            f"    Later visits:                     http://127.0.0.1:{port}/\n\n"
            f"The rig “{RIG}” measures on a virtual display of its own.\n"
            f"Logs are in {STATE}; Ctrl-C stops everything and keeps all data.\n",
            flush=True,
        )
        together.wait()
    finally:
        say("stopping")
        together.stop()
    return 0


#: What the processes of a running `up` were given, for commands beside it.
RUNNING = "running.json"


@contextmanager
def database(name: str = "yardstick") -> Iterator[dict[str, str]]:
    """The server's settings for a command beside it: of `up` where it runs, else of a database
    that is started for as long as this lasts."""
    os.umask(0o077)
    STATE.mkdir(parents=True, exist_ok=True)
    with open(STATE / "running.lock", "w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if not (STATE / RUNNING).exists():
                raise Missing(
                    "`./yardstick up` is just starting; try again once it is up."
                ) from None
            yield json.loads((STATE / RUNNING).read_text())
            return
        cluster = Cluster("postgres")
        try:
            cluster.start()
            cluster.create_database(name)
            yield server_environment(cluster, name, 8000, 8001)
        finally:
            cluster.stop()


def server_environment(
    cluster: Cluster, database: str, port: int, live_port: int
) -> dict[str, str]:
    """Settings of the server processes."""
    return {
        **cluster.environment(database),
        "PYTHONPATH": str(SOURCES),
        "DJANGO_SETTINGS_MODULE": "yardstick_server.settings",
        "YARDSTICK_SECRET_KEY": _secret_key(),
        "YARDSTICK_WEB_ORIGIN": f"http://127.0.0.1:{port}",
        "YARDSTICK_LIVE_URL": f"http://127.0.0.1:{live_port}",
        "YARDSTICK_UPLOADS": str(STATE / "uploads"),
        "YARDSTICK_FILMS": str(STATE / "films" / database),
        "YARDSTICK_DB_POOL": "",
    }


def _secret_key() -> str:
    file = STATE / "secret-key"
    if not file.exists():
        file.touch(mode=0o600)
        file.write_text(secrets.token_urlsafe(48))
    return file.read_text()


def manage(environment: dict[str, str], *words: str) -> str:
    """Run one of the server's management commands; what it prints."""
    done = subprocess.run(
        [str(VENV_PYTHON), "-m", "django", *words],
        env={**os.environ, **environment},
        capture_output=True,
        text=True,
    )
    if done.returncode:
        raise Missing(f"“{' '.join(words[:2])}” failed:\n{(done.stdout + done.stderr)[-2500:]}")
    return done.stdout


def write_rig(file: Path, spool: Path, *, bare: bool = False) -> None:
    """What the local rig may start: the releases of the demonstration's program, unless bare.

    Whoever owns the workspace may say more, for the server listens on this machine only.
    """
    rig = json.loads(file.read_text())
    rig["spool"] = str(spool)
    local = urlsplit(rig["server"]).hostname in ("127.0.0.1", "localhost", "::1")
    rig["programs_from"] = "owner" if local else "file"
    rig["session_user"] = session_user() if local else rig.get("session_user", "")
    if bare:
        file.write_text(json.dumps(rig, indent=2))
        return
    known = rig.setdefault("programs", {})
    parts = _parts_of_releases()
    for release, *more in (*((one,) for one in RELEASES), *NARROW):
        name = f"weftwright-{release}" + ("-narrow" if more else "")
        known[name] = {
            "command": [str(VENV_PYTHON), "-I", "-m", "weftwright", "--release", release, *more],
            "environment": {"PYTHONPATH": str(PROJECT / "demo")},
            "log": "weftwright.log",
            "installed": parts[release],
        }
    file.write_text(json.dumps(rig, indent=2))


def session_user() -> str:
    """A user for the programs of sessions where this runs as root; none where it cannot be had."""
    if not AS_ROOT:
        return ""
    made_user(SESSION_USER)
    STATE.chmod(0o711)  # it goes through to its own folders and looks into none
    needed = [VENV_PYTHON, PROJECT / "demo", SOURCES / "yardstick_agent" / "display"]
    far = unreachable(SESSION_USER, needed)
    if far:
        say(f"sessions run as root: {far[0]} is closed to the user {SESSION_USER}")
        return ""
    return SESSION_USER


def _parts_of_releases() -> dict[str, list[str]]:
    """Files of each release of the demonstration's program."""
    code = (
        "import json, sys; from weftwright.releases import parts_of; "
        "print(json.dumps({name: parts_of(name) for name in sys.argv[1:]}))"
    )
    done = subprocess.run(
        [str(VENV_PYTHON), "-c", code, *RELEASES], capture_output=True, text=True, check=True,
        env={**os.environ, "PYTHONPATH": str(PROJECT / "demo")},
    )  # fmt: skip
    found: dict[str, list[str]] = json.loads(done.stdout)
    return found


def prepare(environment: dict[str, str], rig_file: Path, spool: Path, *, bare: bool = False) -> str:
    """Bring the database up to date, with a rig and the demonstration; a link to sign in with."""
    words = ["--rig", RIG, "--rig-file", str(rig_file)]
    if not bare:
        words += ["--demo", str(PROJECT / "demo"), "--fixtures", str(_demo_fixtures())]
    *told, link = manage(environment, "prepare", *words).strip().splitlines()
    for line in told:
        say(line)
    write_rig(rig_file, spool, bare=bare)
    return link


def _demo_fixtures() -> Path:
    """Folder with the demonstration's fixtures, generated where they are not there yet."""
    fixtures = STATE / "fixtures"
    described = json.loads((PROJECT / "demo" / "studies.json").read_text())
    if not all((fixtures / name).exists() for name in described["fixtures"]):
        fixtures.mkdir(exist_ok=True)
        code = (
            "import sys; from pathlib import Path; from weftwright.fixtures import write_fixture\n"
            "for name in sys.argv[2:]: write_fixture(name, Path(sys.argv[1]))"
        )
        subprocess.run(
            [str(VENV_PYTHON), "-c", code, str(fixtures), *described["fixtures"]],
            env={**os.environ, "PYTHONPATH": str(PROJECT / "demo")},
            check=True,
        )
    return fixtures


def parts(environment: dict[str, str], port: int, live_port: int, rig_file: Path) -> list[Part]:
    """The processes of a whole server with one local rig."""
    python = str(VENV_PYTHON)
    pooled = {**environment, "YARDSTICK_DB_POOL": "1"}
    return [
        Part(
            "api",
            [
                *(python, "-m", "gunicorn", "yardstick_server.wsgi", "--bind", f"127.0.0.1:{port}"),
                *("--worker-class", WORKER, "--workers", "2", "--threads", "8", "--preload"),
                *("--graceful-timeout", "3", "--no-control-socket"),
            ],
            pooled,
        ),
        Part(
            "live",
            [
                *(python, "-m", "uvicorn", "yardstick_server.live.asgi:application"),
                *("--host", "127.0.0.1", "--port", str(live_port), "--log-level", "warning"),
                *("--timeout-graceful-shutdown", "3"),
            ],
            environment,
        ),
        *(
            Part(
                name,
                [
                    *(python, "-m", "django", "procrastinate", "worker", "--queues", queue),
                    *("--fetch-job-polling-interval", "0.5", "--concurrency", "1"),
                ],
                environment,
            )
            for name, queue in (("worker", SHORT), ("long-worker", LONG))
        ),
        agent_part(rig_file),
    ]


def agent_part(rig_file: Path, name: str = "agent") -> Part:
    """The process of a rig on this machine."""
    command = [str(VENV_PYTHON), "-m", "yardstick_agent", "serve", str(rig_file)]
    return Part(name, command, {"PYTHONPATH": str(SOURCES)}, patience=20.0)


def wait_until_served(port: int) -> None:
    """Return once the web interface answers."""
    deadline = time.monotonic() + READY_SECONDS
    while time.monotonic() < deadline:
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/", timeout=2).close()
            return
        except OSError:
            time.sleep(0.1)
    raise Missing(f"The web interface did not answer within {READY_SECONDS} s; see {STATE}.")
