"""What a rig asks and tells about runs; docs/ingest.md describes it."""

from __future__ import annotations

import hashlib
import json
import os
import time
from itertools import islice
from typing import Any

from django.core.cache import cache
from django.db import transaction
from django.db.models import Sum
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core import OLDER_PROTOCOL, PROTOCOL
from yardstick_core.assignment import Assignment, Confirmed
from yardstick_core.plan import round_label
from yardstick_core.record import CONTROL, FILMED, OUTCOMES
from yardstick_core.script import parse
from yardstick_server.api.access import from_this_machine
from yardstick_server.api.agent.hello import (
    ToldApplicationSerializer,
    ToldProgramSerializer,
    checked_facts,
)
from yardstick_server.api.base import RigView
from yardstick_server.api.bodies import validated
from yardstick_server.api.border import CutField
from yardstick_server.inventory.models import Fixture, Rig, RigFacts, Variant
from yardstick_server.joining.package import update_told
from yardstick_server.notify import notify
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import LEASE, Run
from yardstick_server.traces.keeping import MOST_CHUNKS_OF_A_STREAM

#: All rigs together are asked to come so often at most, for each core of the server; a lease bears
#: the slowest beat.
MOST_HEARTBEATS_A_SECOND = 15 * (os.cpu_count() or 1)
FASTEST_S, SLOWEST_S = 0.5, LEASE.total_seconds() / 3
COUNTED_FOR_S = 2
#: Characters of a heartbeat: what is kept and told to all who watch, and all of it with its beats.
MOST_PROGRESS, MOST_BEATS = 7000, 400_000
#: Bounds of a run: streams, samples of all of them, what is told of chunks that are missing, and
#: how much of its last words is kept.
MOST_STREAMS, MOST_SAMPLES, MOST_MISSING, MOST_DETAIL = 400, 100_000_000, 20_000, 4000


class HelloSerializer(serializers.Serializer):
    agent_version = serializers.CharField(max_length=20)
    agent_digest = serializers.RegexField(
        r"^[0-9a-f]{64}\Z", allow_blank=True, default="", help_text="which release it is"
    )
    protocol = serializers.CharField(max_length=20, default="1")
    facts = serializers.DictField()
    programs = serializers.DictField(
        child=ToldProgramSerializer(), default=dict, help_text="what the rig may start"
    )
    programs_from = serializers.ChoiceField(
        choices=["file", "owner"], default="file", help_text="who may change what it starts"
    )
    applications = serializers.ListField(
        child=ToldApplicationSerializer(), default=list, max_length=2000,
        help_text="desktop programs installed on it",
    )  # fmt: skip

    def validate_facts(self, facts: dict) -> dict:
        return checked_facts(facts)


class WelcomeSerializer(serializers.Serializer):
    rig = serializers.CharField()
    protocol = serializers.CharField()
    release = serializers.CharField(help_text="digest of the agent that this server hands out")
    files = serializers.DictField(
        child=serializers.CharField(), help_text="SHA-256 of each file that makes up an agent"
    )


class ProgramFixtureSerializer(serializers.Serializer):
    name = serializers.CharField()
    sha256 = serializers.CharField()
    size = serializers.IntegerField()


class RigConfirmedSerializer(serializers.Serializer):
    """What a person has confirmed for the rig."""

    text = serializers.CharField()
    by = serializers.CharField()
    at = serializers.CharField()


class AssignmentSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    title = serializers.CharField()
    script = serializers.CharField()
    program = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    values = serializers.DictField(help_text="what goes before the script's own: the level")
    watch = serializers.ChoiceField(choices=["full", "outer"])
    film = serializers.BooleanField(help_text="whether the display is filmed")
    background_cpu_limit = serializers.FloatField(
        help_text="percent of the machine others may take: waited for before the run"
    )
    settings = serializers.ListField(
        child=serializers.DictField(), help_text="settings files of the subject, by plain name"
    )
    confirmed = RigConfirmedSerializer(many=True)
    fixtures = ProgramFixtureSerializer(many=True)
    state = serializers.CharField(
        allow_blank=True, help_text="SHA-256 of the prepared state its home begins with"
    )


#: So long a rig that is restarted within a session keeps its run.
LONGEST_RESTART_S = 3600.0


class HeartbeatSerializer(serializers.Serializer):
    progress = serializers.DictField()

    def validate_progress(self, progress: dict) -> dict:
        kept = {key: value for key, value in progress.items() if key != "beats"}
        if len(json.dumps(kept)) > MOST_PROGRESS or len(json.dumps(progress)) > MOST_BEATS:
            raise serializers.ValidationError(f"progress has at most {MOST_PROGRESS} characters")
        return progress


class HeartbeatAnswerSerializer(serializers.Serializer):
    abort = serializers.BooleanField()
    again_s = serializers.FloatField(help_text="when to come again: later where many rigs measure")


class StreamSealSerializer(serializers.Serializer):
    chunks = serializers.IntegerField(min_value=1, max_value=MOST_CHUNKS_OF_A_STREAM)
    samples = serializers.IntegerField(min_value=1, max_value=MOST_SAMPLES)
    sha256 = serializers.RegexField(r"^[0-9a-f]{64}$")


class SealSerializer(serializers.Serializer):
    streams = serializers.DictField(child=StreamSealSerializer())
    outcome = serializers.ChoiceField(choices=OUTCOMES)
    detail = CutField(allow_blank=True, most=MOST_DETAIL)
    facts = serializers.DictField()

    def validate_streams(self, streams: dict) -> dict:
        if len(streams) > MOST_STREAMS:
            raise serializers.ValidationError(f"a run has at most {MOST_STREAMS} streams")
        if sum(one["samples"] for one in streams.values()) > MOST_SAMPLES:
            raise serializers.ValidationError(f"a run has at most {MOST_SAMPLES} samples")
        return streams

    def validate_facts(self, facts: dict) -> dict:
        return checked_facts(facts)


class Hello(RigView):
    @extend_schema(request=HelloSerializer, responses={200: WelcomeSerializer, 409: None})
    def post(self, request: Request) -> Response:
        body = validated(HelloSerializer, request.data)
        spoken = body["protocol"]
        if spoken not in (PROTOCOL, OLDER_PROTOCOL):
            older = "the agent" if _number(spoken) < _number(PROTOCOL) else "the server"
            detail = (
                f"the agent speaks version {spoken} of the protocol and the server {PROTOCOL}: "
                f"{older} is older, bring both to the same release"
            )
            return Response({"detail": detail}, status=409)
        Rig.objects.filter(pk=self.rig.pk).update(
            agent_version=body["agent_version"],
            agent_digest=body["agent_digest"],
            programs=body["programs"],
            programs_from=body["programs_from"],
            applications=body["applications"],
            local=from_this_machine(request),
            last_seen=timezone.now(),
        )
        # What an earlier life of the agent took and did not end is done by nobody any more.
        self.rig.errands.filter(state="taken").update(
            state="refused", detail="the agent was started anew before it was done"
        )
        RigFacts.keep(self.rig, body["facts"])
        notify(self.rig.workspace_id, "rig", rig=self.rig.name)
        welcome = {"rig": self.rig.name, "protocol": PROTOCOL, **update_told()}
        return Response(WelcomeSerializer(welcome).data)


def _number(version: str) -> int:
    return int(version) if version.isascii() and version.isdigit() else 0


class TakeRun(RigView):
    @extend_schema(request=None, responses={200: AssignmentSerializer, 204: None})
    def post(self, request: Request) -> Response:
        run = Run.take_next(self.rig)
        if run is None:
            return Response(status=204)
        notify(run.study.workspace_id, "run", study=run.study_id, run=run.pk)
        return Response(AssignmentSerializer(assignment(run)).data)


def assignment(run: Run) -> Assignment:
    """What a rig needs to play a run."""
    ladder = run.script.ladder
    values = {ladder.name: run.level} if ladder and run.level else {}
    script = parse(run.script.text, values)
    at = f" at {ladder.name} {run.level}" if values and ladder else ""
    where = round_label(run.round, run.study.first_warm_round, run.purpose)
    names = [fixture.file for fixture in script.fixtures]
    fixtures = Fixture.objects.filter(workspace=run.study.workspace, name__in=names)
    return {
        "run": run.pk,
        "title": f"{run.variant.variant.name}, {where}{at}: {script.title}",
        "script": run.script.text,
        "program": run.variant.variant.program,
        "tags": run.variant.variant.tags,
        "values": values,
        "background_cpu_limit": run.study.plan.background_cpu_limit,
        "watch": "outer" if run.purpose == CONTROL else "full",
        "film": run.purpose == FILMED,
        "settings": run.study.subject.settings,
        "confirmed": confirmed_for(run.rig),
        "fixtures": [{"name": f.name, "sha256": f.sha256, "size": f.size} for f in fixtures],
        "state": state_of(run.variant.variant),
    }


def state_of(variant: Variant) -> str:
    """SHA-256 of the prepared state that a variant's runs begin with; empty without one."""
    return variant.state.sha256 if variant.state else ""


def confirmed_for(rig: Rig) -> list[Confirmed]:
    """What persons have confirmed for a rig, with who and when."""
    return [
        {"text": one.text, "by": one.by, "at": one.at.isoformat()}
        for one in rig.confirmations.order_by("at")
    ]


class Heartbeat(RigView):
    @extend_schema(request=HeartbeatSerializer, responses=HeartbeatAnswerSerializer)
    def post(self, request: Request, run: int) -> Response:
        told = Run.objects.only("study_id", "abort_asked", "progress")
        found = get_object_or_404(told, pk=run, rig=self.rig.pk)
        workspace = self.rig.workspace_id
        body = validated(HeartbeatSerializer, request.data)
        progress = body["progress"]
        kept = {key: value for key, value in progress.items() if key != "beats"}
        away = progress.get("restarting_s")
        if isinstance(away, (int, float)):
            kept["restarting_until"] = time.time() + min(float(away), LONGEST_RESTART_S)
        Run.objects.filter(pk=run, state="running").update(
            lease_until=timezone.now() + LEASE, progress=kept
        )
        if ("restarting_until" in kept) != ("restarting_until" in found.progress):
            notify(workspace, "run", study=found.study_id, run=run)
        notify(workspace, "progress", study=found.study_id, run=run, progress=progress)
        return Response({"abort": found.abort_asked, "again_s": again_s()})


def again_s() -> float:
    """How long a rig waits before its next heartbeat: so that all of them stay few a second."""
    running = cache.get_or_set(
        "running", lambda: Run.objects.filter(state="running").count(), COUNTED_FOR_S
    )
    return min(max(FASTEST_S, running / MOST_HEARTBEATS_A_SECOND), SLOWEST_S)


class SealRun(RigView):
    @extend_schema(request=SealSerializer, responses={200: None, 409: None})
    def post(self, request: Request, run: int) -> Response:
        seal = validated(SealSerializer, request.data)
        with transaction.atomic():
            found = get_object_or_404(
                Run.objects.select_for_update(of=("self",)).select_related("study"),
                pk=run,
                rig=self.rig,
            )
            if found.state != "running":
                return Response({"sealed": True})
            samples = found.chunks.aggregate(all=Sum("samples"))["all"] or 0
            if samples > MOST_SAMPLES:
                raise ValidationError(f"a run has at most {MOST_SAMPLES} samples, not {samples}")
            missing = missing_chunks(found, seal["streams"])
            if missing:
                detail = f"{len(missing)} chunks are missing or differ: send them again"
                return Response({"detail": detail, "missing": missing}, status=409)
            found.keep_facts(seal["facts"])
            found.outcome, found.detail = seal["outcome"], seal["detail"]
            found.state, found.ended = "measured", timezone.now()
            found.save(update_fields=["facts", "moment", "outcome", "detail", "state", "ended"])
            read_run.defer(run=found.pk)
        notify(found.study.workspace_id, "run", study=found.study_id, run=run)
        return Response({"sealed": True})


class RefusedSerializer(serializers.Serializer):
    why = CutField(allow_blank=True, most=MOST_DETAIL // 2)


class TellRefused(RigView):
    @extend_schema(request=RefusedSerializer, responses={200: None})
    def post(self, request: Request, run: int) -> Response:
        """A rig keeps a record that was not taken: whoever waits for the run sees why."""
        found = get_object_or_404(Run.objects.select_related("study"), pk=run, rig=self.rig)
        body = validated(RefusedSerializer, request.data)
        why = body["why"]
        detail = f"its record stays on the rig, for the server did not take it: {why}"
        Run.objects.filter(pk=run, state="running").update(detail=detail)
        notify(found.study.workspace_id, "run", study=found.study_id, run=run)
        return Response({"told": True})


def missing_chunks(run: Run, streams: dict[str, dict[str, Any]]) -> list[dict[str, Any]]:
    """Chunks that a seal names and the server does not have as named; at most `MOST_MISSING`.

    A rig that has sent them all never has more than a message of them to send again; one that
    names millions is told of the first.
    """
    missing: list[dict[str, Any]] = []
    for stream, expected in streams.items():
        have = dict(run.chunks.filter(stream=stream).values_list("sequence", "sha256"))
        wanted = range(expected["chunks"])
        left = MOST_MISSING - len(missing)
        absent = list(islice((number for number in wanted if number not in have), left))
        if not absent and left:
            digest = hashlib.sha256()
            for number in wanted:
                digest.update(have[number].encode())
            if digest.hexdigest() != expected["sha256"]:
                absent = list(wanted[:left])
        missing += [{"stream": stream, "sequence": number} for number in absent]
    return missing
