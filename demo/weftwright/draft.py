"""A weaving draft: how the warp is threaded, which shafts each pick lifts, and the colours."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np


class DraftError(ValueError):
    """The file is not a draft."""


@dataclass
class Draft:
    """`threading` (ends,) and `lifts` (picks, shafts) say where the warp lies on top."""

    name: str
    shafts: int
    palette: dict[str, tuple[int, int, int]]
    threading: list[int]
    warp_colours: list[str]
    lifts: list[tuple[int, ...]]
    weft_colours: list[str]
    lift_table: np.ndarray = field(init=False)
    threads: np.ndarray = field(init=False)
    warp_rgb: np.ndarray = field(init=False)
    weft_rgb: np.ndarray = field(init=False)

    def prepare(self) -> None:
        """Check the draft and lay it out as arrays for drawing."""
        if len(self.threading) != len(self.warp_colours):
            raise DraftError("every end needs a colour")
        if any(not 1 <= shaft <= self.shafts for shaft in self.threading):
            raise DraftError("an end is threaded on a shaft the loom lacks")
        self.lift_table = np.zeros((len(self.lifts), self.shafts), bool)
        for pick, raised in enumerate(self.lifts):
            for shaft in raised:
                self.lift_table[pick, shaft - 1] = True
        self.threads = np.array(self.threading) - 1
        self.warp_rgb = np.array([self.palette[c] for c in self.warp_colours], np.uint8)
        self.weft_rgb = np.array([self.palette[c] for c in self.weft_colours], np.uint8)

    @property
    def ends(self) -> int:
        return len(self.threading)

    @property
    def picks(self) -> int:
        return len(self.lifts)

    def cloth(self, first_end: int, ends: int, first_pick: int, picks: int) -> np.ndarray:
        """Colours of a part of the cloth, shape (ends, picks, 3)."""
        across = slice(first_end, first_end + ends)
        along = slice(first_pick, first_pick + picks)
        up = self.lift_table[along][:, self.threads[across]].T
        return np.where(up[..., None], self.warp_rgb[across][:, None], self.weft_rgb[along][None])

    def recolour(self) -> None:
        """Move every colour of the palette to the next name."""
        names = list(self.palette)
        colours = [self.palette[name] for name in names]
        self.palette = dict(zip(names, colours[1:] + colours[:1], strict=True))
        self.prepare()
