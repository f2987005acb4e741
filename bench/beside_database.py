"""What a message of chunks costs by the API, beside what PostgreSQL alone takes for its rows."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any

import numpy as np
import psycopg
from simulated import SAMPLES_A_CHUNK, SAMPLES_A_SECOND, Simulated

from yardstick_command.postgres import APPLICATION, Cluster
from yardstick_core.streams.batch import Piece, pack
from yardstick_core.streams.chunk import read_head

MESSAGES = 300
_COLUMNS = "run_id, stream, sequence, samples, first_ns, last_ns, sha256, data"
_STATEMENT = f"""
INSERT INTO alone ({_COLUMNS}) SELECT %s, * FROM unnest(
  %b::text[], %b::int4[], %b::int4[], %b::int8[], %b::int8[], %b::text[], %b::bytea[]
)
"""


@dataclass(frozen=True)
class Ways:
    """Milliseconds a message took at the median, one after another, nothing else going on."""

    api: float
    statement: float
    copy: float

    def described(self) -> str:
        return (
            f"one message of chunks after another, median of {MESSAGES}: by the API "
            f"{self.api:.1f} ms; its rows alone by one statement {self.statement:.1f} ms "
            f"(the API takes {self.api / self.statement:.1f} times as long), "
            f"by COPY {self.copy:.1f} ms ({self.api / self.copy:.1f} times)"
        )


async def compare_ways(agent: Simulated, cluster: Cluster, database: str) -> Ways:
    """Sends the messages of one agent's run, ends it, and writes the same rows by themselves."""
    await agent.take()
    seconds = SAMPLES_A_CHUNK / SAMPLES_A_SECOND
    messages = [agent.ready((n + 1) * seconds, whole=True) for n in range(MESSAGES)]
    took: list[float] = []
    url = f"/api/agent/runs/{agent.number}/chunks"
    for pieces in messages:
        await agent.ask("POST", url, took, pack(pieces), "application/octet-stream")
    agent.seconds = MESSAGES * seconds
    await agent.end()
    with psycopg.connect(
        host="127.0.0.1", port=cluster.port, dbname=database, user=APPLICATION,
        password=cluster.password, autocommit=True,
    ) as connection:  # fmt: skip
        connection.execute("CREATE TABLE alone (LIKE traces_chunk INCLUDING ALL)")
        rows = [list(map(_row, pieces)) for pieces in messages]
        by_statement = [_timed(_insert, connection, some) for some in rows]
        connection.execute("TRUNCATE alone")
        by_copy = [_timed(_copy, connection, some) for some in rows]
        connection.execute("DROP TABLE alone")
    return Ways(*(1000 * float(np.median(one)) for one in (took, by_statement, by_copy)))


def _row(piece: Piece) -> tuple[Any, ...]:
    head = read_head(piece.data)
    return (
        piece.stream, piece.sequence, head.count, head.first_ns, head.first_ns, piece.sha256,
        piece.data,
    )  # fmt: skip


def _timed(do: Any, *given: Any) -> float:
    began = time.perf_counter()
    do(*given)
    return time.perf_counter() - began


def _insert(connection: psycopg.Connection, rows: list[Any]) -> None:
    connection.execute(_STATEMENT, [1, *map(list, zip(*rows, strict=True))])


def _copy(connection: psycopg.Connection, rows: list[Any]) -> None:
    with connection.cursor().copy(f"COPY alone ({_COLUMNS}) FROM STDIN (FORMAT BINARY)") as copy:
        copy.set_types(["int8", "text", "int4", "int4", "int8", "int8", "text", "bytea"])
        for row in rows:
            copy.write_row((1, *row))
