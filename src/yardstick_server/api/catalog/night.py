"""Rigs at night: what is queued, what failed and was repeated, what asks for a person."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.planning import night

USUAL_HOURS, MOST_HOURS = 14, 24 * 14


class NightAskedSerializer(serializers.Serializer):
    hours = serializers.IntegerField(min_value=1, max_value=MOST_HOURS, default=USUAL_HOURS)


class QueuedStudySerializer(serializers.Serializer):
    study = serializers.IntegerField()
    question = serializers.CharField()
    rig = serializers.CharField(allow_null=True, help_text="the one it waits for; null for any")
    runs = serializers.IntegerField(help_text="that wait")
    running = serializers.ListField(child=serializers.IntegerField())
    plan = serializers.CharField(help_text="state of its plan")
    each_s = serializers.FloatField(allow_null=True, help_text="a run takes, median of its newest")
    left_s = serializers.FloatField(allow_null=True)


class MeasuredByRigSerializer(serializers.Serializer):
    rig = serializers.CharField()
    runs = serializers.IntegerField()


class FailedRunSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    study = serializers.IntegerField()
    question = serializers.CharField()
    variant = serializers.IntegerField()
    variant_name = serializers.CharField()
    rig = serializers.CharField()
    outcome = serializers.CharField()
    detail = serializers.CharField()
    ended = serializers.DateTimeField()
    repeated_by = serializers.IntegerField(allow_null=True)


class RigHealthSerializer(serializers.Serializer):
    name = serializers.CharField()
    last_seen = serializers.DateTimeField(allow_null=True)
    disk_free_bytes = serializers.IntegerField(allow_null=True)
    clock_off_s = serializers.FloatField(allow_null=True, help_text="ahead of the server's")
    older = serializers.BooleanField(help_text="its agent is of another release")
    troubles = serializers.ListField(child=serializers.CharField())


class NightSerializer(serializers.Serializer):
    since = serializers.DateTimeField()
    until = serializers.DateTimeField(
        allow_null=True, help_text="when what is queued will be done, as far as can be known"
    )
    queue = QueuedStudySerializer(many=True)
    measured = MeasuredByRigSerializer(many=True)
    failed = FailedRunSerializer(many=True, help_text="newest first")
    failed_in_all = serializers.IntegerField()
    rigs = RigHealthSerializer(many=True)


class NightView(MemberView):
    @extend_schema(
        parameters=[NightAskedSerializer], responses=NightSerializer,
        summary="What the rigs do unattended, and what asks for a person",
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        asked = validated(NightAskedSerializer, request.query_params)
        since = timezone.now() - timedelta(hours=asked["hours"])
        queue, rigs = night.queue_of(self.workspace), night.rig_health(self.workspace)
        able = sum(not one["troubles"] and one["last_seen"] is not None for one in rigs)
        body: contracts.Night = {
            "since": since,
            "until": night.until(queue, able),
            "queue": queue,
            **night.ended_since(self.workspace, since),
            "rigs": rigs,
        }
        return Response(NightSerializer(body).data)
