"""A line of releases: each held against an anchor of its own session, and where the level changes.

The session of measuring is the unit. What all releases of a session share, such as a warm day, is
one unknown of that session, which the anchor (a release that is measured in every session) and any
other release measured twice tie to the rest. What is left is the noise of runs, and what differs
from session to session for no reason; its size is learnt from neighbours in the line.

Changes are sought in intervals of many lengths, the narrowest that shows one first; how much is
needed follows from simulating the same line without any change.
Sources: narrowest-over-threshold, Baranowski, Chen & Fryzlewicz 2019; seeded intervals, Kovács,
Bühlmann, Li & Munk 2023; scale from differences of neighbours by their median.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import special

Array = NDArray[np.float64]

#: Of the readings' standard deviations: what a session adds by itself is at least this, on logs.
LEAST_NOISE = 0.003
#: Smaller changes are not told, on logs: a release may be built on another day.
LEAST_CHANGE = math.log(1.02)
#: So many releases at least on either side of a change.
SHORTEST = 2
FEWEST_RELEASES = 5
_SIMULATED, _SEED = 500, 20_11
#: A change may lie wherever the fit is worse by no more than this, in squared standard errors.
_AS_GOOD = 5.0
_MEDIAN_OF_NORMAL = 0.6744897501960817
_SHRINK, _GROWTH = 1.4, 4
_OUTLIER = 4.0


@dataclass(frozen=True, slots=True)
class Cell:
    """A release in a session of measuring: mean of its runs, and the variance of that mean."""

    session: int
    release: int
    mean: float
    variance: float


@dataclass(frozen=True, slots=True)
class Point:
    """A release of the line against the anchor, with limits; `sessions` it was measured in."""

    release: int
    value: float
    low: float
    high: float
    sessions: int


@dataclass(frozen=True, slots=True)
class Change:
    """From `release` on the level is another, by `size` with limits.

    It may have come with any release from `earliest` to `latest`, those not measured among them.
    """

    release: int
    earliest: int
    latest: int
    size: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Line:
    """Releases against the anchor, in order, and the changes among them.

    `levels` is the level of each point's stretch of the line; `noise` the standard deviation that a
    session adds by itself. `apart` are releases that no session ties to the anchor.
    """

    anchor: int
    points: tuple[Point, ...]
    levels: tuple[float, ...]
    changes: tuple[Change, ...]
    noise: float
    apart: tuple[int, ...] = ()


def anchor_of(cells: Sequence[Cell]) -> int:
    """The release that most sessions have measured; of several, the one with most other releases.

    >>> anchor_of([Cell(0, 1, 0, 1), Cell(0, 2, 0, 1), Cell(1, 2, 0, 1), Cell(1, 3, 0, 1)])
    2
    """
    sessions: dict[int, set[int]] = {}
    for cell in cells:
        sessions.setdefault(cell.release, set()).add(cell.session)
    met = {
        release: sum(cell.session in there for cell in cells) for release, there in sessions.items()
    }
    return min(sessions, key=lambda one: (-len(sessions[one]), -met[one], one))


def line(
    cells: Sequence[Cell], *, anchor: int | None = None, alpha: float = 0.05,
    least_noise: float = LEAST_NOISE, least_change: float = LEAST_CHANGE,
) -> Line | None:  # fmt: skip
    """The line that cells come to; None where fewer than two releases hang together.

    Releases are numbered in their order; numbers may be left out where a release was not measured.
    `alpha` is the chance that a line without any change shows one.
    """
    if not cells:
        return None
    anchor = anchor_of(cells) if anchor is None else anchor
    tied, apart = _tied(cells, anchor)
    releases = sorted({cell.release for cell in tied})
    if len(releases) < 2:
        return None
    hung = _hang(tied, releases, anchor, least_noise)
    noise = float(_noise(hung, hung.values[:, None], least_noise)[0])
    cut: list[int] = []
    if len(releases) >= FEWEST_RELEASES:
        cut = _places(hung, noise, alpha, least_noise)
    changes, levels = _fitted(hung, cut, noise, least_change, alpha)
    variances = np.maximum(hung.run + noise**2 * hung.between, 0)
    reach = special.stdtrit(max(3, len(releases) - 1), 1 - 0.05 / 2) * np.sqrt(np.diag(variances))
    points = tuple(
        Point(
            release, float(value), float(value - half), float(value + half),
            len({cell.session for cell in tied if cell.release == release}),
        )
        for release, value, half in zip(releases, hung.values, reach, strict=True)
    )  # fmt: skip
    return Line(anchor, points, levels, changes, noise, apart)


# -- from sessions to one line ---------------------------------------------------------


def _tied(cells: Sequence[Cell], anchor: int) -> tuple[list[Cell], tuple[int, ...]]:
    """The cells of sessions that hang together with the anchor, and the releases of the others."""
    known, sessions = {anchor}, set[int]()
    grows = True
    while grows:
        more = {cell.session for cell in cells if cell.release in known} - sessions
        sessions |= more
        known |= {cell.release for cell in cells if cell.session in sessions}
        grows = bool(more)
    inside = [cell for cell in cells if cell.session in sessions]
    return inside, tuple(sorted({cell.release for cell in cells} - known))


@dataclass(frozen=True, slots=True)
class _Hung:
    """Releases against the anchor: values, shape (k,), and how they vary together, (k, k).

    `run` is what the noise of runs makes of it, `between` what one unit of noise between sessions.
    """

    cells: tuple[Cell, ...]
    releases: tuple[int, ...]
    values: Array
    run: Array
    between: Array


def _hang(cells: list[Cell], releases: list[int], anchor: int, least_noise: float) -> _Hung:
    """Least squares of cells on sessions and releases, the anchor at 0."""
    sessions = sorted({cell.session for cell in cells})
    place = {release: number for number, release in enumerate(releases) if release != anchor}
    columns = {release: n for n, release in enumerate(place)}
    design = np.zeros((len(cells), len(sessions) + len(columns)))
    for row, cell in enumerate(cells):
        design[row, sessions.index(cell.session)] = 1
        if cell.release != anchor:
            design[row, len(sessions) + columns[cell.release]] = 1
    variance = np.array([cell.variance for cell in cells])
    weight = 1 / (variance + least_noise**2)
    solved = np.linalg.pinv(design.T @ (weight[:, None] * design)) @ (design.T * weight)
    solved = solved[len(sessions) :]
    spread = np.zeros((len(releases), len(cells)))
    for release, row in columns.items():
        spread[place[release]] = solved[row]
    means = np.array([cell.mean for cell in cells])
    return _Hung(
        tuple(cells), tuple(releases), spread @ means, (spread * variance) @ spread.T,
        spread @ spread.T,
    )  # fmt: skip


def _noise(hung: _Hung, values: Array, least: float) -> Array:
    """What sessions add by themselves, from neighbours in each column of (k, m); shape (m,)."""
    steps = np.abs(np.diff(values, axis=0))
    by_run = _of_neighbours(hung.run)
    between = np.maximum(_of_neighbours(hung.between), 1e-12)

    def middle(noise: Array) -> Array:
        spread = np.sqrt(by_run[:, None] + noise[None, :] ** 2 * between[:, None])
        return np.asarray(np.median(steps / spread, axis=0))

    low = np.full(values.shape[1], least)
    high = np.maximum(2 * least, 4 * steps.max(axis=0) / math.sqrt(between.min()))
    enough = middle(low) <= _MEDIAN_OF_NORMAL
    for _ in range(24):
        between_both = (low + high) / 2
        above = middle(between_both) > _MEDIAN_OF_NORMAL
        low, high = np.where(above, between_both, low), np.where(above, high, between_both)
    return np.asarray(np.where(enough, least, high))


def _of_neighbours(covariance: Array) -> Array:
    own = np.diag(covariance)
    return np.asarray(own[1:] + own[:-1] - 2 * np.diag(covariance, 1))


# -- where it changes ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Scan:
    """Contrasts of what follows a place in an interval with what stands before it.

    `rows` (n, k) sum to 0; `first`, `last` and `place` (n,) are positions in the line.
    """

    rows: Array
    first: NDArray[np.int64]
    last: NDArray[np.int64]
    place: NDArray[np.int64]


@lru_cache(maxsize=64)
def _scan(size: int) -> _Scan:
    spans: dict[tuple[int, int], None] = {}
    length = float(size)
    while length >= 2 * SHORTEST:
        whole = round(length)
        step = max(1, whole // _GROWTH)
        for first in (*range(0, size - whole, step), size - whole):
            spans[first, first + whole - 1] = None
        length /= _SHRINK
    rows, where = [], []
    for first, last in spans:
        for place in range(first + SHORTEST, last - SHORTEST + 2):
            row = np.zeros(size)
            row[first:place] = -1 / (place - first)
            row[place : last + 1] = 1 / (last + 1 - place)
            rows.append(row)
            where.append((first, last, place))
    at = np.array(where, np.int64).reshape(-1, 3)
    return _Scan(np.array(rows).reshape(-1, size), at[:, 0], at[:, 1], at[:, 2])


def _sizes(hung: _Hung, scan: _Scan, values: Array, noise: Array) -> Array:
    """|contrast| in its standard errors, (n, m), of values (k, m) with their own noise (m,)."""
    by_run = ((scan.rows @ hung.run) * scan.rows).sum(axis=1)
    between = ((scan.rows @ hung.between) * scan.rows).sum(axis=1)
    spread = np.sqrt(by_run[:, None] + noise[None, :] ** 2 * between[:, None])
    return np.asarray(np.abs(scan.rows @ values) / np.maximum(spread, 1e-300))


def _places(hung: _Hung, noise: float, alpha: float, least: float) -> list[int]:
    """Positions in the line with which another level begins."""
    scan = _scan(len(hung.releases))
    if not len(scan.place):
        return []
    needed = _needed(hung, scan, noise, alpha, least)
    values = _without_outliers(hung, hung.values[:, None], np.array([noise]))
    found = _sizes(hung, scan, values, np.array([noise]))[:, 0]
    places: list[int] = []
    spans = [(0, len(hung.releases) - 1)]
    while spans:
        first, last = spans.pop()
        inside = (scan.first >= first) & (scan.last <= last) & (found > needed)
        if not inside.any():
            continue
        length = np.where(inside, scan.last - scan.first, np.iinfo(np.int64).max)
        shortest = length == length.min()
        best = int(np.argmax(np.where(shortest, found, -1)))
        place = int(scan.place[best])
        places.append(place)
        spans += [(first, place - 1), (place, last)]
    return sorted(places)


def _without_outliers(hung: _Hung, values: Array, noise: Array) -> Array:
    """Values no further from their five neighbours than a few standard errors, (k, m)."""
    size = len(values)
    around = np.clip(np.arange(size)[:, None] + np.arange(-2, 3), 0, size - 1)
    middle = np.median(values[around], axis=1)
    own = np.diag(hung.run)[:, None] + noise[None, :] ** 2 * np.diag(hung.between)[:, None]
    reach = _OUTLIER * np.sqrt(own)
    return np.asarray(np.clip(values, middle - reach, middle + reach))


def _needed(hung: _Hung, scan: _Scan, noise: float, alpha: float, least: float) -> float:
    """The contrast that a line of the same noise without a change exceeds with chance `alpha`."""
    spread = hung.run + noise**2 * hung.between
    values, vectors = np.linalg.eigh(spread)
    root = vectors * np.sqrt(np.maximum(values, 0))
    generator = np.random.default_rng(_SEED)
    made = root @ generator.standard_normal((len(root), _SIMULATED))
    learnt = _noise(hung, made, least)
    made = _without_outliers(hung, made, learnt)
    largest = _sizes(hung, scan, made, learnt).max(axis=0)
    return float(np.quantile(largest, 1 - alpha))


# -- what the changes come to ----------------------------------------------------------


class _Fit:
    """Least squares of cells on their sessions and on steps of the line."""

    def __init__(self, hung: _Hung, noise: float) -> None:
        self.releases = hung.releases
        self.position = {release: n for n, release in enumerate(hung.releases)}
        self.at = np.array([self.position[cell.release] for cell in hung.cells])
        sessions = sorted({cell.session for cell in hung.cells})
        self.sessions = np.array(
            [[cell.session == one for one in sessions] for cell in hung.cells], float
        )
        self.root = np.array([1 / math.sqrt(c.variance + noise**2) for c in hung.cells])
        self.means = np.array([cell.mean for cell in hung.cells])

    def steps(self, places: Sequence[int]) -> tuple[Array, Array, float]:
        """Sizes of steps at places, their covariance, and the weighted sum of squares left."""
        design = np.column_stack(
            [self.sessions, *((self.at >= place).astype(float) for place in places)]
        )
        weighted, target = self.root[:, None] * design, self.root * self.means
        inverse = np.linalg.pinv(weighted.T @ weighted)
        solved = inverse @ (weighted.T @ target)
        left = target - weighted @ solved
        count = self.sessions.shape[1]
        return solved[count:], inverse[count:, count:], float(left @ left)


def _fitted(
    hung: _Hung, places: list[int], noise: float, least: float, alpha: float
) -> tuple[tuple[Change, ...], tuple[float, ...]]:
    """Changes with their sizes, put where they fit best, and the level of each release."""
    fit = _Fit(hung, noise)
    places = _settled(fit, places)
    while places:
        sizes = fit.steps(places)[0]
        changes = [_change(hung, fit, places, number, alpha) for number in range(len(places))]
        worst = int(np.argmin(np.abs(sizes)))
        unsure = [n for n, one in enumerate(changes) if one.low <= 0 <= one.high]
        if abs(sizes[worst]) >= least and not unsure:
            return tuple(changes), _levels(hung, places, sizes)
        out = worst if abs(sizes[worst]) < least else min(unsure, key=lambda n: abs(sizes[n]))
        places = _settled(fit, [one for n, one in enumerate(places) if n != out])
    return (), _levels(hung, [], np.empty(0))


def _change(hung: _Hung, fit: _Fit, places: list[int], number: int, alpha: float) -> Change:
    """A change with limits that hold wherever it may lie."""
    sizes, spread, _ = fit.steps(places)
    df = max(3, len(hung.cells) - fit.sessions.shape[1] - len(places))
    reach = float(special.stdtrit(df, 1 - alpha / 2)) * math.sqrt(max(spread[number, number], 0.0))
    good = _as_good(fit, places, number)
    elsewhere = [
        float(fit.steps([*places[:number], at, *places[number + 1 :]])[0][number]) for at in good
    ]
    return Change(
        hung.releases[places[number]], hung.releases[min(good) - 1] + 1, hung.releases[max(good)],
        float(sizes[number]), min(elsewhere) - reach, max(elsewhere) + reach,
    )  # fmt: skip


def _settled(fit: _Fit, places: list[int]) -> list[int]:
    """Places moved, one after the other, to where the fit is best between their neighbours."""
    places = list(places)
    for _ in range(4):
        before = list(places)
        for number in range(len(places)):
            places[number] = min(
                _between(fit, places, number), key=lambda at: _left(fit, places, number, at)
            )
        if places == before:
            break
    return places


def _between(fit: _Fit, places: list[int], number: int) -> range:
    low = places[number - 1] if number else 0
    high = places[number + 1] if number + 1 < len(places) else len(fit.releases)
    return range(low + SHORTEST, high - SHORTEST + 1)


def _left(fit: _Fit, places: list[int], number: int, at: int) -> float:
    return fit.steps([*places[:number], at, *places[number + 1 :]])[2]


def _as_good(fit: _Fit, places: list[int], number: int) -> list[int]:
    """The places at which a change fits nearly as well as where it is put, that one among them."""
    left = {at: _left(fit, places, number, at) for at in _between(fit, places, number)}
    return [at for at, value in left.items() if value - left[places[number]] <= _AS_GOOD]


def _levels(hung: _Hung, places: list[int], sizes: Array) -> tuple[float, ...]:
    """The level of each release: its stretch's mean against the anchor."""
    size = len(hung.releases)
    steps = np.zeros(size)
    for place, step in zip(places, sizes, strict=True):
        steps[place:] += step
    weight = 1 / np.maximum(np.diag(hung.run + LEAST_NOISE**2 * hung.between), LEAST_NOISE**2)
    shift = float(np.average(hung.values - steps, weights=weight))
    return tuple((steps + shift).tolist())
