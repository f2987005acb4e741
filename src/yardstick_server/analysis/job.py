"""What a study's difference comes to over a day, a week or a whole job."""

from __future__ import annotations

import math
from typing import Any

from scipy import special

from yardstick_core.compare import text
from yardstick_core.compare.estimate import estimates
from yardstick_core.compare.job import (
    ItemDifference,
    Kind,
    in_words,
    project,
    share_that_matters,
)
from yardstick_core.compare.rows import Row
from yardstick_core.compare.study import is_withheld
from yardstick_server import contracts
from yardstick_server.analysis.session_set import DECIDING, Member, members_of, row_for
from yardstick_server.studies.models import Study

#: Units of what is spent item by item, so that a job is the sum of its items.
SPENT = ("s", "ms", "J")


class NoJob(ValueError):
    """A job that cannot be worked out; the message says why."""


def job_body(study: Study, asked: dict[str, Any]) -> contracts.JobAnswer:
    """A job as asked for, summed up. Raises NoJob, NotMeasured, ValueError."""
    members = {member.study.pk: member for member in members_of(study)}
    root = study.part_of or study
    names = [part.variant.name for part in root.variants]
    candidate = asked["candidate"]
    if not 0 <= candidate < len(names) or candidate == root.baseline:
        raise NoJob("`candidate` is the position of a variant that is not the baseline")
    kinds, rows = [], []
    for kind in asked["kinds"]:
        found = [_row(members, number, asked["metric"]) for number in kind["sessions"]]
        rows += found
        measured = tuple(
            _difference(members[number], row, root.baseline, candidate)
            for number, row in zip(kind["sessions"], found, strict=True)
        )
        kinds.append(Kind(kind["name"], kind["items"], measured, kind["affected"] / 100))
    units = {row.metric.unit for row in rows}
    if len(units) > 1:
        raise NoJob("the sessions' metrics have not one unit: choose one that all of them have")
    if units - set(SPENT):
        raise NoJob(
            f"{text.label(rows[0].metric, rows[0].stretch)} is not spent item by item: "
            "only times and energy add up over a job"
        )
    whole, threshold = asked["whole"], asked["threshold"]
    result = project(kinds, whole=whole or None)
    metric = rows[0].metric
    matters = share_that_matters(kinds, threshold) if threshold else None
    return {
        "sentence": in_words(metric, result, asked["period"], names[candidate]),
        "unit": metric.unit,
        "change": result.change,
        "low": result.low,
        "high": result.high,
        "before": result.before,
        "before_text": text.quantity(metric, result.before),
        "share": result.share,
        "share_low": result.share_low,
        "share_high": result.share_high,
        "sure": result.sure,
        "assumptions": list(result.assumptions),
        "matters_from": matters,
    }


def kept_jobs(study: Study) -> list[contracts.KeptJob]:
    """The jobs that persons kept with a study's set, each as it comes out now.

    One that can no longer be worked out has no `answer`, and `problem` says why.
    """
    root = study.part_of or study
    found: list[contracts.KeptJob] = []
    for kept in root.jobs.all():
        answer, problem = None, ""
        try:
            answer = job_body(root, kept.asked)
        except ValueError as error:
            problem = str(error)
        found.append(
            {"id": kept.pk, "job": kept.asked, "by": kept.by, "at": kept.at, "answer": answer,
             "problem": problem}
        )  # fmt: skip
    return found


def _row(members: dict[int, Member], number: int, metric: str) -> Row:
    if number not in members:
        raise NoJob(f"study {number} is no session of this set")
    row = row_for(members[number], metric or DECIDING)
    if row is None:
        raise NoJob(f"“{members[number].title}” has no such reading")
    return row


def _difference(member: Member, row: Row, baseline: int, candidate: int) -> ItemDifference:
    name = text.label(row.metric, row.stretch)
    if is_withheld(row, candidate):
        raise NoJob(f"{name} in “{member.title}” is held back: the runs were not measured alike")
    if not row.samples[baseline] or not row.samples[candidate]:
        raise NoJob(f"{name} in “{member.title}” has no readings of both")
    (found,) = estimates(
        [row.metric], [row.samples[baseline]], [row.samples[candidate]],
        in_rounds=member.judgement.in_rounds, alpha=member.judgement.alpha,
    )  # fmt: skip
    raw, gain = found.raw, found.gain
    if raw is None or gain is None or not math.isfinite(raw.high - raw.low):
        raise NoJob(f"{name} in “{member.title}” has no interval yet: measure more rounds")
    df = gain.df if gain.df > 0 else 1.0
    reach = float(special.stdtrit(df, 1 - member.judgement.alpha / 2))
    return ItemDifference(found.baseline, raw.estimate, (raw.high - raw.low) / 2 / reach, df)
