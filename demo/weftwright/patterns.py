"""The library of classic weaves offered in the side bar, each with a small picture."""

from __future__ import annotations

import numpy as np
import pygame

SHAFTS = (2, 3, 4, 5, 6, 8, 10, 12, 16)
THUMBNAIL = 48


def library() -> dict[str, pygame.Surface]:
    """Every twill, satin and basket weave up to sixteen shafts, drawn as a thumbnail."""
    return {name: thumbnail(up) for name, up in _weaves()}


def _weaves() -> list[tuple[str, np.ndarray]]:
    found = []
    for shafts in SHAFTS:
        for over in range(1, shafts):
            for step in range(1, shafts):
                across = np.arange(shafts)
                lifted = (across[:, None] + step * across[None, :]) % shafts < over
                found.append((f"{over}/{shafts - over} step {step}", lifted))
    return found


def thumbnail(up: np.ndarray) -> pygame.Surface:
    repeats = THUMBNAIL // len(up) + 1
    cells = np.tile(up, (repeats, repeats))[:THUMBNAIL, :THUMBNAIL]
    light = np.hypot(*np.mgrid[-1 : 1 : THUMBNAIL * 1j, -1 : 1 : THUMBNAIL * 1j])
    shade = np.where(cells, 90, 225)[..., None] * np.array([1.0, 0.96, 0.88])
    lit = shade * (1.05 - 0.2 * light[..., None]) ** 1.4
    surface = pygame.surfarray.make_surface(np.clip(lit, 0, 255).astype(np.uint8))
    return pygame.transform.smoothscale(surface, (THUMBNAIL, THUMBNAIL))
