"""Values of which some are known only to be exceeded: right-censored ones."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np


def censored_percentile(
    values: Sequence[float], right_censored: Sequence[bool], share: float
) -> tuple[float, bool]:
    """Percentile with linear interpolation, and whether the true one may be larger.

    Right-censored values count as larger than all that were seen; where the percentile rests on
    one, the value waited for until then is a lower bound. At least one value; `share` within 0…1.

    >>> censored_percentile([1.0, 2.0, 30.0], [False, False, True], 0.5)
    (2.0, False)
    """
    order = np.lexsort((np.asarray(values), np.asarray(right_censored)))
    ranked, unknown = np.asarray(values, float)[order], np.asarray(right_censored)[order]
    place = share * (len(ranked) - 1)
    low = int(place)
    high = low + 1 if place > low else low
    least = float(ranked[low] + (ranked[high] - ranked[low]) * (place - low))
    return least, bool(unknown[high])
