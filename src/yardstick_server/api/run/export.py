"""A run, or a stretch of it, taken along as a file."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any

from django.http import FileResponse, HttpResponse, JsonResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request

from yardstick_core.formats.record_table import text_of, write_parquet
from yardstick_core.formats.spans import trace_events, webvtt
from yardstick_core.record import RunRecord
from yardstick_server.analysis.records import journal_of, run_record
from yardstick_server.api.base import MemberView
from yardstick_server.api.run.trace import FROM, TO, run_end_ns, stretch_asked
from yardstick_server.runs.models import Run
from yardstick_server.traces.store import streams_of

KINDS = {
    "csv": ("csv", "text/csv; charset=utf-8"),
    "jsonl": ("jsonl", "application/x-ndjson"),
    "parquet": ("parquet", "application/vnd.apache.parquet"),
    "captions": ("vtt", "text/vtt; charset=utf-8"),
    "spans": ("trace.json", "application/json"),
}


class ExportView(MemberView):
    for_guests = True

    @extend_schema(
        parameters=[
            OpenApiParameter("kind", str, enum=list(KINDS), required=True),
            FROM,
            TO,
        ],
        responses={200: OpenApiTypes.BINARY},
        summary="A run or a stretch of it as a file: record, captions, or spans",
    )
    def get(self, request: Request, run: int) -> HttpResponseBase:
        found = get_object_or_404(Run, pk=run, study__workspace=self.workspace)
        kind = request.query_params.get("kind", "")
        if kind not in KINDS:
            raise ValidationError(f"`kind` is one of {', '.join(KINDS)}")
        if not found.sealed:
            raise ValidationError("the run has not ended: its record is not whole yet")
        start, end = stretch_asked(request, run_end_ns(streams_of(found.pk)))
        ending, media = KINDS[kind]
        answer = self._answer(found, kind, start, end, media)
        answer.headers["Content-Disposition"] = f'attachment; filename="run-{run}.{ending}"'
        return answer

    def _answer(self, run: Run, kind: str, start: int, end: int, media: str) -> HttpResponseBase:
        if kind == "captions":
            return HttpResponse(webvtt(journal_of(run)), content_type=media)
        if kind == "spans":
            return JsonResponse(trace_events(journal_of(run), run.pk))
        record = run_record(run)
        if kind == "parquet":
            return FileResponse(_parquet(record, start, end), content_type=media)
        return StreamingHttpResponse(text_of(record, kind, start, end), content_type=media)


def _parquet(record: RunRecord, start: int, end: int) -> Any:
    """An open file without a name: gone once it is sent."""
    handle, name = tempfile.mkstemp(suffix=".parquet")
    os.close(handle)
    path = Path(name)
    write_parquet(record, path, start, end)
    file = path.open("rb")
    path.unlink()
    return file
