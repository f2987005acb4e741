"""Films for tests: plain pictures of known shades at known instants."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from yardstick_server.films.models import Film
from yardstick_server.runs.models import Run


def make_film(
    path: Path, shades: list[int], hertz: float = 10.0, size: tuple[int, int] = (64, 48)
) -> Path:
    """An MP4 of plain pictures, one of each shade, so many a second."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with av.open(str(path), "w", format="mp4") as film:
        stream = film.add_stream("libx264", rate=30, options={"crf": "10", "bf": "0"})
        stream.width, stream.height, stream.pix_fmt = *size, "yuv420p"
        stream.time_base = stream.codec_context.time_base = Fraction(1, 90_000)
        for number, shade in enumerate(shades):
            frame = av.VideoFrame.from_ndarray(
                np.full((size[1], size[0], 3), shade, np.uint8), format="rgb24"
            )
            frame.pts, frame.time_base = round(number * 90_000 / hertz), Fraction(1, 90_000)
            film.mux(stream.encode(frame))
        film.mux(stream.encode(None))
    return path


def give_film(run: Run, shades: list[int], began_s: float = 0.0) -> Film:
    """Let a run have a film that plays."""
    film = Film(run=run, state="ready", began_ns=round(began_s * 1e9))
    make_film(film.path, shades)
    film.width, film.height, film.frames = 64, 48, len(shades)
    film.seconds, film.size = len(shades) / 10, film.path.stat().st_size
    film.save()
    return film
