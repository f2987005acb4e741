"""Rows of a log, block by block, as columns of numbers and text; broken lines with their number.

Blocks of text are parsed at once by Arrow. Only where one does not fit (a line with too few values,
a word among numbers) that block is read line by line, so that every broken line is found and named.
"""

from __future__ import annotations

import itertools
import json
import re
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.json
import pyarrow.parquet
from numpy.typing import NDArray

from yardstick_core.formats.converting.json_tables import flat
from yardstick_core.formats.mapping import (
    BLANKS,
    CLOCKED,
    DATE,
    MOST_COLUMNS,
    SKIP,
    TEXTS,
    WRITTEN,
    Mapping,
)
from yardstick_core.formats.source import MOST_UNPACKED, NotALog, Source, blocks
from yardstick_core.formats.values import HALF_DAY, cells_of, clocks, dates, numbers

ROWS_AT_ONCE = 131_072
#: Threads that parse, and blocks that they are ahead of whoever asks.
_PARSERS, _AHEAD = 2, 4
_LINE_END = ord("\n")
SHOWN_OF_A_LINE = 200


@dataclass(frozen=True, slots=True)
class Broken:
    """A line that was not understood: its number in the file, from 1, and why."""

    line: int
    why: str
    text: str = ""


@dataclass(slots=True)
class Rows:
    """Some rows of a file: line numbers, shape (n,), and by place of the column its values.

    Numbers are float64 with NaN for an empty cell; dates are seconds since 1970.
    """

    lines: NDArray[np.int64]
    numbers: dict[int, NDArray[np.float64]]
    texts: dict[int, list[str]]
    broken: list[Broken] = field(default_factory=list)

    def __len__(self) -> int:
        return len(self.lines)

    def parted(self, most: int) -> Iterator[Rows]:
        """The same rows, at most so many at once; the first part has the broken lines."""
        for first in range(0, max(1, len(self)), most):
            part = slice(first, first + most)
            yield Rows(
                self.lines[part],
                {place: values[part] for place, values in self.numbers.items()},
                {place: cells[part] for place, cells in self.texts.items()},
                [] if first else self.broken,
            )


def rows(source: Source, mapping: Mapping) -> Iterator[Rows]:
    """All rows of a file. Raises NotALog where it turns out to be none."""
    if mapping.kind == "parquet":
        yield from _parquet_rows(source.path, mapping)
        return
    read = _Separated(mapping) if mapping.kind == "separated" else _JsonLines(mapping)
    line = 1
    # The next blocks are parsed, each by one thread, while whoever asks works on this one.
    with ThreadPoolExecutor(_PARSERS) as ahead:
        waiting: deque[Future[Rows]] = deque()
        for block in blocks(source):
            count = int(np.count_nonzero(np.frombuffer(block, np.uint8) == _LINE_END))
            waiting.append(ahead.submit(read.block, block, line, count))
            line += count
            if len(waiting) > _AHEAD:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()


def _wanted(mapping: Mapping) -> list[int]:
    if mapping.results:  # any cell may say that its row sums up others
        return list(range(len(mapping.columns)))
    return [place for place, column in enumerate(mapping.columns) if column.role != SKIP]


def _written(mapping: Mapping, place: int) -> str:
    """The unit of a column that is written as dates or clocks have it; empty for any other."""
    column = mapping.columns[place]
    return column.unit if column.role in CLOCKED and column.unit in WRITTEN else ""


def _values(mapping: Mapping, place: int, cells: list[str], decimal: str) -> NDArray[np.float64]:
    """Numbers of a column's cells as text, NaN for what is none."""
    unit = _written(mapping, place)
    if unit:
        return dates(cells) if unit == DATE else clocks(cells)
    return numbers(cells, decimal, mapping.columns[place].unit)


def _is_text(mapping: Mapping, place: int) -> bool:
    return mapping.columns[place].role in (*TEXTS, SKIP)


# -- separated text ----------------------------------------------------------------

#: Blanks at the ends of lines, and those between values.
_EDGES = re.compile(rb"(?m)^[ \t]+|[ \t\r]+$")
_RUNS = re.compile(rb"[ \t]+")
_HALF_DAY = re.compile(HALF_DAY.pattern.encode())
_EMPTY = ["", "NaN", "nan", "null", "NULL", "None", "-", "N/A", "n/a", "NA"]


class _Separated:
    """Reads blocks of separated text."""

    def __init__(self, mapping: Mapping) -> None:
        self.mapping, self.places = mapping, _wanted(mapping)
        self.names = [f"c{n}" for n in range(len(mapping.columns))]
        kinds = {}
        for place in self.places:
            kind = pa.float64()
            written = _written(mapping, place)
            if written == DATE:
                kind = pa.timestamp("us")
            elif written or _is_text(mapping, place):
                kind = pa.string()
            kinds[self.names[place]] = kind
        self.convert = pa.csv.ConvertOptions(
            column_types=kinds,
            include_columns=[self.names[place] for place in self.places],
            decimal_point=mapping.decimal,
            null_values=_EMPTY,
            strings_can_be_null=False,
        )
        blanks = mapping.separator == BLANKS
        self.parse = pa.csv.ParseOptions(delimiter="\t" if blanks else mapping.separator)

    def block(self, data: memoryview, first_line: int, count: int) -> Rows:
        """The rows of a block that begins with a line and has so many."""
        skipped = max(0, self.mapping.header - first_line + 1)
        if skipped >= count:
            return Rows(np.empty(0, np.int64), *self._nothing())
        if skipped:
            ends = np.flatnonzero(np.frombuffer(data, np.uint8) == _LINE_END)
            data = data[int(ends[skipped - 1]) + 1 :]
        first_line, count = first_line + skipped, count - skipped
        plain: memoryview | bytes = data
        if self.mapping.separator == BLANKS:
            plain = _RUNS.sub(b"\t", _EDGES.sub(b"", _HALF_DAY.sub(rb"\1", data)))
        try:
            options = pa.csv.ReadOptions(
                use_threads=False, column_names=self.names, block_size=max(len(data), 1024)
            )
            table = pa.csv.read_csv(
                pa.BufferReader(plain),
                read_options=options,
                parse_options=self.parse,
                convert_options=self.convert,
            )
        except pa.ArrowInvalid:
            return self._line_by_line(data, first_line)
        if table.num_rows != count:
            return self._line_by_line(data, first_line)
        return _of_table(table, self.mapping, self.places, self.names, first_line)

    def _nothing(self) -> tuple[dict[int, NDArray[np.float64]], dict[int, list[str]]]:
        texts = [p for p in self.places if _is_text(self.mapping, p)]
        plain = [p for p in self.places if p not in texts]
        return {p: np.empty(0) for p in plain}, {p: [] for p in texts}

    def _line_by_line(self, data: memoryview, first_line: int) -> Rows:
        width, decimal = len(self.mapping.columns), self.mapping.decimal
        good: list[tuple[int, list[str]]] = []
        broken = []
        text = str(data, "utf-8", "replace")
        names = [column.name for column in self.mapping.columns]
        for number, line in enumerate(text.split("\n"), first_line):
            if not line.strip():
                continue
            cells = cells_of(line, self.mapping.separator)
            if len(cells) == width:
                if [cell.strip() for cell in cells] != names:  # names may stand above each part
                    good.append((number, cells))
            else:
                why = f"{len(cells)} values where {width} were expected"
                broken.append(Broken(number, why, line[:SHOWN_OF_A_LINE]))
        lines = np.array([number for number, _ in good], np.int64)
        columns, texts = self._nothing()
        kept = np.ones(len(good), bool)
        for place in self.places:
            cells = [row[place].strip() for _, row in good]
            if place in texts:
                texts[place] = cells
                continue
            values = _values(self.mapping, place, cells, decimal)
            columns[place] = values
            for n in np.flatnonzero(~np.isfinite(values) & kept).tolist():
                if cells[n] not in _EMPTY:
                    kept[n] = False
                    why = f"“{cells[n][:40]}” in {self.mapping.columns[place].name} is no number"
                    broken.append(
                        Broken(int(lines[n]), why, ",".join(good[n][1])[:SHOWN_OF_A_LINE])
                    )
        places = np.flatnonzero(kept).tolist()
        return Rows(
            lines[kept],
            {place: values[kept] for place, values in columns.items()},
            {place: [cells[n] for n in places] for place, cells in texts.items()},
            sorted(broken, key=lambda one: one.line),
        )


def _of_table(
    table: Any, mapping: Mapping, places: list[int], names: list[str], first_line: int
) -> Rows:
    columns, texts = {}, {}
    for place in places:
        column = table.column(names[place]).combine_chunks()
        if _is_text(mapping, place):
            texts[place] = [
                "" if text is None else str(text).strip() for text in column.to_pylist()
            ]
        else:
            columns[place] = _floats(column, _written(mapping, place))
    lines = np.arange(first_line, first_line + table.num_rows, dtype=np.int64)
    return Rows(lines, columns, texts)


def _floats(column: Any, written: str) -> NDArray[np.float64]:
    """An Arrow column as float64, NaN for what is missing."""
    if pa.types.is_timestamp(column.type):
        micros = column.cast(pa.timestamp("us")).cast(pa.int64())
        found = micros.cast(pa.float64()).to_numpy(zero_copy_only=False) / 1e6
    elif written:
        cells = [str(text or "") for text in column.to_pylist()]
        found = dates(cells) if written == DATE else clocks(cells)
    elif pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        found = numbers([str(text or "") for text in column.to_pylist()])
    else:
        found = column.cast(pa.float64(), safe=False).to_numpy(zero_copy_only=False)
    return np.asarray(found, np.float64)


# -- JSON Lines --------------------------------------------------------------------


class _JsonLines:
    """Reads blocks of one JSON object a line."""

    def __init__(self, mapping: Mapping) -> None:
        self.mapping, self.places = mapping, _wanted(mapping)
        self.names = [column.name for column in mapping.columns]
        self.schema = pa.schema(
            [
                (
                    self.names[place],
                    pa.string()
                    if _is_text(mapping, place) or _written(mapping, place)
                    else pa.float64(),
                )
                for place in self.places
            ]
        )

    def block(self, data: memoryview, first_line: int, count: int) -> Rows:
        """The rows of a block that begins with a line and has so many."""
        if any("." in name or "?" in name for name in map(self.names.__getitem__, self.places)):
            return self._line_by_line(data, first_line)  # of objects in objects, or replaced
        try:
            table = pa.json.read_json(
                pa.BufferReader(data),
                read_options=pa.json.ReadOptions(
                    use_threads=False, block_size=max(len(data), 1024)
                ),
                parse_options=pa.json.ParseOptions(
                    explicit_schema=self.schema, unexpected_field_behavior="ignore"
                ),
            )
        except pa.ArrowInvalid:
            return self._line_by_line(data, first_line)
        if table.num_rows != count:
            return self._line_by_line(data, first_line)
        return _of_table(table, self.mapping, self.places, self.names, first_line)

    def _line_by_line(self, data: memoryview, first_line: int) -> Rows:
        good: list[tuple[int, dict[str, Any]]] = []
        broken = []
        for number, line in enumerate(str(data, "utf-8", "replace").split("\n"), first_line):
            if not line.strip():
                continue
            try:
                found = json.loads(line)
            except ValueError:
                found = None
            if isinstance(found, dict):
                good.append((number, flat(found)))
            else:
                broken.append(Broken(number, "no JSON object", line[:SHOWN_OF_A_LINE]))
        kept = np.ones(len(good), bool)
        columns: dict[int, NDArray[np.float64]] = {}
        texts: dict[int, list[str]] = {}
        for place in self.places:
            column = self.mapping.columns[place]
            cells = [row.get(column.name) for _, row in good]
            if _is_text(self.mapping, place):
                texts[place] = ["" if cell is None else str(cell) for cell in cells]
                continue
            written = ["" if cell is None else str(cell) for cell in cells]
            values = _values(self.mapping, place, written, ".")
            columns[place] = values
            for n in np.flatnonzero(~np.isfinite(values) & kept).tolist():
                if written[n] not in _EMPTY:
                    kept[n] = False
                    why = f"“{written[n][:40]}” in {column.name} is no number"
                    broken.append(Broken(good[n][0], why, json.dumps(good[n][1])[:SHOWN_OF_A_LINE]))
        lines = np.array([number for number, _ in good], np.int64)
        places = np.flatnonzero(kept).tolist()
        return Rows(
            lines[kept],
            {place: values[kept] for place, values in columns.items()},
            {place: [cells[n] for n in places] for place, cells in texts.items()},
            sorted(broken, key=lambda one: one.line),
        )


# -- Parquet -----------------------------------------------------------------------


def _open_parquet(path: Path) -> Any:
    try:
        file = pa.parquet.ParquetFile(path)
    except (pa.ArrowInvalid, OSError) as error:
        raise NotALog(f"the Parquet file is damaged: {error}") from error
    if file.metadata.num_columns > MOST_COLUMNS:
        raise NotALog(
            f"it has {file.metadata.num_columns:,} columns; a log has at most {MOST_COLUMNS:,}"
        )
    groups = range(file.metadata.num_row_groups)
    unpacked = sum(file.metadata.row_group(n).total_byte_size for n in groups)
    if unpacked > MOST_UNPACKED:
        raise NotALog("it unpacks to more than 32 GiB")
    return file


def parquet_head(path: Path, most: int) -> tuple[list[str], list[list[str]]]:
    """Names of the columns of a Parquet file and its first rows as text."""
    file = _open_parquet(path)
    names = list(file.schema_arrow.names)
    found: list[list[str]] = []
    for batch in itertools.islice(file.iter_batches(batch_size=most), 1):
        table = batch.to_pydict()
        for n in range(batch.num_rows):
            cells = [table[name][n] for name in names]
            found.append(["" if cell is None else str(cell) for cell in cells])
    return names, found


def _parquet_rows(path: Path, mapping: Mapping) -> Iterator[Rows]:
    file, places = _open_parquet(path), _wanted(mapping)
    names = [column.name for column in mapping.columns]
    missing = [names[place] for place in places if names[place] not in file.schema_arrow.names]
    if missing:
        raise NotALog(f"it has no column {', '.join(missing)}")
    line = 1
    wanted = [names[place] for place in places]
    for batch in file.iter_batches(batch_size=ROWS_AT_ONCE, columns=wanted):
        table = pa.Table.from_batches([batch])
        try:
            yield _of_table(table, mapping, places, names, line)
        except pa.ArrowInvalid as error:
            raise NotALog(f"a column holds something else than was said: {error}") from error
        line += batch.num_rows
