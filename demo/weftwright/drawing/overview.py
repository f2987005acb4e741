"""The renderer since release 5.0: builds tiles only when they come into view.

It draws an overview of the whole cloth beside the view, which is made before the first picture.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pygame

from weftwright.draft import Draft
from weftwright.drawing.tiles import TILE_CELLS, TileRenderer
from weftwright.drawing.view import View

OVERVIEW_WIDTH = 120
MOST_TILES = 400
MOST_PICKS_A_ROW = 12


class OverviewRenderer(TileRenderer):
    def prepare(self, draft: Draft, progress: Callable[[float], None] | None = None) -> None:
        super().prepare(draft)
        self.overview = self._overview(draft, progress or (lambda _: None))

    def _overview(self, draft: Draft, progress: Callable[[float], None]) -> pygame.Surface:
        """The whole cloth made small, many threads weighed in for each point."""
        height = self.height
        image = np.zeros((OVERVIEW_WIDTH, height, 3), np.float64)
        bands = np.linspace(0, draft.picks, height + 1).astype(int)
        columns = np.linspace(0, draft.ends, OVERVIEW_WIDTH + 1).astype(int)[:-1]
        for row in range(height):
            first, last = bands[row], max(bands[row] + 1, bands[row + 1])
            cells = (
                draft.cloth(0, draft.ends, first, min(last - first, MOST_PICKS_A_ROW)).astype(
                    np.float64
                )
                ** 2.2
            )
            sums = np.add.reduceat(cells.mean(axis=1), columns, axis=0)
            image[:, row] = (sums / np.diff(np.r_[columns, draft.ends])[:, None]) ** (1 / 2.2)
            if row % 24 == 0:
                progress(row / height)
        return pygame.surfarray.make_surface(image.astype(np.uint8))

    def paint(self, target: pygame.Surface, view: View) -> None:
        size = TILE_CELLS * view.cell
        if self.built_for is None or self.built_for[2] != view.cell:
            self.tiles.clear()
            self.built_for = (0, 0, view.cell)
        for across in range(view.x // size, (view.x + self.width) // size + 1):
            for along in range(view.y // size, (view.y + self.height) // size + 1):
                if (across, along) not in self.tiles:
                    if len(self.tiles) > MOST_TILES:
                        self.tiles.pop(next(iter(self.tiles)))
                    self.tiles[across, along] = self.tile(across, along, view.cell)
        self.copy(target, view, size)
        target.blit(self.overview, (self.width - OVERVIEW_WIDTH, 0))
