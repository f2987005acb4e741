"""Onsets of a film's sound: the instants at which it suddenly becomes louder."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yardstick_core.films.container import FilmError

RATE_HZ, WINDOW = 8000, 40
#: An onset is so many times as loud as what came just before, and louder than near silence.
TIMES, LEAST = 4.0, 0.003
#: After one onset the next comes no sooner, s; before it is held against so much, s.
APART_S, BEFORE_S = 0.15, 0.1
MOST_SECONDS = 4 * 3600


def onsets(path: Path) -> NDArray[np.float64]:
    """Instants of onsets, s since the film's first picture; none where it has no sound.

    Each is known to the width of a window, 5 ms. Raises FilmError.
    """
    try:
        with av.open(str(path)) as film:
            if not film.streams.audio:
                return np.empty(0)
            begins = _first_picture(film)
            stream = film.streams.audio[0]
            resampler = av.AudioResampler(format="flt", layout="mono", rate=RATE_HZ)
            first: float | None = None
            parts: list[NDArray[np.float32]] = []
            heard = 0
            for frame in film.decode(stream):
                first = frame.time if first is None else first
                fresh = [
                    one.to_ndarray().ravel().astype(np.float32) for one in resampler.resample(frame)
                ]
                parts += fresh
                heard += sum(map(len, fresh))
                if heard > MOST_SECONDS * RATE_HZ:
                    break
    except (OSError, ValueError) as error:
        raise FilmError(f"its sound cannot be decoded: {error}") from error
    if not parts:
        return np.empty(0)
    return of_samples(np.concatenate(parts), (first or 0.0) - begins)


def _first_picture(film: object) -> float:
    stream = film.streams.video[0] if film.streams.video else None  # type: ignore[attr-defined]
    if stream is None or stream.start_time is None:
        return 0.0
    return float(stream.start_time * stream.time_base)


def of_samples(samples: NDArray[np.float32], begins_s: float = 0.0) -> NDArray[np.float64]:
    """Onsets of sound at 8 kHz, one channel."""
    count = len(samples) // WINDOW
    if count < 2:
        return np.empty(0)
    loud = np.sqrt((samples[: count * WINDOW].reshape(count, WINDOW) ** 2).mean(axis=1))
    reach = int(BEFORE_S * RATE_HZ / WINDOW)
    padded = np.append(np.full(reach, loud[0]), loud)
    before = np.lib.stride_tricks.sliding_window_view(padded, reach)[:count].mean(axis=1)
    candidates = np.flatnonzero((loud > LEAST) & (loud > TIMES * before + LEAST))
    found: list[float] = []
    for place in candidates:
        at = float(place * WINDOW / RATE_HZ)
        if not found or at - found[-1] >= APART_S:
            found.append(at)
    return np.array(found) + begins_s
