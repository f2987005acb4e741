"""Sends a spooled run: each chunk once it is full, the rest at the end, then the seal.

What has been accepted is remembered in `sent.jsonl`, a line a chunk, so that any interruption, of
the network, of the server or of this process, only makes it go on later.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

from yardstick_agent.client import Client
from yardstick_agent.spool.reader import SpooledChunk, SpoolReader
from yardstick_core.record import from_journal


class Sender:
    """Sends one run's folder; `send` may be called again and again."""

    def __init__(self, client: Client, run: int, folder: Path) -> None:
        self.client, self.run, self.folder = client, run, folder
        self.reader = SpoolReader(folder)
        self._file = folder / "sent.jsonl"
        self.sent: dict[str, list[dict[str, Any]]] = {}
        if self._file.exists():
            for line in self._file.read_text().split("\n")[:-1]:
                chunk = json.loads(line)
                self.sent.setdefault(chunk.pop("stream"), []).append(chunk)

    def send(self, *, finished: bool) -> int:
        """Send what is ready; how many chunks were. Raises ServerAway, ServerRefused."""
        count = 0
        for stream in self.reader.streams():
            done = self.sent.setdefault(stream, [])
            item = done[-1]["next_item"] if done else 0
            for part in self.reader.chunks(stream, len(done), item, finished=finished):
                self._put(part)
                done.append(self._remember(part))
                count += 1
        return count

    def seal(self) -> None:
        """Send everything that is left and seal the run with counts and checksums."""
        self.send(finished=True)
        for picture in sorted((self.folder / "pictures").glob("*.png")):
            self.client.put_picture(self.run, picture.stem, picture.read_bytes())
        record = from_journal(self.reader.journal())
        body = {
            "streams": {
                stream: {
                    "chunks": len(parts),
                    "samples": sum(part["samples"] for part in parts),
                    "sha256": hashlib.sha256(
                        "".join(part["sha256"] for part in parts).encode()
                    ).hexdigest(),
                }
                for stream, parts in self.sent.items()
                if parts
            },
            "outcome": record.outcome,
            "detail": record.detail,
            "facts": self._facts(),
        }
        missing = self.client.seal(self.run, body)
        if missing:
            self._send_again(missing)
            missing = self.client.seal(self.run, body)
        if missing:
            raise RuntimeError(f"the server keeps missing {len(missing)} chunks of run {self.run}")
        (self.folder / "sealed").touch()

    def _facts(self) -> dict[str, Any]:
        for entry in self.reader.journal():
            if entry["kind"] == "facts":
                return dict(entry["facts"])
        return {}

    def _send_again(self, missing: list[tuple[str, int]]) -> None:
        for stream, sequence in missing:
            item = self.sent[stream][sequence - 1]["next_item"] if sequence else 0
            parts = self.reader.chunks(stream, sequence, item, finished=True)
            self._put(next(parts))

    def _put(self, part: SpooledChunk) -> None:
        self.client.put_chunk(self.run, part.stream, part.sequence, part.data, part.sha256)

    def _remember(self, part: SpooledChunk) -> dict[str, Any]:
        kept = {"sha256": part.sha256, "samples": part.samples, "next_item": part.next_item}
        with open(self._file, "a", encoding="utf-8") as file:
            file.write(json.dumps({"stream": part.stream, **kept}) + "\n")
        return kept
