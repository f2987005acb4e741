"""Lines of releases of a subject: which there are, and what one shows."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import NotFound, ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.analysis.lines import (
    MOST_A_SESSION,
    JudgedLine,
    NotMeasurable,
    judged_line,
    line_body,
    lines_of,
    session_of,
)
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.inventory.models import Subject


class LineInShortSerializer(serializers.Serializer):
    """A session of a subject that was measured of several releases on one kind of rig."""

    key = serializers.CharField()
    title = serializers.CharField(help_text="of the session")
    rigs = serializers.ListField(child=serializers.CharField(), help_text="all of one kind")
    studies = serializers.IntegerField()
    releases = serializers.IntegerField()


class LineReleaseSerializer(serializers.Serializer):
    name = serializers.CharField()
    measured = serializers.BooleanField()


class LineSessionSerializer(serializers.Serializer):
    """A study that measured some of the releases together."""

    study = serializers.IntegerField()
    question = serializers.CharField()
    when = serializers.DateTimeField(allow_null=True)
    releases = serializers.ListField(child=serializers.IntegerField())


class LinePointSerializer(serializers.Serializer):
    """A release against the anchor: gains, positive is better, on the scale of the rule."""

    release = serializers.IntegerField()
    gain = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    level = serializers.FloatField(help_text="of its stretch of the line, between changes")
    reading = serializers.FloatField(help_text="as on a day of the anchor's middle")
    text = serializers.CharField()
    sessions = serializers.IntegerField(help_text="in how many it was measured")


class LineChangeSerializer(serializers.Serializer):
    """From a release on the level is another; it came with one of `earliest` to `latest`."""

    release = serializers.IntegerField()
    earliest = serializers.IntegerField()
    latest = serializers.IntegerField()
    gain = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    since = serializers.CharField()
    text = serializers.CharField()
    better = serializers.BooleanField()


class LineNextSerializer(serializers.Serializer):
    release = serializers.IntegerField()
    again = serializers.BooleanField(help_text="it was measured before")
    why = serializers.CharField()


class MetricLineSerializer(serializers.Serializer):
    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())
    label = serializers.CharField()
    unit = serializers.CharField()
    deciding = serializers.BooleanField()
    primary = serializers.BooleanField()
    on_logs = serializers.BooleanField(help_text="gains are logs of ratios")
    anchor = serializers.IntegerField()
    headline = serializers.CharField()
    largest = serializers.FloatField(help_text="change, in multiples of what is told at all")
    points = LinePointSerializer(many=True)
    changes = LineChangeSerializer(many=True)
    apart = serializers.ListField(
        child=serializers.CharField(), help_text="releases that no session ties to the anchor"
    )
    withheld = serializers.ListField(
        child=serializers.CharField(),
        help_text="releases left out of a session that did not measure them alike",
    )
    next = LineNextSerializer(allow_null=True)
    noise = serializers.FloatField(
        allow_null=True, help_text="what a session adds by itself: standard deviation"
    )


class ReleaseLineSerializer(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    rigs = serializers.ListField(child=serializers.CharField())
    releases = LineReleaseSerializer(many=True, help_text="oldest first")
    anchor = serializers.IntegerField(help_text="the release that most sessions measured")
    sessions = LineSessionSerializer(many=True)
    metrics = MetricLineSerializer(many=True, help_text="what decides first, then what changed")
    level = serializers.CharField(help_text="how sure each interval is")


class LineSessionWantedSerializer(serializers.Serializer):
    releases = serializers.ListField(
        child=serializers.CharField(max_length=60), min_length=1, max_length=MOST_A_SESSION
    )


class LineSessionMadeSerializer(serializers.Serializer):
    study = serializers.IntegerField()


class OneLine(MemberView):
    def found(self, subject: int, line: str) -> tuple[Subject, JudgedLine]:
        found: Subject = get_object_or_404(self.workspace.subjects, pk=subject)
        measured = next((one for one in lines_of(found) if one.key == line), None)
        if measured is None:
            raise NotFound("there is no such line: its studies may have been deleted")
        return found, judged_line(found, measured)


class LinesView(MemberView):
    @extend_schema(
        responses=LineInShortSerializer(many=True), summary="The lines of releases of a subject"
    )
    def get(self, request: Request, subject: int) -> Response:
        found = get_object_or_404(self.workspace.subjects, pk=subject)
        told = [
            {
                "key": one.key, "title": one.title, "rigs": sorted(one.rigs),
                "studies": len(one.studies), "releases": len(one.releases),
            }
            for one in lines_of(found)
        ]  # fmt: skip
        return Response(LineInShortSerializer(told, many=True).data)


class LineView(OneLine):
    @extend_schema(
        responses=ReleaseLineSerializer,
        summary="A line of releases: each against the anchor, and where a metric changed",
    )
    def get(self, request: Request, subject: int, line: str) -> Response:
        _, judged = self.found(subject, line)
        return Response(ReleaseLineSerializer(line_body(judged)).data)


class LineSessionsView(OneLine):
    @extend_schema(
        request=LineSessionWantedSerializer,
        responses={201: LineSessionMadeSerializer},
        summary="Make a study that measures some releases of a line beside its anchor",
    )
    def post(self, request: Request, subject: int, line: str) -> Response:
        body = validated(LineSessionWantedSerializer, request.data)
        found, judged = self.found(subject, line)
        try:
            made = session_of(judged, found, body["releases"])
        except NotMeasurable as error:
            raise ValidationError({"releases": str(error)}) from error
        self.about = {"name": made.question}
        return Response(LineSessionMadeSerializer({"study": made.pk}).data, status=201)
