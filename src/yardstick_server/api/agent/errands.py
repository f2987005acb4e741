"""What a rig asks for beside runs: rehearsals, and what an owner wants changed on it."""

from __future__ import annotations

import time
from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.api.base import RigView
from yardstick_server.api.bodies import validated
from yardstick_server.api.run.rehearsals import take_rehearsal
from yardstick_server.inventory.models import Errand, Rig
from yardstick_server.notify import notify


class ErrandAssignmentSerializer(serializers.Serializer):
    """An errand, or in its place a rehearsal with fields of its own."""

    errand = serializers.IntegerField()
    kind = serializers.CharField()
    body = serializers.DictField()
    by = serializers.CharField()


class IdleSerializer(serializers.Serializer):
    background_cpu_share = serializers.FloatField(
        min_value=0, max_value=100, allow_null=True, default=None,
        help_text="percent of the machine that is busy while the rig is idle",
    )  # fmt: skip
    wall_s = serializers.FloatField(
        min_value=0, max_value=1e11, allow_null=True, default=None,
        help_text="what its clock says, s since 1970",
    )  # fmt: skip
    disk_free_bytes = serializers.IntegerField(
        min_value=0, max_value=2**62, allow_null=True, default=None,
        help_text="where it keeps its records",
    )  # fmt: skip


#: A share that is known to less than this is not written anew each second.
NOTICEABLE_SHARE = 0.3
NOTICEABLE_S, NOTICEABLE_BYTES = 0.25, 100 << 20


class ErrandEndSerializer(serializers.Serializer):
    outcome = serializers.ChoiceField(choices=["done", "refused"])
    detail = serializers.CharField(max_length=2000, allow_blank=True, default="")
    answer = serializers.DictField(default=dict)


class TakeErrand(RigView):
    @extend_schema(request=IdleSerializer, responses={200: ErrandAssignmentSerializer, 204: None})
    def post(self, request: Request) -> Response:
        body = validated(IdleSerializer, request.data)
        self._note(body)
        with transaction.atomic():
            waiting = Errand.objects.select_for_update(skip_locked=True, of=("self",))
            found = waiting.filter(rig=self.rig, state="waits").order_by("id").first()
            if found is not None:
                found.state = "taken"
                found.save(update_fields=["state"])
        if found is not None:
            asked = {"errand": found.pk, "kind": found.kind, "body": found.body, "by": found.by}
            return Response(ErrandAssignmentSerializer(asked).data)
        rehearsal = take_rehearsal(self.rig)
        return Response(status=204) if rehearsal is None else Response(rehearsal)

    def _note(self, body: dict[str, Any]) -> None:
        """Keep how the rig stands, where that has changed by more than can be noticed."""
        wall = body["wall_s"]
        told = {
            "background_cpu_share": (body["background_cpu_share"], NOTICEABLE_SHARE),
            "clock_off_s": (None if wall is None else wall - time.time(), NOTICEABLE_S),
            "disk_free_bytes": (body["disk_free_bytes"], NOTICEABLE_BYTES),
        }
        changed = {}
        for name, (value, noticeable) in told.items():
            known = getattr(self.rig, name)
            if value is not None and (known is None or abs(value - known) > noticeable):
                changed[name] = value
        if changed:
            Rig.objects.filter(pk=self.rig.pk).update(**changed)


class EndErrand(RigView):
    @extend_schema(request=ErrandEndSerializer, responses={200: None})
    def post(self, request: Request, errand: int) -> Response:
        found = get_object_or_404(Errand, pk=errand, rig=self.rig)
        values = validated(ErrandEndSerializer, request.data)
        found.state, found.detail = values["outcome"], values["detail"]
        found.answer = values["answer"]
        found.save(update_fields=["state", "detail", "answer"])
        notify(self.rig.workspace_id, "rig", rig=self.rig.name)
        return Response({"ended": True})
