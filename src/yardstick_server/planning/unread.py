"""Runs whose record could not be read: marked, so that pages can say so."""

from __future__ import annotations

from collections.abc import Sequence

from asgiref.sync import sync_to_async
from procrastinate.jobs import Job

from yardstick_server.notify import notify
from yardstick_server.runs.models import Run


@sync_to_async
def mark_unread(jobs: Sequence[Job]) -> None:
    """Say at the run of each job that failed for good that, and why, it is not read."""
    failed = {int(str(job.task_kwargs["run"])): job.attempts for job in jobs}
    for run in Run.objects.filter(pk__in=failed, state="measured", unread="").select_related(
        "study"
    ):
        run.unread = (
            f"its record could not be read: {max(1, failed[run.pk])} attempts failed or ended the "
            "worker. It is kept; everything else goes on"
        )
        run.save(update_fields=["unread"])
        notify(run.study.workspace_id, "run", study=run.study_id, run=run.pk)
