"""Films from elsewhere: brought, looked through, marked, kept as runs, held against another."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.http import UnreadablePostError
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.films.changes import SNAPS, Changes, bursts, instants, snap
from yardstick_core.films.container import FilmError
from yardstick_core.films.drift import drift
from yardstick_server import contracts
from yardstick_server.api.answers import SeriesRenderer
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import AsItIs, TooLarge, check_room, received, validated
from yardstick_server.api.ranged import file_answer
from yardstick_server.api.study.base import StudyView
from yardstick_server.films.models import bytes_of_films
from yardstick_server.footage.keeping import NotMarked, frame_paths, keep, timings
from yardstick_server.footage.looking import changes_kept, course
from yardstick_server.footage.models import Footage
from yardstick_server.footage.tasks import look_through
from yardstick_server.notify import notify
from yardstick_server.planning.tasks import read_run

MOST_BYTES, MOST_OPEN, MOST_MARKS, MOST_REGIONS = 4 << 30, 60, 200, 20
MOST_EVENTS = 3000
VARIANT = OpenApiParameter("variant", int, description="position of its variant", required=True)
NAME = OpenApiParameter("name", str, description="name of the file", required=True)
REGION = OpenApiParameter("region", str, description="x,y,width,height in pixels; all of it else")


class FootageRegionSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=60)
    x = serializers.IntegerField(min_value=0, max_value=10_000)
    y = serializers.IntegerField(min_value=0, max_value=10_000)
    width = serializers.IntegerField(min_value=1, max_value=10_000)
    height = serializers.IntegerField(min_value=1, max_value=10_000)


class FilmMarkSerializer(serializers.Serializer):
    path = serializers.ListField(
        child=serializers.CharField(max_length=120), min_length=2, max_length=4
    )
    start = serializers.IntegerField(allow_null=True, min_value=0, help_text="a picture's number")
    end = serializers.IntegerField(allow_null=True, min_value=0)
    region = FootageRegionSerializer(
        allow_null=True, required=False,
        help_text="of a frame stretch: where its pictures are looked for; all over else",
    )  # fmt: skip


class FilmMarksSerializer(serializers.Serializer):
    variant = serializers.IntegerField(min_value=0, help_text="position of its variant")
    regions = FootageRegionSerializer(many=True, max_length=MOST_REGIONS)
    marks = FilmMarkSerializer(many=True, max_length=MOST_MARKS)


class FilmTimingSerializer(serializers.Serializer):
    path = serializers.ListField(child=serializers.CharField())
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    plus_minus_s = serializers.FloatField(help_text="how well its length is known, either way")
    frames = serializers.IntegerField(
        allow_null=True, help_text="pictures that came after its first; only of a frame stretch"
    )
    rate = serializers.FloatField(allow_null=True, help_text="pictures a second")
    rate_plus_minus = serializers.FloatField(allow_null=True)


class FootageSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    study = serializers.IntegerField()
    variant = serializers.IntegerField()
    run = serializers.IntegerField(allow_null=True, help_text="what its marks have become")
    name = serializers.CharField()
    size = serializers.IntegerField()
    by = serializers.CharField()
    created = serializers.DateTimeField()
    state = serializers.CharField(help_text="waits, looking, ready or failed")
    problem = serializers.CharField()
    done_s = serializers.FloatField()
    facts = serializers.DictField(help_text="what it can tell, once it is ready")
    regions = FootageRegionSerializer(many=True)
    marks = FilmMarkSerializer(many=True)
    timings = FilmTimingSerializer(many=True, help_text="what its marks come to")


class FilmBurstSerializer(serializers.Serializer):
    first = serializers.IntegerField()
    last = serializers.IntegerField()


class FilmCourseSerializer(serializers.Serializer):
    """What changes in a film or a region of it, by the numbers of its pictures."""

    at_s = serializers.ListField(child=serializers.FloatField(), help_text="when each is shown")
    new = serializers.ListField(child=serializers.IntegerField(), help_text="that are another")
    share = serializers.ListField(child=serializers.FloatField(), help_text="that changes in each")
    bursts = FilmBurstSerializer(many=True)


class SnappedSerializer(serializers.Serializer):
    picture = serializers.IntegerField()


class FilmDriftSerializer(serializers.Serializer):
    """How the events of a second list run against those of a first."""

    first = serializers.CharField()
    second = serializers.CharField()
    pairs = serializers.IntegerField()
    unmatched_first = serializers.ListField(child=serializers.FloatField(), help_text="s")
    unmatched_second = serializers.ListField(child=serializers.FloatField(), help_text="s")
    known = serializers.BooleanField()
    offset_s = serializers.FloatField(allow_null=True)
    offset_low_s = serializers.FloatField(allow_null=True)
    offset_high_s = serializers.FloatField(allow_null=True)
    drift_ms_a_minute = serializers.FloatField(allow_null=True)
    drift_low = serializers.FloatField(allow_null=True)
    drift_high = serializers.FloatField(allow_null=True)


class KeptFilmSerializer(serializers.Serializer):
    run = serializers.IntegerField()


def _body(footage: Footage) -> contracts.Footage:
    facts = {name: value for name, value in footage.facts.items() if name != "onsets_s"}
    facts["onsets"] = len(footage.facts.get("onsets_s", []))
    return {
        "id": footage.pk, "study": footage.study_id, "variant": footage.variant.position,
        "run": footage.run_id, "facts": facts, "name": footage.name, "size": footage.size,
        "by": footage.by, "created": footage.created, "state": footage.state,
        "problem": footage.problem, "done_s": footage.done_s, "regions": footage.regions,
        "marks": footage.marks, "timings": footage.timings,
    }  # fmt: skip


def _told(timing: dict[str, Any], changes: Changes) -> dict[str, Any]:
    """A timing as it is said at the film, with the rate of its pictures where it has any."""
    pictures = timing.pop("pictures_s")
    told = timing | {"frames": None, "rate": None, "rate_plus_minus": None}
    if pictures is not None and len(pictures) > 1:
        told["frames"] = len(pictures) - 1
        told["rate"] = (len(pictures) - 1) / (pictures[-1] - pictures[0])
        told["rate_plus_minus"] = told["rate"] * changes.step_s / (pictures[-1] - pictures[0])
    return told


def _region(said: str) -> tuple[int, int, int, int] | None:
    if not said:
        return None
    parts = said.split(",")
    if len(parts) != 4 or not all(p.isascii() and p.isdigit() and len(p) < 6 for p in parts):
        raise ValidationError("`region` is x,y,width,height in pixels")
    x, y, width, height = map(int, parts)
    return x, y, width, height


class FootageList(StudyView):
    parser_classes = [AsItIs]

    @extend_schema(responses=FootageSerializer(many=True), summary="Films brought to a study")
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study).footage.select_related("variant")
        return Response(FootageSerializer([_body(one) for one in found], many=True).data)

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={201: FootageSerializer},
        parameters=[NAME, VARIANT],
        summary="Bring a film of a session: it is looked through, and nothing is kept unasked",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        said = request.query_params.get("variant", "")
        variant = (
            found.study_variants.filter(position=int(said)).first()
            if said.isascii() and said.isdigit() and len(said) < 6
            else None
        )
        if variant is None:
            raise ValidationError("`variant` is the position of a variant of the study")
        if found.footage.count() >= MOST_OPEN:
            raise ValidationError(f"a study has at most {MOST_OPEN} films: throw some away first")
        folder = Path(settings.FILMS)
        check_room(request, folder, MOST_BYTES, "a film")
        name = request.query_params.get("name", "").replace("\0", "")[-200:] or "film"
        made = Footage.objects.create(
            study=found, variant=variant, name=name, by=request.user.get_username()
        )
        room = self.workspace.film_bytes_limit - bytes_of_films(self.workspace)
        try:
            most = max(0, min(MOST_BYTES, room))
            made.size, made.sha256 = received(request, made.path("brought"), most, "a film")
        except (TooLarge, UnreadablePostError):
            made.delete()
            raise
        if not made.size:
            made.delete()
            raise ValidationError(f"“{name}” was not taken: the file is empty")
        made.save(update_fields=["size", "sha256"])
        look_through.defer(footage=made.pk)
        return Response(FootageSerializer(_body(made)).data, status=201)


class OneFootage(MemberView):
    def found(self, footage: int) -> Footage:
        found: Footage = get_object_or_404(
            Footage.objects.select_related("study", "variant"), pk=footage,
            study__workspace=self.workspace,
        )  # fmt: skip
        return found

    def changes(self, footage: Footage) -> Changes:
        if footage.state != "ready":
            raise ValidationError("the film has not been looked through yet, or cannot be used")
        try:
            return changes_kept(footage)
        except FilmError as error:
            raise ValidationError(str(error)) from error


class FootageView(OneFootage):
    @extend_schema(responses=FootageSerializer, summary="A film from elsewhere, and its marks")
    def get(self, request: Request, footage: int) -> Response:
        return Response(FootageSerializer(_body(self.found(footage))).data)

    @extend_schema(
        request=FilmMarksSerializer,
        responses=FootageSerializer,
        summary="Set the marks and regions of a film, all of them",
    )
    def put(self, request: Request, footage: int) -> Response:
        found = self.found(footage)
        body = validated(FilmMarksSerializer, request.data)
        variant = found.study.study_variants.filter(position=body["variant"]).first()
        if variant is None:
            raise ValidationError("the study has no such variant")
        changes = self.changes(found)
        places = [m[end] for m in body["marks"] for end in ("start", "end") if m[end] is not None]
        if any(place >= len(changes.at_s) for place in places):
            raise ValidationError(f"the film has {len(changes.at_s)} pictures")
        found.variant, found.regions = variant, [dict(one) for one in body["regions"]]
        found.marks = [dict(one) for one in body["marks"]]
        frames = frame_paths(found.study)
        found.timings = [_told(one, changes) for one in timings(changes, found.marks, frames)]
        found.save(update_fields=["variant", "regions", "marks", "timings"])
        return Response(FootageSerializer(_body(found)).data)

    @extend_schema(responses={204: None}, summary="Throw a film away; a run made of it stays")
    def delete(self, request: Request, footage: int) -> Response:
        found = self.found(footage)
        if found.state == "looking":
            raise ValidationError("it is looked through just now; nothing was thrown away")
        found.delete()
        return Response(status=204)


class FootageFilm(OneFootage):
    @extend_schema(
        responses={(code, "video/mp4"): OpenApiTypes.BINARY for code in (200, 206)},
        summary="A film from elsewhere as it is stepped through, or the part a Range asks for",
    )
    def get(self, request: Request, footage: int) -> HttpResponseBase:
        found = self.found(footage)
        if found.state != "ready" or not found.path("mp4").exists():
            raise ValidationError("the film has not been looked through yet, or cannot be used")
        return file_answer(request, found.path("mp4"), "video/mp4", f"footage-{found.pk}")


class FootageCourse(OneFootage):
    renderer_classes = [SeriesRenderer]

    @extend_schema(
        parameters=[REGION], responses=FilmCourseSerializer,
        summary="What changes in a film, or in a region of it, picture by picture",
    )  # fmt: skip
    def get(self, request: Request, footage: int) -> Response:
        changes = self.changes(self.found(footage))
        return Response(course(changes, _region(request.query_params.get("region", ""))))


class FootageSnap(OneFootage):
    @extend_schema(
        parameters=[
            REGION, OpenApiParameter("picture", int, required=True),
            OpenApiParameter("to", str, enum=list(SNAPS)),
        ],
        responses=SnappedSerializer,
        summary="The picture that a mark near another one means",
    )  # fmt: skip
    def get(self, request: Request, footage: int) -> Response:
        changes = self.changes(self.found(footage))
        said, to = request.query_params.get("picture", ""), request.query_params.get("to", SNAPS[0])
        if not said.isascii() or not said.isdigit() or int(said) >= len(changes.at_s):
            raise ValidationError(f"`picture` is a number below {len(changes.at_s)}")
        if to not in SNAPS:
            raise ValidationError(f"`to` is one of {', '.join(SNAPS)}")
        region = _region(request.query_params.get("region", ""))
        return Response({"picture": snap(changes, int(said), to, region)})


class KeepFootage(OneFootage):
    @extend_schema(
        request=None, responses={201: KeptFilmSerializer},
        summary="Make a run of the timings marked on a film; it is kept apart until let in",
    )  # fmt: skip
    def post(self, request: Request, footage: int) -> Response:
        found = self.found(footage)
        changes = self.changes(found)
        if found.run_id is not None:
            raise ValidationError(f"its marks are run {found.run_id} already")
        try:
            run = keep(found, changes)
        except NotMarked as error:
            raise ValidationError(str(error)) from error
        read_run.defer(run=run.pk)
        notify(self.workspace.pk, "run", study=found.study_id, run=run.pk)
        return Response({"run": run.pk}, status=201)


class FootageDrift(OneFootage):
    @extend_schema(
        parameters=[
            OpenApiParameter("against", str, description="`sound`, or number of another film"),
            REGION,
        ],
        responses=FilmDriftSerializer,
        summary="How a film's sound, or another film, runs against its picture: offset and drift",
    )
    def get(self, request: Request, footage: int) -> Response:
        found = self.found(footage)
        region = _region(request.query_params.get("region", ""))
        first = _events(self.changes(found), region)
        against = request.query_params.get("against", "sound")
        if against == "sound":
            second, name = np.array(found.facts.get("onsets_s", [])), f"sound of {found.name}"
        elif against.isascii() and against.isdigit() and len(against) < 12:
            other = self.found(int(against))
            second, name = _events(self.changes(other), region), other.name
        else:
            raise ValidationError("`against` is `sound`, or the number of another film")
        if max(len(first), len(second)) > MOST_EVENTS:
            raise ValidationError(
                f"more than {MOST_EVENTS:,} events are too many to pair: choose a region in which "
                "less happens"
            )
        answer = drift(first, second)
        one, two = np.sort(first), np.sort(second)
        return Response(
            FilmDriftSerializer(
                {
                    "first": found.name,
                    "second": name,
                    "pairs": len(answer.pairs),
                    "unmatched_first": [float(one[n]) for n in answer.unmatched[0]],
                    "unmatched_second": [float(two[n]) for n in answer.unmatched[1]],
                    "known": answer.known,
                    "offset_s": _known(answer.offset_s),
                    "offset_low_s": _known(answer.offset_low_s),
                    "offset_high_s": _known(answer.offset_high_s),
                    "drift_ms_a_minute": _a_minute(answer.drift),
                    "drift_low": _a_minute(answer.drift_low),
                    "drift_high": _a_minute(answer.drift_high),
                }
            ).data
        )


def _events(changes: Changes, region: tuple[int, int, int, int] | None) -> Any:
    """When a region begins to change, s."""
    at = instants(changes)
    return np.array([at[burst.first] for burst in bursts(changes, region)])


def _known(value: float) -> float | None:
    return None if math.isnan(value) else value


def _a_minute(slope: float) -> float | None:
    return None if math.isnan(slope) else slope * 60_000
