"""Builds that are measured elsewhere: their results come in as logs, a round for each pair."""

from __future__ import annotations

import re
from typing import Any

from django.db import transaction

from yardstick_core.compare.gate import LEAST_RESULTS, kept_back
from yardstick_core.formats.mapping import Mapping
from yardstick_core.script import outline, parse
from yardstick_server.gates.models import Gate
from yardstick_server.logs.models import LogFile
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study, StudyPlan

KEPT_BACK = "kept back: a failure is held against it"
ALONE = "the other side has no result to hold it against"
#: What the whole of a result is called where the session has no such stretch.
WHOLE = ["The whole log"]
#: Of the lines of a result so many may be broken: nobody looks at it before it counts.
MOST_BROKEN = 0.01


class NoResults(ValueError):
    """Results that make no rounds; the message says why."""


def stretch_for(study: Study, mapping: Mapping) -> list[str]:
    """What the whole of a result is called in readings: the session's first stretch of its kind."""
    timed = any(column.role in ("duration", "begin", "end") for column in mapping.columns)
    kind = "time" if timed else "frames"
    stretches = outline(parse(study.script.text)).stretches
    return next((list(one.path[:2]) for one in stretches if one.kind == kind), WHOLE)


def check_enough(gate: Gate) -> None:
    """Raises NoResults where one side has too few results to judge."""
    for side in gate.study.variants:
        brought = gate.study.logs.filter(summary__side=side.position).count()
        if not brought:
            raise NoResults(f"no result of {side.variant.name} was brought in")


def put_in_rounds(gate: Gate) -> None:
    """Make rounds of what was brought in: the n-th result of either side is of round n.

    The last rounds are kept back where there are enough of them. Raises NoResults.
    """
    study = gate.study
    with transaction.atomic():
        for log in LogFile.objects.filter(study=study, state="kept"):
            rows, broken = log.summary["rows"], log.summary["broken"]
            if broken > MOST_BROKEN * (rows + broken):
                raise NoResults(f"{broken} lines of {log.name} are broken: nothing rests on it")
        sides = [_in_order(study, side.position) for side in study.variants]
        count = min(map(len, sides))
        if count < LEAST_RESULTS:
            raise NoResults(
                f"{count} results of either side are too few: at least {LEAST_RESULTS}, and "
                f"{LEAST_RESULTS + 4} for a failure to be confirmed"
            )
        StudyPlan.objects.filter(study=study).update(rounds=count, cold_rounds=0)
        back = kept_back(range(count))
        for position, runs in enumerate(sides):
            for number, run in enumerate(runs):
                run.left_out = (
                    "" if number < count else "the other side has no result to hold it to"
                )
                run.left_out = KEPT_BACK if number in back else run.left_out
                run.acceptance_reason = f"a result of a build at the gate (by {gate.by})"[:450]
                run.round, run.order_in_round = number, position
                run.save(update_fields=["left_out", "acceptance_reason", "round", "order_in_round"])


def release_confirmation_rounds(gate: Gate) -> list[int]:
    """Let the rounds count that were kept back; their numbers."""
    back = gate.study.runs.filter(left_out=KEPT_BACK)
    rounds = sorted(set(back.values_list("round", flat=True)))
    back.update(left_out="")
    return rounds


def _in_order(study: Study, position: int) -> list[Run]:
    """The runs of a side: by the names of their files, numbers in them as numbers, and parts."""
    order: dict[int, tuple[Any, ...]] = {}
    for log in LogFile.objects.filter(study=study, summary__side=position, state="kept"):
        for place, run in enumerate(log.summary["runs"]):
            order[run] = (*_natural(log.name), log.pk, place)
    runs = study.runs.filter(pk__in=order)
    return sorted(runs, key=lambda run: order[run.pk])


def _natural(name: str) -> tuple[tuple[tuple[int, int, str], ...]]:
    parts = re.findall(r"\d+|\D+", name)
    return (tuple((0, int(one), "") if one.isdecimal() else (1, 0, one) for one in parts),)
