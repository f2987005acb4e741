"""Numbers that a program only showed: what was read from pictures, and what a person says of it."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server import contracts
from yardstick_server.analysis.judging import read_and_judge
from yardstick_server.analysis.models import ShownNumber
from yardstick_server.analysis.shown import settle
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.notify import notify
from yardstick_server.studies.models import Study


class ShownNumberSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    run = serializers.IntegerField()
    variant = serializers.IntegerField(help_text="position of the variant")
    variant_name = serializers.CharField()
    round = serializers.IntegerField(help_text="−1 where the run is in none")
    name = serializers.CharField(help_text="what the script calls it")
    where = serializers.ListField(child=serializers.CharField(), help_text="step and what is in it")
    unit = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    picture = serializers.CharField(
        help_text="name of the run's picture it stands in; may be empty"
    )
    text = serializers.CharField(help_text="what was read, as it stands")
    proposal = serializers.FloatField(allow_null=True)
    value = serializers.FloatField(allow_null=True, help_text="what counts, once it is settled")
    plus_minus = serializers.FloatField(help_text="half of what several looks lay apart")
    doubt = serializers.CharField(help_text="why a person has to look; empty where it is sure")
    settled = serializers.BooleanField()
    by = serializers.CharField(help_text="who typed it; empty where it was read")
    at = serializers.DateTimeField(allow_null=True)


class ShownNumbersSerializer(serializers.Serializer):
    """Those that wait for a person first, then the others."""

    waiting = serializers.IntegerField()
    numbers = ShownNumberSerializer(many=True)


class SettleNumberSerializer(serializers.Serializer):
    value = serializers.FloatField(
        min_value=-1e15, max_value=1e15, allow_null=True,
        help_text="what stands in the picture; null where nothing can be read",
    )  # fmt: skip


def _body(study: Study) -> contracts.ShownNumbers:
    found = ShownNumber.objects.filter(run__study=study).select_related("run__variant__variant")
    found = found.filter(run__left_out="")
    numbers = sorted(found, key=lambda one: (one.settled, one.run_id, one.pk))
    return {
        "waiting": sum(not one.settled for one in numbers),
        "numbers": [
            {
                "id": one.pk,
                "run": one.run_id,
                "variant": one.run.variant.position,
                "variant_name": one.run.variant.variant.name,
                "round": one.run.round,
                "name": one.path[-1],
                "where": one.path[:-1],
                "unit": one.unit,
                "higher_is_better": one.higher_is_better,
                "picture": one.picture,
                "text": one.text,
                "proposal": one.proposal,
                "value": one.value if one.settled else None,
                "plus_minus": one.plus_minus,
                "doubt": one.doubt,
                "settled": one.settled,
                "by": one.by,
                "at": one.at,
            }
            for one in numbers
        ],
    }


class ShownView(StudyView):
    @extend_schema(
        responses=ShownNumbersSerializer,
        summary="Numbers read from pictures of the screen, and those that wait for a person",
    )
    def get(self, request: Request, study: int) -> Response:
        return Response(ShownNumbersSerializer(_body(self.study(study))).data)


class ShownNumberView(StudyView):
    @extend_schema(
        request=SettleNumberSerializer, responses=ShownNumbersSerializer,
        summary="Say what stands in a picture, or that nothing can be read there",
    )  # fmt: skip
    def put(self, request: Request, study: int, shown: int) -> Response:
        found = self.study(study)
        asked = get_object_or_404(ShownNumber.objects, pk=shown, run__study=found)
        body = validated(SettleNumberSerializer, request.data)
        settle(asked, body["value"], request.user.get_username())
        read_and_judge(asked.run)
        notify(self.workspace.pk, "board", study=found.pk, run=asked.run_id)
        return Response(ShownNumbersSerializer(_body(found)).data)
