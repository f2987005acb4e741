"""The parity sheet: everything that differs between the variants' runs besides the factor.

Each difference gets one of three grades. A fact that differs between the variants within the same
rounds has its full grade; one that differs in a few rounds only, or that changed between rounds
alike for all, a lighter one, for rounds are compared within themselves.
"""

from __future__ import annotations

import hashlib
import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from statistics import mean, median
from typing import Any

from yardstick_core.match.facts import (
    BREAKS,
    GRADES,
    HARMLESS,
    NOT_RUNNING,
    UNKNOWN,
    WORD,
    Fact,
    fact_of,
    in_words,
    is_known,
)

MACHINE, SETTINGS, WORK = "machine", "settings", "work"
LACKING = "not there"
FEWEST_ON_A_SIDE = 3
MOST_PLACES = 6
#: A program ran beside one side only where its share of the runs differs by so much.
ONE_SIDED = 0.5
MOST_VALUES = 3


@dataclass(frozen=True, slots=True)
class Witness:
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
class Place:
    """Where something changed: between two runs that followed one another."""

    before_run: int
    after_run: int
    before_round: int
    after_round: int
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Parting:
    """One thing that is not the same in all runs.

    `values` are, for each variant, what was found and in how many runs. `candidates` are the
    variants whose comparison with the baseline it touches, `families` the metrics, all where empty.
    `identity` changes with what was found, so that what a person said of it stays true.
    """

    key: str
    name: str
    kind: str
    grade: str
    values: tuple[tuple[tuple[str, int], ...], ...]
    caused: str
    words: str
    short: str
    candidates: tuple[int, ...]
    rounds: tuple[int, ...] = ()
    places: tuple[Place, ...] = ()
    families: tuple[str, ...] = ()
    is_factor: bool = False
    identity: str = ""


@dataclass(frozen=True, slots=True)
class Sheet:
    """All partings, the gravest first, and what is known of no run."""

    partings: tuple[Parting, ...]
    unknown: tuple[str, ...]
    runs: int


def parity(
    witnesses: Iterable[Witness], variants: Sequence[str], baseline: int, factor: str = ""
) -> Sheet:
    """Hold the conditions of runs against one another; the runs are those that are compared."""
    runs = sorted(witnesses, key=lambda run: run.order)
    keys = list(dict.fromkeys(key for run in runs for key in run.facts))
    partings: list[Parting] = []
    unknown: list[str] = []
    for key in keys:
        fact = fact_of(key)
        absent = NOT_RUNNING if key.startswith("programs.") else UNKNOWN
        values = [run.facts.get(key, absent) for run in runs]
        if not any(map(is_known, values)):
            unknown.append(fact.name)
            continue
        found = _fact(fact, values, runs, variants, baseline)
        if found is not None:
            partings.append(_as_factor(found, factor in fact.factors, factor))
    partings += _settings(runs, variants, baseline, factor)
    partings += _work(runs, variants, baseline)
    partings = [_identified(part) for part in partings]
    partings.sort(key=lambda part: (part.is_factor, GRADES.index(part.grade)))
    return Sheet(tuple(partings), tuple(unknown), len(runs))


# -- facts of the machine --------------------------------------------------------------


def _fact(
    fact: Fact, values: list[Any], runs: list[Witness], variants: Sequence[str], baseline: int
) -> Parting | None:
    numeric = fact.tolerance > 0 and all(
        isinstance(value, (int, float)) for value in values if is_known(value)
    )
    if numeric and fact.passing:
        return _passing_number(fact, values, runs, variants, baseline)
    levels = _levels(values, fact.tolerance) if numeric else values
    if len({_said(fact.key, value) for value in levels}) < 2:
        return None
    if fact.key.startswith("programs."):
        return _program(fact, levels, runs, variants, baseline)
    mixed, shared = _mixed(levels, runs, baseline)
    touched = tuple(sorted(mixed))
    rounds = tuple(sorted({number for numbers in mixed.values() for number in numbers}))
    most = max((len(mixed[i]) / shared[i] for i in touched), default=0.0)
    places = _places(fact.key, levels, runs, apart=most >= 0.5)
    if len({str(value) for value in levels if is_known(value)}) == 1 and UNKNOWN in levels:
        grade = WORD if most and fact.grade != HARMLESS else HARMLESS
        how = "is not known of all runs"
    elif most >= 0.5:
        grade, how = fact.grade, "differs between the variants"
    elif most > 0:
        grade = HARMLESS if fact.passing else max(fact.grade, WORD, key=GRADES.index)
        how = f"differs between the variants in {_rounds(rounds)}"
    else:
        grade = HARMLESS if fact.passing or fact.grade != BREAKS else WORD
        how = f"changed {_where(places)}, for all variants alike"
    return _parting(fact, grade, how, levels, runs, variants, touched, rounds, places)


def _program(
    fact: Fact, values: list[Any], runs: list[Witness], variants: Sequence[str], baseline: int
) -> Parting:
    """A program that ran beside some runs; it weighs where it did so far more for one side."""
    sides: dict[int, list[bool]] = {}
    for run, value in zip(runs, values, strict=True):
        sides.setdefault(run.variant, []).append(value != NOT_RUNNING)
    base = sides.get(baseline, [])
    touched = tuple(
        index
        for index, side in sorted(sides.items())
        if base and index != baseline and abs(mean(side) - mean(base)) >= ONE_SIDED
    )
    places = _places(fact.key, values, runs, apart=bool(touched))
    if touched:
        how = "differs between the variants"
    else:
        how = f"changed {_where(places)}" if len(places) == 1 else "came and went"
    grade = fact.grade if touched else HARMLESS
    return _parting(fact, grade, how, values, runs, variants, touched, (), places)


def _levels(values: list[Any], tolerance: float) -> list[Any]:
    """Numbers that lie within the tolerance of an earlier one are taken for the same."""
    known: list[float] = []
    found: list[Any] = []
    for value in values:
        if not is_known(value):
            found.append(UNKNOWN)
            continue
        like = next((level for level in known if abs(level - value) <= tolerance), None)
        if like is None:
            known.append(value)
        found.append(value if like is None else like)
    return found


def _mixed(
    values: list[Any], runs: list[Witness], baseline: int
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


def _places(
    key: str, values: Sequence[Any], runs: list[Witness], *, apart: bool = False
) -> tuple[Place, ...]:
    """Where one run saw another value than the one before it; `apart`, the one of its variant."""
    found = []
    last: dict[int, tuple[Witness, Any]] = {}
    for run, value in zip(runs, values, strict=True):
        side = run.variant if apart else 0
        if side in last and str(last[side][1]) != str(value):
            before, old = last[side]
            found.append(
                Place(
                    before.run, run.run, before.round, run.round, _said(key, old),
                    _said(key, value),
                )
            )  # fmt: skip
        last[side] = (run, value)
    return tuple(found)


def _passing_number(
    fact: Fact, values: list[Any], runs: list[Witness], variants: Sequence[str], baseline: int
) -> Parting | None:
    """A number that wavers: held by its medians, per variant and before and after each moment."""
    known = [(run, float(v)) for run, v in zip(runs, values, strict=True) if is_known(v)]
    sides: dict[int, list[float]] = {}
    for run, value in known:
        sides.setdefault(run.variant, []).append(value)
    base = sides.get(baseline)
    touched = tuple(
        index
        for index, side in sorted(sides.items())
        if base and index != baseline and abs(median(side) - median(base)) > fact.tolerance
    )
    place = _step(fact, known)
    if not touched and place is None:
        return None
    grade = fact.grade if touched else HARMLESS
    how = "differs between the variants" if touched else f"changed {_where((place,))}"
    medians = tuple(
        ((f"about {in_words(fact.key, median(sides[i]))}", len(sides[i])),) if i in sides else ()
        for i in range(len(variants))
    )
    return Parting(
        fact.key, fact.name, MACHINE, grade, medians, fact.caused,
        *_said_of(fact.name, how, medians, variants), touched,
        places=(place,) if place else (), families=fact.touches,
    )  # fmt: skip


def _step(fact: Fact, known: list[tuple[Witness, float]]) -> Place | None:
    """Where two levels fit the values best (least absolute deviations), if their medians are
    further apart than twice the tolerance.
    """
    best: tuple[float, int] | None = None
    values = [value for _, value in known]
    for cut in range(FEWEST_ON_A_SIDE, len(values) - FEWEST_ON_A_SIDE + 1):
        before, after = median(values[:cut]), median(values[cut:])
        left = sum(abs(v - before) for v in values[:cut])
        misfit = left + sum(abs(v - after) for v in values[cut:])
        if abs(before - after) > 2 * fact.tolerance and (best is None or misfit < best[0]):
            best = (misfit, cut)
    if best is None:
        return None
    cut = best[1]
    last, first = known[cut - 1][0], known[cut][0]
    return Place(
        last.run, first.run, last.round, first.round,
        f"about {in_words(fact.key, median(values[:cut]))}",
        f"about {in_words(fact.key, median(values[cut:]))}",
    )  # fmt: skip


# -- settings of the subject ------------------------------------------------------------


def _settings(
    runs: list[Witness], variants: Sequence[str], baseline: int, factor: str
) -> list[Parting]:
    told = [run for run in runs if run.settings is not None]
    keys = list(dict.fromkeys(key for run in told for key in run.settings or {}))
    found = []
    for key in keys:
        values = [(run.settings or {}).get(key, LACKING) for run in told]
        part = _setting(key, values, told, variants, baseline)
        if part is not None:
            found.append(_as_factor(part, factor in ("setting", "settings", "option"), factor))
    return found + _changed_settings(told, variants)


def _setting(
    key: str, values: list[str], runs: list[Witness], variants: Sequence[str], baseline: int
) -> Parting | None:
    if len(set(values)) < 2:
        return None
    mixed, _ = _mixed(values, runs, baseline)
    has = {run.variant for run, value in zip(runs, values, strict=True) if value != LACKING}
    lacks = {run.variant for run, value in zip(runs, values, strict=True) if value == LACKING}
    if lacks and not lacks & has:
        names = ", ".join(variants[index] for index in sorted(lacks))
        grade, how = WORD, f"is not there in {names}"
        caused = "an option that one variant lacks cannot be set alike"
    elif all(run.settings_made for run in runs):
        grade, how = WORD, "has another default"
        caused = "what is read may come from the default and not from the program"
    else:
        grade, how = BREAKS, "is set differently"
        caused = "what is read may come from the setting and not from the program"
    touched = tuple(sorted(mixed))
    if not touched:
        grade, how = HARMLESS, f"changed {_where(_places(key, values, runs))}"
    held = _by_variant(key, values, runs, len(variants))
    name = f"setting {key}"
    return Parting(
        f"settings.{key}", name, SETTINGS, grade, held, caused,
        *_said_of(name, how, _without_lacking(held), variants), touched,
        places=_places(key, values, runs, apart=bool(touched)),
    )  # fmt: skip


def _without_lacking(
    held: tuple[tuple[tuple[str, int], ...], ...],
) -> tuple[tuple[tuple[str, int], ...], ...]:
    """What was found, for a sentence that has said already where nothing was."""
    return tuple(tuple(one for one in side if one[0] != LACKING) for side in held)


def _changed_settings(runs: list[Witness], variants: Sequence[str]) -> list[Parting]:
    """Settings that the session itself changed, in some variants and not in others."""
    changed: dict[str, dict[int, int]] = {}
    for run in runs:
        before, after = run.settings or {}, run.settings_after
        for key in (before.keys() | after.keys()) if after is not None and before else ():
            if after is not None and before.get(key) != after.get(key):
                sides = changed.setdefault(key, {})
                sides[run.variant] = sides.get(run.variant, 0) + 1
    there = {run.variant for run in runs}
    found = []
    for key, sides in sorted(changed.items()):
        if set(sides) == there:
            continue
        held = tuple(
            (("changed in the session", sides[index]),) if index in sides else ()
            for index in range(len(variants))
        )
        name = f"setting {key}"
        found.append(
            Parting(
                f"changed.{key}", name, SETTINGS, HARMLESS, held,
                "the next run of the same folder would begin differently",
                *_said_of(name, "changed during the session", held, variants),
                tuple(sorted(sides)),
            )
        )  # fmt: skip
    return found


# -- work done ----------------------------------------------------------------------------


def _work(runs: list[Witness], variants: Sequence[str], baseline: int) -> list[Parting]:
    """Steps, inputs and windows that one variant took more of than another."""
    found = []
    for key in dict.fromkeys(key for run in runs for key in run.work):
        sides: dict[int, list[int]] = {}
        for run in runs:
            if key in run.work:
                sides.setdefault(run.variant, []).append(run.work[key])
        base = sides.get(baseline)
        if not base:
            continue
        touched = tuple(
            index
            for index, side in sorted(sides.items())
            if index != baseline and median(side) != median(base)
        )
        if not touched:
            continue
        held = tuple(
            ((f"{median(sides[i]):g}", len(sides[i])),) if i in sides else ()
            for i in range(len(variants))
        )
        found.append(
            Parting(
                f"work.{key}", f"{key} of a run", WORK, WORD, held,
                "what is read over the whole session holds more work in one variant",
                *_said_of(f"{key} of a run", "are not the same", held, variants), touched,
            )
        )  # fmt: skip
    return found


# -- words ------------------------------------------------------------------------------------


def _said(key: str, value: object) -> str:
    return in_words(key, value) if is_known(value) or value is None else str(value)


def _parting(
    fact: Fact,
    grade: str,
    how: str,
    values: list[Any],
    runs: list[Witness],
    variants: Sequence[str],
    touched: tuple[int, ...],
    rounds: tuple[int, ...],
    places: tuple[Place, ...],
) -> Parting:
    held = _by_variant(fact.key, values, runs, len(variants))
    return Parting(
        fact.key, fact.name, MACHINE, grade, held, fact.caused,
        *_said_of(fact.name, how, held, variants), touched, rounds, places, fact.touches,
    )  # fmt: skip


def _by_variant(
    key: str, values: Sequence[Any], runs: list[Witness], variants: int
) -> tuple[tuple[tuple[str, int], ...], ...]:
    """What was found in the runs of each variant, the most frequent first."""
    sides: list[Counter[str]] = [Counter() for _ in range(variants)]
    for run, value in zip(runs, values, strict=True):
        sides[run.variant][_said(key, value)] += 1
    return tuple(tuple(side.most_common()) for side in sides)


def _said_of(
    name: str, how: str, held: tuple[tuple[tuple[str, int], ...], ...], variants: Sequence[str]
) -> tuple[str, str]:
    """`kernel differs between the variants: 6.1 in 4.1, 6.8 in 4.2`, and the same in short."""
    parts = []
    for side, variant in zip(held, variants, strict=True):
        if side:
            values = [value for value, _ in side[:MOST_VALUES]]
            more = f" and {len(side) - MOST_VALUES} others" if len(side) > MOST_VALUES else ""
            parts.append(f"{' and '.join(values)}{more} in {variant}")
    short = f"{name} {how}"
    return f"{short}: {', '.join(parts)}", short


def _where(places: Sequence[Place | None]) -> str:
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


def _rounds(numbers: tuple[int, ...]) -> str:
    listed = ", ".join(map(str, numbers))
    return f"round {listed}" if len(numbers) == 1 else f"rounds {listed}"


def _as_factor(part: Parting, meant: bool, factor: str) -> Parting:
    if not meant:
        return part
    words = f"{part.words}: the {factor} is what this study compares"
    return replace(part, grade=HARMLESS, is_factor=True, words=words)


def _identified(part: Parting) -> Parting:
    """Name a parting by what was found, not by how often, so that further runs change nothing."""
    found = [sorted(value for value, _ in side) for side in part.values]
    if part.kind == MACHINE and fact_of(part.key).tolerance and fact_of(part.key).passing:
        found = []
    text = json.dumps([part.key, part.grade, found, part.candidates])
    return replace(part, identity=hashlib.sha256(text.encode()).hexdigest()[:16])
