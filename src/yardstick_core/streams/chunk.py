"""Packs samples of a stream into chunks and back.

A chunk is a 32-byte head and a zstd body:

    magic   4 bytes   "NYC1"
    kind    u8        1 frames · 2 counter · 3 journal
    unused  3 bytes
    count   u32       samples in the chunk
    before  i64       frames: instant of the last frame before this chunk, -1 for none
    first   i64       instant of the first sample
    length  u32       bytes of the body before compression

Instants are nanoseconds since the start of the run; within a chunk they are kept as
differences in ticks of 100 ns, the bytes grouped by significance.
"""

from __future__ import annotations

import json
import struct
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, cast

import numpy as np
import zstandard
from numpy.typing import NDArray

if TYPE_CHECKING:
    from yardstick_core.streams.entries import Entry

TICK_NS = 100
NO_FRAME = -1
MOST_BODY_BYTES = 16 * 1024 * 1024
#: Beyond a small body, a chunk unpacks to at most so many times its own size.
SMALL_BODY_BYTES, MOST_RATIO = 1024 * 1024, 100

_HEAD = struct.Struct("<4sB3xIqqI")
_MAGIC = b"NYC1"
_FRAMES, _COUNTER, _JOURNAL = 1, 2, 3
KINDS = {_FRAMES: "frames", _COUNTER: "counter", _JOURNAL: "journal"}
_LONGEST_TICKS = np.iinfo(np.int32).max

Instants = NDArray[np.int64]
Values = NDArray[np.float64]


class ChunkError(ValueError):
    """The bytes are not a chunk of ours, or are damaged."""


@dataclass(frozen=True, slots=True)
class Head:
    kind: str
    count: int
    before_ns: int
    first_ns: int
    length: int


def differences(values: NDArray[Any], before: float) -> NDArray[Any]:
    """What each value, shape (n,), is above the one before it; the first one above `before`.

    `np.diff` with a value in front takes ten times as long: it joins both to a new array first.
    """
    found = np.empty_like(values)
    np.subtract(values[1:], values[:-1], out=found[1:])
    found[:1] = values[:1] - before
    return found


def _group(array: NDArray[Any], room: NDArray[np.uint8]) -> None:
    """Lay the bytes of numbers by significance into `room`: (m, n) of k bytes become (m, k, n)."""
    flat = np.ascontiguousarray(array)
    room[:] = flat.view(np.uint8).reshape(*flat.shape, flat.itemsize).swapaxes(1, 2)


def _unshuffle(data: bytes, dtype: str, count: int) -> NDArray[Any]:
    kind = np.dtype(dtype)
    if len(data) != count * kind.itemsize:
        raise ChunkError(f"{len(data)} bytes do not hold {count} samples of {kind.itemsize} bytes")
    grouped = np.frombuffer(data, np.uint8).reshape(kind.itemsize, count)
    return np.ascontiguousarray(grouped.T).view(kind).reshape(count)


def _pack(kind: int, count: int, before_ns: int, first_ns: int, body: bytes | memoryview) -> bytes:
    head = _HEAD.pack(_MAGIC, kind, count, before_ns, first_ns, len(body))
    return head + _compressor().compress(body)


def read_head(data: bytes) -> Head:
    """Head of a chunk. Raises ChunkError where the bytes are no chunk."""
    if len(data) < _HEAD.size:
        raise ChunkError("too short to be a chunk")
    magic, kind, count, before, first, length = _HEAD.unpack_from(data)
    if magic != _MAGIC or kind not in KINDS:
        raise ChunkError("these bytes are not a chunk")
    if length > MOST_BODY_BYTES:
        raise ChunkError(f"a chunk of {length} bytes is larger than {MOST_BODY_BYTES}")
    if length > max(SMALL_BODY_BYTES, MOST_RATIO * len(data)):
        raise ChunkError(f"a chunk of {len(data)} bytes says it holds {length}")
    return Head(KINDS[kind], count, before, first, length)


_of_thread = threading.local()


def _compressor() -> zstandard.ZstdCompressor:
    if not hasattr(_of_thread, "packs"):
        # of samples, higher levels save a hundredth and take half as long again
        _of_thread.packs = zstandard.ZstdCompressor(level=1)
    packs: zstandard.ZstdCompressor = _of_thread.packs
    return packs


def _decompressor() -> zstandard.ZstdDecompressor:
    """One for each thread: making one takes longer than unpacking a small chunk."""
    if not hasattr(_of_thread, "made"):
        _of_thread.made = zstandard.ZstdDecompressor()
    made: zstandard.ZstdDecompressor = _of_thread.made
    return made


def _body(data: bytes, kind: str) -> tuple[Head, bytes]:
    head = read_head(data)
    if head.kind != kind:
        raise ChunkError(f"a chunk of {head.kind}, where one of {kind} was expected")
    try:
        body = _decompressor().decompress(data[_HEAD.size :], max_output_size=max(head.length, 1))
    except zstandard.ZstdError as error:
        raise ChunkError(f"the chunk is damaged: {error}") from error
    if len(body) != head.length:
        raise ChunkError("the chunk is damaged: its length is wrong")
    return head, body


def encode_frames(instants_ns: Instants, before_ns: int = NO_FRAME) -> bytes:
    """Pack presentation instants, shape (n,), ns, ascending; n ≥ 1."""
    return encode_frames_of(instants_ns, len(instants_ns), before_ns)[0]


def encode_frames_of(instants_ns: Instants, samples: int, before_ns: int = NO_FRAME) -> list[bytes]:
    """Pack presentation instants as `encode_frames` does, into chunks of so many each.

    Threads that pack many at once wait less for one another. `samples` parts the instants evenly.
    """
    instants = instants_ns.reshape(-1, samples)
    befores = [before_ns, *instants[:-1, -1].tolist()]
    ticks = differences(instants_ns // TICK_NS, 0).reshape(-1, samples)
    ticks[0, 0] = 0 if before_ns == NO_FRAME else (instants_ns[0] - before_ns) // TICK_NS
    ticks[:, 0] = np.minimum(ticks[:, 0], _LONGEST_TICKS)
    if ticks.max(initial=0) > _LONGEST_TICKS:
        raise ChunkError("two frames more than 214 s apart must not share a chunk")
    bodies = np.empty((len(ticks), 4, samples), np.uint8)
    _group(ticks.astype("<i4"), bodies)
    return [
        _pack(_FRAMES, samples, before, first, body.ravel().data)
        for before, first, body in zip(befores, instants[:, 0].tolist(), bodies, strict=True)
    ]


def decode_frame_ticks(data: bytes) -> tuple[Head, NDArray[np.int32]]:
    """Head and frame times of a chunk, shape (n,), in ticks of 100 ns.

    The first frame of a run has no frame time; its tick is 0.
    """
    head, body = _body(data, "frames")
    return head, _unshuffle(body, "<i4", head.count)


def frame_instants(head: Head, ticks: NDArray[np.int32]) -> Instants:
    """Presentation instants, shape (n,), ns, of a decoded chunk."""
    steps = ticks.astype(np.int64)
    steps[:1] = 0
    return head.first_ns + np.cumsum(steps) * TICK_NS


def decode_frames(data: bytes) -> Instants:
    """Presentation instants of a packed chunk, shape (n,), ns, to 100 ns."""
    return frame_instants(*decode_frame_ticks(data))


def encode_counter(instants_ns: Instants, values: Values) -> bytes:
    """Pack samples of one counter: instants (n,), ns, and values (n,), n ≥ 1."""
    return encode_counter_of(instants_ns, values, len(instants_ns))[0]


def encode_counter_of(instants_ns: Instants, values: Values, samples: int) -> list[bytes]:
    """Pack samples of one counter as `encode_counter` does, into chunks of so many each."""
    instants = instants_ns.reshape(-1, samples)
    ticks = differences(instants_ns // TICK_NS, 0).reshape(-1, samples)
    ticks[:, 0] = 0
    bodies = np.zeros((len(ticks), 16, samples), np.uint8)
    if ticks.min() >= 0 and ticks.max() <= _LONGEST_TICKS:  # as nearly always: half the work
        _group(ticks.astype("<u4"), bodies[:, :4])
    else:
        _group(ticks.astype("<i8"), bodies[:, :8])
    _group(np.asarray(values, "<f8").reshape(-1, samples), bodies[:, 8:])
    return [
        _pack(_COUNTER, samples, NO_FRAME, first, body.ravel().data)
        for first, body in zip(instants[:, 0].tolist(), bodies, strict=True)
    ]


def decode_counter(data: bytes) -> tuple[Instants, Values]:
    """Instants (n,), ns, and values (n,) of a packed counter chunk."""
    head, body = _body(data, "counter")
    if len(body) != 16 * head.count:
        raise ChunkError("the chunk is damaged: its length does not fit its count")
    ticks = _unshuffle(body[: 8 * head.count], "<i8", head.count)
    values = _unshuffle(body[8 * head.count :], "<f8", head.count)
    return head.first_ns + np.cumsum(ticks) * TICK_NS, values


def decode_counters(parts: Sequence[bytes]) -> tuple[Instants, Values]:
    """Instants (n,), ns, and values (n,) of consecutive chunks of one counter, n ≥ 0."""
    groups, size = _alike(parts)
    instants, values = np.empty(size, np.int64), np.empty(size)
    for heads, target, grouped, count in groups:
        numbers = np.ascontiguousarray(grouped.reshape(-1, 2, 8, count).swapaxes(2, 3))
        ticks = numbers[:, 0].reshape(-1, 8 * count).view("<i8")
        firsts = np.array([head.first_ns for head in heads], np.int64)
        instants[target] = (firsts[:, None] + np.cumsum(ticks, axis=1) * TICK_NS).ravel()
        values[target] = numbers[:, 1].reshape(-1, 8 * count).view("<f8").ravel()
    return instants, values


def decode_all_frames(parts: Sequence[bytes]) -> Instants:
    """Presentation instants (n,), ns, to 100 ns, of consecutive chunks of frames, n ≥ 0."""
    return np.concatenate([np.empty(0, np.int64), *map(decode_frames, parts)])


_Group = tuple[list[Head], NDArray[np.int64], NDArray[np.uint8], int]


def _alike(parts: Sequence[bytes]) -> tuple[list[_Group], int]:
    """Unpacked chunks of a counter, those of the same count together, and the count of all samples.

    Of each group: the heads, where its samples belong, its bytes, and samples a chunk. Many small
    chunks are taken apart so several times quicker than one by one.
    """
    bodies = [_body(data, "counter") for data in parts]
    counts = np.array([head.count for head, _ in bodies], np.int64)
    places = np.append(0, np.cumsum(counts))
    groups = []
    for count in np.unique(counts[counts > 0]).tolist():
        alike = np.flatnonzero(counts == count)
        chosen = [bodies[place] for place in alike.tolist()]
        if any(len(body) != 16 * count for _, body in chosen):
            raise ChunkError("the chunk is damaged: its length does not fit its count")
        joined = np.frombuffer(b"".join(body for _, body in chosen), np.uint8)
        target = (places[alike][:, None] + np.arange(count)).ravel()
        groups.append(([head for head, _ in chosen], target, joined, count))
    return groups, int(places[-1])


def encode_journal(entries: Sequence[Entry]) -> bytes:
    """Pack journal entries, each a JSON object with `at` in ns; at least one."""
    lines = "\n".join(json.dumps(entry, ensure_ascii=False) for entry in entries)
    first = int(entries[0]["at"])
    return _pack(_JOURNAL, len(entries), NO_FRAME, first, lines.encode())


def decode_journal(data: bytes) -> list[Entry]:
    """Journal entries of a packed chunk. Raises ChunkError where they are not JSON objects.

    Whether each is what its kind promises, `entries.check_entry` tells where they come in.
    """
    head, body = _body(data, "journal")
    try:
        entries = [json.loads(line) for line in body.decode().split("\n")]
    except ValueError as error:
        raise ChunkError(f"the journal cannot be read: {error}") from error
    if len(entries) != head.count or not all(isinstance(entry, dict) for entry in entries):
        raise ChunkError("the journal does not hold what its head says")
    return cast("list[Entry]", entries)
