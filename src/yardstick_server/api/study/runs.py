"""What a person decides about one run: leave it out, take it back, let it in, repeat it."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.analysis.judging import judge_study
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.api.run.detail import RunSummarySerializer, summary
from yardstick_server.api.study.base import StudyView
from yardstick_server.notify import notify
from yardstick_server.planning import advancing as planning
from yardstick_server.runs import acceptance
from yardstick_server.runs.models import BROUGHT_IN, Run


class ReasonSerializer(serializers.Serializer):
    reason = serializers.CharField(max_length=280, help_text="stays with the run and its numbers")


class RepeatSerializer(serializers.Serializer):
    reason = serializers.CharField(
        max_length=280, allow_blank=True, default="",
        help_text="needed for a run that finished: it is left out for this reason",
    )  # fmt: skip


class DecidedRunView(MemberView):
    """A view that changes how one measured run counts."""

    def run_of(self, number: int) -> Run:
        found: Run = get_object_or_404(
            Run.objects.select_related("variant", "rig", "study"),
            pk=number,
            study__workspace=self.workspace,
        )
        if found.state not in ("measured", "read"):
            raise ValidationError("the run has not ended yet; nothing was changed")
        return found

    def answer(self, run: Run) -> Response:
        judge_study(run.study)
        notify(self.workspace.pk, "board", study=run.study_id, run=run.pk)
        return Response(RunSummarySerializer(summary(run)).data)


class LeaveOutView(DecidedRunView):
    @extend_schema(
        request=ReasonSerializer,
        responses=RunSummarySerializer,
        summary="Leave a run out; it stays visible and is counted as left out",
    )
    def post(self, request: Request, run: int) -> Response:
        found = self.run_of(run)
        body = validated(ReasonSerializer, request.data)
        found.left_out = body["reason"]
        found.left_out_by = request.user.get_username()
        found.save(update_fields=["left_out", "left_out_by"])
        return self.answer(found)

    @extend_schema(responses=RunSummarySerializer, summary="Let a run count again")
    def delete(self, request: Request, run: int) -> Response:
        found = self.run_of(run)
        if found.origin == BROUGHT_IN and not found.acceptance_reason:
            raise ValidationError("it was brought in: to let it count takes a reason")
        found.left_out = found.left_out_by = ""
        found.save(update_fields=["left_out", "left_out_by"])
        return self.answer(found)


class AcceptRunView(DecidedRunView):
    @extend_schema(
        request=ReasonSerializer,
        responses=RunSummarySerializer,
        summary="Let a run that was brought in count among the measured ones",
    )
    def post(self, request: Request, run: int) -> Response:
        found = self.run_of(run)
        body = validated(ReasonSerializer, request.data)
        if found.origin != BROUGHT_IN:
            raise ValidationError("only a run that was brought in is let in")
        acceptance.accept(found, f"{body['reason']} ({request.user.get_username()})")
        found.save(update_fields=acceptance.CHANGED)
        return self.answer(found)


class LetInSerializer(ReasonSerializer):
    runs = serializers.ListField(
        child=serializers.IntegerField(), min_length=1, max_length=1000,
        help_text="numbers of runs of this study that were brought in",
    )  # fmt: skip


class LetInView(StudyView):
    @extend_schema(
        request=LetInSerializer,
        responses=RunSummarySerializer(many=True),
        summary="Let several runs that were brought in count, for one reason",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(LetInSerializer, request.data)
        runs = list(found.runs.filter(pk__in=body["runs"]).select_related("variant", "rig"))
        if len(runs) != len(set(body["runs"])):
            raise ValidationError("not all of these are runs of this study; nothing was changed")
        if any(run.origin != BROUGHT_IN or run.state not in ("measured", "read") for run in runs):
            raise ValidationError("only runs that were brought in are let in; nothing was changed")
        for run in runs:
            acceptance.accept(run, f"{body['reason']} ({request.user.get_username()})")
        Run.objects.bulk_update(runs, acceptance.CHANGED)
        judge_study(found)
        notify(self.workspace.pk, "board", study=found.pk)
        return Response(RunSummarySerializer(map(summary, runs), many=True).data)


class RepeatView(DecidedRunView):
    @extend_schema(
        request=RepeatSerializer,
        responses={201: RunSummarySerializer},
        summary="Run the same variant once more in the same round",
    )
    def post(self, request: Request, run: int) -> Response:
        found = self.run_of(run)
        body = validated(RepeatSerializer, request.data)
        reason = body["reason"]
        if found.outcome == "finished" and not found.left_out and not reason:
            raise ValidationError(
                "this run finished: say why it is repeated. It will be left out for that reason"
            )
        found.left_out_by = request.user.get_username() if reason else found.left_out_by
        again = planning.repeat(found, reason)
        judge_study(found.study)
        notify(self.workspace.pk, "run", study=found.study_id, run=again.pk)
        return Response(RunSummarySerializer(summary(again)).data, status=201)
