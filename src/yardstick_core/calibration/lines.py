"""Lines of releases whose truth is known: how often a change is told that is none, or missed."""

from __future__ import annotations

import numpy as np

from yardstick_core.compare.line import Cell, Line, line

#: The noise of single runs, and how many a release has in its session.
RUN_NOISE, RUNS = 0.005, 5
#: Days differ by so much, and each takes after the one before: the anchor must see to that.
DAY, AFTER_THE_LAST = 0.04, 0.7
SIZE, STEP = 0.03, 22


def made_cells(
    rng: np.random.Generator,
    releases: int,
    *,
    a_session: int,
    noise: float,
    step: int | None = None,
    size: float = SIZE,
) -> list[Cell]:
    """A line with an anchor in its middle, `a_session` other releases a session.

    `noise` is the standard deviation of a release against the anchor, from session to session.
    """  # fmt: skip
    anchor = releases // 2
    others = [release for release in range(releases) if release != anchor]
    cells, day = [], 0.0
    for session, first in enumerate(range(0, len(others), a_session)):
        day = AFTER_THE_LAST * day + rng.normal(0, DAY)
        for release in (anchor, *others[first : first + a_session]):
            level = size if step is not None and release >= step else 0.0
            own = day + level + rng.normal(0, noise / np.sqrt(2))
            runs = own + rng.normal(0, RUN_NOISE, RUNS)
            cells.append(Cell(session, release, float(runs.mean()), RUN_NOISE**2 / RUNS))
    return cells


def _made(seed: int, releases: int, a_session: int, noise: float, step: int | None) -> Line:
    rng = np.random.default_rng(seed)
    found = line(made_cells(rng, releases, a_session=a_session, noise=noise, step=step))
    assert found is not None
    return found


def line_alarm(seed: int, releases: int, a_session: int, noise: float = 0.01) -> bool:
    """Whether a line without a change shows one."""
    return bool(_made(seed, releases, a_session, noise, None).changes)


def step_found(seed: int, releases: int = 60, a_session: int = 1, noise: float = 0.01) -> bool:
    """Whether a step of 3 % is told, within two releases of where it is."""
    changes = _made(seed, releases, a_session, noise, STEP).changes
    return any(abs(change.release - STEP) <= 2 for change in changes)


def step_in_range(seed: int, releases: int = 60, a_session: int = 1, noise: float = 0.01) -> bool:
    """Whether the release that brought the step is among those named; True where none is told."""
    changes = _made(seed, releases, a_session, noise, STEP).changes
    return not changes or any(one.earliest <= STEP <= one.latest for one in changes)


def size_covered(seed: int, releases: int = 60, a_session: int = 1, noise: float = 0.01) -> bool:
    """Whether the interval of a change that is told holds its true size."""
    changes = _made(seed, releases, a_session, noise, STEP).changes
    near = [one for one in changes if abs(one.release - STEP) <= 2]
    return not near or near[0].low <= SIZE <= near[0].high
