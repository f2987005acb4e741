"""A series at several zooms: least, greatest and mean of every so many samples.

Made once from all samples of a run; a plot of any stretch is drawn from the coarsest that still has
enough points, so that no spike vanishes at any zoom and no plot needs the whole series.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

#: Samples per point of the kept zooms. Closer than the first, the samples themselves are drawn.
SIZES = (64, 1024)
_POINT = np.dtype([("end_ns", "<i8"), ("low", "<f4"), ("high", "<f4"), ("mean", "<f4")])

Instants = NDArray[np.int64]
Values = NDArray[np.floating[Any]]


@dataclass(frozen=True, slots=True)
class Points:
    """Points in order, each of shape (n,): the last instant (ns) of the samples it stands for, and
    their least, greatest and mean value."""

    end_ns: Instants
    low: Values
    high: Values
    mean: Values

    def __len__(self) -> int:
        return len(self.end_ns)

    @property
    def plain(self) -> bool:
        """Whether each point is one sample."""
        return self.low is self.high

    def between(self, start_ns: int, end_ns: int) -> Points:
        """The points that end in a stretch of time, and one more on either side."""
        first = max(0, int(np.searchsorted(self.end_ns, start_ns)) - 1)
        last = int(np.searchsorted(self.end_ns, end_ns, side="right")) + 1
        low = self.low[first:last]
        high = low if self.plain else self.high[first:last]
        mean = low if self.mean is self.low else self.mean[first:last]
        return Points(self.end_ns[first:last], low, high, mean)


def plain(instants_ns: Instants, values: Values) -> Points:
    """Every sample as a point."""
    return Points(instants_ns, values, values, values)


def summarise(instants_ns: Instants, values: Values, size: int) -> Points:
    """Points of `size` samples each, the last of what is left; arrays of shape (n,), n ≥ 1."""
    starts = np.arange(0, len(values), size)
    last = np.append(starts[1:], len(values)) - 1
    sums = np.add.reduceat(values, starts, dtype=np.float64)
    return Points(
        instants_ns[last],
        np.minimum.reduceat(values, starts),
        np.maximum.reduceat(values, starts),
        sums / (last - starts + 1),
    )


def narrow(points: Points, most: int) -> Points:
    """Join neighbours until at most `most` points remain; least and greatest stay true."""
    size = len(points)
    if size <= most:
        return points
    starts = np.linspace(0, size, most + 1).astype(np.int64)[:-1]
    last = np.append(starts[1:], size) - 1
    return Points(
        points.end_ns[last],
        np.minimum.reduceat(points.low, starts),
        np.maximum.reduceat(points.high, starts),
        np.add.reduceat(points.mean, starts, dtype=np.float64) / (last - starts + 1),
    )


def pack(points: Points) -> bytes:
    """Points as bytes: end (i64, ns), least, greatest and mean (f32) of each, little-endian."""
    packed = np.empty(len(points), _POINT)
    packed["end_ns"], packed["mean"] = points.end_ns, points.mean
    packed["low"], packed["high"] = points.low, points.high
    return packed.tobytes()


def unpack(data: bytes) -> Points:
    """Points from their bytes. Raises ValueError where the bytes are no whole points."""
    packed = np.frombuffer(data, _POINT)
    columns = (np.ascontiguousarray(packed[name]) for name in ("end_ns", "low", "high", "mean"))
    return Points(*columns)
