"""Runs as persons see them."""

from __future__ import annotations

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.match.conditions import FAILED, PASSED, TICKED
from yardstick_core.plan import round_label, round_name
from yardstick_core.readings import METRICS
from yardstick_core.record import PURPOSES
from yardstick_core.script import outline, parse
from yardstick_server import contracts
from yardstick_server.analysis.drawing import counters_drawn
from yardstick_server.analysis.records import journal_of
from yardstick_server.api.base import MemberView
from yardstick_server.api.catalog.rigs import KnownFactSerializer, known_facts
from yardstick_server.films.models import Film
from yardstick_server.notify import notify
from yardstick_server.runs.models import ORIGINS, Run
from yardstick_server.runs.queue import end_early
from yardstick_server.traces.store import streams_of

FIRST_INPUTS = 300


class RunSummarySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    variant = serializers.IntegerField(help_text="position of its variant in the study")
    round = serializers.IntegerField()
    round_name = serializers.CharField(help_text="warm rounds count from 1; or cold, check, a file")
    round_label = serializers.CharField(help_text="the same within a sentence")
    order_in_round = serializers.IntegerField()
    cold = serializers.BooleanField()
    level = serializers.CharField(help_text="of the script's ladder; empty without one")
    state = serializers.ChoiceField(choices=Run.STATES)
    silent = serializers.BooleanField()
    outcome = serializers.CharField()
    detail = serializers.CharField()
    rig = serializers.CharField(allow_null=True)
    started = serializers.DateTimeField(allow_null=True)
    ended = serializers.DateTimeField(allow_null=True)
    progress = serializers.DictField()
    purpose = serializers.ChoiceField(choices=PURPOSES)
    repeats = serializers.IntegerField(allow_null=True, help_text="the run it takes the place of")
    origin = serializers.ChoiceField(choices=ORIGINS)
    acceptance_reason = serializers.CharField(help_text="why a run that was brought in counts")
    left_out = serializers.CharField(help_text="why it does not count; empty where it does")
    left_out_by = serializers.CharField()
    unread = serializers.CharField(help_text="why its record was set aside; empty where it was not")


def summary(run: Run, cold_rounds: int | None = None) -> contracts.RunSummary:
    """A run in short. Who lists many runs of a study says how many of its rounds are cold."""
    cold = run.study.first_warm_round if cold_rounds is None else cold_rounds
    return {
        "id": run.pk,
        "variant": run.variant.position,
        "round": run.round,
        "round_name": round_name(run.round, cold, run.purpose),
        "round_label": round_label(run.round, cold, run.purpose),
        "order_in_round": run.order_in_round,
        "cold": run.cold,
        "level": run.level,
        "state": run.state,
        "silent": run.silent,
        "outcome": run.outcome,
        "detail": run.detail,
        "rig": run.rig.name if run.rig else None,
        "started": run.started,
        "ended": run.ended,
        "progress": run.progress,
        "purpose": run.purpose,
        "repeats": run.repeats_id,
        "origin": run.origin,
        "acceptance_reason": run.acceptance_reason,
        "left_out": run.left_out,
        "left_out_by": run.left_out_by,
        "unread": run.unread,
    }


class StretchSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=["step", "time", "frames", "lap"])
    path = serializers.ListField(child=serializers.CharField())
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    plus_minus_s = serializers.FloatField()
    right_censored = serializers.BooleanField()


class MarkSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    name = serializers.CharField()


class KeptPictureSerializer(serializers.Serializer):
    name = serializers.CharField()
    what = serializers.CharField(help_text="what it shows, in words")
    at_s = serializers.FloatField()


class FirstInputSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    what = serializers.CharField()


class RunReadingSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    name = serializers.CharField()
    unit = serializers.CharField()
    value = serializers.FloatField()
    plus_minus = serializers.FloatField()
    right_censored = serializers.BooleanField()
    warning = serializers.CharField()


class PreconditionSerializer(serializers.Serializer):
    what = serializers.CharField()
    state = serializers.ChoiceField(choices=[PASSED, FAILED, TICKED])
    found = serializers.CharField(required=False)
    by = serializers.CharField(required=False, help_text="who ticked it")
    at = serializers.CharField(required=False, help_text="since when it is ticked")


class ConditionsSerializer(serializers.Serializer):
    """What the run was measured under, besides the facts of its rig."""

    preconditions = PreconditionSerializer(many=True, required=False)
    settings = serializers.DictField(allow_null=True, required=False)
    settings_after = serializers.DictField(allow_null=True, required=False)
    settings_made = serializers.BooleanField(required=False)
    work = serializers.DictField(child=serializers.IntegerField(), required=False)


class FilmSerializer(serializers.Serializer):
    """The film of a run, once its rig has sent some of it."""

    state = serializers.ChoiceField(choices=[state for state, _ in Film.STATES])
    problem = serializers.CharField()
    began_s = serializers.FloatField(help_text="its first picture, s since the run began")
    seconds = serializers.FloatField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    frames = serializers.IntegerField()
    size = serializers.IntegerField(help_text="bytes")


class RunDetailSerializer(serializers.Serializer):
    run = RunSummarySerializer()
    study = serializers.IntegerField()
    question = serializers.CharField()
    subject = serializers.CharField()
    variant_name = serializers.CharField()
    variants = serializers.IntegerField(help_text="how many variants the study has")
    baseline = serializers.IntegerField(help_text="position of the study's baseline")
    cold_rounds = serializers.IntegerField(help_text="rounds of the study kept apart as cold")
    script_version = serializers.IntegerField()
    steps = serializers.ListField(child=serializers.CharField())
    record_s = serializers.FloatField(help_text="how long its record is; 0 without one")
    counters = serializers.ListField(
        child=serializers.CharField(), help_text="what its counters are drawn as"
    )
    stretches = StretchSerializer(many=True)
    marks = MarkSerializer(many=True)
    inputs = serializers.IntegerField(help_text="how many there are; the trace has them")
    first_inputs = FirstInputSerializer(many=True, help_text="to align runs at")
    pictures = KeptPictureSerializer(many=True)
    film = FilmSerializer(allow_null=True)
    readings = RunReadingSerializer(many=True)
    import_source = serializers.DictField(
        help_text="of a run that was brought in: file and mapping"
    )
    facts = serializers.DictField(allow_null=True)
    known = KnownFactSerializer(many=True, help_text="the same facts with names and units")
    conditions = ConditionsSerializer()
    observer = serializers.DictField(allow_null=True)
    beside = serializers.ListField(
        child=serializers.IntegerField(), help_text="the other runs of its round"
    )


class RunDetail(MemberView):
    for_guests = True

    @extend_schema(responses=RunDetailSerializer, summary="A run: its stretches and readings")
    def get(self, request: Request, run: int) -> Response:
        found = get_object_or_404(
            Run.objects.select_related("variant__variant", "rig", "facts", "study__subject"),
            pk=run,
            study__workspace=self.workspace,
        )
        record = journal_of(found)
        streams = streams_of(found.pk)
        kept = set(found.pictures.values_list("name", flat=True))
        observer = [entry for entry in record.journal if entry["kind"] == "observer"]
        body: contracts.RunDetail = {
            "run": summary(found),
            "study": found.study_id,
            "question": found.study.question,
            "subject": found.study.subject.name,
            "variant_name": found.variant.variant.name,
            "variants": found.study.study_variants.count(),
            "baseline": found.study.baseline,
            "cold_rounds": found.study.first_warm_round,
            "script_version": found.script.number,
            "steps": outline(parse(found.script.text)).steps,
            "record_s": max(streams.values(), default=0) / 1e9,
            "counters": list(counters_drawn(streams)),
            "stretches": [
                {
                    "kind": s.kind,
                    "path": s.path,
                    "start_s": s.start_ns / 1e9,
                    "end_s": s.end_ns / 1e9,
                    "plus_minus_s": s.plus_minus_ns / 1e9,
                    "right_censored": s.right_censored,
                }
                for s in record.stretches
            ],
            "marks": [{"at_s": at / 1e9, "name": name} for at, name in record.marks],
            "inputs": len(record.inputs),
            "first_inputs": [
                {"at_s": i.at_ns / 1e9, "what": i.what} for i in record.inputs[:FIRST_INPUTS]
            ],
            "pictures": [
                {"name": entry["name"], "what": entry["what"], "at_s": entry["at"] / 1e9}
                for entry in record.journal
                if entry["kind"] == "picture" and entry["name"] in kept
            ],
            "film": _film(found),
            "readings": [
                {
                    "stretch": reading.stretch,
                    "metric": reading.metric,
                    "name": METRICS[reading.metric].name,
                    "unit": METRICS[reading.metric].unit,
                    "value": reading.value,
                    "plus_minus": reading.plus_minus,
                    "right_censored": reading.right_censored,
                    "warning": reading.warning,
                }
                for reading in found.readings.order_by("id")
            ],
            "import_source": found.import_source,
            "facts": found.known_facts or found.import_source.get("machine"),
            "known": known_facts(found.known_facts or found.import_source.get("machine") or {}),
            "conditions": found.conditions,
            "observer": dict(observer[-1]) if observer else None,
            "beside": list(
                found.study.runs.filter(round=found.round)
                .exclude(pk=found.pk)
                .values_list("id", flat=True)
            ),
        }
        return Response(RunDetailSerializer(body).data)


def _film(run: Run) -> contracts.Film | None:
    film = Film.objects.filter(run=run).first()
    if film is None:
        return None
    return {
        "state": film.state, "problem": film.problem, "seconds": film.seconds,
        "width": film.width, "height": film.height, "frames": film.frames, "size": film.size,
        "began_s": film.began_ns / 1e9,
    }  # fmt: skip


class AbortRun(MemberView):
    @extend_schema(request=None, responses=RunSummarySerializer, summary="Abort or withdraw a run")
    def post(self, request: Request, run: int) -> Response:
        with transaction.atomic():
            found = get_object_or_404(
                Run.objects.select_for_update(of=("self",)).select_related("variant", "rig"),
                pk=run,
                study__workspace=self.workspace,
            )
            end_early(found)
        notify(self.workspace.pk, "run", study=found.study_id, run=run)
        return Response(RunSummarySerializer(summary(found)).data)
