"""Keeps chunks: each is checked whole, and keeping the same one again changes nothing."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import psycopg
from django.db import IntegrityError, connection, transaction

from yardstick_core.streams import batch
from yardstick_core.streams import chunk as packed
from yardstick_core.streams.entries import LATEST_NS, check_entry
from yardstick_server.runs.models import Run
from yardstick_server.traces.models import Chunk

#: A stream of ten samples a second fills so many in four months.
MOST_CHUNKS_OF_A_STREAM = 500_000
#: What the chunks of one message may hold unpacked.
MOST_UNPACKED_BYTES = 64 << 20
STREAM_NAME = re.compile(r"^[a-z][a-z0-9_.]{0,63}$")


class ChunkRefused(ValueError):
    """A chunk is not what it should be; nothing of its message was kept."""


class ChunkConflict(ValueError):
    """A chunk cannot take its place: another is there, or the run takes no more."""


_COLUMNS = "run_id, stream, sequence, samples, first_ns, last_ns, sha256, data"
#: All rows of a message in one statement, without the detour over objects: of the 9 ms that a
#: message of twenty chunks took, five went into making and naming them.
_INSERT = f"""
INSERT INTO {Chunk._meta.db_table} ({_COLUMNS})
SELECT * FROM unnest(
  %b::int8[], %b::text[], %b::int4[], %b::int4[], %b::int8[], %b::int8[], %b::text[], %b::bytea[]
)
ON CONFLICT (run_id, stream, sequence) DO NOTHING
"""

_COPY = f"""
COPY {Chunk._meta.db_table} ({_COLUMNS}) FROM STDIN (FORMAT BINARY)
"""
_TYPES = ["int8", "varchar", "int4", "int4", "int8", "int8", "varchar", "bytea"]


def keep_all(run: Run, pieces: list[batch.Piece]) -> int:
    """Store those of some chunks that are not there yet; how many they were.

    Raises as `keep_chunk` does, and then keeps none.
    """
    if run.state != "running":
        if _new(run, pieces):
            raise ChunkConflict(f"the run is {run.state}: it takes no more chunks")
        return 0
    unpacked = sum(packed.read_head(p.data).length for p in pieces if len(p.data) >= 32)
    if unpacked > MOST_UNPACKED_BYTES:
        raise ChunkRefused(
            f"these chunks unpack to more than {MOST_UNPACKED_BYTES >> 20} MiB: nothing was kept, "
            "send fewer at once"
        )
    rows = [_row(run, piece) for piece in pieces]
    with transaction.atomic():
        kept = insert_rows(rows)
        if kept < len(rows):
            _new(run, pieces)
    return kept


def insert_rows(rows: Sequence[ChunkRow]) -> int:
    """Store chunks as they are, in one statement; how many were not there. In a transaction."""
    if not rows:
        return 0
    # values go as they are in memory: a cursor that writes them into its statement takes longer
    with psycopg.Cursor(plain_connection()) as cursor:
        cursor.execute(_INSERT, list(map(list, zip(*rows, strict=True))))
        return int(cursor.rowcount)


def copy_rows(rows: Sequence[ChunkRow], over: psycopg.Connection) -> None:
    """Store chunks of runs that nobody else writes to: quicker, and an error where one is there.

    Another thread than that of the transaction names the connection that it goes over.
    """
    with over.cursor() as cursor, cursor.copy(_COPY) as copy:
        copy.set_types(_TYPES)
        for row in rows:
            copy.write_row(row)


def plain_connection() -> psycopg.Connection:
    """The connection of this thread's transaction."""
    connection.ensure_connection()
    plain: psycopg.Connection = connection.connection
    return plain


def _new(run: Run, pieces: list[batch.Piece]) -> list[batch.Piece]:
    """Those of some chunks that are not there. Raises ChunkConflict where another one is."""
    there = run.chunks.filter(
        stream__in={piece.stream for piece in pieces},
        sequence__in={piece.sequence for piece in pieces},
    )
    known = {(s, n): sha256 for s, n, sha256 in there.values_list("stream", "sequence", "sha256")}
    if any(known.get(piece[:2], piece.sha256) != piece.sha256 for piece in pieces):
        raise ChunkConflict("this chunk is already there, with other content")
    return [piece for piece in pieces if piece[:2] not in known]


class ChunkRow(NamedTuple):
    """What is stored of a chunk, in the order of the statement."""

    run_id: int
    stream: str
    sequence: int
    samples: int
    first_ns: int
    last_ns: int
    sha256: str
    data: bytes


def _row(run: Run, piece: batch.Piece) -> ChunkRow:
    """A chunk as it is stored. Raises ChunkRefused where it is not what it should be."""
    where = f"chunk {piece.sequence} of {piece.stream[:64]}"
    if hashlib.sha256(piece.data).hexdigest() != piece.sha256:
        raise ChunkRefused(f"the checksum of {where} does not fit: nothing was kept")
    check_place(piece.stream, piece.sequence)
    try:
        samples, first, last = _look_into(piece.stream, piece.data)
    except (packed.ChunkError, ValueError) as error:
        raise ChunkRefused(f"{where} cannot be read: {error}; nothing was kept") from error
    return ChunkRow(
        run.pk, piece.stream, piece.sequence, samples, first, last, piece.sha256, piece.data
    )


def check_place(stream: str, sequence: int) -> None:
    """Raises ChunkRefused for what cannot be the place of a chunk."""
    if not STREAM_NAME.match(stream):
        raise ChunkRefused(f"“{stream[:64]}” is no name for a stream")
    if sequence >= MOST_CHUNKS_OF_A_STREAM:
        raise ChunkRefused(f"a stream has at most {MOST_CHUNKS_OF_A_STREAM} chunks")


def keep_chunk(run: Run, stream: str, sequence: int, data: bytes, sha256: str) -> bool:
    """Store a chunk; False where the same one is there already.

    Raises ChunkConflict for another one in its place or a sealed run, ChunkRefused for one that
    cannot be read.
    """
    known = run.chunks.filter(stream=stream, sequence=sequence).values_list("sha256", flat=True)
    if known:
        if known[0] != sha256:
            raise ChunkConflict("this chunk is already there, with other content")
        return False
    if run.state not in ("running",):
        raise ChunkConflict(f"the run is {run.state}: it takes no more chunks")
    row = _row(run, batch.Piece(stream, sequence, sha256, data))
    try:
        with transaction.atomic():
            Chunk.objects.create(**row._asdict())
    except IntegrityError:
        return keep_chunk(run, stream, sequence, data, sha256)
    return True


def _look_into(stream: str, data: bytes) -> tuple[int, int, int]:
    """Count, first and last instant (ns) of a chunk that fits its stream."""
    if packed.read_head(data).count < 1:
        raise packed.ChunkError("it holds no sample")
    if stream == "journal":
        entries = packed.decode_journal(data)
        for entry in entries:
            check_entry(entry)
        return len(entries), int(entries[0]["at"]), int(entries[-1]["at"])
    if stream == "frames":
        head, ticks = packed.decode_frame_ticks(data)
        last = int(packed.frame_instants(head, ticks)[-1])
        if not -LATEST_NS <= head.first_ns <= last <= LATEST_NS:
            raise packed.ChunkError("its instants do not follow one another within a year")
        return head.count, head.first_ns, last
    times, values = packed.decode_counter(data)
    if np.abs(times).max() > LATEST_NS:
        raise packed.ChunkError("its instants lie more than a year away from the run's start")
    if not np.isfinite(values).all():
        raise packed.ChunkError("a counter holds values that are no numbers")
    return len(times), int(times[0]), int(times[-1])
