"""Reads a log through, and makes runs of it: in the worker, in bounded memory."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Min
from django.utils import timezone

from yardstick_core.formats.log import LogReader, streams_of
from yardstick_core.formats.mapping import Mapping, mapping_from
from yardstick_core.formats.record_table import RecordReader, record_mapping
from yardstick_core.formats.source import NotALog, look_at
from yardstick_core.streams import chunk
from yardstick_core.streams.entries import Entry
from yardstick_server.logs.models import LogFile
from yardstick_server.runs.acceptance import accepted_now
from yardstick_server.runs.models import BROUGHT_IN, Run
from yardstick_server.traces.keeping import ChunkRow, copy_rows, plain_connection

SAMPLES = 16_384
#: Chunks of a stream are made so many at a time: threads that make many small things wait for one
#: another more than they work.
_OF_A_JOB = 4
KEPT_APART = "brought in: kept apart until somebody lets it in"
#: Chunks of so many jobs are stored at a time.
_AT_ONCE = 50
_FEW_PIECES = 50
#: Frames further apart do not share a chunk.
_WIDE_NS = 200 * 10**9
_PACKERS = 1


class _Storing:
    """Makes chunks and stores them, while whoever hands them over reads on. In a transaction."""

    def __init__(self) -> None:
        self._packers, self._storer = ThreadPoolExecutor(_PACKERS), ThreadPoolExecutor(1)
        self._over = plain_connection()
        self._made: list[Future[list[ChunkRow]]] = []
        self._stored: Future[None] | None = None

    def __enter__(self) -> _Storing:
        return self

    def __exit__(self, *_: object) -> None:
        self._packers.shutdown(cancel_futures=True)
        self._storer.shutdown(cancel_futures=True)

    def put(self, make: Callable[[], list[ChunkRow]]) -> None:
        self._made.append(self._packers.submit(make))
        if len(self._made) >= _AT_ONCE:
            self._store()

    def finish(self) -> None:
        """Wait until all is stored. Raises what kept a chunk from being so."""
        self._store()
        self._wait()

    def _store(self) -> None:
        self._wait()
        self._stored = self._storer.submit(self._insert, self._made)
        self._made = []

    def _insert(self, made: list[Future[list[ChunkRow]]]) -> None:
        copy_rows([row for job in made for row in job.result()], self._over)

    def _wait(self) -> None:
        if self._stored is not None:
            self._stored.result()


class _Stream:
    """One stream of one run: gathers samples and stores them as chunks."""

    def __init__(self, storing: _Storing, run: int, name: str, *, in_ticks: bool = True) -> None:
        self.storing, self.run, self.name, self.in_ticks = storing, run, name, in_ticks
        self.at: list[np.ndarray] = []
        self.values: list[np.ndarray] = []
        self.waiting = self.sequence = self.samples = 0
        self.before = chunk.NO_FRAME

    def take(self, at: np.ndarray, values: np.ndarray | None) -> None:
        self.at.append(at)
        if values is not None:
            self.values.append(values)
        self.waiting += len(at)
        if self.waiting >= _OF_A_JOB * SAMPLES:
            self.store(whole=False)

    def store(self, *, whole: bool) -> None:
        """Store full chunks, and with `whole` the rest too."""
        if not self.waiting:
            return
        at = np.concatenate(self.at)
        values = np.concatenate(self.values) if self.values else None
        place = 0
        while len(at) - place >= SAMPLES or (whole and place < len(at)):
            place += self._chunk(at, values, place)
        self.at, self.waiting = [at[place:]], len(at) - place
        self.values = [] if values is None else [values[place:]]

    def _chunk(self, at: np.ndarray, values: np.ndarray | None, place: int) -> int:
        """Have the next chunks made, or the next one; how many samples they hold."""
        many = place + min((len(at) - place) // SAMPLES, _OF_A_JOB) * SAMPLES
        part = at[place : max(many, min(place + SAMPLES, len(at)))]
        part = part if self.in_ticks else _alike(part[:SAMPLES])
        if values is None and len(wide := np.flatnonzero(np.diff(part) > _WIDE_NS)):
            part = part[: int(wide[0]) + 1]
        each = min(len(part), SAMPLES)
        part = part[: len(part) // each * each]
        if values is None:
            pack = partial(chunk.encode_frames_of, part, each, self.before)
            self.before = int(part[-1])
        else:
            pack = partial(chunk.encode_counter_of, part, values[place : place + len(part)], each)
        self._put(pack, part.reshape(-1, each))
        return len(part)

    def _put(self, pack: Callable[[], list[bytes]], instants: np.ndarray) -> None:
        """Have chunks made and stored of which `instants` has a row each."""
        self.storing.put(partial(_made, self.run, self.name, self.sequence, pack, instants))
        self.sequence += len(instants)
        self.samples += instants.size

    def entries(self, journal: list[Entry]) -> None:
        """Store the journal."""
        for first in range(0, len(journal), SAMPLES):
            part = journal[first : first + SAMPLES]
            at = np.array([[int(entry["at"]) for entry in part]])
            self._put(partial(_journal_chunk, part), at)


def _journal_chunk(part: list[Entry]) -> list[bytes]:
    return [chunk.encode_journal(part)]


def _made(
    run: int, stream: str, sequence: int, pack: Callable[[], list[bytes]], instants: np.ndarray
) -> list[ChunkRow]:
    return [
        ChunkRow(run, stream, number, len(at), int(at[0]), int(at[-1]), _digest(data), data)
        for number, (data, at) in enumerate(zip(pack(), instants, strict=True), sequence)
    ]


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def _alike(at: np.ndarray) -> np.ndarray:
    """As many of the first instants as one chunk holds exactly: those whole ticks apart.

    A record that went out is made of pieces that are. Where nearly none are, they are rounded down.
    """
    uneven = np.flatnonzero(np.diff(at % chunk.TICK_NS))
    if not len(uneven):
        return at
    if len(uneven) > len(at) // _FEW_PIECES:
        return at // chunk.TICK_NS * chunk.TICK_NS
    return at[: int(uneven[0]) + 1]


def reader_of(log: LogFile) -> LogReader | RecordReader:
    """What reads a log by its mapping. Raises NotALog or MappingError."""
    source = look_at(log.path)
    if log.mapping.get("record"):
        return RecordReader(source, record_mapping(log.mapping["kind"], source.encoding))
    return LogReader(source, mapping_from(log.mapping))


def read_through(log: LogFile) -> dict[str, Any]:
    """Read a whole log and store nothing but what was found in it."""
    reader = reader_of(log)
    last = 0
    for piece in reader.pieces():
        if len(piece.instants):
            last = max(last, int(piece.instants[-1]))
    if isinstance(reader, RecordReader):
        return record_summary(reader, last)
    return reader.summary.as_dict()


def record_summary(reader: RecordReader, last_ns: int) -> dict[str, Any]:
    steps = [entry for entry in reader.journal if entry["kind"] == "step"]
    part = {
        "name": "", "first_line": 1, "rows": reader.rows, "seconds": last_ns / 1e9, "frames": 0,
        "steps": len(steps), "marks": 0,
    }  # fmt: skip
    return {
        "rows": reader.rows, "broken": len(reader.broken),
        "first_broken": [
            {"line": one.line, "why": one.why, "text": one.text} for one in reader.broken[:200]
        ],
        "between": 0, "repeats": 0, "gaps": 0, "longest_gap_s": 0.0, "drift_s": 0.0, "missing": {},
        "more_parts": 0, "parts": [part],
    }  # fmt: skip


def keep(log: LogFile, variants: list[int], stretch: list[str], accepted: str = "") -> list[int]:
    """Make a run of every part of a log that is to be kept; their numbers.

    `variants`: by part, the position of the variant it belongs to, −1 for a part that is left.
    `stretch` names what the whole of a part is called in readings. With `accepted`, a reason and
    who gave it, the runs are let in at once. All or nothing is kept.
    """
    with transaction.atomic(), _Storing() as storing:
        reader = reader_of(log)
        runs: dict[int, Run] = {}
        streams: dict[tuple[int, str], _Stream] = {}
        places = iter(range(10**6))
        for piece in reader.pieces():
            wanted = variants[piece.part] if piece.part < len(variants) else -1
            if wanted < 0:
                continue
            if piece.part not in runs:
                runs[piece.part] = _run(log, wanted, next(places), accepted)
            if not piece.stream:
                continue
            key = piece.part, piece.stream
            if key not in streams:
                streams[key] = _Stream(
                    storing, runs[piece.part].pk, piece.stream, in_ticks=reader.in_ticks
                )
            streams[key].take(piece.instants, piece.values)
        for stream in streams.values():
            stream.store(whole=True)
        log.summary = {**log.summary, **_counted(reader)}
        for part, run in runs.items():
            journal = _journal(reader, part, stretch)
            _Stream(storing, run.pk, "journal").entries(journal)
            _describe(run, log, reader, part, journal)
        storing.finish()
        if not runs:
            raise NotALog("no part of it was chosen to be kept, or none has a sample")
        return [run.pk for run in runs.values()]


def _counted(reader: LogReader | RecordReader) -> dict[str, int]:
    """How many rows were read, and how many lines could not be."""
    if isinstance(reader, RecordReader):
        return {"rows": reader.rows, "broken": len(reader.broken)}
    return {"rows": reader.summary.rows, "broken": reader.summary.broken}


def _run(log: LogFile, variant: int, place: int, accepted: str) -> Run:
    """A run of its own round: those brought in take no turns with others."""
    study = log.study
    least = study.runs.aggregate(least=Min("round"))["least"] or 0
    run: Run = study.runs.create(
        variant=study.study_variants.get(position=variant), script=study.script,
        round=min(least, 0) - 1, order_in_round=place, state="running", origin=BROUGHT_IN,
        left_out="" if accepted else KEPT_APART, acceptance_reason=accepted, started=log.created,
    )  # fmt: skip
    return run


def _journal(reader: LogReader | RecordReader, number: int, stretch: list[str]) -> list[Entry]:
    if isinstance(reader, RecordReader):
        return reader.journal
    part = reader.summary.parts[number]
    end = part.end_ns - part.start_ns
    entries: list[Entry] = [{"kind": "mark", "at": at, "name": name} for at, name in part.marks]
    entries += [
        {"kind": "time", "at": stop, "path": [stretch[0], name or stretch[-1]], "start": start,
         "end": stop}
        for name, start, stop in part.timings
    ]  # fmt: skip
    whole = [(stretch[0], 0, end)] if not part.steps else part.steps
    if len(part.timings) > 1 and reader.mapping.results:
        whole = []  # timings of one run say nothing of how long all of it took
    for name, start, stop in whole:
        entries.append({"kind": "step", "at": stop, "path": [name], "start": start, "end": stop})
        if part.frames:
            path = [name, *stretch[1:]] if len(stretch) > 1 else [name, "frames"]
            entries.append(
                {"kind": "frames", "at": stop, "path": path, "start": start, "end": stop}
            )
    for place, stream in streams_of(reader.mapping).items():
        column = reader.mapping.columns[place]
        if stream.startswith("log."):
            entries.append(
                {"kind": "column", "at": 0, "stream": stream, "name": column.name,
                 "unit": column.unit}
            )  # fmt: skip
    entries.append({"kind": "outcome", "at": end, "outcome": "finished", "detail": ""})
    return entries


def _describe(
    run: Run, log: LogFile, reader: LogReader | RecordReader, part: int,
    journal: list[Entry],
) -> None:  # fmt: skip
    """What is said of where a run came from, and that it is whole."""
    facts = next((e["facts"] for e in journal if e["kind"] == "facts" and "facts" in e), None)
    outcome = [entry for entry in journal if entry["kind"] == "outcome"]
    mapping: Mapping = reader.mapping
    name, line = "", 1
    if isinstance(reader, LogReader):
        name, line = reader.summary.parts[part].name, reader.summary.parts[part].first_line
    run.import_source = {
        "file": log.name, "sha256": log.sha256, "size": log.size, "by": log.by,
        "part": name, "first_line": line, "mapping": mapping.as_dict(),
        "broken": log.summary["broken"],
        "machine": facts,
        "unknown": [] if facts else UNKNOWN,
        **(accepted_now() if run.acceptance_reason else {}),
    }  # fmt: skip
    run.state, run.ended = "measured", timezone.now()
    run.outcome = outcome[-1]["outcome"] if outcome else "finished"
    run.detail = str(outcome[-1].get("detail", "")) if outcome else ""
    run.save()


#: What no log says of the machine it was taken on.
UNKNOWN = [
    "processor", "memory", "system", "display", "what else was running", "what the session was",
]  # fmt: skip
