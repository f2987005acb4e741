"""Numbers from elsewhere: typed in, or several at once as lines."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.logs.typed import TypedNumber, keep_typed
from yardstick_server.notify import notify
from yardstick_server.planning.tasks import read_run

MOST_NUMBERS = 200


class TypedNumberSerializer(serializers.Serializer):
    variant = serializers.IntegerField(min_value=0, help_text="position of the variant")
    value = serializers.FloatField(min_value=-1e15, max_value=1e15)


class TypedNumbersSerializer(serializers.Serializer):
    """Numbers of one thing: where a variant has several, they are repeats."""

    name = serializers.CharField(max_length=60, help_text="what was read, such as loom score")
    unit = serializers.RegexField(
        r"^[^\s.]{1,20}\Z", error_messages={"invalid": "a unit is one word without a dot"}
    )
    higher_is_better = serializers.BooleanField()
    source = serializers.CharField(
        max_length=120, allow_blank=True, default="", help_text="where they stood"
    )
    numbers = TypedNumberSerializer(many=True, allow_empty=False, max_length=MOST_NUMBERS)


class KeptNumbersSerializer(serializers.Serializer):
    runs = serializers.ListField(child=serializers.IntegerField())


class NumbersView(StudyView):
    @extend_schema(
        request=TypedNumbersSerializer, responses={201: KeptNumbersSerializer},
        summary="Keep numbers from elsewhere as readings of variants, marked as typed in",
    )  # fmt: skip
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(TypedNumbersSerializer, request.data)
        known = {part.position for part in found.variants}
        if strangers := {one["variant"] for one in body["numbers"]} - known:
            raise ValidationError({"numbers": f"the study has no variant {min(strangers)}"})
        runs = keep_typed(
            found, body["name"].strip(), body["unit"],
            [TypedNumber(one["variant"], one["value"]) for one in body["numbers"]],
            higher_is_better=body["higher_is_better"], source=body["source"],
            by=request.user.get_username(),
        )  # fmt: skip
        for run in runs:
            read_run.defer(run=run)
        notify(self.workspace.pk, "run", study=found.pk, run=runs[-1])
        return Response(KeptNumbersSerializer({"runs": runs}).data, status=201)
