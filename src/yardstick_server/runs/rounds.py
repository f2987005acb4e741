"""The rounds of a study: which are complete, and which of them verdicts rest on."""

from __future__ import annotations

from django.db.models import Q

from yardstick_core.record import ROUND
from yardstick_server.runs.models import BROUGHT_IN
from yardstick_server.studies.models import Study

#: Runs of which something is to come; those left out for a silent rig are not waited for.
TO_COME = Q(state__in=("queued", "measured")) | Q(state="running", left_out="")


def complete_rounds(study: Study) -> list[int]:
    """Warm rounds of which nothing is to come any more and something was measured, in order."""
    warm = study.runs.filter(cold=False, purpose=ROUND).exclude(origin=BROUGHT_IN)
    to_come = set(warm.filter(TO_COME).values_list("round", flat=True))
    read = set(warm.filter(state="read").values_list("round", flat=True))
    return sorted(read - to_come)


def under_way(study: Study) -> bool:
    """Whether rounds are being measured, so that verdicts wait for the next look."""
    return study.plan.state == "running" or study.runs.filter(TO_COME, purpose=ROUND).exists()


def judged_rounds(study: Study) -> list[int] | None:
    """The rounds that verdicts rest on: those of the last look; None for all, once nothing runs."""
    if not under_way(study):
        return None
    complete = complete_rounds(study)
    looked = [int(look["rounds"]) for look in study.plan.looks]
    return complete[: study.plan.core().last_look(len(complete), looked)]
