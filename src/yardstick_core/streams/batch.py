"""Several chunks of a run in one message: fewer requests, the same checks of each."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from typing import NamedTuple

from yardstick_core.streams.chunk import ChunkError

MAGIC = b"YB1\n"
MOST_CHUNKS = 1000
#: Of each chunk: length of the stream's name, sequence, length of the data, SHA-256 of it.
_HEAD = struct.Struct("<HII32s")


class Piece(NamedTuple):
    """One chunk in a message, with its place and the checksum its sender worked out."""

    stream: str
    sequence: int
    sha256: str
    data: bytes


def pack(pieces: Iterable[Piece]) -> bytes:
    """One message of some chunks, in their order."""
    parts = [MAGIC]
    for piece in pieces:
        name = piece.stream.encode("ascii")
        head = _HEAD.pack(len(name), piece.sequence, len(piece.data), bytes.fromhex(piece.sha256))
        parts += [head, name, piece.data]
    return b"".join(parts)


def unpack(message: bytes) -> list[Piece]:
    """The chunks of a message. Raises ChunkError where it is torn or holds something else."""
    if not message.startswith(MAGIC):
        raise ChunkError("this is no message of chunks")
    found: list[Piece] = []
    place = len(MAGIC)
    while place < len(message):
        if len(found) == MOST_CHUNKS:
            raise ChunkError(f"a message holds at most {MOST_CHUNKS} chunks")
        try:
            length, sequence, size, digest = _HEAD.unpack_from(message, place)
        except struct.error:
            raise ChunkError("the message ends within the head of a chunk") from None
        place += _HEAD.size
        end = place + length + size
        if end > len(message):
            raise ChunkError("the message ends within a chunk")
        try:
            stream = message[place : place + length].decode("ascii")
        except UnicodeDecodeError:
            raise ChunkError("the name of a stream is plain letters") from None
        found.append(Piece(stream, sequence, digest.hex(), message[place + length : end]))
        place = end
    return found
