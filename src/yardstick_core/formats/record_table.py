"""A run's record as one table, to go out and come in again unchanged.

Columns, in every format the same:

    series  text    "frames", "journal", or a counter such as "subject.resident"
    at_ns   int64   ns since the run's start: of a frame when it was shown, of a sample when taken
    value   float64 the sample; empty for frames and the journal
    entry   text    a journal entry as JSON; empty otherwise

Rows of one series follow each other in order of time, the journal first.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.parquet

from yardstick_core.formats.log_summary import Piece
from yardstick_core.formats.mapping import MARKER, OTHER, Column, Mapping
from yardstick_core.formats.source import NotALog, Source
from yardstick_core.formats.tables import Broken, rows
from yardstick_core.record import RunRecord
from yardstick_core.streams.chunk import ChunkError, Instants
from yardstick_core.streams.entries import Entry, read_entry

COLUMNS = ["series", "at_ns", "value", "entry"]
SCHEMA = pa.schema(
    [
        ("series", pa.string()),
        ("at_ns", pa.int64()),
        ("value", pa.float64()),
        ("entry", pa.string()),
    ]
)
ROWS_AT_ONCE = 65_536
FORMATS = ("csv", "jsonl", "parquet")


def batches(record: RunRecord, start_ns: int = 0, end_ns: int = 2**62) -> Iterator[Any]:
    """The table of a record in record batches; frames and samples of a stretch of time only."""
    entries = list(record.journal)
    at = [int(entry["at"]) for entry in entries]
    texts = [json.dumps(entry, ensure_ascii=False) for entry in entries]
    for first in range(0, len(entries), ROWS_AT_ONCE):
        part = slice(first, first + ROWS_AT_ONCE)
        yield _batch("journal", np.array(at[part], np.int64), None, texts[part])
    for name, instants, values in _series(record):
        first, last = np.searchsorted(instants, [start_ns, end_ns + 1])
        for place in range(int(first), int(last), ROWS_AT_ONCE):
            stop = min(int(last), place + ROWS_AT_ONCE)
            some = None if values is None else values[place:stop]
            yield _batch(name, instants[place:stop], some, None)


def _series(record: RunRecord) -> Iterator[tuple[str, Instants, Any]]:
    yield "frames", record.frames_ns, None
    for name in sorted(record.counters):
        yield name, *record.counters[name]


def _batch(name: str, at: Instants, values: Any, texts: list[str] | None) -> Any:
    size = len(at)
    return pa.record_batch(
        [
            pa.array([name] * size, pa.string()),
            pa.array(at, pa.int64()),
            pa.nulls(size, pa.float64()) if values is None else pa.array(values, pa.float64()),
            pa.nulls(size, pa.string()) if texts is None else pa.array(texts, pa.string()),
        ],
        schema=SCHEMA,
    )


def text_of(
    record: RunRecord, kind: str, start_ns: int = 0, end_ns: int = 2**62
) -> Iterator[bytes]:
    """The table as CSV or JSON Lines, a part at a time. `kind` is "csv" or "jsonl"."""
    header = True
    for batch in batches(record, start_ns, end_ns):
        if kind == "csv":
            sink = pa.BufferOutputStream()
            options = pa.csv.WriteOptions(include_header=header, quoting_style="needed")
            pa.csv.write_csv(batch, sink, options)
            yield sink.getvalue().to_pybytes()
        else:
            yield "".join(map(_line, *(batch.column(n).to_pylist() for n in range(4)))).encode()
        header = False


def _line(series: str, at: int, value: float | None, entry: str | None) -> str:
    found: dict[str, Any] = {"series": series, "at_ns": at}
    if value is not None:
        found["value"] = value
    if entry is not None:
        found["entry"] = entry
    return json.dumps(found, ensure_ascii=False) + "\n"


def write_parquet(record: RunRecord, path: Path, start_ns: int = 0, end_ns: int = 2**62) -> None:
    """The table as a Parquet file."""
    with pa.parquet.ParquetWriter(path, SCHEMA, compression="zstd") as writer:
        for batch in batches(record, start_ns, end_ns):
            writer.write_batch(batch)


# -- back in ---------------------------------------------------------------------


def is_record(names: list[str]) -> bool:
    """Whether columns of these names are those of a record table."""
    return [name.strip() for name in names] == COLUMNS


def record_mapping(kind: str, encoding: str) -> Mapping:
    """How a record table is read: all is known, nothing is to be said about it."""
    texts = {"series", "entry"}
    columns = tuple(Column(name, MARKER if name in texts else OTHER) for name in COLUMNS)
    return Mapping(kind, columns, encoding=encoding, header=1 if kind == "separated" else 0)


class RecordReader:
    """Reads a record table. Once `pieces` has been gone through, `journal` and `broken` are whole.

    Instants are exact up to 104 days.
    """

    #: A record is made of pieces whose instants are whole ticks apart.
    in_ticks = False

    def __init__(self, source: Source, mapping: Mapping) -> None:
        self.source, self.mapping = source, mapping
        self.journal: list[Entry] = []
        self.broken: list[Broken] = []
        self.rows = 0

    def pieces(self) -> Iterator[Piece]:
        """Frames and samples in the order of the file. Raises NotALog where it is no record."""
        for some in rows(self.source, self.mapping):
            self.broken += some.broken
            names = np.array(some.texts[0], object)
            if not len(names):
                continue
            self.rows += len(names)
            edges = [0, *(np.flatnonzero(names[1:] != names[:-1]) + 1).tolist(), len(names)]
            for first, last in pairwise(edges):
                yield from self._series(some, str(names[first]), first, last)

    def _series(self, some: Any, name: str, first: int, last: int) -> Iterator[Piece]:
        if name == "journal":
            for n in range(first, last):
                self._entry(int(some.lines[n]), some.texts[3][n])
            return
        at = some.numbers[1][first:last]
        if not np.isfinite(at).all():
            raise NotALog(f"line {int(some.lines[first])}: a sample of {name} has no instant")
        instants = at.astype(np.int64)
        values = None if name == "frames" else some.numbers[2][first:last]
        if values is not None and not np.isfinite(values).all():
            raise NotALog(f"line {int(some.lines[first])}: a sample of {name} has no value")
        yield Piece(0, name, instants, values)

    def _entry(self, line: int, text: str) -> None:
        try:
            self.journal.append(read_entry(text))
        except ChunkError as error:
            self.broken.append(Broken(line, str(error), text[:200]))
