"""A backup, made and put back as docs/deploy.md says, holds everything there was."""

from __future__ import annotations

import os
import subprocess

import psycopg
import pytest
from psycopg import sql

from yardstick_command import up
from yardstick_command.install import postgres_programs

pytestmark = pytest.mark.browser


def connected(environment: dict[str, str], database: str) -> psycopg.Connection:
    return psycopg.connect(
        host=environment["YARDSTICK_DB_HOST"], port=environment["YARDSTICK_DB_PORT"],
        user=environment["YARDSTICK_DB_USER"], password=environment["YARDSTICK_DB_PASSWORD"],
        dbname=database, autocommit=True,
    )  # fmt: skip


def contents(connection: psycopg.Connection) -> dict[str, tuple]:
    """Of every table how many rows it has and a checksum over all of them."""
    tables = connection.execute(
        "SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1"
    ).fetchall()
    found = {}
    for (table,) in tables:
        query = sql.SQL("SELECT count(*), coalesce(sum(hashtext(t::text)), 0) FROM {} t")
        found[table] = connection.execute(query.format(sql.Identifier(table))).fetchone()
    return found


def test_what_was_dumped_comes_back_whole(served, tmp_path):
    environment = served.environment
    database = environment["YARDSTICK_DB_NAME"]
    programs = postgres_programs()
    where = [
        "--host", environment["YARDSTICK_DB_HOST"], "--port", environment["YARDSTICK_DB_PORT"],
        "--username", environment["YARDSTICK_DB_USER"],
    ]  # fmt: skip
    secret = {**os.environ, "PGPASSWORD": environment["YARDSTICK_DB_PASSWORD"]}
    dump = str(tmp_path / "yardstick.dump")
    with connected(environment, database) as connection:
        with connection.transaction():  # the work goes on beside it: both see the same instant
            connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
            (snapshot,) = connection.execute("SELECT pg_export_snapshot()").fetchone()
            command = [programs / "pg_dump", *where, "--snapshot", snapshot, "--format", "custom"]
            subprocess.run([*command, "--file", dump, database], env=secret, check=True)
            before = contents(connection)
        connection.execute("DROP DATABASE IF EXISTS restored")
        connection.execute("CREATE DATABASE restored")
    command = [
        programs / "pg_restore", *where, "--no-owner", "--exit-on-error", "--dbname", "restored",
    ]  # fmt: skip
    subprocess.run([*command, dump], env=secret, check=True)
    with connected(environment, "restored") as restored:
        after = contents(restored)
    assert before == after
    assert after["traces_chunk"][0] > 1000
    there = {**environment, "YARDSTICK_DB_NAME": "restored"}
    up.manage(there, "migrate", "--check")
    code = (
        "from yardstick_server.studies.models import Study\n"
        "from yardstick_server.analysis.judging import judge_study\n"
        "print(judge_study(Study.objects.earliest('id')).headline)"
    )
    said = [up.manage(one, "shell", "-v", "0", "-c", code) for one in (environment, there)]
    assert said[0] == said[1]
    assert "ahead on" in said[0]
