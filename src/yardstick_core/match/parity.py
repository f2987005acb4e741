"""The parity sheet: everything that differs between the variants' runs besides the factor.

Each difference gets one of three grades. A fact that differs between the variants within the same
rounds has its full grade; one that differs in a few rounds only, or that changed between rounds
alike for all, a lighter one, for rounds are compared within themselves.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from yardstick_core.match.facts import GRADES, HARMLESS, NOT_RUNNING, UNKNOWN, fact_of, is_known
from yardstick_core.match.machine import machine_mismatch
from yardstick_core.match.sheet import MACHINE, Mismatch, RunConditions, Sheet
from yardstick_core.match.subject import changed_mismatches, settings_mismatches, work_mismatches

#: What a study may call its factor where it compares settings.
SETTING_FACTORS = ("setting", "settings", "option")


def parity(
    conditions: Iterable[RunConditions], variants: Sequence[str], baseline: int, factor: str = ""
) -> Sheet:
    """Hold the conditions of runs against one another; the runs are those that are compared."""
    runs = sorted(conditions, key=lambda run: run.order)
    keys = list(dict.fromkeys(key for run in runs for key in run.facts))
    mismatches: list[Mismatch] = []
    unknown: list[str] = []
    for key in keys:
        fact = fact_of(key)
        absent = NOT_RUNNING if key.startswith("programs.") else UNKNOWN
        values = [run.facts.get(key, absent) for run in runs]
        if not any(map(is_known, values)):
            unknown.append(fact.name)
            continue
        found = machine_mismatch(fact, values, runs, variants, baseline)
        if found is not None:
            mismatches.append(_as_factor(found, factor in fact.factors, factor))
    for found in settings_mismatches(runs, variants, baseline):
        mismatches.append(_as_factor(found, factor in SETTING_FACTORS, factor))
    mismatches += changed_mismatches(runs, variants)
    mismatches += work_mismatches(runs, variants, baseline)
    mismatches = [_identified(part) for part in mismatches]
    mismatches.sort(key=lambda part: (part.is_factor, GRADES.index(part.grade)))
    return Sheet(tuple(mismatches), tuple(unknown), len(runs))


@dataclass(frozen=True, slots=True)
class Changed:
    """Something that was one way at an earlier time and is another way now."""

    name: str
    grade: str
    before: str
    now: str


def changed_since(
    earlier: Iterable[RunConditions], now: Iterable[RunConditions]
) -> tuple[Changed, ...]:
    """What is not as it was when earlier runs of the same variant were measured, grave first.

    What is not known of one of the times, and what matters to nobody, is left out.
    """
    then = [replace(run, variant=0, round=0) for run in earlier]
    fresh = [replace(run, variant=1, round=1) for run in now]
    if not then or not fresh:
        return ()
    runs = [replace(run, order=order) for order, run in enumerate([*then, *fresh])]
    return tuple(
        Changed(part.name, part.grade, *(_named(side) for side in part.values))
        for part in parity(runs, ("before", "now"), 0).mismatches
        if part.grade != HARMLESS
        and UNKNOWN not in {value for side in part.values for value, _ in side}
    )


def _named(side: tuple[tuple[str, int], ...]) -> str:
    return " and ".join(value for value, _ in side)


def _as_factor(part: Mismatch, meant: bool, factor: str) -> Mismatch:
    if not meant:
        return part
    words = f"{part.text}: the {factor} is what this study compares"
    return replace(part, grade=HARMLESS, is_factor=True, text=words)


def _identified(part: Mismatch) -> Mismatch:
    """Name a mismatch by what was found, not by how often, so that further runs change nothing."""
    found = [sorted(value for value, _ in side) for side in part.values]
    if part.kind == MACHINE and fact_of(part.key).tolerance and fact_of(part.key).passing:
        found = []
    text = json.dumps([part.key, part.grade, found, part.candidates])
    return replace(part, identity=hashlib.sha256(text.encode()).hexdigest()[:16])
