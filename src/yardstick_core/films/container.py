"""The file that a film is: what it says of itself, put in order for playing, a picture of it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import av
import numpy as np

#: A film of a rig is at most so wide or high: the display is.
MOST_SIDE = 8192
#: Decoded while a picture is looked for, at most: more than lie between two that stand alone.
MOST_DECODED = 600
#: No film is longer, s.
LONGEST_S = 1e8

Picture = np.ndarray[tuple[int, int, int], np.dtype[np.uint8]]


class FilmError(ValueError):
    """A file is no film that can be used; the message says why."""


@dataclass(frozen=True, slots=True)
class FilmFacts:
    """What a file holds: size of its pictures, how many, how long they last, seconds."""

    width: int
    height: int
    frames: int
    seconds: float


@contextmanager
def opened(path: Path) -> Iterator[tuple[Any, Any]]:
    """A file and its stream of pictures. Raises FilmError where there is none."""
    try:
        container = av.open(str(path))
    except (OSError, ValueError) as error:  # a library's errors are of both kinds
        raise FilmError(f"it cannot be opened as a film: {_reason(error)}") from error
    with container:
        if not container.streams.video:
            raise FilmError("it holds no pictures")
        stream = container.streams.video[0]
        if not 0 < stream.width <= MOST_SIDE or not 0 < stream.height <= MOST_SIDE:
            raise FilmError(f"its pictures are {stream.width} by {stream.height} pixels")
        yield container, stream


def _reason(error: Exception) -> str:
    return str(getattr(error, "strerror", None) or error)[:200]


def upright(frame: Any, turned: int) -> Any:
    """A decoded picture as it is meant to be seen; `turned` is by how many degrees it is to be
    turned counterclockwise, as a phone that was held upright says in its films.
    """
    quarters = round(turned / 90) % 4
    if not quarters:
        return frame
    picture = np.rot90(frame.to_ndarray(format="rgb24"), quarters)
    made = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")
    made.pts, made.time_base = frame.pts, frame.time_base
    return made


def put_in_order(source: Path, target: Path) -> FilmFacts:
    """Copy the pictures of a film, as they are encoded, into a file that plays from anywhere.

    A film whose writer was killed lacks its end and an index: what can be read of it is kept.
    Raises FilmError where nothing can.
    """
    frames = 0
    ordered = {"movflags": "faststart"}
    with (
        opened(source) as (container, stream),
        av.open(str(target), "w", format="mp4", options=ordered) as made,
    ):
        copy = made.add_stream_from_template(stream)
        try:
            for packet in container.demux(stream):
                if packet.dts is None or packet.pts is None:
                    continue  # the end of the stream
                packet.stream = copy
                made.mux(packet)
                frames += 1
        except (OSError, ValueError) as error:
            if not frames:
                raise FilmError(f"its pictures cannot be read: {_reason(error)}") from error
    if not frames:
        raise FilmError("it holds no picture")
    return film_facts(target)


def film_facts(path: Path) -> FilmFacts:
    """What a file of pictures holds, each counted. Raises FilmError."""
    frames, seconds = 0, 0.0
    with opened(path) as (container, stream):
        size = stream.width, stream.height
        try:
            for packet in container.demux(stream):
                if packet.pts is not None:
                    frames += 1
                    end = (packet.pts + (packet.duration or 0)) * packet.time_base
                    seconds = max(seconds, float(end))
        except (OSError, ValueError) as error:
            raise FilmError(f"its pictures cannot be read: {_reason(error)}") from error
    return FilmFacts(*size, frames, seconds)


def ticks(seconds: float, stream: Any) -> int:
    """An instant in the unit of a stream; first or last one where it lies outside of all films."""
    return round(min(max(0.0, seconds), LONGEST_S) / float(stream.time_base))


def picture_at(path: Path, seconds: float) -> Picture:
    """The picture that stands at an instant of a film, shape (height, width, 3); first or last one
    where it lies outside. Raises FilmError.
    """
    with opened(path) as (container, stream):
        try:
            at = ticks(seconds, stream)
            container.seek(at, stream=stream, backward=True)
            found = None
            for count, frame in enumerate(container.decode(stream)):
                if found is not None and (frame.pts > at or count > MOST_DECODED):
                    break
                found = frame
        except (OSError, ValueError) as error:
            raise FilmError(f"its pictures cannot be read: {_reason(error)}") from error
    if found is None:
        raise FilmError("it holds no picture there")
    picture: Picture = found.to_ndarray(format="rgb24")
    return picture
