"""Smallest and largest frame time of every 128 frames, kept beside each chunk.

A plot of any stretch is drawn from these, so that no spike vanishes at any zoom.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.streams.chunk import TICK_NS, Head

SAMPLES_PER_BUCKET = 128
_BUCKET = np.dtype([("end_ns", "<i8"), ("low", "<i4"), ("high", "<i4")])


@dataclass(frozen=True, slots=True)
class Envelope:
    """Buckets in order: where each ends (ns) and its least and greatest frame time (ms)."""

    end_ns: NDArray[np.int64]
    low_ms: NDArray[np.float64]
    high_ms: NDArray[np.float64]


def summarise(head: Head, ticks: NDArray[np.int32]) -> bytes:
    """Packed buckets of a chunk's frame times; the run's first frame, which has none, is left out.

    `ticks`: shape (n,), 100 ns, as decoded from the chunk.
    """
    instants = head.first_ns + np.cumsum(np.r_[0, ticks[1:]].astype(np.int64)) * TICK_NS
    if head.before_ns < 0:
        ticks, instants = ticks[1:], instants[1:]
    if not len(ticks):
        return b""
    starts = np.arange(0, len(ticks), SAMPLES_PER_BUCKET)
    packed = np.empty(len(starts), _BUCKET)
    packed["low"] = np.minimum.reduceat(ticks, starts)
    packed["high"] = np.maximum.reduceat(ticks, starts)
    packed["end_ns"] = instants[np.r_[starts[1:] - 1, len(ticks) - 1]]
    return packed.tobytes()


def unpack(parts: list[bytes]) -> Envelope:
    """The buckets of consecutive chunks as one envelope."""
    packed = np.frombuffer(b"".join(parts), _BUCKET)
    ms = TICK_NS / 1e6
    return Envelope(packed["end_ns"].astype(np.int64), packed["low"] * ms, packed["high"] * ms)


def narrow(envelope: Envelope, most: int) -> Envelope:
    """Join neighbouring buckets until at most `most` remain; min and max stay true."""
    size = len(envelope.end_ns)
    if size <= most:
        return envelope
    starts = np.linspace(0, size, most + 1).astype(np.int64)[:-1]
    ends = np.r_[starts[1:] - 1, size - 1]
    return Envelope(
        envelope.end_ns[ends],
        np.minimum.reduceat(envelope.low_ms, starts),
        np.maximum.reduceat(envelope.high_ms, starts),
    )
