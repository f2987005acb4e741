"""What it means for you: a study's difference over a day, a week or a whole job."""

from __future__ import annotations

import json
from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server import contracts
from yardstick_server.analysis.job import job_body, kept_jobs
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.studies.models import Study

MOST_ITEMS, LONGEST = 1e9, 20_000
#: So many jobs are kept with a study.
MOST_KEPT = 20


class JobKindSerializer(serializers.Serializer):
    """A kind of items of the job, and the sessions that measured such items."""

    name = serializers.CharField(max_length=80)
    sessions = serializers.ListField(
        child=serializers.IntegerField(), max_length=40, allow_empty=True,
        help_text="studies of the set; none where the kind was not measured",
    )  # fmt: skip
    items = serializers.FloatField(min_value=0, max_value=MOST_ITEMS)
    affected = serializers.FloatField(
        min_value=0, max_value=100, default=100, help_text="percent of the items"
    )


class JobSerializer(serializers.Serializer):
    candidate = serializers.IntegerField(min_value=0)
    metric = serializers.CharField(
        max_length=200, allow_blank=True, default="", help_text="a choice of the set's table"
    )
    period = serializers.CharField(max_length=40, default="a day")
    kinds = JobKindSerializer(many=True, max_length=40)
    whole = serializers.FloatField(
        min_value=0, max_value=MOST_ITEMS, default=0,
        help_text="what all work of the period takes, in the metric's unit; 0: not said",
    )  # fmt: skip
    threshold = serializers.FloatField(
        min_value=0, max_value=MOST_ITEMS, default=0,
        help_text="a change of less does not matter; 0: not said",
    )  # fmt: skip


class JobAnswerSerializer(serializers.Serializer):
    sentence = serializers.CharField()
    unit = serializers.CharField()
    change = serializers.FloatField()
    low = serializers.FloatField()
    high = serializers.FloatField()
    before = serializers.FloatField(help_text="what the measured work takes with the baseline")
    before_text = serializers.CharField()
    share = serializers.FloatField(allow_null=True, help_text="of all work, 0 to 1")
    share_low = serializers.FloatField(allow_null=True)
    share_high = serializers.FloatField(allow_null=True)
    sure = serializers.BooleanField(help_text="whether it is known which way it goes")
    assumptions = serializers.ListField(child=serializers.CharField())
    matters_from = serializers.FloatField(
        allow_null=True, help_text="share of affected items from which on it matters, 0 to 1"
    )


class KeptJobSerializer(serializers.Serializer):
    """A job that somebody kept, as it comes out now."""

    id = serializers.IntegerField()
    job = JobSerializer()
    by = serializers.CharField()
    at = serializers.DateTimeField()
    answer = JobAnswerSerializer(allow_null=True)
    problem = serializers.CharField(help_text="why it cannot be worked out any more")


JOB = OpenApiParameter(
    "job", str, description="the job as JSON: candidate, metric, period, kinds (name, sessions, "
    "items, affected), whole and threshold", required=True,
)  # fmt: skip


def _parsed(job: str) -> object:
    """What a job says; raises ValidationError where it is no JSON."""
    try:
        if len(job) > LONGEST:
            raise ValueError
        return json.loads(job)
    except (ValueError, RecursionError) as error:
        raise ValidationError({"job": "`job` is a job as JSON"}) from error


class JobView(StudyView):
    @extend_schema(
        parameters=[JOB], responses=JobAnswerSerializer,
        summary="Work out what a difference comes to over a job; nothing is kept",
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study)
        asked = validated(JobSerializer, _parsed(request.query_params.get("job", "")))
        return Response(JobAnswerSerializer(_worked_out(found, asked)).data)


def _worked_out(study: Study, asked: dict[str, Any]) -> contracts.JobAnswer:
    try:
        return job_body(study, asked)
    except ValueError as error:
        raise ValidationError({"job": str(error)}) from error


class JobsView(StudyView):
    @extend_schema(
        responses=KeptJobSerializer(many=True),
        summary="Jobs kept with the study's set, as they come out now",
    )
    def get(self, request: Request, study: int) -> Response:
        return Response(KeptJobSerializer(kept_jobs(self.study(study)), many=True).data)

    @extend_schema(
        request=JobSerializer, responses={201: KeptJobSerializer},
        summary="Keep a job with the study: its report says what it comes to",
    )  # fmt: skip
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        asked = validated(JobSerializer, request.data)
        _worked_out(found, asked)
        root = found.part_of or found
        if root.jobs.count() >= MOST_KEPT:
            raise ValidationError(f"at most {MOST_KEPT} jobs are kept: let one go first")
        kept = root.jobs.create(asked=_plain(asked), by=request.user.get_username())
        body = next(one for one in kept_jobs(root) if one["id"] == kept.pk)
        return Response(KeptJobSerializer(body).data, status=201)


class KeptJobView(StudyView):
    @extend_schema(responses={204: None}, summary="Let a kept job go")
    def delete(self, request: Request, study: int, job: int) -> Response:
        found = self.study(study)
        get_object_or_404((found.part_of or found).jobs, pk=job).delete()
        return Response(status=204)


def _plain(asked: dict[str, Any]) -> dict[str, Any]:
    return {**asked, "kinds": [dict(kind) for kind in asked["kinds"]]}
