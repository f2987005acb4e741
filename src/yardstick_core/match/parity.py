"""The parity sheet: everything that differs between the variants' runs besides the factor.

Each difference gets one of three grades. A fact that differs between the variants within the same
rounds has its full grade; one that differs in a few rounds only, or that changed between rounds
alike for all, a lighter one, for rounds are compared within themselves.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import replace

from yardstick_core.match.facts import GRADES, HARMLESS, NOT_RUNNING, UNKNOWN, fact_of, is_known
from yardstick_core.match.machine import machine_parting
from yardstick_core.match.sheet import MACHINE, Parting, Sheet, Witness
from yardstick_core.match.subject import changed_partings, settings_partings, work_partings

#: What a study may call its factor where it compares settings.
SETTING_FACTORS = ("setting", "settings", "option")


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
        found = machine_parting(fact, values, runs, variants, baseline)
        if found is not None:
            partings.append(_as_factor(found, factor in fact.factors, factor))
    for found in settings_partings(runs, variants, baseline):
        partings.append(_as_factor(found, factor in SETTING_FACTORS, factor))
    partings += changed_partings(runs, variants)
    partings += work_partings(runs, variants, baseline)
    partings = [_identified(part) for part in partings]
    partings.sort(key=lambda part: (part.is_factor, GRADES.index(part.grade)))
    return Sheet(tuple(partings), tuple(unknown), len(runs))


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
