"""The streams of a run as one Parquet table that keeps where each chunk begins and ends.

Columns: `series` ("journal", "frames", or a counter), `chunk` (its place in the series), `at_ns`
(ns since the run's start), `value` (of a counter), `entry` (of the journal, JSON). Rows of a chunk
follow one another, chunks and series as well: so a run of any length goes through in bounded
memory, and the chunks that come out of it are those that went in.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from itertools import groupby
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from yardstick_core.streams import chunk as packed
from yardstick_core.streams.batch import Piece
from yardstick_core.streams.entries import LATEST_NS, read_entry

SCHEMA = pa.schema(
    [
        ("series", pa.dictionary(pa.int32(), pa.string())),
        ("chunk", pa.int32()),
        ("at_ns", pa.int64()),
        ("value", pa.float64()),
        ("entry", pa.string()),
    ]
)
#: Rows that are gathered before they are written, and read at once.
ROWS_AT_ONCE = 65_536
#: A chunk holds at most so many samples, and a journal entry so much text.
MOST_OF_A_CHUNK, LONGEST_ENTRY = 1_000_000, 1_000_000
#: A group of rows holds at most so much, unpacked: what is larger was not written by us.
MOST_OF_A_GROUP = 512 << 20


class NotATable(ValueError):
    """This is no table of chunks, or a broken one; nothing of it can be used."""


def write_chunks(path: Path, chunks: Iterable[tuple[str, int, bytes]]) -> int:
    """Write packed chunks (series, sequence, data), in order, as a table; how many rows it has.

    Raises ChunkError where a chunk cannot be read.
    """
    rows = 0
    waiting: list[Any] = []
    gathered = 0
    with pq.ParquetWriter(path, SCHEMA, compression="zstd") as writer:
        for series, sequence, data in chunks:
            batch = _batch(series, sequence, data)
            waiting.append(batch)
            gathered += batch.num_rows
            rows += batch.num_rows
            if gathered >= ROWS_AT_ONCE:
                writer.write_table(_joined(waiting))
                waiting, gathered = [], 0
        if waiting:
            writer.write_table(_joined(waiting))
    return rows


def _joined(batches: list[Any]) -> Any:
    return pa.Table.from_batches(batches).unify_dictionaries().combine_chunks()


def _batch(series: str, sequence: int, data: bytes) -> Any:
    texts = values = None
    if series == "journal":
        entries = packed.decode_journal(data)
        at = np.array([int(entry["at"]) for entry in entries], np.int64)
        texts = [json.dumps(entry, ensure_ascii=False) for entry in entries]
    elif series == "frames":
        at = packed.decode_frames(data)
    else:
        at, values = packed.decode_counter(data)
    size = len(at)
    names = pa.DictionaryArray.from_arrays(pa.array(np.zeros(size, np.int32)), pa.array([series]))
    columns = [
        names,
        pa.array(np.full(size, sequence, np.int32)),
        pa.array(at, pa.int64()),
        pa.nulls(size, pa.float64()) if values is None else pa.array(values, pa.float64()),
        pa.nulls(size, pa.string()) if texts is None else pa.array(texts, pa.string()),
    ]
    return pa.RecordBatch.from_arrays(columns, schema=SCHEMA)


def read_chunks(path: Path, most_rows: int = 2**40) -> Iterator[Piece]:
    """The chunks of a table, packed anew, in order. Raises NotATable where it is none."""
    try:
        with pq.ParquetFile(path, pre_buffer=False) as file:
            _check_head(file, most_rows)
            yield from _packed(_rows(file))
    except (pa.ArrowException, packed.ChunkError, OSError, UnicodeDecodeError) as error:
        raise NotATable(f"its streams cannot be read: {error}") from error


def _check_head(file: Any, most_rows: int) -> None:
    about = file.metadata
    if file.schema_arrow.names != SCHEMA.names:
        raise NotATable("its streams have other columns")
    for name, kind in zip(SCHEMA.names, (str, int, int, float, str), strict=True):
        found = file.schema_arrow.field(name).type
        of = found.value_type if pa.types.is_dictionary(found) else found
        fits = {
            str: pa.types.is_string(of),
            int: pa.types.is_integer(of),
            float: pa.types.is_floating(of),
        }
        if not fits[kind]:
            raise NotATable(f"its column {name} holds something else")
    if about.num_rows > most_rows:
        raise NotATable("its streams are longer than is allowed")
    for group in range(about.num_row_groups):
        if about.row_group(group).total_byte_size > MOST_OF_A_GROUP:
            raise NotATable("a part of its streams is larger than is allowed")


def _rows(file: Any) -> Iterator[tuple[str, int, Any]]:
    """Rows of one chunk within what was read at once: series, sequence, the columns."""
    for batch in file.iter_batches(batch_size=ROWS_AT_ONCE):
        series = batch.column(0).cast(pa.string()).to_pylist()
        sequences = batch.column(1).to_pylist()
        keys = list(zip(series, sequences, strict=True))
        place = 0
        for key, part in groupby(keys):
            length = sum(1 for _ in part)
            if key[0] is None or key[1] is None:
                raise NotATable("a row says not where it belongs")
            yield key[0], key[1], batch.slice(place, length)
            place += length


def _packed(rows: Iterator[tuple[str, int, Any]]) -> Iterator[Piece]:
    before: tuple[str, int] | None = None
    last_frame = packed.NO_FRAME
    for key, parts in groupby(rows, key=lambda row: row[:2]):
        series, sequence = key
        if before is not None and (before[0] == series) != (sequence == before[1] + 1):
            raise NotATable(f"the chunks of {series[:64]} do not follow one another")
        if (before is None or before[0] != series) and sequence != 0:
            raise NotATable(f"the first chunks of {series[:64]} are missing")
        before = key
        table = _gathered(part for _, _, part in parts)
        at = table.column("at_ns")
        if at.null_count:
            raise NotATable(f"a sample of {series[:64]} has no instant")
        instants = at.to_numpy().astype(np.int64)
        if np.abs(instants).max(initial=0) > LATEST_NS:
            raise NotATable(f"{series[:64]} reaches over more than a year")
        data = _pack(series, instants, table, last_frame)
        last_frame = int(instants[-1]) if series == "frames" else last_frame
        yield Piece(series, sequence, _sha256(data), data)


def _gathered(parts: Iterable[Any]) -> Any:
    found, size = [], 0
    for part in parts:
        found.append(part)
        size += part.num_rows
        if size > MOST_OF_A_CHUNK:
            raise NotATable("a chunk is larger than is allowed")
    return pa.Table.from_batches(found)


def _pack(series: str, instants: Any, table: Any, last_frame: int) -> bytes:
    if series == "journal":
        texts = table.column("entry").to_pylist()
        if any(text is None or len(text) > LONGEST_ENTRY for text in texts):
            raise NotATable("an entry of the journal is missing or too long")
        try:
            return packed.encode_journal([read_entry(text) for text in texts])
        except (ValueError, AttributeError) as error:
            raise NotATable(f"an entry of the journal cannot be read: {error}") from error
    if np.any(np.diff(instants) < 0):
        raise NotATable(f"the instants of {series[:64]} go backwards")
    if series == "frames":
        return packed.encode_frames(instants, last_frame)
    values = table.column("value")
    if values.null_count:
        raise NotATable(f"a sample of {series[:64]} has no value")
    return packed.encode_counter(instants, values.to_numpy())


def _sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
