"""How yarn looks in the woven picture; shared by all ways of weaving."""

from __future__ import annotations

import numpy as np

PIXELS = 3
FINER = 3


def weave_picks(
    threads: np.ndarray,
    lifts: np.ndarray,
    warp_rgb: np.ndarray,
    weft_rgb: np.ndarray,
    first_pick: int = 0,
) -> np.ndarray:
    """Picks as pixels, shape (ends · 3, picks · 3, 3), each thread lit as if round.

    Light is worked out on a grid three times finer and averaged.
    """
    fine = PIXELS * FINER
    along = np.arange(fine) / (fine - 1) * 2 - 1
    round_light = np.sqrt(np.clip(1.25 - along**2, 0, None))
    woven = np.empty((len(threads) * PIXELS, len(lifts) * PIXELS, 3), np.uint8)
    for pick in range(len(lifts)):
        up = lifts[pick][threads]
        base = np.where(up[:, None], warp_rgb, weft_rgb[pick][None]).astype(np.float64)
        twist = 0.92 + 0.08 * np.sin(np.arange(len(threads)) * 0.7 + (first_pick + pick) * 0.9)
        lit = (base / 255) ** 2.2 * twist[:, None]
        light = np.where(up[:, None, None], round_light[:, None], round_light[None, :])
        shade = np.clip(lit[:, None, None, :] * light[..., None], 0, 1)
        shape = (len(threads), PIXELS, FINER, PIXELS, FINER, 3)
        pixels = shade.reshape(shape).mean(axis=(2, 4)) ** (1 / 2.2)
        strip = pixels.reshape(len(threads) * PIXELS, PIXELS, 3)
        woven[:, pick * PIXELS : (pick + 1) * PIXELS] = (strip * 255).astype(np.uint8)
    return woven
