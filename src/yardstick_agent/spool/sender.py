"""Sends a spooled run: each chunk once it is full, the rest at the end, then the seal.

What has been accepted is remembered in `sent.jsonl`, a line a chunk, so that any interruption, of
the network, of the server or of this process, only makes it go on later. In memory there is only
how far each stream is: a session of hours has tens of thousands of chunks.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from yardstick_agent.client import Client
from yardstick_agent.spool.film_sender import FilmSender
from yardstick_agent.spool.reader import SpooledChunk, SpoolReader
from yardstick_core.record import from_journal
from yardstick_core.streams.batch import Piece, pack
from yardstick_core.streams.chunk import ChunkError

#: So many chunks go together at most, and so many bytes as the client says.
MOST_TOGETHER = 200


@dataclass(slots=True)
class _Sent:
    """How far a stream has been sent: chunks, samples, where the next chunk begins."""

    chunks: int = 0
    samples: int = 0
    next_item: int = 0


class Sender:
    """Sends one run's folder; `send` may be called again and again."""

    def __init__(self, client: Client, run: int, folder: Path) -> None:
        self.client, self.run, self.folder = client, run, folder
        self.reader = SpoolReader(folder)
        self._file = folder / "sent.jsonl"
        self.sent: dict[str, _Sent] = {}
        #: Streams whose file is damaged, and how; they are set aside and the others sent.
        self.damaged: dict[str, str] = {}
        self.film = FilmSender(client, run, folder)
        for chunk in self._remembered():
            self._count(chunk)
        if self._file.exists() and not self._file.read_bytes().endswith(b"\n"):
            with open(self._file, "a", encoding="utf-8") as file:
                file.write("\n")

    def _remembered(self) -> Iterator[dict[str, Any]]:
        """What stands in sent.jsonl, a chunk at a time; a line torn by a sudden end is passed over:
        its chunk is sent once more, and the server knows it already.
        """
        if not self._file.exists():
            return
        with open(self._file, encoding="utf-8") as file:
            for line in file:
                try:
                    yield json.loads(line)
                except ValueError:
                    continue

    def _count(self, chunk: dict[str, Any]) -> None:
        sent = self.sent.setdefault(chunk["stream"], _Sent())
        sent.chunks += 1
        sent.samples += chunk["samples"]
        sent.next_item = chunk["next_item"]

    def send(self, *, finished: bool) -> int:
        """Send what is ready; how many chunks were. Raises ServerAway, ServerRefused."""
        count, size = 0, 0
        waiting: list[SpooledChunk] = []
        for stream in self.reader.streams():
            done = self.sent.get(stream, _Sent())
            parts = self.reader.chunks(stream, done.chunks, done.next_item, finished=finished)
            for part in self._undamaged(stream, parts):
                if waiting and (
                    size + len(part.data) > self.client.most_bytes or len(waiting) == MOST_TOGETHER
                ):
                    self._put(waiting)
                    waiting, size = [], 0
                waiting.append(part)
                count, size = count + 1, size + len(part.data)
        self._put(waiting)
        if not finished:
            self.film.send()
        return count

    def _undamaged(self, stream: str, parts: Iterator[SpooledChunk]) -> Iterator[SpooledChunk]:
        """Chunks of a stream up to where its file is damaged; the rest of it is set aside."""
        try:
            yield from parts
        except (ChunkError, OverflowError, IndexError) as error:
            self.damaged[stream] = str(error)
            self.reader.set_aside(stream)

    def seal(self) -> None:
        """Send everything that is left and seal the run with counts and checksums."""
        self.send(finished=True)
        for picture in sorted((self.folder / "pictures").glob("*.png")):
            self.client.put_picture(self.run, picture.stem, picture.read_bytes())
        self.film.finish(wanted=self._filmed())
        record = from_journal(self.reader.journal())
        digests = {stream: hashlib.sha256() for stream in self.sent}
        for chunk in self._remembered():
            digests[chunk["stream"]].update(chunk["sha256"].encode())
        body = {
            "streams": {
                stream: {
                    "chunks": sent.chunks,
                    "samples": sent.samples,
                    "sha256": digests[stream].hexdigest(),
                }
                for stream, sent in self.sent.items()
            },
            "outcome": record.outcome,
            "detail": "; ".join([record.detail, *self._losses()]).strip("; "),
            "facts": self._facts(),
        }
        missing = self.client.seal(self.run, body)
        before = None
        while missing and missing != before:
            self._send_again(missing)
            before, missing = missing, self.client.seal(self.run, body)
        if missing:
            raise RuntimeError(f"the server keeps missing {len(missing)} chunks of run {self.run}")
        (self.folder / "sealed").touch()

    def _filmed(self) -> bool:
        """Whether the run was to be filmed."""
        try:
            return bool(json.loads((self.folder / "assignment.json").read_text()).get("film"))
        except (OSError, ValueError):
            return False

    def _losses(self) -> list[str]:
        lost = [f"it has no film: {self.film.lost}"] if self.film.lost else []
        return lost + [
            f"{stream} was damaged on the rig and is left out from there on: {why}"
            for stream, why in self.damaged.items()
        ]

    def _facts(self) -> dict[str, Any]:
        for entry in self.reader.journal():
            if entry["kind"] == "facts":
                return dict(entry["facts"])
        return {}

    def _send_again(self, missing: list[tuple[str, int]]) -> None:
        wanted, places = set(missing), dict.fromkeys(self.sent, (0, 0))
        for chunk in self._remembered():
            stream = chunk["stream"]
            sequence, item = places[stream]
            if (stream, sequence) in wanted:
                parts = self.reader.chunks(stream, sequence, item, finished=True)
                self._send([next(parts)])
            places[stream] = (sequence + 1, chunk["next_item"])

    def _put(self, parts: list[SpooledChunk]) -> None:
        """Send chunks in one message, then remember that they have been accepted."""
        if parts:
            self._send(parts)
            for part in parts:
                self._remember(part)

    def _send(self, parts: list[SpooledChunk]) -> None:
        pieces = [Piece(part.stream, part.sequence, part.sha256, part.data) for part in parts]
        self.client.put_chunks(self.run, pack(pieces))

    def _remember(self, part: SpooledChunk) -> None:
        chunk = {
            "stream": part.stream,
            "sha256": part.sha256,
            "samples": part.samples,
            "next_item": part.next_item,
        }
        with open(self._file, "a", encoding="utf-8") as file:
            file.write(json.dumps(chunk) + "\n")
        self._count(chunk)
