"""What the parity sheet is made of: what runs tell, where they part, and how it is said."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from yardstick_core.match.facts import in_text, is_known

MACHINE, SETTINGS, WORK = "machine", "settings", "work"
MOST_PLACES = 6
MOST_VALUES = 3

#: Of each variant, what was found and in how many of its runs.
Found = tuple[tuple[tuple[str, int], ...], ...]


@dataclass(frozen=True, slots=True)
class RunConditions:
    """What one run tells of the conditions it was measured under.

    `order` is its place in time. `facts` have dotted keys; `settings` are those of the subject,
    before and after the session, None where none were captured; `settings_made` is true where the
    program wrote them itself, so that they are its defaults. `work` counts what was done.
    """

    run: int
    variant: int
    round: int
    order: int
    facts: Mapping[str, Any]
    settings: Mapping[str, str] | None = None
    settings_after: Mapping[str, str] | None = None
    settings_made: bool = False
    work: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ChangePoint:
    """Where something changed: between two runs that followed one another."""

    before_run: int
    after_run: int
    before_round: int
    after_round: int
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Mismatch:
    """One thing that is not the same in all runs.

    `values` are, for each variant, what was found and in how many runs. `candidates` are the
    variants whose comparison with the baseline it touches, `families` the metrics, all where empty.
    `identity` changes with what was found, so that what a person said of it stays true.
    """

    key: str
    name: str
    kind: str
    grade: str
    values: Found
    caused: str
    text: str
    short: str
    candidates: tuple[int, ...]
    rounds: tuple[int, ...] = ()
    places: tuple[ChangePoint, ...] = ()
    families: tuple[str, ...] = ()
    is_factor: bool = False
    identity: str = ""


@dataclass(frozen=True, slots=True)
class Sheet:
    """All mismatches, the gravest first, and what is known of no run."""

    mismatches: tuple[Mismatch, ...]
    unknown: tuple[str, ...]
    runs: int


# -- where values part -----------------------------------------------------------------


def mismatched_rounds(
    values: list[Any], runs: list[RunConditions], baseline: int
) -> tuple[dict[int, list[int]], dict[int, int]]:
    """For each candidate, the rounds in which it saw another value than the baseline, and how
    many they share. Where they share none, the values of all their runs are held together.
    """
    by_side: dict[int, dict[int, set[str]]] = {}
    for run, value in zip(runs, values, strict=True):
        by_side.setdefault(run.variant, {}).setdefault(run.round, set()).add(str(value))
    base = by_side.get(baseline, {})
    mixed: dict[int, list[int]] = {}
    shared: dict[int, int] = {}
    for index, side in by_side.items():
        if index == baseline or not base:
            continue
        common = sorted(side.keys() & base.keys())
        shared[index] = max(1, len(common))
        if common:
            apart = [number for number in common if side[number] != base[number]]
        else:
            alike = set().union(*side.values()) == set().union(*base.values())
            apart = [] if alike else [min(side)]
        if apart:
            mixed[index] = apart
    return mixed, shared


def change_points_of(
    key: str, values: Sequence[Any], runs: list[RunConditions], *, apart: bool = False
) -> tuple[ChangePoint, ...]:
    """Where one run saw another value than the one before it; `apart`, the one of its variant."""
    found = []
    last: dict[int, tuple[RunConditions, Any]] = {}
    for run, value in zip(runs, values, strict=True):
        side = run.variant if apart else 0
        if side in last and str(last[side][1]) != str(value):
            before, old = last[side]
            found.append(
                ChangePoint(
                    before.run, run.run, before.round, run.round, format_value(key, old),
                    format_value(key, value),
                )
            )  # fmt: skip
        last[side] = (run, value)
    return tuple(found)


# -- words ------------------------------------------------------------------------------


def format_value(key: str, value: object) -> str:
    return in_text(key, value) if is_known(value) or value is None else str(value)


def by_variant(key: str, values: Sequence[Any], runs: list[RunConditions], variants: int) -> Found:
    """What was found in the runs of each variant, the most frequent first."""
    sides: list[Counter[str]] = [Counter() for _ in range(variants)]
    for run, value in zip(runs, values, strict=True):
        sides[run.variant][format_value(key, value)] += 1
    return tuple(tuple(side.most_common()) for side in sides)


def sentence_of(name: str, how: str, held: Found, variants: Sequence[str]) -> tuple[str, str]:
    """`kernel differs between the variants: 6.1 in 4.1, 6.8 in 4.2`, and the same in short."""
    parts = []
    for side, variant in zip(held, variants, strict=True):
        if side:
            values = [value for value, _ in side[:MOST_VALUES]]
            more = f" and {len(side) - MOST_VALUES} others" if len(side) > MOST_VALUES else ""
            parts.append(f"{' and '.join(values)}{more} in {variant}")
    short = f"{name} {how}"
    return f"{short}: {', '.join(parts)}", short


def where(places: Sequence[ChangePoint | None]) -> str:
    named = [
        f"between rounds {place.before_round} and {place.after_round}"
        if place.before_round != place.after_round
        else f"within round {place.before_round}"
        for place in places
        if place is not None
    ]
    if len(named) > MOST_PLACES:
        return f"{len(named)} times"
    return ", ".join(dict.fromkeys(named)) or "in between"


def rounds_in_text(numbers: tuple[int, ...]) -> str:
    listed = ", ".join(map(str, numbers))
    return f"round {listed}" if len(numbers) == 1 else f"rounds {listed}"
