"""Simulated agents and watchers for `bench fleet`: they speak the protocol, and measure nothing."""

from __future__ import annotations

import asyncio
import hashlib
import json
import time
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from yardstick_core.streams import chunk
from yardstick_core.streams.batch import Piece, pack

FRAMES_A_SECOND, FRAMES_A_CHUNK = 144, 2048
COUNTERS, SAMPLES_A_SECOND, SAMPLES_A_CHUNK = 20, 20, 200
SECOND = 1_000_000_000
AWAY_S, LEAST_AGAIN_S = 2.0, 0.5
#: How long an answer is waited for, and how long a connection stays usable while nothing is asked.
PATIENCE_S, KEPT_S = 60.0, 1.5
#: All agents have taken their runs by then.
BEGINNING_S = 20.0
JSON, BYTES = "application/json", "application/octet-stream"


@dataclass
class Counted:
    """What all simulated agents and watchers saw: seconds each request took, samples sent.

    `beginning_s` are heartbeats of the first seconds after `began`, when every agent takes its run
    and beats twice a second, `ending_s` all requests of the end, when all send what is left and
    seal at once.
    """

    chunks_s: list[float] = field(default_factory=list)
    beginning_s: list[float] = field(default_factory=list)
    ending_s: list[float] = field(default_factory=list)
    beats_s: list[float] = field(default_factory=list)
    events_s: list[float] = field(default_factory=list)
    began: float = 0.0
    samples: int = 0
    again: int = 0


class Simulated:
    """One agent: takes a run, sends made-up frames and counters as time goes by, seals."""

    def __init__(self, port: int, token: str, counted: Counted, seconds: float, seed: int) -> None:
        self.wire = Wire(port)
        self.token, self.counted, self.seconds = token, counted, seconds
        self.random = np.random.default_rng(seed)
        self.sent: dict[str, list[tuple[str, int]]] = {}
        self.frames = self.beats = 0
        self.counters = 0

    async def run(self, after: float) -> None:
        await asyncio.sleep(after)
        await self.take()
        self.began = time.monotonic()
        await self._stream()
        await self.end()

    async def take(self) -> None:
        answer = await self.ask("POST", "/api/agent/runs/take", self.counted.beginning_s)
        self.number = answer["run"]

    async def end(self) -> None:
        """Send what is left and seal."""
        await self._put(self.ready(self.seconds, whole=False), self.counted.ending_s)
        await self._put(self._journal(), self.counted.ending_s)
        await self._seal()

    async def _stream(self) -> None:
        """As a real agent: after each heartbeat goes what has become full since the one before."""
        while (elapsed := time.monotonic() - self.began) < self.seconds:
            beats = [[int(elapsed * 20) + n, 7, 8.1] for n in range(10)]
            progress = {
                "elapsed_ns": int(elapsed * SECOND), "step": "Work", "position": 1,
                "operations": 3, "beats": beats, "processor_seconds": elapsed, "sent": time.time(),
                "resident": 5e7,
            }  # fmt: skip
            url = f"/api/agent/runs/{self.number}/heartbeat"
            body = {"progress": progress}
            begins = time.monotonic() - self.counted.began < BEGINNING_S
            took = self.counted.beginning_s if begins else self.counted.beats_s
            answer = await self.ask("POST", url, took, body)
            again = float(answer["again_s"])
            elapsed = time.monotonic() - self.began
            await self._put(self.ready(elapsed, whole=True), self.counted.chunks_s)
            await asyncio.sleep(max(LEAST_AGAIN_S, again))

    def ready(self, elapsed: float, *, whole: bool) -> list[Piece]:
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
            await self.ask("POST", url, took, pack(pieces), BYTES)

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
        answer = await self.ask("POST", url, self.counted.ending_s, body)
        assert answer == {"sealed": True}, answer

    async def ask(
        self, method: str, url: str, took: list[float], body: Any = None, kind: str = JSON
    ) -> Any:
        """Ask as a real agent does: what cannot be answered now is sent again later."""
        content = json.dumps(body).encode() if kind == JSON and body is not None else body or b""
        while True:
            began = time.perf_counter()
            try:
                status, answer = await self.wire.ask(method, url, self.token, content, kind)
            except (OSError, EOFError, TimeoutError):
                self.counted.again += 1
                await asyncio.sleep(AWAY_S)
                continue
            if status >= 500 or status == 429:
                self.counted.again += 1
                await asyncio.sleep(AWAY_S)
                continue
            assert status < 400, answer
            took.append(time.perf_counter() - began)
            return json.loads(answer)


class Wire:
    """One lasting connection, a request at a time: a client library's pool of 400 connections
    took more of the machine than the server that is looked at."""

    def __init__(self, port: int) -> None:
        self.port = port
        self.used = 0.0
        self.streams: tuple[asyncio.StreamReader, asyncio.StreamWriter] | None = None

    async def ask(
        self, method: str, url: str, token: str, content: bytes, kind: str
    ) -> tuple[int, bytes]:
        """Status and body. Raises OSError, EOFError or TimeoutError where none came."""
        try:
            async with asyncio.timeout(PATIENCE_S):
                return await self._ask(method, url, token, content, kind)
        except BaseException:
            self.close()
            raise

    async def _ask(
        self, method: str, url: str, token: str, content: bytes, kind: str
    ) -> tuple[int, bytes]:
        if time.monotonic() - self.used > KEPT_S:
            self.close()
        if self.streams is None:
            self.streams = await asyncio.open_connection("127.0.0.1", self.port)
        reader, writer = self.streams
        writer.write(
            f"{method} {url} HTTP/1.1\r\nHost: 127.0.0.1:{self.port}\r\n"
            f"Authorization: Rig {token}\r\nContent-Type: {kind}\r\n"
            f"Content-Length: {len(content)}\r\n\r\n".encode()
            + content
        )
        await writer.drain()
        head = (await reader.readuntil(b"\r\n\r\n")).lower()
        fields = dict(line.split(b": ", 1) for line in head.split(b"\r\n")[1:] if b": " in line)
        body = await reader.readexactly(int(fields.get(b"content-length", b"0")))
        self.used = time.monotonic()
        if fields.get(b"connection") == b"close":
            self.close()
        return int(head.split(b" ", 2)[1]), body

    def close(self) -> None:
        if self.streams is not None:
            self.streams[1].close()
        self.streams = None


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
