"""Runs whose record could not be read: marked, shown, and read again when a person asks."""

from __future__ import annotations

from collections.abc import Sequence

from asgiref.sync import sync_to_async
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from procrastinate.jobs import Job
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.accounts.member_views import MemberView
from yardstick_server.analysis.tasks import read_run
from yardstick_server.live.notify import notify
from yardstick_server.runs.models import Run
from yardstick_server.runs.views import RunSummarySerializer, summary


@sync_to_async
def mark_unread(jobs: Sequence[Job]) -> None:
    """Say at the run of each job that failed for good that, and why, it is not read."""
    failed = {int(job.task_kwargs["run"]): job.attempts for job in jobs}
    for run in Run.objects.filter(pk__in=failed, state="measured", unread="").select_related(
        "study"
    ):
        run.unread = (
            f"its record could not be read: {max(1, failed[run.pk])} attempts failed or ended the "
            "worker. It is kept; everything else goes on"
        )
        run.save(update_fields=["unread"])
        notify(run.study.workspace_id, "run", study=run.study_id, run=run.pk)


class ReadAgain(MemberView):
    @extend_schema(
        request=None,
        responses=RunSummarySerializer,
        summary="Read the record of a run again that was set aside",
    )
    def post(self, request: Request, run: int) -> Response:
        found = get_object_or_404(
            Run.objects.select_related("study", "variant", "rig"),
            pk=run,
            study__workspace=self.workspace,
        )
        if not found.unread:
            raise ValidationError("its record has not been set aside")
        found.unread = ""
        found.save(update_fields=["unread"])
        read_run.defer(run=found.pk)
        return Response(RunSummarySerializer(summary(found)).data)
