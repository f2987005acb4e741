"""What changes in a film from picture to picture, and where: real pictures told from repeated ones.

A film of a screen shows more or fewer pictures than the program drew. Each picture is held against
the one before, cell by cell of a grid, so that any region can be looked at later without decoding.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yardstick_core.films.container import FilmError, opened, upright

#: Pixels of a cell, each way; of the rows of a picture every second is looked at.
CELL, EVERY_ROW = 32, 2
#: Steps of what is kept of a level of brightness, of 255.
PER_LEVEL = 8
#: A cell has changed where its pixels differ by so many levels on average; more where noise does.
LEAST_LEVELS, MOST_LEVELS, TIMES_NOISE, QUIETEST = 0.6, 3.0, 4.0, 0.15
#: A picture that stands alone is encoded anew: what it differs by may be nothing but that.
KEY_TIMES = 2.0
#: And it is new only where it differs by at least this part (1 in ...) of what changes usually are.
KEY_USUAL = 4.0
#: Cells of all pictures together: more than an hour of 1280 by 800 at 60 a second.
MOST_CELLS = 1 << 28
#: Where so much of a picture changes at once, another scene begins.
SCENE_SHARE = 0.6
#: And no more than so many pictures change much in a row, with rest around them.
SCENE_PICTURES, SCENE_REST_S = 2, 0.25
TOLD_EVERY = 100

Grid = NDArray[np.uint8]
Region = tuple[int, int, int, int]


@dataclass(frozen=True, slots=True)
class Changes:
    """Of each picture of a film when it is shown, s, shape (n,), and how far each cell differs from
    the picture before, shape (n, rows, columns), in eighths of a level of brightness.
    """

    at_s: NDArray[np.float64]
    amounts: Grid
    keys: NDArray[np.bool_]
    width: int
    height: int

    @property
    def step_s(self) -> float:
        """The usual time from picture to picture."""
        return float(np.median(np.diff(self.at_s))) if len(self.at_s) > 1 else 0.0

    @property
    def threshold(self) -> float:
        """From how many eighths of a level on a cell counts as changed.

        What the quietest pictures differ by is noise, unless it is as much as changes are: then
        there is no quiet picture in the film.
        """
        least, most = LEAST_LEVELS * PER_LEVEL, MOST_LEVELS * PER_LEVEL
        if len(self.amounts) < 2:
            return least
        largest = self.amounts[1:].reshape(len(self.amounts) - 1, -1).max(axis=1)
        noise = TIMES_NOISE * float(np.quantile(largest, QUIETEST))
        return least if noise > TIMES_NOISE * most else float(np.clip(noise, least, most))

    def changed(self, region: Region | None = None) -> NDArray[np.bool_]:
        """Which pictures are another than the one before; the first is. All over, or in a region:
        left, top, width, height, in pixels.
        """
        part = self.amounts if region is None else self._part(region)
        if not part.size:
            return np.zeros(len(self.at_s), bool)
        largest = part.reshape(len(part), -1).max(axis=1)
        found: NDArray[np.bool_] = largest >= self.threshold
        usual = np.median(largest[found & ~self.keys]) if (found & ~self.keys).any() else 0.0
        at_keys = max(KEY_TIMES * self.threshold, float(usual) / KEY_USUAL)
        found &= ~self.keys | (largest >= at_keys)
        if len(found):
            found[0] = True
        return found

    def share(self, region: Region | None = None) -> NDArray[np.float64]:
        """The share of the cells that changed, by picture."""
        part = self.amounts if region is None else self._part(region)
        if not part.size:
            return np.zeros(len(self.at_s))
        return np.asarray((part >= self.threshold).reshape(len(part), -1).mean(axis=1))

    def _part(self, region: Region) -> Grid:
        left, top, width, height = region
        rows = slice(max(0, top // CELL), max(0, -(-(top + height) // CELL)))
        columns = slice(max(0, left // CELL), max(0, -(-(left + width) // CELL)))
        return self.amounts[:, rows, columns]

    def save(self, path: Path) -> None:
        with path.open("wb") as file:
            np.savez_compressed(
                file, at_s=self.at_s, amounts=self.amounts, keys=self.keys,
                size=np.array([self.width, self.height]),
            )  # fmt: skip

    @classmethod
    def load(cls, path: Path) -> Changes:
        """Raises FilmError where what was kept cannot be read."""
        try:
            with np.load(io.BytesIO(path.read_bytes()), allow_pickle=False) as kept:
                width, height = (int(one) for one in kept["size"])
                return cls(kept["at_s"], kept["amounts"], kept["keys"], width, height)
        except (OSError, ValueError, KeyError) as error:
            raise FilmError(f"what was found in the film cannot be read: {error}") from error


def changes_of(
    path: Path, told: Callable[[float], None] = lambda _: None,
    also: Callable[[Any], None] = lambda _: None,
) -> Changes:  # fmt: skip
    """Look a film through. `told` hears how far it is, s; `also` is given each decoded picture.

    Raises FilmError.
    """
    at: list[float] = []
    keys: list[bool] = []
    grids: list[Grid] = []
    before: Grid | None = None
    width = height = turned = 0
    with opened(path) as (container, stream):
        stream.thread_type = "AUTO"
        begins: float | None = None
        try:
            for decoded in container.decode(stream):
                seconds = decoded.time if decoded.time is not None else float(len(at))
                turned = decoded.rotation if begins is None else turned
                frame = upright(decoded, turned)
                if begins is None:
                    begins, width, height = seconds, frame.width, frame.height
                if at and seconds - begins <= at[-1]:
                    continue  # shown at no time of its own
                if (frame.width, frame.height) != (width, height):
                    raise FilmError("the size of its pictures changes on the way")
                luma = _luma(frame)
                grids.append(_differences(before, luma))
                at.append(seconds - begins)
                keys.append(bool(decoded.key_frame))
                before = luma
                also(frame)
                if len(at) * grids[0].size > MOST_CELLS:
                    raise FilmError(
                        f"it is longer than can be looked at: {at[-1] / 60:.0f} min of it were. "
                        "Cut it into parts, or make its pictures smaller"
                    )
                if len(at) % TOLD_EVERY == 0:
                    told(at[-1])
        except (OSError, ValueError) as error:
            if isinstance(error, FilmError):
                raise
            if not at:
                raise FilmError(f"its pictures cannot be decoded: {error}") from error
    if not at:
        raise FilmError("it holds no picture")
    return Changes(np.array(at), np.array(grids), np.array(keys), width, height)


def _luma(frame: Any) -> Grid:
    """The brightness of a picture's pixels, every second row, a copy."""
    if frame.format.name in ("yuv420p", "yuvj420p", "nv12", "yuv422p", "yuv444p", "gray"):
        plane = frame.planes[0]
        rows = np.frombuffer(plane, np.uint8).reshape(-1, plane.line_size)
        return rows[: frame.height : EVERY_ROW, : frame.width].copy()
    grey: Grid = frame.to_ndarray(format="gray")
    return grey[::EVERY_ROW].copy()


def _differences(before: Grid | None, now: Grid) -> Grid:
    """How far each cell differs on average, in eighths of a level, at most 255."""
    rows, columns = -(-now.shape[0] * EVERY_ROW // CELL), -(-now.shape[1] // CELL)
    if before is None or np.array_equal(before, now):
        return np.zeros((rows, columns), np.uint8)
    apart = np.maximum(before, now) - np.minimum(before, now)
    tall = CELL // EVERY_ROW
    whole = np.zeros((rows * tall, columns * CELL), np.uint8)
    whole[: apart.shape[0], : apart.shape[1]] = apart
    lines = np.add.reduceat(whole, np.arange(0, whole.shape[1], CELL), axis=1, dtype=np.uint32)
    sums = np.add.reduceat(lines, np.arange(0, len(lines), tall), axis=0)
    levels: Grid = np.minimum(255, PER_LEVEL * sums // (tall * CELL)).astype(np.uint8)
    return levels


# -- what a film tells -----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class FrameStream:
    """Real pictures: when each came, s, known to ± `plus_minus_s`.

    With `every_picture_new` the program drew at least as many as the film shows: how many more it
    cannot tell.
    """

    at_s: NDArray[np.float64]
    plus_minus_s: float
    every_picture_new: bool


#: From this share of new pictures on, a film that is slower than the program shows no repeats.
ALL_NEW = 0.98


def frame_stream(changes: Changes, region: Region | None = None) -> FrameStream:
    """The pictures of a film, or of a region of it, that are new.

    A change came after the picture before and not after the one that shows it: in the middle, ±
    half the time between them.
    """
    new = changes.changed(region)
    at = instants(changes)[new]
    return FrameStream(
        at, changes.step_s / 2, bool(new[1:].mean() >= ALL_NEW) if len(new) > 1 else False
    )


def instants(changes: Changes) -> NDArray[np.float64]:
    """When what each picture shows new came: in the middle between it and the one before, s."""
    before = np.append(changes.at_s[:1], changes.at_s[:-1])
    return np.asarray((before + changes.at_s) / 2)


def plus_minus_s(changes: Changes, picture: int) -> float:
    """How well the instant of a change is known that a picture shows, s either way."""
    if picture <= 0:
        return 0.0
    return float(changes.at_s[picture] - changes.at_s[picture - 1]) / 2


@dataclass(frozen=True, slots=True)
class Burst:
    """Pictures that change one after the other, from the first new one to the last."""

    first: int
    last: int


def bursts(changes: Changes, region: Region | None = None, quiet_s: float = 0.25) -> list[Burst]:
    """Where a region begins and stops to change, with at least `quiet_s` of rest between."""
    new = np.flatnonzero(changes.changed(region))
    new = new[new > 0]
    if not len(new):
        return []
    apart = np.flatnonzero(np.diff(changes.at_s[new]) > quiet_s)
    firsts, lasts = np.append(0, apart + 1), np.append(apart, len(new) - 1)
    return [Burst(int(new[a]), int(new[b])) for a, b in zip(firsts, lasts, strict=True)]


def scenes(changes: Changes) -> list[int]:
    """The pictures with which another scene begins; the first is one.

    A cut stands alone: what changes much in picture after picture, as a scrolled view does, is the
    same scene.
    """
    share = changes.share()
    large = np.flatnonzero(share >= SCENE_SHARE / 2)
    large = large[large > 0]
    if not len(large):
        return [0]
    together = np.split(large, np.flatnonzero(np.diff(changes.at_s[large]) > SCENE_REST_S) + 1)
    cuts = [near[share[near] >= SCENE_SHARE] for near in together if len(near) <= SCENE_PICTURES]
    return [0, *(int(cut[0]) for cut in cuts if len(cut))]


FIRST, LAST, ANY = SNAPS = ("first change", "last change", "any picture")


def snap(
    changes: Changes, picture: int, to: str, region: Region | None = None, reach_s: float = 1.0
) -> int:
    """The picture that a mark near another one means: where changes begin or end, or any new one.

    The picture itself where there is none within reach.
    """
    if to == ANY:
        found = np.flatnonzero(changes.changed(region)).tolist()
    else:
        found = [b.first if to == FIRST else b.last for b in bursts(changes, region)]
    at = changes.at_s[picture]
    near = [one for one in found if abs(changes.at_s[one] - at) <= reach_s]
    return min(near, key=lambda one: abs(changes.at_s[one] - at), default=picture)
