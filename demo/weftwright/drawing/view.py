"""Where the view stands on the cloth, and the look all renderers share."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pygame

CELL_SIZES = (3, 4, 6, 8, 12, 16)


@dataclass
class View:
    """Scroll position in pixels of cloth, and the size of a cell in pixels."""

    x: int = 0
    y: int = 0
    cell: int = 8


class Sheen:
    """The fine texture of cloth, and a light that falls off to the lower right."""

    def __init__(self, width: int, height: int) -> None:
        across = np.linspace(0, 1, width)[:, None]
        down = np.linspace(0, 1, height)[None, :]
        alpha = (70 * (across * 0.4 + down * 0.6) ** 1.5).astype(np.uint8)
        self.light = pygame.Surface((width, height), pygame.SRCALPHA)
        pygame.surfarray.pixels_alpha(self.light)[:] = alpha
        self.threads = pygame.Surface((width, height))
        waves = 236 + 19 * np.sin(np.arange(width) * 1.9)[:, None] * np.cos(np.arange(height) * 1.7)
        pygame.surfarray.pixels3d(self.threads)[:] = waves[..., None].astype(np.uint8)

    def apply(self, target: pygame.Surface) -> None:
        target.blit(self.threads, (0, 0), special_flags=pygame.BLEND_RGB_MULT)
        target.blit(self.light, (0, 0))


def enlarge(cells: np.ndarray, cell: int) -> np.ndarray:
    """Cells as pixels, each with a darker edge like a thread over another."""
    pixels = cells.repeat(cell, 0).repeat(cell, 1)
    pixels[cell - 1 :: cell] = pixels[cell - 1 :: cell] // 4 * 3
    pixels[:, cell - 1 :: cell] = pixels[:, cell - 1 :: cell] // 4 * 3
    return pixels
