"""A race as one film, to be taken along: its numbers are the core's, its pictures the runs'."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from PIL import Image

from yardstick_core.films.container import FilmError, opened, picture_at
from yardstick_server.films.models import Film
from yardstick_server.races.drawing import HEIGHT, WIDTH, RaceDrawing
from yardstick_server.races.gathering import StudyRace

PER_SECOND = 30
#: The last moment stands so long, then the card with the result.
STANDS_S, CARD_S = 2.0, 5.0
#: Told so often how far it is, in pictures.
TOLD_EVERY = 15
MOST_SECONDS = 600

Told = Callable[[int, int], None]


class TooLong(ValueError):
    """A race takes longer than a film that is taken along may."""


class _Player:
    """Gives the picture of a film at instants that only go on, at the size it is shown in."""

    def __init__(self, film: Film, size: tuple[int, int], stack: ExitStack) -> None:
        container, stream = stack.enter_context(opened(film.path))
        share = min(size[0] / stream.width, size[1] / stream.height)
        self.size = max(2, round(stream.width * share)), max(2, round(stream.height * share))
        self._frames: Iterator[av.VideoFrame] = iter(container.decode(stream))
        self._next = next(self._frames, None)
        self._shown: av.VideoFrame | None = None
        self._picture: Image.Image | None = None

    def at(self, seconds: float) -> Image.Image | None:
        fresh = False
        while self._next is not None and (self._shown is None or self._next.time <= seconds):
            self._shown, fresh = self._next, True
            self._next = next(self._frames, None)
        if fresh and self._shown is not None:
            small = self._shown.reformat(*self.size, format="rgb24", interpolation="AREA")
            self._picture = small.to_image()
        return self._picture


def still_of(found: StudyRace, drawing: RaceDrawing, at_s: float) -> Image.Image:
    """A race at an instant, s, with what its films show then. Raises FilmError."""
    pictures: list[Image.Image | None] = []
    for number in range(len(found.runs)):
        film = found.film(number)
        if film is None:
            pictures.append(None)
            continue
        shown = picture_at(film.path, _film_s(found, number, film, at_s))
        _, _, width, height = drawing.stage(number)
        pictures.append(_fitted(Image.fromarray(np.ascontiguousarray(shown)), width, height))
    return drawing.at(at_s, pictures)


def _fitted(image: Image.Image, width: int, height: int) -> Image.Image:
    share = min(width / image.width, height / image.height)
    size = max(2, round(image.width * share)), max(2, round(image.height * share))
    return image.resize(size, Image.Resampling.LANCZOS)


def _film_s(found: StudyRace, number: int, film: Film, at_s: float) -> float:
    """Where a film stands at an instant of the race; it stops with its run."""
    racer = found.race.racers[number]
    own_ns = min(racer.zero_ns + at_s * 1e9, racer.end_ns)
    return (own_ns - film.began_ns) / 1e9


def film_race(found: StudyRace, drawing: RaceDrawing, targets: dict[str, Path], told: Told) -> None:
    """Write a race as films: MP4, WebM or both, by ending. Raises FilmError, TooLong.

    `told` is told how many pictures of how many are done.
    """
    if drawing.end_s > MOST_SECONDS:
        raise TooLong(
            f"the race takes {drawing.end_s / 60:.0f} min: a film that is taken along may have "
            f"{MOST_SECONDS // 60} min. Align the runs at a later step"
        )
    running = math.ceil(drawing.end_s * PER_SECOND) + 1  # the last picture shows the end of all
    total = running + int((STANDS_S + CARD_S) * PER_SECOND)
    with ExitStack() as stack:
        writers = [stack.enter_context(_Writer(kind, path)) for kind, path in targets.items()]
        films = [found.film(number) for number in range(len(found.runs))]
        players = [
            None if film is None else _Player(film, drawing.stage(number)[2:], stack)
            for number, film in enumerate(films)
        ]
        image = None
        for count in range(total):
            at_s = min(count / PER_SECOND, drawing.end_s)
            if count < running:
                try:
                    shown = [
                        None if player is None or film is None
                        else player.at(_film_s(found, number, film, at_s))
                        for number, (film, player) in enumerate(zip(films, players, strict=True))
                    ]  # fmt: skip
                except (OSError, ValueError) as error:
                    raise FilmError(f"a film cannot be read on: {error}") from error
                image = drawing.at(at_s, shown)
            elif count == running + int(STANDS_S * PER_SECOND):
                image = drawing.result_card()
            if image is None:
                continue
            for writer in writers:
                writer.add(image, count)
            if count % TOLD_EVERY == 0 or count == total - 1:
                told(count + 1, total)


class _Writer:
    """A film of one kind as it is written."""

    def __init__(self, kind: str, path: Path) -> None:
        self._container = av.open(str(path), "w", format=kind)
        if kind == "mp4":
            codec, options = "libx264", {"preset": "veryfast", "crf": "20"}
        else:
            codec, options = "libvpx-vp9", {
                "deadline": "realtime", "cpu-used": "8", "crf": "30", "b": "0", "row-mt": "1",
            }  # fmt: skip
        # what kind of stream is made is not told by the library's types
        stream: Any = self._container.add_stream(codec, rate=PER_SECOND, options=options)
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.time_base = Fraction(1, PER_SECOND)
        self._stream = stream

    def __enter__(self) -> _Writer:
        return self

    def __exit__(self, *_: object) -> None:
        self._container.mux(self._stream.encode(None))
        self._container.close()

    def add(self, image: Image.Image, count: int) -> None:
        frame = av.VideoFrame.from_image(image)
        frame.pts, frame.time_base = count, Fraction(1, PER_SECOND)
        self._container.mux(self._stream.encode(frame))
