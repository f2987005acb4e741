"""Cuts a spooled record into chunks, always at the same places, and joins it to a run."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from yardstick_core.keepable import mended
from yardstick_core.record import RunRecord, join
from yardstick_core.streams import chunk
from yardstick_core.streams.entries import LATEST_NS, Entry, check_entry

LONGEST_GAP_NS = 200_000_000_000
SAMPLES_PER_COUNTER_CHUNK = 200
FRAMES_PER_CHUNK = 2_048
ENTRIES_PER_CHUNK = 500
_SAMPLE = np.dtype([("at", "<i8"), ("value", "<f8")])


@dataclass(frozen=True, slots=True)
class SpooledChunk:
    """One chunk ready to send; `next_item` is where the following one begins."""

    stream: str
    sequence: int
    data: bytes
    samples: int
    next_item: int

    @property
    def sha256(self) -> str:
        return hashlib.sha256(self.data).hexdigest()


class SpoolReader:
    """Reads what a SpoolWriter wrote, also while it is still being written."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def streams(self) -> list[str]:
        counters = sorted(path.stem for path in (self.folder / "counters").glob("*.raw"))
        return ["journal", "frames", *counters]

    def chunks(
        self, stream: str, sequence: int, item: int, *, finished: bool
    ) -> Iterator[SpooledChunk]:
        """Chunks of a stream from `item` on; a part-filled last one only when it is finished."""
        if stream == "journal":
            yield from self._journal(sequence, item, finished)
        elif stream == "frames":
            yield from self._frames(sequence, item, finished)
        else:
            yield from self._counter(stream, sequence, item, finished)

    def _journal(self, sequence: int, item: int, finished: bool) -> Iterator[SpooledChunk]:
        """Here an item is a byte of the file: the journal is read on from where it was left."""
        lines = self._read("journal.jsonl", item).split(b"\n")[:-1]
        while len(lines) >= ENTRIES_PER_CHUNK or (finished and lines):
            part, lines = lines[:ENTRIES_PER_CHUNK], lines[ENTRIES_PER_CHUNK:]
            item += sum(len(line) + 1 for line in part)
            entries = _entries(part)
            if entries:
                data = chunk.encode_journal(entries)
                yield SpooledChunk("journal", sequence, data, len(entries), item)
                sequence += 1

    def _frames(self, sequence: int, item: int, finished: bool) -> Iterator[SpooledChunk]:
        first = max(0, item - 1)
        instants = self._raw("frames.raw", np.dtype("<i8"), first).astype(np.int64)
        before = int(instants[0]) if item else chunk.NO_FRAME
        instants = instants[item - first :]
        while len(instants) >= FRAMES_PER_CHUNK or (finished and len(instants)):
            part = instants[:FRAMES_PER_CHUNK]
            wide = np.flatnonzero(np.diff(part) > LONGEST_GAP_NS)
            if len(wide):
                part = part[: wide[0] + 1]
            instants = instants[len(part) :]
            item += len(part)
            _check_instants(part)
            data = chunk.encode_frames(part, before)
            before = int(part[-1])
            yield SpooledChunk("frames", sequence, data, len(part), item)
            sequence += 1

    def _counter(
        self, stream: str, sequence: int, item: int, finished: bool
    ) -> Iterator[SpooledChunk]:
        samples = self._raw(f"counters/{stream}.raw", _SAMPLE, item)
        while len(samples) >= SAMPLES_PER_COUNTER_CHUNK or (finished and len(samples)):
            part = samples[:SAMPLES_PER_COUNTER_CHUNK]
            samples = samples[len(part) :]
            item += len(part)
            _check_instants(part["at"])
            if not np.isfinite(part["value"]).all():
                raise chunk.ChunkError("it holds values that are no numbers")
            data = chunk.encode_counter(part["at"].astype(np.int64), part["value"])
            yield SpooledChunk(stream, sequence, data, len(part), item)
            sequence += 1

    def set_aside(self, stream: str) -> None:
        """Keep the file of a damaged stream under another name, so that the others can be sent."""
        name = "frames.raw" if stream == "frames" else f"counters/{stream}.raw"
        file = self.folder / name
        if file.exists():
            file.rename(file.with_name(f"{file.name}.damaged"))

    def _read(self, name: str, start: int) -> bytes:
        """What stands in a file from a byte on; nothing where there is no such file yet."""
        try:
            with open(self.folder / name, "rb") as file:
                file.seek(start)
                return file.read()
        except FileNotFoundError:
            return b""

    def _raw(self, name: str, dtype: np.dtype[Any], first: int) -> Any:
        data = self._read(name, first * dtype.itemsize)
        return np.frombuffer(data[: len(data) - len(data) % dtype.itemsize], dtype)

    def journal(self) -> list[Entry]:
        """Whole journal entries; a torn last line, left by a sudden end, is passed over."""
        return _entries(self._read("journal.jsonl", 0).split(b"\n")[:-1])

    def run(self) -> RunRecord:
        """The whole run, through the same chunks that are sent."""
        return join(
            {
                stream: [part.data for part in self.chunks(stream, 0, 0, finished=True)]
                for stream in self.streams()
            }
        )


def _check_instants(instants: Any) -> None:
    """Raises ChunkError for instants that no run of ours has."""
    late = (instants < -LATEST_NS) | (instants > LATEST_NS)
    if late.any() or (np.diff(instants) < 0).any():
        raise chunk.ChunkError("its instants do not follow one another")


def _entries(lines: list[bytes]) -> list[Entry]:
    """Journal entries of whole lines; one that is torn or damaged is passed over."""
    entries: list[Entry] = []
    for line in lines:
        try:
            entry = mended(json.loads(line))
            check_entry(entry if isinstance(entry, dict) else {})
        except (ValueError, RecursionError):
            continue
        entries.append(entry)
    return entries
