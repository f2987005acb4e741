"""Cuts a spooled record into chunks, always at the same places, and joins it to a run."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from yardstick_core.record import RunRecord, join
from yardstick_core.streams import chunk

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
        entries = self.journal()
        while (left := len(entries) - item) >= ENTRIES_PER_CHUNK or (finished and left > 0):
            part = entries[item : item + ENTRIES_PER_CHUNK]
            item += len(part)
            yield SpooledChunk("journal", sequence, chunk.encode_journal(part), len(part), item)
            sequence += 1

    def _frames(self, sequence: int, item: int, finished: bool) -> Iterator[SpooledChunk]:
        instants = self._raw("frames.raw", np.dtype("<i8"))
        while (left := len(instants) - item) >= FRAMES_PER_CHUNK or (finished and left > 0):
            part = instants[item : item + FRAMES_PER_CHUNK].astype(np.int64)
            wide = np.flatnonzero(np.diff(part) > LONGEST_GAP_NS)
            if len(wide):
                part = part[: wide[0] + 1]
            before = int(instants[item - 1]) if item else chunk.NO_FRAME
            item += len(part)
            data = chunk.encode_frames(part, before)
            yield SpooledChunk("frames", sequence, data, len(part), item)
            sequence += 1

    def _counter(
        self, stream: str, sequence: int, item: int, finished: bool
    ) -> Iterator[SpooledChunk]:
        samples = self._raw(f"counters/{stream}.raw", _SAMPLE)
        step = SAMPLES_PER_COUNTER_CHUNK
        while (left := len(samples) - item) >= step or (finished and left > 0):
            part = samples[item : item + step]
            item += len(part)
            data = chunk.encode_counter(part["at"].astype(np.int64), part["value"])
            yield SpooledChunk(stream, sequence, data, len(part), item)
            sequence += 1

    def _raw(self, name: str, dtype: np.dtype[Any]) -> Any:
        path = self.folder / name
        if not path.exists():
            return np.empty(0, dtype)
        data = path.read_bytes()
        return np.frombuffer(data[: len(data) - len(data) % dtype.itemsize], dtype)

    def journal(self) -> list[dict[str, Any]]:
        """Whole journal entries; a torn last line, left by a sudden end, is passed over."""
        path = self.folder / "journal.jsonl"
        if not path.exists():
            return []
        entries = []
        for line in path.read_bytes().split(b"\n")[:-1]:
            try:
                entries.append(json.loads(line))
            except ValueError:
                continue
        return entries

    def run(self) -> RunRecord:
        """The whole run, through the same chunks that are sent."""
        return join(
            {
                stream: [part.data for part in self.chunks(stream, 0, 0, finished=True)]
                for stream in self.streams()
            }
        )
