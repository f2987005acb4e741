"""Runs that other programs disturbed: marked by the limit of their study's plan."""

from __future__ import annotations

from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.processor import FOREIGN_SHARE
from yardstick_core.record import DISTURBED, FINISHED
from yardstick_server.analysis.models import RunReading
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

#: So many programs that took processor time are named.
NAMED = 3


def mark_disturbed(study: Study, run: Run | None = None) -> int:
    """Hold every run that was played to its end against the plan's limit; how many changed.

    With a run, only that one.
    """
    limit, changed = study.plan.background_cpu_limit, 0
    runs = study.runs.filter(state__in=("measured", "read"))
    if run is not None:
        runs = runs.filter(pk=run.pk)
    readings = RunReading.objects.filter(
        run__in=runs.values("pk"), metric=FOREIGN_SHARE.key, stretch=[WHOLE]
    )
    shares = dict(readings.values_list("run", "value"))
    for played in runs.filter(pk__in=shares).only("outcome", "detail", "conditions"):
        changed += _marked(played, shares[played.pk], limit)
    return changed


def _marked(run: Run, share: float, limit: float) -> bool:
    """Set a run's outcome to disturbed, or back to finished; whether that changed it."""
    if run.outcome == FINISHED and share > limit:
        run.outcome = DISTURBED
        others = run.conditions.get("background_programs", [])[:NAMED]
        who = ", ".join(f"{name} {part:g} %" for name, part in others)
        run.detail = (
            f"other programs took {share:.1f} % of the machine{f' ({who})' if who else ''}, "
            f"the plan allows {limit:g} %"
        )
    elif run.outcome == DISTURBED and share <= limit:
        run.outcome, run.detail = FINISHED, ""
    else:
        return False
    run.save(update_fields=["outcome", "detail"])
    return True
