"""Many releases over many sessions of measuring: for each metric a line, and what it says."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yardstick_core.compare import text
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.line import LEAST_CHANGE, LEAST_NOISE, Cell, Change, Line, line
from yardstick_core.compare.rows import Row
from yardstick_core.compare.study import is_withheld
from yardstick_core.readings.metric import Metric

#: The chance that a line without a change shows one: of main metrics, and of each other one.
ALPHA_MAIN, ALPHA_OTHER = 0.05, 0.01
#: In the own unit: parts of what matters that a session adds by itself, and that a change is.
_NOISE_PART, _CHANGE_PART = 0.1, 2 / 3
MATERIAL = 0.03

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class MeasuringSession:
    """What one session of measuring read, and which release each of its variants is."""

    rows: Sequence[Row]
    releases: Mapping[int, int]


@dataclass(frozen=True, slots=True)
class MetricLine:
    """The line of one metric of one stretch; on logs, or in the metric's own unit."""

    metric: Metric
    stretch: tuple[str, ...]
    line: Line
    on_logs: bool
    #: What the anchor reads: the middle of all its runs.
    anchor_reading: float
    #: The smallest difference that matters, on the scale of the line.
    matters: float
    deciding: bool = False
    #: Releases that a session did not measure alike: they are left out of it there.
    withheld: tuple[int, ...] = ()

    @property
    def name(self) -> str:
        return text.label(self.metric, self.stretch)

    @property
    def qualified_name(self) -> str:
        return text.qualified_label(self.name, self.stretch)

    @property
    def largest(self) -> float:
        """The size of its largest change, in multiples of what matters; 0 without one."""
        return max((abs(one.size) / self.matters for one in self.line.changes), default=0.0)

    def reading(self, value: float) -> float:
        """What a value of the line comes to as a reading, at the anchor's level."""
        if not self.on_logs:
            return self.anchor_reading + value
        return self.anchor_reading * math.exp(value)

    def gain(self, value: float) -> float:
        """A value of the line turned so that more is better."""
        return value if self.metric.higher_is_better else -value


def lines(sessions: Sequence[MeasuringSession], anchor: int | None = None) -> list[MetricLine]:
    """A line for each metric that two releases have; `anchor` or the one most sessions hold.

    The order is that of the first session; rows that echo another are left out.
    """
    found: dict[tuple[tuple[str, ...], str], list[tuple[int, Row]]] = {}
    for number, session in enumerate(sessions):
        for row in session.rows:
            if row.counted:
                found.setdefault((row.stretch, row.metric.key), []).append((number, row))
    known = (_line(rows, sessions, anchor) for rows in found.values())
    return [one for one in known if one is not None]


def _line(
    rows: Sequence[tuple[int, Row]], sessions: Sequence[MeasuringSession], anchor: int | None
) -> MetricLine | None:
    first = rows[0][1]
    metric = first.metric
    sides = [
        (number, {
            release: usable
            for position, release in sessions[number].releases.items()
            if position < len(row.samples) and (usable := _usable(row, position))
        })
        for number, row in rows
    ]  # fmt: skip
    values = [one.value for _, held in sides for side in held.values() for one in side]
    if not values:
        return None
    on_logs = metric.on_logs and min(values) > 0
    cells = cells_of(sides, on_logs=on_logs)
    level = float(np.median(np.abs(values)))
    matters = math.log1p(metric.material_share or MATERIAL) if on_logs else _matters(metric, level)
    least_noise = LEAST_NOISE if on_logs else _NOISE_PART * matters
    least_change = LEAST_CHANGE if on_logs else _CHANGE_PART * matters
    deciding = any(row.deciding for _, row in rows)
    alpha = ALPHA_MAIN if deciding or metric.primary else ALPHA_OTHER
    made = line(
        cells, anchor=anchor, alpha=alpha, least_noise=least_noise, least_change=least_change
    )
    if made is None:
        return None
    of_anchor = [one.value for _, held in sides for one in held.get(made.anchor, ())]
    reading = float(np.median(of_anchor)) if of_anchor else 0.0
    withheld = {
        release
        for number, row in rows
        for position, release in sessions[number].releases.items()
        if position < len(row.samples) and is_withheld(row, position)
    }
    return MetricLine(
        metric, first.stretch, made, on_logs, reading, matters, deciding, tuple(sorted(withheld))
    )


def _usable(row: Row, position: int) -> list[Sample]:
    """A side's readings; none where one never reached its end, for then no mean is known, and none
    where its verdicts are held back, for its runs were not measured like the others."""
    side = row.samples[position]
    if any(one.right_censored for one in side) or is_withheld(row, position):
        return []
    return list(side)


def _matters(metric: Metric, level: float) -> float:
    return max(metric.material_amount, metric.material_share * level, 1e-9 * level, 1e-12)


def cells_of(
    sessions: Sequence[tuple[int, Mapping[int, Sequence[Sample]]]], *, on_logs: bool
) -> list[Cell]:
    """Means of releases by session, each with the variance of its mean.

    A session's releases are held against each other in rounds that have them all, where there are
    at least two such; the variance of a single run is that of all sessions together. A run that
    something else held up counts as far off as three standard deviations of the others, no more.
    """
    tables = [
        (session, release, *_table(sides, release, on_logs))
        for session, sides in sessions
        for release in _groups(sides)
    ]
    left = [_residuals(table) for _, _, table, _ in tables]
    sizes = np.concatenate([np.abs(one).ravel() for one in left]) if left else np.empty(0)
    df = sum(_freedom(table) for _, _, table, _ in tables)
    if not df:
        return [
            Cell(session, release, float(mean), 0.0)
            for session, _, table, releases in tables
            for release, mean in zip(releases, table.mean(axis=1), strict=True)
        ]
    # of some residuals none is free: those of a side of one run are 0 and say nothing
    middle = float(np.median(sizes[sizes > 0])) if (sizes > 0).any() else 0.0
    reach = _FAR * _MAD * middle * math.sqrt(len(sizes) / df)
    clipped = [
        table - rest + np.clip(rest, -reach, reach)
        for (_, _, table, _), rest in zip(tables, left, strict=True)
    ]
    squares = sum(float((_about_means(table) ** 2).sum()) for table in clipped)
    variance = squares / df
    return [
        Cell(session, release, float(mean), variance / table.shape[1])
        for (session, _, _, releases), table in zip(tables, clipped, strict=True)
        for release, mean in zip(releases, table.mean(axis=1), strict=True)
    ]


#: Standard deviations beyond which a run counts no further, and what makes one of a median.
_FAR, _MAD = 3.0, 1.4826


def _groups(sides: Mapping[int, Sequence[Sample]]) -> list[int | None]:
    """Which releases of a session stand in one table: all (None), or each by itself."""
    return [None] if len(_whole_rounds(sides)) >= 2 else list(sides)


def _whole_rounds(sides: Mapping[int, Sequence[Sample]]) -> list[int]:
    rounds = [{one.round for one in side} for side in sides.values()]
    return sorted(set.intersection(*rounds)) if rounds else []


def _table(
    sides: Mapping[int, Sequence[Sample]], release: int | None, on_logs: bool
) -> tuple[Array, list[int]]:
    """Readings on the scale they are compared on, a row a release, and which releases these are."""
    if release is None:
        whole = _whole_rounds(sides)
        held = [{one.round: one.value for one in side} for side in sides.values()]
        table = np.array([[values[turn] for turn in whole] for values in held])
        releases = list(sides)
    else:
        table = np.array([[one.value for one in sides[release]]])
        releases = [release]
    return (np.log(table) if on_logs else table), releases


def _residuals(table: Array) -> Array:
    """What rounds and releases do not explain, by medians: a few odd runs do not shift them."""
    left = table - np.median(table, axis=1, keepdims=True)
    if len(table) > 2:
        left = left - np.median(left, axis=0)
    return np.asarray(left)


def _about_means(table: Array) -> Array:
    left = table - table.mean(axis=1, keepdims=True)
    if len(table) > 1:
        left = left - left.mean(axis=0)
    return np.asarray(left)


def _freedom(table: Array) -> int:
    return int((table.shape[1] - 1) * max(1, len(table) - 1))


# -- in words --------------------------------------------------------------------------


def change_text(of: MetricLine, change: Change) -> str:
    """A change with its interval: `10 % more time (8.2 to 12)`, in the own unit elsewhere."""
    if not of.on_logs:
        limits = text.change_limits(of.metric, change.low, change.high)
        return f"{text.signed(of.metric, change.size)} ({limits})"
    ratio, low, high = (math.exp(one) for one in (change.size, change.low, change.high))
    return text.ratio_with_limits(of.metric, ratio, low, high)


def since_text(change: Change, names: Sequence[str]) -> str:
    """With which release it came: `since 4.0.1`, `since 3.8.1 or 3.9`, `since one of 3.6 to 3.9`.

    >>> since_text(Change(2, 1, 2, 0.1, 0.08, 0.12), ["3.8", "3.8.1", "3.9"])
    'since 3.8.1 or 3.9'
    """
    first, last = change.earliest, change.latest
    if first == last:
        return f"since {names[first]}"
    if last == first + 1:
        return f"since {names[first]} or {names[last]}"
    return f"since one of {names[first]} to {names[last]}"


def headline(of: MetricLine, names: Sequence[str]) -> str:
    """What a line says in a sentence: `Launch changed twice, last since 4.7: …`."""
    changes, points = of.line.changes, of.line.points
    subject = of.qualified_name[0].upper() + of.qualified_name[1:]
    first, last = names[points[0].release], names[points[-1].release]
    if not changes:
        return f"{subject} shows no change from {first} to {last}."
    newest = changes[-1]
    said = f"{since_text(newest, names)}, {change_text(of, newest)}"
    if len(changes) == 1:
        return f"{subject} changed once: {said}."
    times = {2: "twice"}.get(len(changes), f"{len(changes)} times")
    return f"{subject} changed {times}, last {said}."


@dataclass(frozen=True, slots=True)
class NextRelease:
    """A release whose measuring places a change better: never measured yet, or once more."""

    release: int
    change: Change
    again: bool


def next_release(of: MetricLine) -> NextRelease | None:
    """What to measure next: halfway in the range of the largest change that is not placed yet."""
    measured = {point.release for point in of.line.points}
    wide = [one for one in of.line.changes if one.latest > one.earliest]
    if not wide:
        return None
    change = max(wide, key=lambda one: abs(one.size))
    within = range(change.earliest, change.latest)
    unknown = [release for release in within if release not in measured]
    middle = (change.earliest + change.latest - 1) / 2
    pool = unknown or list(within)
    return NextRelease(min(pool, key=lambda one: abs(one - middle)), change, not unknown)
