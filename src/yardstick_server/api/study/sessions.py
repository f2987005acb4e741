"""A set of sessions of one study: its table, one more session, and how much of a day each is."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.analysis.judging import judge_study
from yardstick_server.analysis.session_set import table_body
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.notify import notify
from yardstick_server.studies.models import Study

MOST_SESSIONS = 40
METRIC = OpenApiParameter("metric", str, description="key of a choice; what decides each else")


class SetChoiceSerializer(serializers.Serializer):
    key = serializers.CharField()
    label = serializers.CharField()
    sessions = serializers.IntegerField(help_text="how many have it")


class SetDifferenceSerializer(serializers.Serializer):
    verdict = serializers.CharField()
    gain = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    text = serializers.CharField()
    change = serializers.CharField()
    band = serializers.FloatField(allow_null=True, help_text="gains no larger do not matter, log")
    single = serializers.BooleanField(help_text="there is no interval")


class SetSessionSerializer(serializers.Serializer):
    """One session: readings and differences by variant, in the order of the set's variants."""

    study = serializers.IntegerField()
    title = serializers.CharField()
    share = serializers.FloatField(allow_null=True, help_text="of a user's day, percent")
    label = serializers.CharField(help_text="of the metric shown; empty where it has none")
    readings = serializers.ListField(child=serializers.CharField())
    values = serializers.ListField(child=serializers.FloatField(allow_null=True))
    runs = serializers.ListField(child=serializers.IntegerField())
    differences = SetDifferenceSerializer(many=True, help_text="the baseline's has no verdict")
    places = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    unranked = serializers.CharField(help_text="why it has no places")
    steadiness = serializers.ListField(
        child=serializers.FloatField(allow_null=True), allow_null=True,
        help_text="1 % low over average frame rate of the same stretch",
    )  # fmt: skip


class SetCandidateSerializer(serializers.Serializer):
    candidate = serializers.IntegerField()
    verdict = serializers.CharField()
    gain = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    band = serializers.FloatField(allow_null=True, help_text="gains no larger do not matter, log")
    text = serializers.CharField()
    why = serializers.CharField(help_text="why there is none")


class SetMeanSerializer(serializers.Serializer):
    kind = serializers.CharField(help_text="these, share or general")
    name = serializers.CharField()
    about = serializers.CharField()
    candidates = SetCandidateSerializer(many=True)


class SetSumSerializer(serializers.Serializer):
    name = serializers.CharField()
    readings = serializers.ListField(child=serializers.CharField())


class SetSessionAdviceSerializer(serializers.Serializer):
    title = serializers.CharField()
    study = serializers.IntegerField()
    sentence = serializers.CharField()


class SetAdviceSerializer(serializers.Serializer):
    profile = serializers.CharField()
    overall = serializers.CharField(help_text="over all sessions that know it; empty for one")
    sessions = SetSessionAdviceSerializer(many=True)


class SessionTableSerializer(serializers.Serializer):
    variants = serializers.ListField(child=serializers.CharField())
    baseline = serializers.IntegerField()
    choices = SetChoiceSerializer(many=True)
    chosen = serializers.CharField(help_text="key of a choice, or `deciding`")
    headline = serializers.CharField()
    sessions = SetSessionSerializer(many=True)
    points = serializers.ListField(child=serializers.IntegerField(), help_text="places summed")
    ranked = serializers.IntegerField(help_text="sessions that have places")
    means = SetMeanSerializer(many=True)
    asked_for = SetSumSerializer(many=True, help_text="shown, judged nowhere")
    advice = SetAdviceSerializer(many=True)


class AddedSessionSerializer(serializers.Serializer):
    study = serializers.IntegerField()


class NewSessionSerializer(serializers.Serializer):
    study = serializers.IntegerField(
        required=False, help_text="a study of the same variants to take in; else a new session"
    )


class ShareOfDaySerializer(serializers.Serializer):
    share = serializers.FloatField(min_value=0, max_value=100, allow_null=True)


class SessionSetView(StudyView):
    for_guests = True

    @extend_schema(
        parameters=[METRIC], responses=SessionTableSerializer,
        summary="The sessions of a study beside each other, for one metric",
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        chosen = request.query_params.get("metric", "")
        return Response(SessionTableSerializer(table_body(self.study(study), chosen)).data)

    @extend_schema(
        request=NewSessionSerializer, responses={201: AddedSessionSerializer},
        summary="Add a session to a study: a new one, or another study of the same variants",
    )  # fmt: skip
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(NewSessionSerializer, request.data)
        if len(found.session_set) >= MOST_SESSIONS:
            raise ValidationError(f"a study has at most {MOST_SESSIONS} sessions")
        if "study" in body:
            made = _taken_in(found, self.study(body["study"]))
        else:
            made = found.add_session()
            judge_study(made)
        notify(self.workspace.pk, "board", study=found.pk)
        return Response(AddedSessionSerializer({"study": made.pk}).data, status=201)


def _taken_in(study: Study, other: Study) -> Study:
    root = study.part_of or study
    if other.part_of_id is not None or other.parts.exists() or other.pk == root.pk:
        raise ValidationError({"study": "it is part of a set of sessions already"})
    own = {part.variant_id for part in root.variants}
    if own != {part.variant_id for part in other.variants}:
        raise ValidationError({"study": "it compares other variants: a set has the same in each"})
    other.part_of = root
    other.save(update_fields=["part_of"])
    return other


class SetMemberView(StudyView):
    def member(self, study: int, part: int) -> Study:
        found: Study = get_object_or_404(
            Study, pk=part, pk__in=[one.pk for one in self.study(study).session_set]
        )
        return found

    @extend_schema(
        request=ShareOfDaySerializer, responses=ShareOfDaySerializer,
        summary="Say what share of a user's day a session is",
    )  # fmt: skip
    def patch(self, request: Request, study: int, part: int) -> Response:
        found = self.member(study, part)
        found.day_share = validated(ShareOfDaySerializer, request.data)["share"]
        found.save(update_fields=["day_share"])
        notify(self.workspace.pk, "board", study=found.pk)
        return Response(ShareOfDaySerializer({"share": found.day_share}).data)

    @extend_schema(responses={204: None}, summary="Make a session of a set a study of its own")
    def delete(self, request: Request, study: int, part: int) -> Response:
        found = self.member(study, part)
        if found.part_of_id is None:
            raise ValidationError("it is the session that the set began with")
        found.part_of = None
        found.save(update_fields=["part_of"])
        return Response(status=204)
