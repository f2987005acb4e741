"""The session script of a study: read, checked, laid out, kept as versions."""

from __future__ import annotations

from typing import Any

from django.db.models import Count
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.script import ScriptError, formatted, outline, parse
from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.studies.models import MissingFixture, Study


class OutlineStretchSerializer(serializers.Serializer):
    path = serializers.ListField(child=serializers.CharField())
    kind = serializers.ChoiceField(choices=["time", "frames"])
    line = serializers.IntegerField()
    ends_with = serializers.CharField()
    inputs = serializers.IntegerField()
    scheduled_s = serializers.FloatField()


class ScriptSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    text = serializers.CharField()
    title = serializers.CharField()
    created = serializers.DateTimeField()
    steps = serializers.ListField(child=serializers.CharField())
    stretches = OutlineStretchSerializer(many=True)
    inputs = serializers.IntegerField()
    facts = serializers.DictField(child=serializers.CharField())
    fixtures = serializers.ListField(child=serializers.CharField())
    only_some = serializers.DictField(
        child=serializers.CharField(), help_text="steps that only some variants play, and which"
    )


class ScriptTextSerializer(serializers.Serializer):
    text = serializers.CharField(max_length=200_000, trim_whitespace=False, allow_blank=True)


class ScriptVersionSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    created = serializers.DateTimeField()
    measured = serializers.IntegerField(help_text="runs that used it")
    text = serializers.CharField()


class ProblemSerializer(serializers.Serializer):
    line = serializers.IntegerField()
    column = serializers.IntegerField()
    found = serializers.CharField()
    expected = serializers.CharField()
    meant = serializers.CharField()


class ProblemsSerializer(serializers.Serializer):
    problems = ProblemSerializer(many=True)


def script_body(study: Study) -> contracts.Script:
    version = study.script
    script = parse(version.text)
    plan = outline(script)
    return {
        "number": version.number,
        "text": version.text,
        "title": plan.title,
        "created": version.created,
        "steps": plan.steps,
        "stretches": [
            {
                "path": stretch.path,
                "kind": stretch.kind,
                "line": stretch.line,
                "ends_with": stretch.ends_with,
                "inputs": stretch.inputs,
                "scheduled_s": stretch.scheduled_ns / 1e9,
            }
            for stretch in plan.stretches
        ],
        "inputs": plan.inputs,
        "facts": script.facts,
        "fixtures": [fixture.file for fixture in script.fixtures],
        "only_some": {
            step.name: f"only if the variant {'has' if step.wanted else 'lacks'} “{step.tag}”"
            for step in script.steps
            if step.tag
        },
    }


class ScriptView(StudyView):
    @extend_schema(
        request=ScriptTextSerializer,
        responses={200: ScriptSerializer, 400: ProblemsSerializer},
        summary="Change the session script: makes a new version, runs keep theirs",
    )
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(ScriptTextSerializer, request.data)
        try:
            found.keep_script(body["text"])
        except ScriptError as error:
            return Response({"problems": problems(error)}, status=400)
        except MissingFixture as error:
            raise ValidationError(str(error)) from error
        return Response(ScriptSerializer(script_body(found)).data)


class ScriptCheck(MemberView):
    @extend_schema(
        request=ScriptTextSerializer, responses=ProblemsSerializer, summary="Check a script"
    )
    def post(self, request: Request) -> Response:
        body = validated(ScriptTextSerializer, request.data)
        try:
            parse(body["text"])
        except ScriptError as error:
            return Response({"problems": problems(error)})
        return Response({"problems": []})


class ScriptLayout(MemberView):
    @extend_schema(
        request=ScriptTextSerializer,
        responses={200: ScriptTextSerializer, 400: ProblemsSerializer},
        summary="The same script in its one layout",
    )
    def post(self, request: Request) -> Response:
        body = validated(ScriptTextSerializer, request.data)
        try:
            text = formatted(body["text"])
        except ScriptError as error:
            return Response({"problems": problems(error)}, status=400)
        return Response({"text": text})


class ScriptVersionsView(StudyView):
    for_guests = True

    @extend_schema(
        responses=ScriptVersionSerializer(many=True),
        summary="Every version of the script, newest first, with how many runs used it",
    )
    def get(self, request: Request, study: int) -> Response:
        versions = self.study(study).scripts.annotate(measured=Count("runs")).order_by("-number")
        return Response(ScriptVersionSerializer(versions, many=True).data)


def problems(error: ScriptError) -> list[dict[str, Any]]:
    return ProblemSerializer(error.problems, many=True).data
