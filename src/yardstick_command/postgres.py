"""A private PostgreSQL cluster on loopback."""

from __future__ import annotations

import json
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from typing import Any

from yardstick_command.install import Missing, postgres_programs, say
from yardstick_command.places import AS_ROOT, STATE, database_folder

READY_SECONDS = 20
#: Whose cluster it is, and whom the application works as: that one owns its databases and no more.
OWNER, APPLICATION = "yardstick", "yardstick_app"
#: Makes everything in a database the application's, where an earlier release made it the owner's.
HAND_OVER = f"""
DO $$ DECLARE found record; BEGIN
  EXECUTE 'ALTER DATABASE ' || quote_ident(current_database()) || ' OWNER TO {APPLICATION}';
  ALTER SCHEMA public OWNER TO {APPLICATION};
  FOR found IN SELECT c.oid::regclass AS name, c.relkind AS kind FROM pg_class c
    LEFT JOIN pg_depend d ON d.objid = c.oid AND d.deptype IN ('a', 'i') AND c.relkind = 'S'
    WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'p', 'v', 'm', 'S')
    AND d.objid IS NULL
  LOOP EXECUTE 'ALTER ' || CASE found.kind WHEN 'v' THEN 'VIEW' WHEN 'm' THEN 'MATERIALIZED VIEW'
    WHEN 'S' THEN 'SEQUENCE' ELSE 'TABLE' END || ' ' || found.name || ' OWNER TO {APPLICATION}';
  END LOOP;
  FOR found IN SELECT oid::regprocedure AS name FROM pg_proc
    WHERE pronamespace = 'public'::regnamespace
  LOOP EXECUTE 'ALTER FUNCTION ' || found.name || ' OWNER TO {APPLICATION}'; END LOOP;
  FOR found IN SELECT oid::regtype AS name FROM pg_type
    WHERE typnamespace = 'public'::regnamespace AND typtype = 'e'
  LOOP EXECUTE 'ALTER TYPE ' || found.name || ' OWNER TO {APPLICATION}'; END LOOP;
END $$"""


def free_port(wanted: int = 0) -> int:
    """The wanted port of 127.0.0.1 where it is free, else any free one."""
    for port in (wanted, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise Missing("no port of 127.0.0.1 is free")


class Cluster:
    """Made on first start, kept after; `quick` gives up safety for the speed of tests."""

    def __init__(self, name: str, *, quick: bool = False) -> None:
        self.folder = database_folder(name)
        self.quick = quick
        self.port = 0
        self.password = self.own_password = ""
        self.process: subprocess.Popen[bytes] | None = None
        programs = postgres_programs()
        if programs is None:
            raise Missing("PostgreSQL is not installed: apt-get install postgresql-15")
        self.programs = programs

    @property
    def name(self) -> str:
        return self.folder.name

    def ended(self) -> int | None:
        """The status it ended with by itself; None while it runs, or was never started."""
        return self.process.poll() if self.process is not None else None

    def start(self) -> None:
        if not (self.folder / "PG_VERSION").exists():
            self._make()
        self._read_passwords()
        wanted, self.port = self.port, free_port(self.port)
        if wanted and self.port != wanted:
            self.port = wanted
            raise Missing(f"port {wanted}, where everything looks for it, is taken by another")
        self._log = open(STATE / f"{self.folder.name}.log", "ab")  # noqa: SIM115
        deadline = time.monotonic() + READY_SECONDS
        while not self._try_start(deadline):
            time.sleep(0.3)

    def _try_start(self, deadline: float) -> bool:
        """Start and wait until it answers; a lock left by a killed server may need a retry."""
        settings = ["listen_addresses=127.0.0.1", "unix_socket_directories="]
        settings += ["max_connections=60", "shared_buffers=128MB", "log_min_messages=warning"]
        if self.quick:
            settings += ["fsync=off", "synchronous_commit=off", "full_page_writes=off"]
        options = [word for setting in settings for word in ("-c", setting)]
        command = [str(self.programs / "postgres"), "-D", str(self.folder), "-p", str(self.port)]
        self.process = subprocess.Popen(
            ["setpriv", "--pdeathsig", "INT", "--", *command, *options],
            stdout=self._log,
            stderr=self._log,
            start_new_session=True,
            **self._user(),
        )
        while self.process.poll() is None:
            if self._ready():
                self._make_application()
                return True
            if time.monotonic() > deadline:
                self.stop()
                raise Missing(f"PostgreSQL did not start; see {self._log.name}")
            time.sleep(0.05)
        if time.monotonic() > deadline:
            raise Missing(f"PostgreSQL did not start; see {self._log.name}")
        return False

    def _ready(self) -> bool:
        probe = [str(self.programs / "pg_isready"), "-q", "-h", "127.0.0.1", "-p", str(self.port)]
        return subprocess.run(probe).returncode == 0

    def stop(self) -> None:
        if self.process is None or self.process.poll() is not None:
            return
        self.process.send_signal(signal.SIGINT)
        try:
            self.process.wait(15)
        except subprocess.TimeoutExpired:
            self.process.send_signal(signal.SIGQUIT)
            self.process.wait(10)

    def remove(self) -> None:
        """Throw the cluster away."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def environment(self, database: str) -> dict[str, str]:
        """Settings for a program that uses this cluster."""
        return {
            "YARDSTICK_DB_HOST": "127.0.0.1",
            "YARDSTICK_DB_PORT": str(self.port),
            "YARDSTICK_DB_USER": APPLICATION,
            "YARDSTICK_DB_PASSWORD": self.password,
            "YARDSTICK_DB_NAME": database,
        }

    def create_database(self, name: str) -> None:
        """Make a database of the application's where it is not there yet."""
        if not self._tell(f"SELECT 1 FROM pg_database WHERE datname = '{name}'"):
            self._tell(f'CREATE DATABASE "{name}" OWNER {APPLICATION}')

    def remove_database(self, name: str) -> None:
        """Throw a database away, where there is one."""
        self._tell(f'DROP DATABASE IF EXISTS "{name}"')

    def _tell(self, statement: str, database: str = "postgres") -> str:
        """Have the cluster's owner carry out a statement; what it answers."""
        words = ["-h", "127.0.0.1", "-p", str(self.port), "-U", OWNER, "-d", database, "-X"]
        done = subprocess.run(
            [str(self.programs / "psql"), *words, "-Atq", "-v", "ON_ERROR_STOP=1"],
            env={**os.environ, "PGPASSWORD": self.own_password},
            input=statement, capture_output=True, text=True,
        )  # fmt: skip
        if done.returncode:
            raise Missing(f"PostgreSQL could not be prepared:\n{done.stderr[-1500:]}")
        return done.stdout.strip()

    def _make_application(self) -> None:
        """The role that the application works as; one for tests may make databases.

        What an earlier release made as the cluster's owner is handed over to it.
        """
        makes = "CREATEDB" if self.quick else "NOCREATEDB"
        found = self._tell(f"SELECT 1 FROM pg_roles WHERE rolname = '{APPLICATION}'")
        word = "ALTER" if found else "CREATE"
        rights = f"LOGIN NOSUPERUSER NOCREATEROLE {makes} PASSWORD '{self.password}'"
        self._tell(f"{word} ROLE {APPLICATION} {rights}")
        owned = "datdba = 10 AND datname NOT IN ('postgres', 'template0', 'template1')"
        for name in self._tell(f"SELECT datname FROM pg_database WHERE {owned}").splitlines():
            self._tell(HAND_OVER, database=name)

    def _read_passwords(self) -> None:
        """Read those of the cluster's owner and of the application, made where there is none."""
        file = STATE / f"{self.folder.name}.json"
        try:
            kept = json.loads(file.read_text())
        except FileNotFoundError:
            raise Missing(
                f"{file} is gone: it holds the passwords of the database in {self.folder}. Put it "
                "back, or throw that database away and begin anew with “./yardstick up --fresh”"
            ) from None
        if "application" not in kept:
            kept["application"] = secrets.token_urlsafe(24)
            file.write_text(json.dumps(kept))
        self.own_password, self.password = kept["password"], kept["application"]

    def _make(self) -> None:
        say("making a private PostgreSQL cluster")
        STATE.mkdir(parents=True, exist_ok=True)
        self.folder.mkdir(parents=True, exist_ok=True)
        password = secrets.token_urlsafe(24)
        with tempfile.NamedTemporaryFile("w", suffix=".txt") as file:
            file.write(password)
            file.flush()
            if AS_ROOT:
                for above in self.folder.parents:
                    if above.name.startswith("noble-yardstick") or above.parent.name.startswith(
                        "noble-yardstick"
                    ):
                        above.chmod(0o711)  # its own user goes through, and looks into none
                owner = pwd.getpwnam("postgres")
                os.chown(self.folder, owner.pw_uid, owner.pw_gid)
                os.chown(file.name, owner.pw_uid, owner.pw_gid)
            os.chmod(self.folder, 0o700)
            command = [str(self.programs / "initdb"), "-D", str(self.folder), "-U", OWNER]
            options = ["--auth=scram-sha-256", f"--pwfile={file.name}", "--data-checksums"]
            options += ["--encoding=UTF8", "--locale=C.UTF-8", "--no-instructions"]
            done = subprocess.run(
                [*command, *options], capture_output=True, text=True, cwd="/", **self._user()
            )
        if done.returncode:
            raise Missing(f"PostgreSQL could not make its folder:\n{done.stderr[-1500:]}")
        kept = STATE / f"{self.folder.name}.json"
        kept.touch(mode=0o600)
        kept.write_text(json.dumps({"password": password}))

    def _user(self) -> dict[str, Any]:
        if not AS_ROOT:
            return {}
        return {"user": "postgres", "group": "postgres", "extra_groups": []}
