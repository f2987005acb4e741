"""What rigs do unattended: how long the queue lasts, what failed, how the rigs stand."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from statistics import median
from typing import TypedDict

from django.utils import timezone

from yardstick_core.record import FINISHED
from yardstick_server import contracts
from yardstick_server.accounts.models import Workspace
from yardstick_server.inventory.models import SILENT_AFTER, Rig
from yardstick_server.joining.package import handed_out
from yardstick_server.runs.models import MEASURED, Run
from yardstick_server.runs.rounds import TO_COME

#: A run's length is that of so many of the study's newest.
NEWEST = 20
MOST_FAILED = 60
CLOCK_OFF_S = 1.0
LITTLE_DISK_BYTES = 5 << 30


@dataclass
class Waiting:
    """What of one study is still to be measured, and on which rig; None where any may."""

    study: int
    question: str
    rig: str | None
    runs: int = 0
    running: list[int] = field(default_factory=list)
    plan: str = ""
    each_s: float | None = None


def queue_of(workspace: Workspace) -> list[contracts.QueuedStudy]:
    """The studies that wait for rigs, in the order in which their runs are taken."""
    found: dict[int, Waiting] = {}
    runs = Run.objects.filter(TO_COME, study__workspace=workspace).select_related(
        "study__rig", "study__kept_plan"
    )
    for run in runs.order_by("id"):
        study = run.study
        one = found.setdefault(
            study.pk,
            Waiting(study.pk, study.question, study.rig.name if study.rig else None),
        )
        one.plan = study.plan.state
        if run.state == "running":
            one.running.append(run.pk)
        elif run.state == "queued":
            one.runs += 1
    lengths = _lengths(list(found))
    for one in found.values():
        one.each_s = lengths.get(one.study)
    return [_told(one) for one in found.values() if one.runs or one.running]


def _lengths(studies: list[int]) -> dict[int, float]:
    """How long a run of each study takes on its rig, s: the median of its newest."""
    known: dict[int, list[float]] = defaultdict(list)
    ended = Run.objects.filter(
        study__in=studies, started__isnull=False, ended__isnull=False, origin=MEASURED
    )
    for study, started, over in ended.order_by("-id").values_list("study", "started", "ended"):
        if len(known[study]) < NEWEST:
            known[study].append((over - started).total_seconds())
    return {study: median(lengths) for study, lengths in known.items() if lengths}


def _told(one: Waiting) -> contracts.QueuedStudy:
    left = one.runs + len(one.running)
    return {
        "study": one.study,
        "question": one.question,
        "rig": one.rig,
        "runs": one.runs,
        "running": one.running,
        "plan": one.plan,
        "each_s": one.each_s,
        "left_s": None if one.each_s is None else one.each_s * left,
    }


def until(queue: list[contracts.QueuedStudy], rigs: int) -> datetime | None:
    """When what is queued will be done, so far as that can be known; None where it cannot.

    What only one rig may take is not shared among the others.
    """
    if not queue or not rigs:
        return None
    alone: dict[str, float] = defaultdict(float)
    shared = 0.0
    for one in queue:
        left = one["left_s"]
        if left is None:
            return None
        if one["rig"]:
            alone[one["rig"]] += left
        else:
            shared += left
    seconds = max([(sum(alone.values()) + shared) / rigs, *alone.values()])
    return timezone.now() + timedelta(seconds=seconds)


class Ended(TypedDict):
    """What became of the runs of a night."""

    measured: list[contracts.MeasuredByRig]
    failed: list[contracts.FailedRun]
    failed_in_all: int


def ended_since(workspace: Workspace, since: datetime) -> Ended:
    """Runs that ended since: how many by rig, and those that did not finish, newest first."""
    runs = (
        Run.objects.filter(study__workspace=workspace, ended__gte=since, origin=MEASURED)
        .select_related("study", "rig", "variant__variant")
        .prefetch_related("repeated_by")
        .order_by("-ended")
    )
    measured: Counter[str] = Counter()
    failed: list[contracts.FailedRun] = []
    for run in runs:
        rig = run.rig.name if run.rig else ""
        measured[rig] += 1
        if run.outcome != FINISHED:
            again = [one.pk for one in run.repeated_by.all()]
            failed.append(
                {
                    "run": run.pk,
                    "study": run.study_id,
                    "question": run.study.question,
                    "variant": run.variant.position,
                    "variant_name": run.variant.variant.name,
                    "rig": rig,
                    "outcome": run.outcome,
                    "detail": run.detail or run.left_out,
                    "ended": run.ended,
                    "repeated_by": again[0] if again else None,
                }
            )
    return {
        "measured": [{"rig": rig, "runs": count} for rig, count in sorted(measured.items())],
        "failed": failed[:MOST_FAILED],
        "failed_in_all": len(failed),
    }


def rig_health(workspace: Workspace) -> list[contracts.RigHealth]:
    """How each rig stands, and what of it asks for a person."""
    return [
        {
            "name": rig.name,
            "last_seen": rig.last_seen,
            "disk_free_bytes": rig.disk_free_bytes,
            "clock_off_s": rig.clock_off_s,
            "older": bool(rig.agent_digest) and rig.agent_digest != handed_out(),
            "troubles": troubles(rig),
        }
        for rig in workspace.rigs.filter(revoked=False).order_by("name")
    ]


def troubles(rig: Rig) -> list[str]:
    """What a person should see to on a rig, in words."""
    found = []
    if rig.last_seen is not None and timezone.now() - rig.last_seen > SILENT_AFTER:
        found.append("it has fallen silent: look whether the machine and its agent run")
    if rig.paused:
        found.append("it is paused and takes no run")
    if rig.disk_free_bytes is not None and rig.disk_free_bytes < LITTLE_DISK_BYTES:
        free = rig.disk_free_bytes / 2**30
        found.append(f"only {free:.1f} GiB are left on its disk: records may not fit")
    if rig.clock_off_s is not None and abs(rig.clock_off_s) > CLOCK_OFF_S:
        way = "ahead of" if rig.clock_off_s > 0 else "behind"
        found.append(
            f"its clock is {abs(rig.clock_off_s):.0f} s {way} the server's: runs are timed by a "
            "clock of their own, but what spans a restart is not"
        )
    if rig.agent_digest and rig.agent_digest != handed_out():
        found.append(
            "its agent is of another release than this server hands out: say “updates”: true in "
            "its file, or join it anew"
        )
    return found
