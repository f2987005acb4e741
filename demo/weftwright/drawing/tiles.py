"""The renderer of release 4.2: keeps the cloth around the view as tiles and copies them.

Whenever the view enters a new row of tiles the whole set is built again.
"""

from __future__ import annotations

import numpy as np
import pygame

from weftwright.draft import Draft
from weftwright.drawing.view import Sheen, View, enlarge

TILE_CELLS = 24


class TileRenderer:
    def __init__(self, width: int, height: int) -> None:
        self.width, self.height, self.margin = width, height, 3
        self.sheen = Sheen(width, height)
        self.tiles: dict[tuple[int, int], pygame.Surface] = {}
        self.built_for: tuple[int, int, int] | None = None

    def prepare(self, draft: Draft) -> None:
        self.draft = draft
        self.tiles.clear()
        self.built_for = None

    def build(self, column: int, row: int, view: View) -> None:
        """Build the tiles of the view and a margin around it."""
        size = TILE_CELLS * view.cell
        self.tiles.clear()
        margin = self.margin
        for across in range(column - margin, column + self.width // size + 2 + margin):
            for along in range(row - margin, row + self.height // size + 2 + margin):
                self.tiles[across, along] = self.tile(across, along, view.cell)

    def tile(self, across: int, along: int, cell: int) -> pygame.Surface:
        surface = pygame.Surface((TILE_CELLS * cell, TILE_CELLS * cell))
        if across >= 0 and along >= 0:
            cells = self.draft.cloth(
                across * TILE_CELLS, TILE_CELLS, along * TILE_CELLS, TILE_CELLS
            )
            pixels = enlarge(cells, cell)
            area = pygame.surfarray.pixels3d(surface)
            area[: pixels.shape[0], : pixels.shape[1]] = np.asarray(pixels)
        return surface

    def paint(self, target: pygame.Surface, view: View) -> None:
        size = TILE_CELLS * view.cell
        column, row = view.x // size, view.y // size
        if self.built_for != (column, row, view.cell):
            self.build(column, row, view)
            self.built_for = (column, row, view.cell)
        self.copy(target, view, size)

    def copy(self, target: pygame.Surface, view: View, size: int) -> None:
        for across in range(view.x // size, (view.x + self.width) // size + 1):
            for along in range(view.y // size, (view.y + self.height) // size + 1):
                place = (across * size - view.x, along * size - view.y)
                target.blit(self.tiles[across, along], place)
        self.sheen.apply(target)
