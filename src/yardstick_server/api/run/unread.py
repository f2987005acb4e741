"""Runs whose record could not be read, read again when a person asks."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.api.base import MemberView
from yardstick_server.api.run.detail import RunSummarySerializer, summary
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import Run


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
