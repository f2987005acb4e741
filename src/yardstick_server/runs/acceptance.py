"""Runs that were brought in and let in: for which reason, when, and at how many sittings."""

from __future__ import annotations

from datetime import datetime

from django.utils import timezone

from yardstick_core import plan
from yardstick_server.runs.models import BROUGHT_IN, Run
from yardstick_server.studies.models import Study

#: What has changed of a run that was let in.
CHANGED = ["acceptance_reason", "left_out", "left_out_by", "import_source"]


def accept(run: Run, reason: str) -> None:
    """Have a run count, noting when it first did; saving is left to the caller."""
    run.acceptance_reason = reason
    run.left_out = run.left_out_by = ""
    run.import_source = {**accepted_now(), **run.import_source}


def accepted_now() -> dict[str, str]:
    """What the source of a run says of when it was let in."""
    return {"accepted_at": timezone.now().isoformat()}


def sittings(study: Study) -> int:
    """At how many sittings runs were let in of which a verdict could be seen, 1 or more.

    Results of a build at the gate are in rounds, judged once all are there: they are none.
    """
    runs = study.runs.filter(origin=BROUGHT_IN, left_out="", round__lt=0)
    told = runs.values_list("import_source__accepted_at", "started", "variant__variant__name")
    times = ((_instant(at) or started, name) for at, started, name in told)
    return plan.sittings((at.timestamp(), name) for at, name in times if at)


def _instant(told: object) -> datetime | None:
    """The instant that a source names; None where it names none: sources come from bundles too."""
    try:
        return datetime.fromisoformat(told) if isinstance(told, str) else None
    except ValueError:
        return None
