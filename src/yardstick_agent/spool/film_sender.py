"""Sends the film of a run: as it grows, and to its end once the run has ended."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

from yardstick_agent.client import Client, ServerRefused
from yardstick_agent.filming import ABOUT, FILM

#: While the run is under way, less is not worth a message.
LEAST_BYTES = 256 * 1024
MOST_TIMES = 3


class FilmSender:
    """Sends `film.mp4`, where there is one; the server says how much of it it has.

    `lost` says why the server did not take it. The run's record goes without it then.
    """

    def __init__(self, client: Client, run: int, folder: Path) -> None:
        self.client, self.run = client, run
        self.file, self.about = folder / FILM, folder / ABOUT
        self.held: int | None = None
        self.lost = ""

    def send(self, least: int = LEAST_BYTES) -> None:
        """Send what is there, unless it is less than so many bytes."""
        if self.lost or not self.about.exists() or not self.file.exists():
            return
        try:
            if self.held is None:
                self.held = self.client.put_film(self.run, 0, b"")
            with self.file.open("rb") as file:
                while self.file.stat().st_size - self.held >= least:
                    file.seek(self.held)
                    piece = file.read(self.client.most_bytes)
                    if not piece:
                        return
                    held = self.client.put_film(self.run, self.held, piece)
                    if held == self.held:
                        raise ServerRefused(409, "the server does not keep what it is sent")
                    self.held = held
        except ServerRefused as refused:
            self.lost = str(refused)

    def finish(self, *, wanted: bool = False) -> None:
        """Send what is left and say that it is whole; `wanted` where the run was to be filmed."""
        if wanted and not self.about.exists():
            self.lost = "nothing was recorded"
        for _ in range(MOST_TIMES):
            self.send(least=1)
            if self.lost or self.held is None:
                return
            digest = hashlib.sha256()
            with self.file.open("rb") as file:
                while piece := file.read(2**20):
                    digest.update(piece)
            body = {
                "size": self.file.stat().st_size,
                "sha256": digest.hexdigest(),
                "began_ns": int(json.loads(self.about.read_text())["began_ns"]),
            }
            try:
                if self.client.end_film(self.run, body):
                    return
            except ServerRefused as refused:
                self.lost = str(refused)
                return
            self.held = None
        self.lost = "the server keeps taking it for another one"
