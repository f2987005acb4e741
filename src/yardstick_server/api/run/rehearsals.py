"""Rehearsals: a script, kept or not, played once on a rig while somebody watches."""

from __future__ import annotations

import hashlib
from typing import Any, cast

from django.db import transaction
from django.db.models import Q
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.record import OUTCOMES
from yardstick_core.script import ScriptError, parse
from yardstick_server import contracts
from yardstick_server.api.agent.runs import RigConfirmedSerializer, confirmed_for, state_of
from yardstick_server.api.base import MemberView, RigView
from yardstick_server.api.bodies import validated
from yardstick_server.api.run.pictures import Bytes, png_of
from yardstick_server.inventory.models import Fixture, PreparedState, Rig
from yardstick_server.notify import notify
from yardstick_server.runs.models import Rehearsal
from yardstick_server.shelf import active
from yardstick_server.studies.models import Study, fixture_files

MOST_HANDS = 20_000


class NewRehearsalSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(
        choices=["play", "draft"], default="play",
        help_text="play the script, or let a person work and draft one from that",
    )  # fmt: skip
    variant = serializers.IntegerField(min_value=0, help_text="position of the variant")
    text = serializers.CharField(max_length=200_000, trim_whitespace=False)
    step_by_step = serializers.BooleanField(
        default=False, help_text="wait before every line until it is let on"
    )


class RehearsedTimingSerializer(serializers.Serializer):
    path = serializers.ListField(child=serializers.CharField(max_length=200), max_length=20)
    seconds = serializers.FloatField()
    right_censored = serializers.BooleanField()

    def to_internal_value(self, data: Any) -> Any:
        """Agents of protocol 4 say `longer_than` for what is right-censored."""
        if isinstance(data, dict) and "longer_than" in data:
            data = {**data, "right_censored": data["longer_than"]}
        return super().to_internal_value(data)


class SeenWindowSerializer(serializers.Serializer):
    title = serializers.CharField(max_length=300, allow_blank=True)
    x = serializers.IntegerField(help_text="of its upper left corner on the screen, pixels")
    y = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()


class TellSerializer(serializers.Serializer):
    waits = serializers.BooleanField(default=False)
    state_detail = serializers.CharField(max_length=1000, required=False)
    windows = SeenWindowSerializer(many=True, required=False, max_length=100)
    heard = serializers.IntegerField(min_value=0, default=0)
    acted = serializers.IntegerField(min_value=0, default=0)
    draft = serializers.CharField(
        max_length=400_000, trim_whitespace=False, allow_blank=True, required=False
    )
    line = serializers.IntegerField(min_value=0)
    elapsed_ns = serializers.IntegerField(min_value=0)
    outcome = serializers.ChoiceField(choices=OUTCOMES, required=False)
    detail = serializers.CharField(max_length=4000, allow_blank=True, required=False)
    timings = RehearsedTimingSerializer(many=True, required=False, max_length=2000)


class RehearsalSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    variant = serializers.IntegerField()
    state = serializers.ChoiceField(choices=["waits", "plays", "ended"])
    line = serializers.IntegerField(help_text="the line of the script that is played, or was last")
    elapsed_s = serializers.FloatField()
    outcome = serializers.CharField()
    detail = serializers.CharField()
    timings = RehearsedTimingSerializer(many=True)
    pictures = serializers.IntegerField(help_text="how many pictures have come")
    kind = serializers.ChoiceField(choices=["play", "draft", "try"])
    step_by_step = serializers.BooleanField()
    waits = serializers.BooleanField(help_text="waits to be let on to its next line")
    heard = serializers.IntegerField(help_text="keys and buttons heard while drafting")
    draft = serializers.CharField(help_text="the script drafted; empty until the end")
    windows = SeenWindowSerializer(many=True, help_text="on the screen, the main one first")
    state_detail = serializers.CharField(help_text="what became of keeping the state it left")


class RehearsalAssignmentSerializer(serializers.Serializer):
    rehearsal = serializers.IntegerField()
    title = serializers.CharField()
    script = serializers.CharField()
    program = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    confirmed = RigConfirmedSerializer(many=True)
    kind = serializers.ChoiceField(choices=["play", "draft"])
    step_by_step = serializers.BooleanField()
    fixtures = serializers.ListField(child=serializers.DictField())
    state = serializers.CharField(
        allow_blank=True, help_text="SHA-256 of the prepared state its home begins with"
    )


class RemoteInputSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=["press", "type", "click", "scroll", "drag"])
    keys = serializers.CharField(max_length=200, trim_whitespace=False, required=False)
    x = serializers.IntegerField(required=False, help_text="on the screen, pixels")
    y = serializers.IntegerField(required=False)
    to_x = serializers.IntegerField(required=False)
    to_y = serializers.IntegerField(required=False)
    ms = serializers.IntegerField(required=False, min_value=0, max_value=3000)
    button = serializers.ChoiceField(choices=["left", "middle", "right"], required=False)
    way = serializers.ChoiceField(choices=["up", "down", "left", "right"], required=False)
    notches = serializers.IntegerField(required=False, min_value=1, max_value=20)

    def validate(self, hand: dict[str, Any]) -> dict[str, Any]:
        kind = hand["kind"]
        needed = {"press": ("keys",), "type": ("keys",), "drag": ("x", "y", "to_x", "to_y")}
        missing = [name for name in needed.get(kind, ("x", "y")) if name not in hand]
        if missing:
            raise ValidationError(f"{kind} needs {', '.join(missing)}")
        return hand


class RemoteInputsSerializer(serializers.Serializer):
    hands = RemoteInputSerializer(many=True, max_length=100)


class StopAskedSerializer(serializers.Serializer):
    stop = serializers.BooleanField()
    keep_state = serializers.BooleanField(help_text="hand over the home that it leaves")
    hands = serializers.ListField(
        child=serializers.DictField(), help_text="what a person has done since"
    )
    allowed = serializers.IntegerField(help_text="lines it may play, step by step")


def body_of(found: Rehearsal) -> contracts.Rehearsal:
    return {
        "id": found.pk,
        "variant": found.variant.position,
        "state": found.state,
        "line": found.line,
        "elapsed_s": found.elapsed_ns / 1e9,
        "outcome": found.outcome,
        "detail": found.detail,
        "timings": found.timings,
        "pictures": found.pictures,
        "kind": found.kind,
        "step_by_step": found.step_by_step,
        "waits": found.waits,
        "heard": found.heard,
        "draft": found.draft,
        "windows": found.windows,
        "state_detail": found.state_detail,
    }


class RehearsalsView(MemberView):
    """The newest rehearsal of a study; a new one takes its place."""

    @extend_schema(
        responses={200: RehearsalSerializer, 204: None}, summary="The newest rehearsal of a study"
    )
    def get(self, request: Request, study: int) -> Response:
        found = get_object_or_404(Study, pk=study, workspace=self.workspace)
        played = found.rehearsals.exclude(kind="try").select_related("variant")
        newest = played.order_by("-id").first()
        if newest is None:
            return Response(status=204)
        if newest.state != "ended":
            Rehearsal.objects.filter(pk=newest.pk).update(watched=timezone.now())
        return Response(RehearsalSerializer(body_of(newest)).data)

    @extend_schema(
        request=NewRehearsalSerializer,
        responses={201: RehearsalSerializer},
        summary="Play a script once on a variant; nothing of it is kept as a measurement",
    )
    def post(self, request: Request, study: int) -> Response:
        found = get_object_or_404(Study, pk=study, workspace=self.workspace)
        values = validated(NewRehearsalSerializer, request.data)
        variant = get_object_or_404(found.study_variants, position=values["variant"])
        if not variant.variant.program:
            raise ValidationError(f"{variant.variant.name} is measured elsewhere: no rig starts it")
        try:
            files = fixture_files(values["text"])
        except ScriptError as error:
            raise ValidationError(f"the script cannot be played: {error}") from error
        have = set(self.workspace.fixtures.filter(**active()).values_list("name", flat=True))
        missing = [file for file in files if file not in have]
        if missing:
            raise ValidationError(f"no fixture is called {', '.join(missing)}")
        found.rehearsals.exclude(state="ended").update(stop_asked=True)
        found.rehearsals.filter(state="waits").delete()
        made = found.rehearsals.create(
            variant=variant,
            text=values["text"],
            kind=values["kind"],
            step_by_step=values["step_by_step"],
        )
        return Response(RehearsalSerializer(body_of(made)).data, status=201)


class OneRehearsal(MemberView):
    def rehearsal(self, number: int) -> Rehearsal:
        found: Rehearsal = get_object_or_404(
            Rehearsal.objects.select_related("variant"),
            pk=number,
            study__workspace=self.workspace,
        )
        return found


class StopRehearsal(OneRehearsal):
    @extend_schema(request=None, responses=RehearsalSerializer, summary="Stop a rehearsal")
    def post(self, request: Request, rehearsal: int) -> Response:
        found = self.rehearsal(rehearsal)
        # Asked a second time, its rig has not listened: the rehearsal is over without it.
        if found.state == "waits" or (found.state == "plays" and found.stop_asked):
            found.state, found.outcome = "ended", "aborted"
        found.stop_asked = True
        found.save(update_fields=["stop_asked", "state", "outcome"])
        return Response(RehearsalSerializer(body_of(found)).data)


class StepRehearsal(OneRehearsal):
    @extend_schema(
        request=None,
        responses=RehearsalSerializer,
        summary="Let a rehearsal that goes step by step on to its next line",
    )
    def post(self, request: Request, rehearsal: int) -> Response:
        with transaction.atomic():
            found = get_object_or_404(
                Rehearsal.objects.select_for_update(of=("self",)).select_related("variant"),
                pk=rehearsal,
                study__workspace=self.workspace,
            )
            found.allowed, found.waits = found.allowed + 1, False
            found.save(update_fields=["allowed", "waits"])
        return Response(RehearsalSerializer(body_of(found)).data)


class RemoteInputView(OneRehearsal):
    @extend_schema(
        request=RemoteInputsSerializer,
        responses=RehearsalSerializer,
        summary="Work with a program that is being drafted from, through its picture",
    )
    def post(self, request: Request, rehearsal: int) -> Response:
        with transaction.atomic():
            found = get_object_or_404(
                Rehearsal.objects.select_for_update(of=("self",)).select_related("variant"),
                pk=rehearsal,
                study__workspace=self.workspace,
                kind="draft",
            )
            body = validated(RemoteInputsSerializer, request.data)
            if found.state == "ended":
                raise ValidationError("the program has ended: nothing was sent to it")
            if len(found.hands) > MOST_HANDS:
                raise ValidationError(f"more than {MOST_HANDS} inputs are too many for one draft")
            found.hands += [dict(hand) for hand in body["hands"]]
            found.save(update_fields=["hands"])
        return Response(RehearsalSerializer(body_of(found)).data)


class RehearsalPicture(OneRehearsal):
    @extend_schema(
        responses={(200, "image/png"): OpenApiTypes.BINARY, 204: None},
        summary="The newest picture of the screen",
    )
    def get(self, request: Request, rehearsal: int) -> HttpResponse:
        found = self.rehearsal(rehearsal)
        if not found.picture:
            return HttpResponse(status=204)
        return HttpResponse(
            bytes(found.picture), content_type="image/png", headers={"Cache-Control": "no-store"}
        )


def take_rehearsal(rig: Rig) -> dict[str, Any] | None:
    """What the rig is to rehearse next; None where nothing waits for it."""
    if rig.paused:
        return None
    with transaction.atomic():
        found = (
            Rehearsal.objects.select_for_update(skip_locked=True, of=("self",))
            .select_related("variant__variant", "study")
            .filter(
                Q(study__rig=None) | Q(study__rig=rig),
                state="waits",
                study__workspace=rig.workspace,
            )
            .order_by("id")
            .first()
        )
        if found is None:
            return None
        found.state, found.rig, found.watched = "plays", rig, timezone.now()
        found.save(update_fields=["state", "rig", "watched"])
    variant = found.variant.variant
    names = [fixture.file for fixture in parse(found.text).fixtures]
    fixtures = Fixture.objects.filter(workspace=rig.workspace, name__in=names)
    body: contracts.RehearsalAssignment = {
        "rehearsal": found.pk,
        "title": f"rehearsal of {variant.name}",
        "script": found.text,
        "program": variant.program,
        "tags": variant.tags,
        "confirmed": cast(list[contracts.RigConfirmed], confirmed_for(rig)),
        "kind": "draft" if found.kind == "draft" else "play",
        "step_by_step": found.step_by_step,
        "fixtures": [{"name": f.name, "sha256": f.sha256, "size": f.size} for f in fixtures],
        "state": state_of(variant),
    }
    return dict(RehearsalAssignmentSerializer(body).data)


class TakeRehearsal(RigView):
    """For agents that know of no errands yet."""

    @extend_schema(request=None, responses={200: RehearsalAssignmentSerializer, 204: None})
    def post(self, request: Request) -> Response:
        found = take_rehearsal(self.rig)
        return Response(status=204) if found is None else Response(found)


class TellRehearsal(RigView):
    @extend_schema(request=TellSerializer, responses=StopAskedSerializer)
    def post(self, request: Request, rehearsal: int) -> Response:
        found = get_object_or_404(Rehearsal, pk=rehearsal, rig=self.rig)
        values = validated(TellSerializer, request.data)
        if values.get("state_detail"):
            Rehearsal.objects.filter(pk=found.pk).update(state_detail=values["state_detail"])
        if found.state != "ended":
            found.line, found.elapsed_ns = values["line"], values["elapsed_ns"]
            found.waits, found.heard = values["waits"], values["heard"] or found.heard
            found.draft = values.get("draft", found.draft)
            found.windows = values.get("windows") or found.windows
            if "outcome" in values:
                found.state, found.outcome = "ended", values["outcome"]
                found.detail, found.timings = values.get("detail", ""), values.get("timings", [])
            found.save(
                update_fields=[
                    *("line", "elapsed_ns", "waits", "windows", "heard", "draft"),
                    *("state", "outcome", "detail", "timings"),
                ]
            )
        return Response(_asked(found, values["acted"]))


def _asked(found: Rehearsal, acted: int) -> dict[str, Any]:
    return {
        "stop": found.stop_asked or found.alone,
        "keep_state": bool(found.keep_state),
        "allowed": found.allowed,
        "hands": found.hands[acted:],
    }


class ShowRehearsal(RigView):
    parser_classes = [Bytes]

    @extend_schema(request={"image/png": OpenApiTypes.BINARY}, responses={200: StopAskedSerializer})
    def put(self, request: Request, rehearsal: int) -> Response:
        found = get_object_or_404(Rehearsal, pk=rehearsal, rig=self.rig)
        found.picture, found.pictures = png_of(request), found.pictures + 1
        found.save(update_fields=["picture", "pictures"])
        return Response(_asked(found, len(found.hands)))


MOST_STATE_BYTES = 64 * 2**20


class StateBytes(BaseParser):
    """The body as bytes, refused above the limit before it is read whole."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> bytes:
        body: bytes = stream.read(MOST_STATE_BYTES + 1)
        if len(body) > MOST_STATE_BYTES:
            raise ValidationError(f"a state may have at most {MOST_STATE_BYTES // 2**20} MiB")
        return body


class KeepStateSerializer(serializers.Serializer):
    keep_for = serializers.ChoiceField(
        choices=["variant", "all"], help_text="whose runs begin with it from now on"
    )


class KeepStateView(OneRehearsal):
    @extend_schema(
        request=KeepStateSerializer,
        responses=RehearsalSerializer,
        summary="End a rehearsal and keep the state it leaves, for runs to begin with",
    )
    def post(self, request: Request, rehearsal: int) -> Response:
        body = validated(KeepStateSerializer, request.data)
        found = self.rehearsal(rehearsal)
        if found.state == "ended":
            raise ValidationError("it has ended: rehearse once more to keep a state")
        found.keep_state, found.stop_asked = body["keep_for"], True
        found.save(update_fields=["keep_state", "stop_asked"])
        return Response(RehearsalSerializer(body_of(found)).data)


class PutState(RigView):
    parser_classes = [StateBytes]

    @extend_schema(request={"application/octet-stream": OpenApiTypes.BINARY}, responses={200: None})
    def put(self, request: Request, rehearsal: int) -> Response:
        found = get_object_or_404(Rehearsal, pk=rehearsal, rig=self.rig)
        if not found.keep_state or not isinstance(request.data, bytes) or not request.data:
            raise ValidationError("nobody asked to keep a state of this rehearsal")
        state, _ = PreparedState.objects.get_or_create(
            workspace=self.rig.workspace,
            sha256=hashlib.sha256(request.data).hexdigest(),
            defaults={"size": len(request.data), "content": request.data, "rig": self.rig.name},
        )
        parts = [found.variant] if found.keep_state == "variant" else found.study.variants
        for part in parts:
            part.variant.state = state
            part.variant.save(update_fields=["state"])
        size = state.size / 1024
        found.state_detail = f"kept, {size:.0f} KiB: runs begin with it from now on"
        found.save(update_fields=["state_detail"])
        notify(self.rig.workspace_id, "rig", rig=self.rig.name)
        return Response({"sha256": state.sha256})


class StateDownload(RigView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, sha256: str) -> HttpResponse:
        found = get_object_or_404(PreparedState, workspace=self.rig.workspace, sha256=sha256)
        return HttpResponse(bytes(found.content), content_type="application/octet-stream")
