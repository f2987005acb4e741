"""Simulated agents and watchers for `bench fleet`: they speak the protocol, and measure nothing."""

from __future__ import annotations

import asyncio
import hashlib
import json
import time
from dataclasses import dataclass, field

import httpx
import numpy as np

from yardstick_core.streams import chunk
from yardstick_core.streams.batch import Piece, pack

FRAMES_A_SECOND, FRAMES_A_CHUNK = 144, 2048
COUNTERS, SAMPLES_A_SECOND, SAMPLES_A_CHUNK = 20, 20, 200
SECOND = 1_000_000_000
AWAY_S = 2.0


@dataclass
class Counted:
    """What all simulated agents and watchers saw: seconds each request took, samples sent.

    `ending_s` are those of the end, when all agents send what is left and seal at the same time.
    """

    chunks_s: list[float] = field(default_factory=list)
    ending_s: list[float] = field(default_factory=list)
    beats_s: list[float] = field(default_factory=list)
    events_s: list[float] = field(default_factory=list)
    samples: int = 0
    again: int = 0


class Simulated:
    """One agent: takes a run, sends made-up frames and counters as time goes by, seals."""

    def __init__(
        self, http: httpx.AsyncClient, token: str, counted: Counted, seconds: float, seed: int
    ) -> None:
        self.http, self.counted, self.seconds = http, counted, seconds
        self.headers = {"Authorization": f"Rig {token}"}
        self.random = np.random.default_rng(seed)
        self.sent: dict[str, list[tuple[str, int]]] = {}
        self.frames = self.beats = 0
        self.counters = 0

    async def run(self, after: float) -> None:
        await asyncio.sleep(after)
        answer = await self._ask("POST", "/api/agent/runs/take", self.counted.beats_s)
        self.number = answer.json()["run"]
        self.began = time.monotonic()
        await asyncio.gather(self._beat(), self._send())
        await self._put(self._ready(self.seconds, whole=False), self.counted.ending_s)
        await self._put(self._journal(), self.counted.ending_s)
        await self._seal()

    async def _beat(self) -> None:
        again = 0.5
        while (elapsed := time.monotonic() - self.began) < self.seconds:
            beats = [[int(elapsed * 20) + n, 7, 8.1] for n in range(10)]
            progress = {
                "elapsed_ns": int(elapsed * SECOND), "step": "Work", "position": 1,
                "operations": 3, "beats": beats, "processor_seconds": elapsed, "sent": time.time(),
                "resident": 5e7,
            }  # fmt: skip
            answer = await self._ask(
                "POST", f"/api/agent/runs/{self.number}/heartbeat", self.counted.beats_s,
                json={"progress": progress},
            )  # fmt: skip
            again = float(answer.json()["again_s"])
            await asyncio.sleep(again)

    async def _send(self) -> None:
        """Send chunks as soon as they are full."""
        while (elapsed := time.monotonic() - self.began) < self.seconds:
            await self._put(self._ready(elapsed, whole=True), self.counted.chunks_s)
            await asyncio.sleep(1)

    def _ready(self, elapsed: float, *, whole: bool) -> list[Piece]:
        pieces = []
        due = int(elapsed * FRAMES_A_SECOND)
        while due - self.frames >= (FRAMES_A_CHUNK if whole else 1):
            count = min(FRAMES_A_CHUNK, due - self.frames)
            numbers = np.arange(self.frames, self.frames + count)
            wavering = self.random.integers(0, 400_000, count)
            at = numbers * SECOND // FRAMES_A_SECOND + wavering
            before = -1 if self.frames == 0 else int(self.last)
            before = chunk.NO_FRAME if before < 0 else before
            pieces.append(self._piece("frames", chunk.encode_frames(at, before), count))
            self.frames, self.last = self.frames + count, at[-1]
        due = int(elapsed * SAMPLES_A_SECOND)
        while due - self.counters >= (SAMPLES_A_CHUNK if whole else 1):
            count = min(SAMPLES_A_CHUNK, due - self.counters)
            at = np.arange(self.counters, self.counters + count) * (SECOND // SAMPLES_A_SECOND)
            for n in range(COUNTERS):
                values = self.random.normal(5e7, 1e5, count).round()
                name = f"simulated.{n}"
                pieces.append(self._piece(name, chunk.encode_counter(at, values), count))
            self.counters += count
        return pieces

    def _journal(self) -> list[Piece]:
        end = int(self.seconds * SECOND)
        entries = [
            {"kind": "frames", "at": end, "path": ["Work", "work"], "start": 0, "end": end},
            {"kind": "step", "at": end, "path": ["Work"], "start": 0, "end": end},
            {"kind": "outcome", "at": end, "outcome": "finished", "detail": ""},
        ]
        return [self._piece("journal", chunk.encode_journal(entries), len(entries))]

    def _piece(self, stream: str, data: bytes, count: int) -> Piece:
        sha256 = hashlib.sha256(data).hexdigest()
        known = self.sent.setdefault(stream, [])
        known.append((sha256, count))
        self.counted.samples += count
        return Piece(stream, len(known) - 1, sha256, data)

    async def _put(self, pieces: list[Piece], took: list[float]) -> None:
        if pieces:
            url = f"/api/agent/runs/{self.number}/chunks"
            kind = {"Content-Type": "application/octet-stream"}
            await self._ask("POST", url, took, content=pack(pieces), headers=kind)

    async def _seal(self) -> None:
        streams = {
            stream: {
                "chunks": len(parts),
                "samples": sum(count for _, count in parts),
                "sha256": hashlib.sha256("".join(s for s, _ in parts).encode()).hexdigest(),
            }
            for stream, parts in self.sent.items()
        }
        body = {"streams": streams, "outcome": "finished", "detail": "", "facts": {"cores": 2}}
        url = f"/api/agent/runs/{self.number}/seal"
        answer = await self._ask("POST", url, self.counted.ending_s, json=body)
        assert answer.json() == {"sealed": True}, answer.text

    async def _ask(self, method: str, url: str, took: list[float], **more) -> httpx.Response:  # type: ignore[no-untyped-def]
        """Ask as a real agent does: what cannot be answered now is sent again later."""
        headers = {**self.headers, **more.pop("headers", {})}
        while True:
            began = time.perf_counter()
            try:
                answer = await self.http.request(method, url, headers=headers, **more)
            except httpx.HTTPError:
                self.counted.again += 1
                await asyncio.sleep(AWAY_S)
                continue
            if answer.status_code >= 500 or answer.status_code == 429:
                self.counted.again += 1
                await asyncio.sleep(AWAY_S)
                continue
            answer.raise_for_status()
            took.append(time.perf_counter() - began)
            return answer


async def watch(port: int, session: str, counted: Counted) -> None:
    """Follow the live events as a browser does, and note how old each is when it comes."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port, limit=2**20)
    writer.write(
        f"GET /events HTTP/1.1\r\nHost: 127.0.0.1\r\nCookie: sessionid={session}\r\n\r\n".encode()
    )
    try:
        while line := await reader.readline():
            if line.startswith(b"data: "):
                told = json.loads(line[6:])
                if "sent" in told.get("progress", {}):
                    counted.events_s.append(time.time() - told["progress"]["sent"])
    finally:
        writer.close()
