"""A clip: some seconds of a film, small enough to lie within a report."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Any

import av

from yardstick_core.films.container import FilmError, opened, ticks

MOST_SECONDS = 15.0
MOST_BYTES = 3_000_000
MOST_WIDTH, PER_SECOND = 960, 30
_TICKS = 90_000
#: Each next one where a clip is too large: H.264's measure of what may be lost.
_LOSSES = (24, 30, 36)


@dataclass(frozen=True, slots=True)
class Clip:
    """An MP4 that plays everywhere; what it shows begins at 0 s and lasts `seconds`."""

    data: bytes
    seconds: float
    pictures: int


def clip(path: Path, from_s: float, to_s: float) -> Clip:
    """What a film shows between two of its instants, seconds, on its own clock.

    It begins with the picture that stands at `from_s` and keeps each at its instant, at most 30 a
    second; the last one stands until the end. Raises FilmError where it shows nothing there, is
    longer than `MOST_SECONDS`, or is not to be had within `MOST_BYTES`.
    """
    if not to_s > from_s:
        raise FilmError("a clip ends after it begins")
    if to_s - from_s > MOST_SECONDS + 1e-6:
        raise FilmError(f"a clip may take {MOST_SECONDS:g} s; this is {to_s - from_s:.1f} s")
    for loss in _LOSSES:
        found = _encoded(path, from_s, to_s, loss)
        if len(found.data) <= MOST_BYTES:
            return found
    raise FilmError(f"it would take more than {MOST_BYTES // 1_000_000} MB: choose a shorter one")


def _encoded(path: Path, from_s: float, to_s: float, loss: int) -> Clip:
    pictures = 0
    with opened(path) as (container, stream), NamedTemporaryFile(suffix=".mp4") as file:
        share = min(1.0, MOST_WIDTH / stream.width)
        width, height = (max(2, 2 * round(share * n / 2)) for n in (stream.width, stream.height))
        with av.open(file.name, "w", format="mp4", options={"movflags": "faststart"}) as made:
            # what kind of stream is made is not told by the library's types
            own: Any = made.add_stream(
                "libx264", rate=PER_SECOND, options={"preset": "veryfast", "crf": str(loss)}
            )
            own.width, own.height, own.pix_fmt = width, height, "yuv420p"
            own.time_base = own.codec_context.time_base = Fraction(1, _TICKS)
            for frame, at_s in _between(container, stream, from_s, to_s):
                fitted = frame.reformat(width, height, format="yuv420p", interpolation="AREA")
                fitted.pts, fitted.time_base = round(at_s * _TICKS), own.time_base
                made.mux(own.encode(fitted))
                pictures += 1
            made.mux(own.encode(None))
        return Clip(Path(file.name).read_bytes(), to_s - from_s, pictures)


def _between(
    container: Any, stream: Any, from_s: float, to_s: float
) -> Iterator[tuple[av.VideoFrame, float]]:
    """The pictures from one instant to another, each with its instant in the clip; the last one
    once more at the end. Raises FilmError."""
    least = 1 / PER_SECOND
    standing: av.VideoFrame | None = None
    shown = -least
    try:
        container.seek(ticks(from_s, stream), stream=stream, backward=True)
        for frame in container.decode(stream):
            at_s = float(frame.pts * frame.time_base) - from_s
            if at_s > to_s - from_s:
                break
            if at_s > 0 and standing is not None and shown < 0:
                yield standing, 0.0
                shown = 0.0
            standing = frame
            if at_s >= max(0.0, shown + 0.9 * least):
                yield frame, at_s
                shown = at_s
    except (OSError, ValueError) as error:
        raise FilmError(f"its pictures cannot be read: {error}") from error
    if standing is None:
        raise FilmError("it shows nothing there")
    if shown < 0:
        yield standing, 0.0
    yield standing, to_s - from_s
