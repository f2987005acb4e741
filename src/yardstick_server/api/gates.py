"""The gate for build servers: ask about a build, follow it, read what came of it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare import text
from yardstick_core.compare.gate import EXITS, FIRST_ROUNDS, OUTCOMES, TOLERANCE
from yardstick_core.compare.materiality import MetricOfStretch
from yardstick_core.formats.guessing.guess import Proposal
from yardstick_core.formats.mapping import mapping_from
from yardstick_core.readings.expected import expected
from yardstick_core.report.references import row_label
from yardstick_core.script import outline, parse
from yardstick_server import contracts
from yardstick_server.analysis.judging import judgement_of
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import AsItIs, validated
from yardstick_server.api.build_start import started_for_a_build
from yardstick_server.api.logs import brought_log
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.read import board
from yardstick_server.gates import deciding as gating
from yardstick_server.gates.models import Gate
from yardstick_server.gates.results import NoResults, check_enough, stretch_for
from yardstick_server.logs.models import LogFile
from yardstick_server.logs.tasks import keep_log
from yardstick_server.notify import notify
from yardstick_server.planning import advancing
from yardstick_server.planning.tasks import judge_results
from yardstick_server.studies.models import Study

MOST_ROUNDS = 20
SHOWN = 50
#: Files of results of one build, their size, and runs that one of them may hold.
MOST_RESULTS, MOST_RESULT, MOST_PARTS = 200, 256 << 20, 1000


class NewGateSerializer(serializers.Serializer):
    build = serializers.CharField(max_length=60, help_text="what the build is called")
    program = serializers.CharField(
        max_length=120, allow_blank=True, allow_null=True, default=None,
        help_text="name of what the rig starts for it, as an owner allowed it; none for what the "
        "study says is started for builds; empty where it is measured elsewhere, and its results "
        "are brought in",
    )  # fmt: skip
    metrics = serializers.ListField(
        child=serializers.CharField(max_length=300), max_length=60, default=list,
        help_text="what counts, called as the board calls it with its step; all that decide and "
        "the main ones where none is named",
    )  # fmt: skip
    tolerance = serializers.FloatField(
        min_value=1, max_value=100, default=TOLERANCE,
        help_text="percent that it may be worse by, as far as is known, and still pass",
    )  # fmt: skip
    rounds = serializers.IntegerField(
        min_value=3, max_value=MOST_ROUNDS, default=FIRST_ROUNDS,
        help_text="at most; a failure is held against four more",
    )  # fmt: skip


class GateRowSerializer(serializers.Serializer):
    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())
    label = serializers.CharField()
    deciding = serializers.BooleanField()
    standing = serializers.ChoiceField(choices=OUTCOMES)
    change_text = serializers.CharField(help_text="the change with its interval")
    why = serializers.CharField()
    smallest = serializers.FloatField(
        allow_null=True, help_text="smallest worsening found in 95 of 100 such builds"
    )
    smallest_text = serializers.CharField()


class GateSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    study = serializers.IntegerField(help_text="the study that is measured for it")
    asked_of = serializers.IntegerField()
    build = serializers.CharField()
    baseline = serializers.CharField()
    by = serializers.CharField()
    at = serializers.DateTimeField()
    ended = serializers.DateTimeField(allow_null=True)
    state = serializers.ChoiceField(choices=Gate.STATES)
    runs_done = serializers.IntegerField()
    runs_total = serializers.IntegerField()
    outcome = serializers.CharField(help_text="as of its rows; empty until it is decided")
    exit = serializers.IntegerField(allow_null=True, help_text="what a command ends with")
    why = serializers.CharField()
    tolerance = serializers.FloatField()
    rows = GateRowSerializer(many=True)
    link = serializers.CharField()
    false_failures_a_year = serializers.FloatField(help_text="at the rate of the last month")
    builds_of_month = serializers.IntegerField()


def gate_body(gate: Gate) -> contracts.Gate:
    study = gate.study
    runs = list(study.runs.exclude(state="withdrawn").values_list("state", flat=True))
    yearly, builds = gating.false_failures_a_year(gate.asked_of)
    return {
        "build": gate.build,
        "by": gate.by,
        "at": gate.at,
        "ended": gate.ended,
        "state": gate.state,
        "outcome": gate.outcome,
        "why": gate.why,
        "tolerance": gate.tolerance,
        "rows": gate.rows,
        "id": gate.pk,
        "study": study.pk,
        "asked_of": gate.asked_of_id,
        "baseline": study.variants[gating.BASELINE].variant.name,
        "runs_done": sum(state in ("measured", "read") for state in runs),
        "runs_total": len(runs),
        "exit": EXITS.get(gate.outcome),
        "link": f"{settings.WEB_ORIGIN}/studies/{study.pk}/read",
        "false_failures_a_year": yearly,
        "builds_of_month": builds,
    }  # fmt: skip


class GatesView(StudyView):
    for_builds = True

    @extend_schema(
        responses=GateSerializer(many=True), summary="Builds at the gate of a study, newest first"
    )
    def get(self, request: Request, study: int) -> Response:
        gates = self.study(study).gates.select_related("study", "asked_of")[:SHOWN]
        return Response(GateSerializer([gate_body(one) for one in gates], many=True).data)

    @extend_schema(
        request=NewGateSerializer,
        responses={201: GateSerializer},
        summary="Hold a build against the baseline of the study: is it slower in what matters?",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(NewGateSerializer, request.data)
        if not found.study_variants.exists():
            raise ValidationError("the study has no variant to hold a build against: add one")
        elsewhere = values["program"] == ""
        program, start = ("", {}) if elsewhere else started_for_a_build(found, values["program"])
        gate = gating.ask(
            found, values["build"], program,
            wanted=_wanted(found, values["metrics"]), tolerance=values["tolerance"],
            rounds=values["rounds"], by=request.user.get_username(), start=start,
        )  # fmt: skip
        if not gate.results:
            advancing.start(gate.study, judgement_of(gate.study))
        self.about = {"name": gate.build}
        notify(self.workspace.pk, "run", study=gate.study_id)
        return Response(GateSerializer(gate_body(gate)).data, status=201)


def _wanted(study: Study, labels: list[str]) -> list[MetricOfStretch]:
    """Metrics by what they are called on the study's board, or will be once it is measured."""
    known = {
        text.qualified_label(text.label(metric, stretch), stretch): (metric.key, tuple(stretch))
        for stretch, metric in expected(outline(parse(study.script.text)).stretches)
    }
    for row in board(study)["rows"]:
        known[row_label(row)] = (row["metric"], tuple(row["stretch"]))
    missing = [label for label in labels if label not in known]
    if missing:
        raise ValidationError(
            f"no metric of this study is called {', '.join(missing)}; nothing was begun"
        )
    return [known[label] for label in labels]


class GateView(MemberView):
    @extend_schema(responses=GateSerializer, summary="How far a build at the gate is")
    def get(self, request: Request, gate: int) -> Response:
        return Response(GateSerializer(gate_body(self.found(gate))).data)

    def found(self, gate: int) -> Gate:
        gates = Gate.objects.select_related("study", "asked_of")
        found: Gate = get_object_or_404(gates, pk=gate, asked_of__workspace=self.workspace)
        return found


class StopGate(GateView):
    http_method_names = ["post", "options"]
    for_builds = True

    @extend_schema(
        request=None,
        responses=GateSerializer,
        summary="Give a build up: nobody waits for it any more",
    )
    def post(self, request: Request, gate: int) -> Response:
        found = self.found(gate)
        advancing.stop_by_hand(found.study)
        gating.give_up(found, f"given up by {request.user.get_username()}")
        found.refresh_from_db()
        self.about = {"name": found.build}
        notify(self.workspace.pk, "run", study=found.study_id)
        return Response(GateSerializer(gate_body(found)).data)


SIDES = {"baseline": gating.BASELINE, "build": gating.BUILD}


class GateResultsView(GateView):
    http_method_names = ["post", "options"]
    for_builds = True
    parser_classes = [AsItIs]

    @extend_schema(
        request={"application/octet-stream": OpenApiTypes.BINARY},
        responses={201: GateSerializer},
        parameters=[
            OpenApiParameter("name", str, required=True, description="name of the file"),
            OpenApiParameter("side", str, required=True, enum=[*SIDES]),
            OpenApiParameter("mapping", str, description="name of a kept mapping to read it by"),
            OpenApiParameter("stretch", str, description="step / name of what it is a result of"),
        ],
        summary="Bring a result of a build, or of its baseline: a log as it is",
    )
    def post(self, request: Request, gate: int) -> Response:
        found = self.found(gate)
        asked = request.query_params
        if found.state != Gate.GATHERING:
            raise ValidationError("this build takes no results, or no more of them")
        if asked.get("side") not in SIDES:
            raise ValidationError({"side": f"it is one of {', '.join(SIDES)}"})
        if found.study.logs.count() >= MOST_RESULTS:
            raise ValidationError(f"at most {MOST_RESULTS} results are taken for a build")
        log, proposal = brought_log(request, found.study, MOST_RESULT)
        try:
            log.mapping = self._mapping(log, proposal, asked.get("mapping", ""))
        except ValidationError:
            log.throw_away()
            raise
        said = [part.strip()[:120] for part in asked.get("stretch", "").split("/") if part.strip()]
        stretch = said[:2] or stretch_for(found.study, mapping_from(log.mapping))
        position = SIDES[asked["side"]]
        log.state, log.summary = "keeping", {"side": position}
        log.save()
        keep_log.defer(log=log.pk, variants=[position] * MOST_PARTS, stretch=stretch)
        self.about = {"name": found.build}
        return Response(GateSerializer(gate_body(found)).data, status=201)

    def _mapping(self, log: LogFile, proposal: Proposal, name: str) -> dict[str, Any]:
        """How a result is read: by a kept mapping, or as it is understood without any doubt."""
        if name:
            kept = self.workspace.mappings.filter(name=name).first()
            if kept is None:
                raise ValidationError({"mapping": f"no mapping is kept under the name {name}"})
            return {**kept.mapping, "record": False}
        if proposal.doubts and not proposal.record:
            raise ValidationError(
                f"“{log.name}” can be read in more than one way: {'; '.join(proposal.doubts)}. "
                "Bring one in by hand, keep its mapping under a name, and name that"
            )
        return {**proposal.mapping.as_dict(), "record": proposal.record}


class JudgeGate(GateView):
    http_method_names = ["post", "options"]
    for_builds = True

    @extend_schema(
        request=None, responses=GateSerializer,
        summary="All results of a build have been brought: decide it",
    )  # fmt: skip
    def post(self, request: Request, gate: int) -> Response:
        found = self.found(gate)
        if found.state != Gate.GATHERING:
            raise ValidationError("its results are not being gathered")
        try:
            check_enough(found)
        except NoResults as error:
            raise ValidationError(str(error)) from error
        found.state = Gate.MEASURING
        found.save(update_fields=["state"])
        judge_results.defer(gate=found.pk)
        self.about = {"name": found.build}
        return Response(GateSerializer(gate_body(found)).data)
