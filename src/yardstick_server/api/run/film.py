"""The film of a run: played, in parts, and single pictures of it."""

from __future__ import annotations

import io
import math

from django.http import HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from PIL import Image
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.films.container import FilmError, picture_at
from yardstick_server.api.base import MemberView
from yardstick_server.api.ranged import file_answer
from yardstick_server.films.models import Film

AT = OpenApiParameter("at", float, description="instant, s since the run began", required=True)


class FilmOfRun(MemberView):
    for_guests = True

    def film(self, run: int) -> Film:
        found: Film = get_object_or_404(
            Film, run=run, run__study__workspace=self.workspace, state="ready"
        )
        return found


class FilmFileView(FilmOfRun):
    @extend_schema(
        responses={(code, "video/mp4"): OpenApiTypes.BINARY for code in (200, 206)},
        summary="The film of a run, or the part of it that a Range asks for",
    )
    def get(self, request: Request, run: int) -> HttpResponseBase:
        film = self.film(run)
        answer = file_answer(request, film.path, "video/mp4", f"film-{film.pk}")
        answer.headers["Cache-Control"] = "private, max-age=3600"
        return answer

    @extend_schema(responses={204: None}, summary="Throw the film of a run away; the run stays")
    def delete(self, request: Request, run: int) -> Response:
        found: Film = get_object_or_404(Film, run=run, run__study__workspace=self.workspace)
        if found.state == "coming":
            raise ValidationError("its rig is sending it just now; nothing was thrown away")
        found.delete()
        return Response(status=204)


class FilmStillView(FilmOfRun):
    @extend_schema(
        parameters=[AT],
        responses={(200, "image/png"): OpenApiTypes.BINARY},
        summary="What a run's film shows at an instant",
    )
    def get(self, request: Request, run: int) -> HttpResponse:
        return HttpResponse(
            still(self.film(run), request.query_params.get("at", "")),
            content_type="image/png",
            headers={"Cache-Control": "private, max-age=3600"},
        )


def still(film: Film, at: str | float) -> bytes:
    """The picture of a film at an instant of its run, s, as PNG. Raises ValidationError."""
    try:
        seconds = float(at)
    except ValueError:
        seconds = math.nan
    if not math.isfinite(seconds):
        raise ValidationError("`at` is an instant of the run, in seconds")
    try:
        picture = picture_at(film.path, seconds - film.began_ns / 1e9)
    except FilmError as error:
        raise ValidationError(f"the film shows nothing there: {error}") from error
    file = io.BytesIO()
    Image.fromarray(picture).save(file, "PNG")
    return file.getvalue()
