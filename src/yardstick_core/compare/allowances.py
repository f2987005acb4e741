"""How far readings may be from what was: reactions of a person, digits not written down."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

#: What is written down of durations, s, the coarsest first: minutes, seconds, and their parts.
_STEPS = (60.0, 1.0, 0.1, 0.01, 0.001)
#: Of a step: so near to a whole number of them is one.
_WHOLE = 1e-6


def of_reactions(half_widths: Array) -> Array:
    """Half-width, shape (k,), that reactions leave unknown of a mean of n readings, shape (k, n).

    Reactions differ from one press to the next and so are part of the spread between runs; but a
    few runs may agree by chance better than anyone can press.
    """
    return np.asarray(np.sqrt((half_widths**2).sum(axis=1)) / half_widths.shape[1], np.float64)


def of_digits(a: Array, b: Array) -> tuple[Array, Array, Array]:
    """Step that the readings of two sides, shapes (k, n) and (k, m), are whole numbers of, and what
    that leaves unknown of the middle of each side; all of shape (k,), 0 for no step.

    Readings that vary by more than half a step are rounded up as often as down, and their mean
    is none the worse for it. Those that agree may all be off by half a step, to the same side.
    """
    steps = np.zeros(len(a))
    for step in reversed(_STEPS):
        whole = [
            (np.abs(side / step - np.rint(side / step)) < _WHOLE).all(axis=1) for side in (a, b)
        ]
        steps = np.where(whole[0] & whole[1], step, steps)
    reaches = [np.where(side.std(axis=1) < steps / 2, steps / 2, 0.0) for side in (a, b)]
    return steps, reaches[0], reaches[1]
