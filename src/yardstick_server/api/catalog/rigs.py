"""Rigs as persons see them: what each does, what it is and was, what it may start."""

from __future__ import annotations

from collections import Counter
from typing import Any, cast

from django.conf import settings
from django.db.models import Count, OuterRef, Prefetch, QuerySet, Subquery
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.match.facts import FACTS, fact_of, flat, in_text, is_known
from yardstick_server import contracts
from yardstick_server.accounts.models import digest
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.inventory.models import SILENT_AFTER, Rig, RigConfirmation, RigFacts, Variant
from yardstick_server.joining.package import NoPip
from yardstick_server.joining.package import command as join_command
from yardstick_server.notify import notify
from yardstick_server.runs.models import Run

#: Of so many newest runs it is counted how they ended; so many are named.
NEWEST, SHOWN = 50, 12


class ConfirmationSerializer(serializers.Serializer):
    text = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()


class KnownFactSerializer(serializers.Serializer):
    name = serializers.CharField()
    value = serializers.CharField()


class RigSerializer(serializers.Serializer):
    name = serializers.CharField()
    state = serializers.ChoiceField(
        choices=["idle", "running", "draining", "paused", "silent", "revoked", "never seen"]
    )
    agent_version = serializers.CharField()
    confirmed = ConfirmationSerializer(many=True)
    paused = serializers.BooleanField(help_text="takes no further run")
    local = serializers.BooleanField(help_text="on the machine of this server")
    programs_from = serializers.ChoiceField(choices=["file", "owner"])
    background_cpu_share = serializers.FloatField(
        allow_null=True, help_text="percent of it that is busy while it is idle"
    )
    run = serializers.IntegerField(allow_null=True)
    last_seen = serializers.DateTimeField(allow_null=True)
    known = KnownFactSerializer(many=True, help_text="what of it lasts, each with its unit")


def known_facts(facts: dict[str, Any]) -> list[contracts.KnownFact]:
    """Facts with their names and units, those of the machine first, then versions and the like."""
    known = flat(facts)
    order = [*(key for key in FACTS if key in known), *sorted(known.keys() - FACTS.keys())]
    return [
        {"name": fact_of(key).name, "value": _fact_text(key, known[key])}
        for key in order
        if not isinstance(known[key], list)
    ]


def _fact_text(key: str, value: Any) -> str:
    """A fact in words; one that is of another kind than it should be spoils only its own line."""
    try:
        return in_text(key, value)
    except (TypeError, ValueError, OverflowError):
        return f"cannot be read: {str(value)[:80]}"


def rig_states(rigs: QuerySet[Rig]) -> list[contracts.Rig]:
    """States of many rigs, with as few questions to the database as that of one."""
    running = Run.objects.filter(rig=OuterRef("pk"), state="running").order_by("-id")
    newest = RigFacts.objects.filter(rig=OuterRef("pk")).order_by("-last_seen")
    asked = rigs.annotate(
        running=Subquery(running.values("pk")[:1]), newest=Subquery(newest.values("facts")[:1])
    )
    confirmed = Prefetch("confirmations", queryset=RigConfirmation.objects.order_by("at"))
    return [_state(rig) for rig in asked.prefetch_related(confirmed)]


def rig_state(rig: Rig) -> contracts.Rig:
    """A rig's state as shown in the header and on Home."""
    (found,) = rig_states(Rig.objects.filter(pk=rig.pk))
    return found


def _state(rig: Any) -> contracts.Rig:
    running = rig.running
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
    return {
        "name": rig.name,
        "state": state,
        "agent_version": rig.agent_version,
        "confirmed": [
            {"text": one.text, "by": one.by, "at": one.at} for one in rig.confirmations.all()
        ],
        "paused": rig.paused,
        "local": rig.local,
        "programs_from": rig.programs_from,
        "background_cpu_share": rig.background_cpu_share,
        "run": running,
        "last_seen": rig.last_seen,
        "known": known_facts(rig.newest or {}),
    }


class ChangedFactSerializer(serializers.Serializer):
    name = serializers.CharField()
    before = serializers.CharField()
    after = serializers.CharField()


class RigStateSerializer(serializers.Serializer):
    """What the rig was like for a time, and how that differed from the time before."""

    first_seen = serializers.DateTimeField()
    last_seen = serializers.DateTimeField()
    runs = serializers.IntegerField(help_text="measured while it was so")
    changed = ChangedFactSerializer(many=True)


class StartableSerializer(serializers.Serializer):
    name = serializers.CharField()
    command = serializers.CharField()
    log = serializers.CharField()
    caches = serializers.ListField(child=serializers.CharField())
    companions = serializers.ListField(child=serializers.CharField())
    installed = serializers.ListField(child=serializers.CharField())
    settings = serializers.ListField(child=serializers.CharField())
    environment = serializers.ListField(child=serializers.CharField(), help_text="names only")
    variants = serializers.ListField(
        child=serializers.CharField(), help_text="that are started by it"
    )


class OutcomeCountSerializer(serializers.Serializer):
    outcome = serializers.CharField()
    runs = serializers.IntegerField()


class RigDetailSerializer(serializers.Serializer):
    rig = RigSerializer()
    known = KnownFactSerializer(many=True, help_text="what it is now, each with its unit")
    states = RigStateSerializer(many=True, help_text="newest first")
    programs = StartableSerializer(many=True)
    outcomes = OutcomeCountSerializer(many=True, help_text="how its newest runs ended")
    recent = serializers.ListField(child=serializers.IntegerField(), help_text="newest runs")


def states_of(rig: Rig) -> list[contracts.RigState]:
    """What a rig was like over time, newest first, each with what had changed.

    What was not known before, or is not known any more, is no change.
    """
    found: list[contracts.RigState] = []
    before: dict[str, Any] | None = None
    for state in rig.facts.annotate(measured=Count("run")).order_by("first_seen"):
        now = flat(state.facts)
        keys = [] if before is None else dict.fromkeys([*before, *now])
        old = before or {}
        found.append(
            {
                "first_seen": state.first_seen,
                "last_seen": state.last_seen,
                "runs": state.measured,
                "changed": [
                    {
                        "name": fact_of(key).name,
                        "before": in_text(key, old.get(key)),
                        "after": in_text(key, now.get(key)),
                    }
                    for key in keys
                    if is_known(old.get(key)) and is_known(now.get(key))
                    if old[key] != now[key] and not fact_of(key).passing
                ],
            }
        )
        before = now
    return found[::-1]


def startable(rig: Rig) -> list[contracts.Startable]:
    """What a rig may start, with the variants of its workspace that are started by it."""
    named = Variant.objects.filter(subject__workspace=rig.workspace_id).select_related("subject")
    by_program: dict[str, list[str]] = {}
    for variant in named.order_by("id"):
        known = by_program.setdefault(variant.program, [])
        known.append(f"{variant.subject.name} {variant.name}")
    empty = {"command": "", "log": "", "caches": [], "companions": [], "installed": [],
             "settings": [], "environment": []}  # fmt: skip
    found = [
        {**empty, **program, "name": name, "variants": by_program.get(name, [])}
        for name, program in sorted(rig.programs.items())
    ]
    return cast(list[contracts.Startable], found)


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
        return Response(RigSerializer(rig_states(rigs), many=True).data)

    @extend_schema(
        request=NewRigSerializer,
        responses={201: InvitationSerializer},
        summary="Let a machine join; or, by the name of one that is there, give it a new token",
    )
    def post(self, request: Request) -> Response:
        body = validated(NewRigSerializer, request.data)
        name, token = body["name"], Rig.new_token()
        Rig.objects.update_or_create(
            workspace=self.workspace,
            name=name,
            defaults={"token_digest": digest(token), "revoked": False},
        )
        notify(self.workspace.pk, "rig", rig=name)
        try:
            command = join_command(settings.WEB_ORIGIN, token)
        except NoPip:  # then from a checkout only
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
    @extend_schema(responses=RigDetailSerializer, summary="A rig: facts over time, what it starts")
    def get(self, request: Request, name: str) -> Response:
        rig = get_object_or_404(Rig, workspace=self.workspace, name=name)
        newest = rig.runs.exclude(outcome="").order_by("-id")[:NEWEST]
        counted = Counter(run.outcome for run in newest)
        latest = rig.facts.order_by("-last_seen").first()
        moment: dict[str, Any] = next((run.moment for run in newest if run.moment), {})
        body: contracts.RigDetail = {
            "rig": rig_state(rig),
            "known": known_facts({**(latest.facts if latest else {}), **moment}),
            "states": states_of(rig),
            "programs": startable(rig),
            "outcomes": [{"outcome": o, "runs": n} for o, n in counted.most_common()],
            "recent": [run.pk for run in newest[:SHOWN]],
        }
        return Response(RigDetailSerializer(body).data)

    @extend_schema(
        request=RigChangesSerializer,
        responses=RigSerializer,
        summary="Pause a rig after its run, let it go on, or revoke its token",
    )
    def patch(self, request: Request, name: str) -> Response:
        rig = get_object_or_404(Rig, workspace=self.workspace, name=name)
        body = validated(RigChangesSerializer, request.data)
        for field, value in body.items():
            setattr(rig, field, value)
        rig.save(update_fields=list(body) or None)
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
        body = validated(ConfirmSerializer, request.data)
        text = body["text"]
        if body["confirmed"]:
            by = request.user.get_username()
            rig.confirmations.get_or_create(text=text, defaults={"by": by})
        else:
            rig.confirmations.filter(text=text).delete()
        notify(self.workspace.pk, "rig", rig=rig.name)
        return Response(RigSerializer(rig_state(rig)).data)
