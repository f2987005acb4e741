"""Settings of the subject, and the work that was done, where they are not alike."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median

from yardstick_core.match.facts import BREAKS, HARMLESS, WORD
from yardstick_core.match.sheet import (
    SETTINGS,
    WORK,
    Found,
    Mismatch,
    RunConditions,
    by_variant,
    change_points_of,
    mismatched_rounds,
    sentence_of,
    where,
)

LACKING = "not there"


def settings_mismatches(
    runs: list[RunConditions], variants: Sequence[str], baseline: int
) -> list[Mismatch]:
    """Settings that were not the same when the sessions began, key by key."""
    told = [run for run in runs if run.settings is not None]
    keys = list(dict.fromkeys(key for run in told for key in run.settings or {}))
    found = []
    for key in keys:
        values = [(run.settings or {}).get(key, LACKING) for run in told]
        part = _setting(key, values, told, variants, baseline)
        if part is not None:
            found.append(part)
    return found


def _setting(
    key: str, values: list[str], runs: list[RunConditions], variants: Sequence[str], baseline: int
) -> Mismatch | None:
    if len(set(values)) < 2:
        return None
    mixed, _ = mismatched_rounds(values, runs, baseline)
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
        grade, how = HARMLESS, f"changed {where(change_points_of(key, values, runs))}"
    held = by_variant(key, values, runs, len(variants))
    name = f"setting {key}"
    return Mismatch(
        f"settings.{key}", name, SETTINGS, grade, held, caused,
        *sentence_of(name, how, _without_lacking(held), variants), touched,
        places=change_points_of(key, values, runs, apart=bool(touched)),
    )  # fmt: skip


def _without_lacking(
    held: Found,
) -> Found:
    """What was found, for a sentence that has said already where nothing was."""
    return tuple(tuple(one for one in side if one[0] != LACKING) for side in held)


def changed_mismatches(runs: list[RunConditions], variants: Sequence[str]) -> list[Mismatch]:
    """Settings that the session itself changed, in some variants and not in others."""
    changed: dict[str, dict[int, int]] = {}
    runs = [run for run in runs if run.settings is not None]
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
            Mismatch(
                f"changed.{key}", name, SETTINGS, HARMLESS, held,
                "the next run of the same folder would begin differently",
                *sentence_of(name, "changed during the session", held, variants),
                tuple(sorted(sides)),
            )
        )  # fmt: skip
    return found


def work_mismatches(
    runs: list[RunConditions], variants: Sequence[str], baseline: int
) -> list[Mismatch]:
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
            Mismatch(
                f"work.{key}", f"{key} of a run", WORK, WORD, held,
                "what is read over the whole session holds more work in one variant",
                *sentence_of(f"{key} of a run", "are not the same", held, variants), touched,
            )
        )  # fmt: skip
    return found
