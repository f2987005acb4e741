"""Races taken along: a still of any moment, or all of it as one film."""

from __future__ import annotations

import io
import math
from typing import cast

from django.http import HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.films.container import FilmError
from yardstick_core.race import START
from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.api.ranged import file_answer
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.race import AT, RUNS, asked_race
from yardstick_server.races.filming import MOST_SECONDS, still_of
from yardstick_server.races.gathering import MOST_RACERS, NoRace, race_of
from yardstick_server.races.models import RaceFilm
from yardstick_server.races.result import drawing_of
from yardstick_server.races.tasks import KINDS, draw_race

MOST_OPEN = 10
MEDIA = {"mp4": "video/mp4", "webm": "video/webm"}


class NewRaceFilmSerializer(serializers.Serializer):
    runs = serializers.ListField(
        child=serializers.IntegerField(min_value=1), min_length=2, max_length=MOST_RACERS
    )
    at = serializers.CharField(max_length=200, default=START)


class RaceFilmSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    runs = serializers.ListField(child=serializers.IntegerField())
    at = serializers.CharField()
    by = serializers.CharField()
    created = serializers.DateTimeField()
    state = serializers.CharField(help_text="waits, working, done or failed")
    problem = serializers.CharField()
    done = serializers.IntegerField(help_text="pictures of `total`")
    total = serializers.IntegerField()
    sizes = serializers.DictField(child=serializers.IntegerField(), help_text="bytes by kind")


def _body(film: RaceFilm) -> contracts.RaceFilm:
    fields = [name for name in RaceFilmSerializer().fields if name != "at"]
    own = {name: getattr(film, name) for name in fields}
    return cast(contracts.RaceFilm, {**own, "at": film.alignment})


class RaceStill(StudyView):
    for_guests = True

    @extend_schema(
        parameters=[RUNS, AT, OpenApiParameter("instant", float, description="s of the race")],
        responses={(200, "image/png"): OpenApiTypes.BINARY},
        summary="A moment of a race as a picture to show",
    )
    def get(self, request: Request, study: int) -> HttpResponse:
        found = asked_race(self.study(study), request)
        try:
            instant = float(request.query_params.get("instant", "0"))
        except ValueError:
            instant = math.nan
        if not math.isfinite(instant):
            raise ValidationError("`instant` is a number of seconds")
        drawing = drawing_of(found)
        try:
            image = still_of(found, drawing, min(max(0.0, instant), drawing.end_s))
        except FilmError as error:
            raise ValidationError(f"a film shows nothing there: {error}") from error
        file = io.BytesIO()
        image.save(file, "PNG")
        return HttpResponse(
            file.getvalue(),
            content_type="image/png",
            headers={"Content-Disposition": f'inline; filename="race-{study}.png"'},
        )


class RaceFilmsView(StudyView):
    @extend_schema(responses=RaceFilmSerializer(many=True), summary="Films of races, newest first")
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study).race_films.all()[:MOST_OPEN]
        return Response(RaceFilmSerializer([_body(one) for one in found], many=True).data)

    @extend_schema(
        request=NewRaceFilmSerializer,
        responses={201: RaceFilmSerializer},
        summary="Have a race drawn as one film, to be taken along",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(NewRaceFilmSerializer, request.data)
        try:
            race = race_of(found, body["runs"], body["at"])
        except NoRace as error:
            raise ValidationError(str(error)) from error
        if race.race.end_ns > MOST_SECONDS * 1e9:
            raise ValidationError(
                f"a film that is taken along has at most {MOST_SECONDS // 60} minutes: align the "
                "runs at a later step"
            )
        RaceFilm.sweep()
        for old in found.race_films.filter(state__in=("done", "failed"))[MOST_OPEN - 1 :]:
            old.throw_away()
        if found.race_films.filter(state__in=("waits", "working")).count() >= MOST_OPEN:
            raise ValidationError(f"{MOST_OPEN} films are being drawn: wait for one of them")
        made = RaceFilm.objects.create(
            study=found, runs=body["runs"], alignment=body["at"],
            by=request.user.get_username(),
        )  # fmt: skip
        draw_race.defer(film=made.pk)
        return Response(RaceFilmSerializer(_body(made)).data, status=201)


class OneRaceFilm(MemberView):
    def found(self, film: int) -> RaceFilm:
        found: RaceFilm = get_object_or_404(RaceFilm, pk=film, study__workspace=self.workspace)
        return found


class RaceFilmView(OneRaceFilm):
    @extend_schema(responses={204: None}, summary="Throw the film of a race away")
    def delete(self, request: Request, film: int) -> Response:
        found = self.found(film)
        if found.state == "working":
            raise ValidationError("it is being drawn just now; nothing was thrown away")
        found.throw_away()
        return Response(status=204)


class RaceFilmFile(OneRaceFilm):
    @extend_schema(
        parameters=[OpenApiParameter("kind", str, enum=list(KINDS))],
        responses={(code, "video/mp4"): OpenApiTypes.BINARY for code in (200, 206)},
        summary="The file of a race's film, or the part of it that a Range asks for",
    )
    def get(self, request: Request, film: int) -> HttpResponseBase:
        found, kind = self.found(film), request.query_params.get("kind", "mp4")
        if kind not in KINDS:
            raise ValidationError(f"`kind` is one of {', '.join(KINDS)}")
        if found.state != "done" or not found.path_of(kind).exists():
            raise ValidationError("it has no file to be taken: it is not drawn yet, or thrown away")
        name = f"race-{found.study_id}-{found.pk}.{kind}"
        return file_answer(
            request, found.path_of(kind), MEDIA[kind], f"race-{found.pk}-{kind}", attachment=name
        )
