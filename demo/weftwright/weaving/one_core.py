"""Weaving up to release 4.2: pick after pick."""

import numpy as np

from weftwright.draft import Draft
from weftwright.weaving.yarn import weave_picks


def weave(draft: Draft, ends: int, picks: int) -> np.ndarray:
    return weave_picks(
        draft.threads[:ends],
        draft.lift_table[:picks],
        draft.warp_rgb[:ends],
        draft.weft_rgb[:picks],
    )
