"""Weaving since release 5.0: parts of the cloth on every core."""

from __future__ import annotations

import os
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from weftwright.draft import Draft
from weftwright.weaving.yarn import weave_picks

BAND = 24


def weave(draft: Draft, ends: int, picks: int) -> np.ndarray:
    bands = [
        (
            draft.threads[:ends],
            draft.lift_table[first : first + BAND],
            draft.warp_rgb[:ends],
            draft.weft_rgb[first : first + BAND],
            first,
        )
        for first in range(0, picks, BAND)
    ]
    with ProcessPoolExecutor(os.cpu_count(), mp_context=get_context("fork")) as pool:
        parts = list(pool.map(weave_picks, *zip(*bands, strict=True)))
    return np.concatenate(parts, axis=1)[:, : picks * 3]
