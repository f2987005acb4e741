"""Timing by hand: sessions that no script can drive, stopped by a person, in the plan's order."""

from __future__ import annotations

import hashlib
from typing import Any, TypedDict

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.plan import round_label
from yardstick_core.readings.durations import hand_plus_minus
from yardstick_core.script import outline, parse
from yardstick_core.streams import chunk
from yardstick_core.streams.entries import Entry, StretchEntry
from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.api.run.detail import RunSummarySerializer, summary
from yardstick_server.notify import notify
from yardstick_server.runs.models import BY_HAND, Run
from yardstick_server.studies.models import Study
from yardstick_server.traces.keeping import keep_chunk

MOST_SECONDS = 86_400.0


class HandStepSerializer(serializers.Serializer):
    name = serializers.CharField()
    path = serializers.ListField(
        child=serializers.CharField(), help_text="what its time is called in the readings"
    )


class TurnSerializer(serializers.Serializer):
    round = serializers.IntegerField()
    round_label = serializers.CharField()
    order_in_round = serializers.IntegerField()
    cold = serializers.BooleanField()
    variant = serializers.IntegerField(help_text="position of the variant whose turn it is")
    order = serializers.ListField(child=serializers.IntegerField())


class ByHandSerializer(serializers.Serializer):
    steps = HandStepSerializer(many=True)
    turn = TurnSerializer()
    done = RunSummarySerializer(many=True, help_text="timed by hand so far")


class SplitSerializer(serializers.Serializer):
    step = serializers.CharField(max_length=200)
    start_s = serializers.FloatField(min_value=0, max_value=MOST_SECONDS)
    end_s = serializers.FloatField(min_value=0, max_value=MOST_SECONDS)
    reached = serializers.BooleanField(default=True, help_text="false where it never got there")


class NewHandRunSerializer(serializers.Serializer):
    round = serializers.IntegerField(min_value=0)
    variant = serializers.IntegerField(min_value=0)
    splits = SplitSerializer(many=True, allow_empty=False)
    spread_ms = serializers.FloatField(
        min_value=1, max_value=2000, help_text="standard deviation of the person's reactions"
    )
    trials = serializers.IntegerField(min_value=5, help_text="reactions it was found from")


def hand_steps(study: Study) -> list[contracts.HandStep]:
    """The steps of a study's session, with the name of the timing each stands for.

    A step with one timing is that timing; of others the time is called “by hand”.
    """
    plan = outline(parse(study.script.text))
    found: list[contracts.HandStep] = []
    for step in plan.steps:
        timings = [s.path for s in plan.stretches if s.kind == "time" and s.path[0] == step]
        own = [path for path in timings if len(path) == 2]
        found.append({"name": step, "path": list(own[0]) if len(own) == 1 else [step, "by hand"]})
    return found


class TurnToTake(TypedDict):
    """A run that somebody times next: its place in the rounds, and which variant it is of."""

    round: int
    order_in_round: int
    cold: bool
    variant: int
    order: list[int]


def turn_of(study: Study) -> TurnToTake:
    """Whose turn it is: what is left of the last round by hand, else the next round."""
    last = study.runs.filter(origin=BY_HAND).order_by("-round").first()
    plan = study.plan
    if last is not None:
        mine = study.runs.filter(round=last.round)
        had = list(mine.order_by("order_in_round").values_list("variant__position", flat=True))
        order = study.round_order(last.round)
        left = [variant for variant in order if variant not in had]
        if left:
            return {
                "round": last.round, "order_in_round": len(had),
                "cold": last.round < plan.cold_rounds, "variant": left[0], "order": order,
            }  # fmt: skip
    number, cold, order = study.next_rounds(1)[0]
    return {"round": number, "order_in_round": 0, "cold": cold, "variant": order[0], "order": order}


class ByHandView(MemberView):
    def study(self, number: int) -> Study:
        return get_object_or_404(Study, pk=number, workspace=self.workspace)

    @extend_schema(responses=ByHandSerializer, summary="What is timed by hand next, and how")
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study)
        done = found.runs.filter(origin=BY_HAND).select_related("variant", "rig").order_by("-id")
        cold_rounds = found.first_warm_round
        turn = turn_of(found)
        cold = max(cold_rounds, turn["round"] + 1 if turn["cold"] else 0)
        body: contracts.ByHand = {
            "steps": hand_steps(found),
            "turn": {**turn, "round_label": round_label(turn["round"], cold)},
            "done": [summary(run, cold_rounds) for run in done],
        }
        return Response(ByHandSerializer(body).data)

    @extend_schema(
        request=NewHandRunSerializer,
        responses={201: RunSummarySerializer},
        summary="Keep a session that was timed by hand as a run",
    )
    def post(self, request: Request, study: int) -> Response:
        values = validated(NewHandRunSerializer, request.data)
        found = self.study(study)
        check_splits(values["splits"], [step["name"] for step in hand_steps(found)])
        with transaction.atomic():
            found = Study.objects.select_for_update().get(pk=found.pk)
            turn = turn_of(found)
            if (values["round"], values["variant"]) != (turn["round"], turn["variant"]):
                raise ValidationError("meanwhile it is another variant's turn; nothing was kept")
            run = kept(found, turn, values, request.user.get_username())
        from yardstick_server.planning.tasks import read_run

        read_run.defer(run=run.pk)
        notify(self.workspace.pk, "run", study=found.pk, run=run.pk)
        return Response(RunSummarySerializer(summary(run)).data, status=201)


def check_splits(splits: list[dict[str, Any]], steps: list[str]) -> None:
    """Raises ValidationError where splits are not steps of the session one after another."""
    before = 0.0
    for place, split in enumerate(splits):
        if split["step"] not in steps:
            raise ValidationError(f"the session has no step “{split['step']}”")
        if split["end_s"] <= split["start_s"] or split["start_s"] < before:
            raise ValidationError("a split ends after it begins, and begins after the one before")
        if not split["reached"] and place + 1 < len(splits):
            raise ValidationError("only the last step can be one that was never reached")
        before = split["end_s"]
    if len({split["step"] for split in splits}) < len(splits):
        raise ValidationError("each step is timed once a session")


def kept(study: Study, turn: TurnToTake, values: dict[str, Any], by: str) -> Run:
    """A run with the splits as its record."""
    paths = {step["name"]: step["path"] for step in hand_steps(study)}
    unknown = round(1e6 * hand_plus_minus(values["spread_ms"]))
    entries: list[Entry] = []
    for split in values["splits"]:
        start, end = (round(1e9 * split[edge]) for edge in ("start_s", "end_s"))
        step: StretchEntry = {
            "kind": "step", "at": end, "path": [split["step"]], "start": start, "end": end,
            "plus_minus": unknown,
        }  # fmt: skip
        timing: StretchEntry = {
            **step, "kind": "time", "path": paths[split["step"]],
            "right_censored": not split["reached"],
        }  # fmt: skip
        entries += [timing, step]
    whole = values["splits"][-1]["reached"]
    outcome = "finished" if whole else "cut off"
    detail = "" if whole else f"“{values['splits'][-1]['step']}” was never reached"
    entries.append({"kind": "outcome", "at": entries[-1]["at"], "outcome": outcome,
                    "detail": detail})  # fmt: skip
    run: Run = study.runs.create(
        variant=study.study_variants.get(position=turn["variant"]), script=study.script,
        round=turn["round"], order_in_round=turn["order_in_round"], cold=turn["cold"],
        state="running", origin=BY_HAND, started=timezone.now(),
        import_source={
            "by": by, "spread_ms": values["spread_ms"], "trials": values["trials"],
            "plus_minus_ms": unknown / 1e6,
        },
    )  # fmt: skip
    data = chunk.encode_journal(entries)
    keep_chunk(run, "journal", 0, data, hashlib.sha256(data).hexdigest())
    run.state, run.outcome, run.detail, run.ended = "measured", outcome, detail, timezone.now()
    run.save()
    return run
