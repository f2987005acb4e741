"""A film as it is written: pictures at the instants they were taken, in pieces that stand alone.

The file is an MP4 in fragments of at most a second. Whatever ends its writer, each fragment that
was written can be read.
"""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import numpy as np

from yardstick_agent.filming import ABOUT, FILM

#: Ticks of the film's clock in a second.
CLOCK_HZ = 90_000
MOST_PER_SECOND = 60
#: Pictures from one that stands alone to the next: whoever seeks decodes so many at most.
KEY_EVERY = 60
FRAGMENT_US = 1_000_000

Raw = np.ndarray[tuple[int, int, int], np.dtype[np.uint8]]


class FilmFile:
    """Writes `film.mp4` and, with its first picture, `film.json`, which says when that was."""

    def __init__(self, folder: Path, width: int, height: int) -> None:
        self.folder = folder
        self.frames, self.began_ns = 0, 0
        self._last = -1
        # the encoding halves the colours' resolution, so that both sizes must be even
        self.width, self.height = width // 2 * 2, height // 2 * 2
        self._planes = np.full((self.height * 3 // 2, self.width), 128, np.uint8)
        self._file = open(folder / FILM, "wb", buffering=0)  # noqa: SIM115
        self._container = av.open(
            self._file, "w", format="mp4",
            options={
                "movflags": "frag_keyframe+empty_moov+default_base_moof",
                "frag_duration": str(FRAGMENT_US), "flush_packets": "1",
            },
        )  # fmt: skip
        stream = self._container.add_stream(
            "libx264", rate=MOST_PER_SECOND,
            options={"preset": "ultrafast", "tune": "zerolatency", "crf": "26"},
        )  # fmt: skip
        stream.width, stream.height, stream.pix_fmt = self.width, self.height, "yuv420p"
        stream.time_base = stream.codec_context.time_base = Fraction(1, CLOCK_HZ)
        stream.codec_context.gop_size = KEY_EVERY
        stream.codec_context.thread_count = 1
        self._stream = stream

    def __enter__(self) -> FilmFile:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def add(self, part: Raw | None, at_ns: int, x: int = 0, y: int = 0) -> None:
        """Append a picture: the last one, with a part of it drawn anew; taken at `at_ns`.

        The part has the shape (height, width, 4): blue, green, red, nothing. It lies at (x, y),
        which are even; what is converted is what changed. Instants count from the start of the
        run; one that is not later than the last is moved to the next tick.
        """
        if part is not None:
            self._draw(part[: self.height - y, : self.width - x], x, y)
        if not self.frames:
            self.began_ns = at_ns
            about = {"began_ns": at_ns, "width": self.width, "height": self.height}
            (self.folder / ABOUT).write_text(json.dumps(about))
        tick = max(self._last + 1, (at_ns - self.began_ns) * CLOCK_HZ // 1_000_000_000)
        frame = av.VideoFrame.from_ndarray(self._planes, format="yuv420p")
        frame.pts, frame.time_base = tick, Fraction(1, CLOCK_HZ)
        for packet in self._stream.encode(frame):
            self._container.mux(packet)
        self._last = tick
        self.frames += 1

    def _draw(self, part: Raw, x: int, y: int) -> None:
        """Convert a part and lay it into the planes: brightness, then the two of colour."""
        tall, wide = part.shape[0] // 2 * 2, part.shape[1] // 2 * 2
        if not tall or not wide:
            return
        pixels = np.ascontiguousarray(part[:tall, :wide])
        small = av.VideoFrame.from_ndarray(pixels, format="bgra").reformat(format="yuv420p")
        planes = small.to_ndarray()
        self._planes[y : y + tall, x : x + wide] = planes[:tall]
        mine = self._planes[self.height :].reshape(2, self.height // 2, self.width // 2)
        theirs = planes[tall:].reshape(2, tall // 2, wide // 2)
        mine[:, y // 2 : (y + tall) // 2, x // 2 : (x + wide) // 2] = theirs

    def close(self) -> None:
        for packet in self._stream.encode(None):
            self._container.mux(packet)
        self._container.close()
        self._file.close()
