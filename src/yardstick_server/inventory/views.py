"""Rigs as persons see them; fixtures as rigs fetch them."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.accounts.member_views import MemberView, RigView
from yardstick_server.accounts.models import digest
from yardstick_server.inventory.models import Fixture, Rig
from yardstick_server.live.notify import notify

SILENT_AFTER = timedelta(seconds=10)


class ConfirmationSerializer(serializers.Serializer):
    text = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class RigSerializer(serializers.Serializer):
    name = serializers.CharField()
    state = serializers.ChoiceField(
        choices=["idle", "running", "draining", "paused", "silent", "revoked", "never seen"]
    )
    agent_version = serializers.CharField()
    confirmed = ConfirmationSerializer(many=True)
    paused = serializers.BooleanField(help_text="takes no further run")
    run = serializers.IntegerField(allow_null=True)
    last_seen = serializers.DateTimeField(allow_null=True)
    facts = serializers.DictField(allow_null=True)


def rig_state(rig: Rig) -> dict[str, Any]:
    """A rig's state as shown in the header and on Home."""
    running = rig.runs.filter(state="running").order_by("-id").first()
    state = "idle"
    if rig.revoked:
        state = "revoked"
    elif rig.last_seen is None:
        state = "never seen"
    elif timezone.now() - rig.last_seen > SILENT_AFTER:
        state = "silent"
    elif running is not None:
        state = "draining" if rig.paused else "running"
    elif rig.paused:
        state = "paused"
    facts = rig.facts.order_by("-first_seen").first()
    return {
        "name": rig.name,
        "state": state,
        "agent_version": rig.agent_version,
        "confirmed": list(rig.confirmations.order_by("at").values("text", "by", "at")),
        "paused": rig.paused,
        "run": running.pk if running else None,
        "last_seen": rig.last_seen,
        "facts": facts.facts if facts else None,
    }


class NewRigSerializer(serializers.Serializer):
    name = serializers.RegexField(
        r"^[\w][\w .-]{0,58}$",
        error_messages={"invalid": "a name of letters, digits, spaces, dots and dashes"},
    )


class InvitationSerializer(serializers.Serializer):
    name = serializers.CharField()
    token = serializers.CharField(help_text="shown this once")
    command = serializers.CharField(help_text="to be run on the machine that joins")


class ConfirmSerializer(serializers.Serializer):
    text = serializers.CharField(max_length=300)
    confirmed = serializers.BooleanField(default=True)


class RigList(MemberView):
    @extend_schema(responses=RigSerializer(many=True), summary="Rigs and what they do now")
    def get(self, request: Request) -> Response:
        rigs = Rig.objects.filter(workspace=self.workspace).order_by("name")
        return Response(RigSerializer([rig_state(rig) for rig in rigs], many=True).data)

    @extend_schema(
        request=NewRigSerializer,
        responses={201: InvitationSerializer},
        summary="Let a machine join; or, by the name of one that is there, give it a new token",
    )
    def post(self, request: Request) -> Response:
        body = NewRigSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        name, token = body.validated_data["name"], Rig.new_token()
        Rig.objects.update_or_create(
            workspace=self.workspace,
            name=name,
            defaults={"token_digest": digest(token), "revoked": False},
        )
        notify(self.workspace.pk, "rig", rig=name)
        command = f"./yardstick-agent join {settings.WEB_ORIGIN} {token}"
        return Response({"name": name, "token": token, "command": command}, status=201)


class RigChangesSerializer(serializers.Serializer):
    paused = serializers.BooleanField(required=False)
    revoked = serializers.BooleanField(
        required=False, help_text="for good: a rig comes back with a new token only"
    )

    def validate_revoked(self, value: bool) -> bool:
        if not value:
            raise serializers.ValidationError("a revoked token stays revoked: make a new one")
        return value


class RigDetail(MemberView):
    @extend_schema(
        request=RigChangesSerializer,
        responses=RigSerializer,
        summary="Pause a rig after its run, let it go on, or revoke its token",
    )
    def patch(self, request: Request, name: str) -> Response:
        rig = get_object_or_404(Rig, workspace=self.workspace, name=name)
        body = RigChangesSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        for field, value in body.validated_data.items():
            setattr(rig, field, value)
        rig.save(update_fields=list(body.validated_data) or None)
        notify(self.workspace.pk, "rig", rig=rig.name)
        return Response(RigSerializer(rig_state(rig)).data)


class RigConfirmations(MemberView):
    @extend_schema(
        request=ConfirmSerializer,
        responses=RigSerializer,
        summary="Confirm what scripts ask a person to have seen to on a rig, or take it back",
    )
    def post(self, request: Request, name: str) -> Response:
        rig = get_object_or_404(Rig, workspace=self.workspace, name=name)
        body = ConfirmSerializer(data=request.data)
        body.is_valid(raise_exception=True)
        text = body.validated_data["text"]
        if body.validated_data["confirmed"]:
            by = request.user.get_username()
            rig.confirmations.get_or_create(text=text, defaults={"by": by})
        else:
            rig.confirmations.filter(text=text).delete()
        notify(self.workspace.pk, "rig", rig=rig.name)
        return Response(RigSerializer(rig_state(rig)).data)


class FixtureDownload(RigView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, sha256: str) -> HttpResponse:
        fixture = get_object_or_404(Fixture, workspace=self.rig.workspace, sha256=sha256)
        return HttpResponse(bytes(fixture.content), content_type="application/octet-stream")
