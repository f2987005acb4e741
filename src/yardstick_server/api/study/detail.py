"""Studies: the list for Home, and one in full."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare.answer import proposed_of_script
from yardstick_core.readings import METRICS
from yardstick_core.script import parse
from yardstick_core.script.starting_points import NATURES, taken_apart
from yardstick_core.start_command import StartCommand
from yardstick_server import contracts
from yardstick_server.accounts.visitors import GUEST
from yardstick_server.analysis.judging import judge_study
from yardstick_server.analysis.shown import waiting_numbers
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.api.catalog.programs import (
    ALLOWED,
    ELSEWHERE,
    START_STATES,
    newest_asked,
    start_state,
)
from yardstick_server.api.run.detail import RunSummarySerializer, summary
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.read import (
    AnswerSerializer,
    board,
)
from yardstick_server.api.study.script import ScriptSerializer, script_body
from yardstick_server.api.study.summaries import (
    NamedPlaceSerializer,
    ParityStatusSerializer,
    StudySummarySerializer,
    study_state,
    summaries,
)
from yardstick_server.inventory.models import PreparedState, rig_of
from yardstick_server.runs.models import Run
from yardstick_server.shelf import SHELF_STATES, active
from yardstick_server.studies.models import Study, StudyVariant


class StartStateSerializer(serializers.Serializer):
    state = serializers.ChoiceField(choices=START_STATES)
    detail = serializers.CharField(help_text="why the rig refused it")
    line = serializers.CharField(help_text="to run on a rig that listens to its own file only")


class VariantSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    program = serializers.CharField()
    command = serializers.CharField(help_text="as a person would type it; empty where unknown")
    start = serializers.DictField(help_text="wanted start command; empty where none is")
    on_rig = StartStateSerializer()
    runs = serializers.IntegerField(help_text="measured in this study")
    state = serializers.CharField(
        help_text="what its runs begin with, in words; empty where with an empty home"
    )
    tags = serializers.ListField(child=serializers.CharField())
    position = serializers.IntegerField()


class StartingPointSerializer(serializers.Serializer):
    parts = serializers.ListField(child=serializers.CharField())
    file = serializers.CharField()
    by_keys = serializers.BooleanField()
    nature = serializers.ChoiceField(choices=NATURES)


class SetMemberSerializer(serializers.Serializer):
    study = serializers.IntegerField()
    title = serializers.CharField(help_text="of the session")


class OtherVariantSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    program = serializers.CharField()


class StudySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    question = serializers.CharField()
    why = serializers.CharField()
    subject = serializers.CharField(help_text="empty where no program is chosen yet")
    subject_id = serializers.IntegerField()
    maker = serializers.CharField()
    rig = serializers.CharField(allow_null=True, help_text="the one it is measured on, if any")
    shelf = serializers.ChoiceField(choices=SHELF_STATES)
    demonstration = serializers.BooleanField()
    session = StartingPointSerializer(
        allow_null=True, help_text="what its script was composed of; null where one wrote in it"
    )
    factor = serializers.CharField()
    second_factor = serializers.CharField(help_text="crossed with it; empty where none is")
    baseline = serializers.IntegerField(help_text="position of the variant compared with")
    created = serializers.DateTimeField()
    state = serializers.CharField()
    headline = serializers.CharField()
    answers = AnswerSerializer(many=True, help_text="what decides, candidate by candidate")
    deciding = NamedPlaceSerializer(many=True, help_text="what a person named as deciding")
    proposed_deciding = NamedPlaceSerializer(
        allow_null=True, help_text="what decides as long as nothing is named"
    )
    metrics = serializers.IntegerField()
    profiles = serializers.IntegerField()
    reports = serializers.IntegerField(help_text="how many were issued")
    waiting_numbers = serializers.IntegerField(
        help_text="numbers read from the screen that are doubted: a person has to look"
    )
    match = ParityStatusSerializer(help_text="what was not alike in its runs")
    variants = VariantSerializer(many=True)
    others = OtherVariantSerializer(many=True, help_text="of the subject, not in this study")
    script = ScriptSerializer()
    runs = RunSummarySerializer(many=True)
    session_set = SetMemberSerializer(
        many=True, help_text="all sessions of its set in order; one where it has no other"
    )


def _named_place(metric: str, stretch: Sequence[str]) -> contracts.NamedPlace:
    name = METRICS[metric].name if metric in METRICS else metric
    return {"metric": metric, "stretch": list(stretch), "name": name}


def _proposed(
    answers: Sequence[contracts.Answer], script: contracts.Script
) -> contracts.NamedPlace | None:
    """What decides where nobody named anything: as it was judged, else as the script times it."""
    if answers:
        return _named_place(answers[0]["metric"], answers[0]["stretch"])
    found = proposed_of_script((one["kind"], one["path"]) for one in script["stretches"])
    return _named_place(*found) if found else None


class NewStudySerializer(serializers.Serializer):
    like = serializers.IntegerField(
        required=False, help_text="study whose variants, script and terms it takes"
    )
    question = serializers.CharField(max_length=200)


class StudyList(MemberView):
    @extend_schema(responses=StudySummarySerializer(many=True), summary="All studies, newest first")
    def get(self, request: Request) -> Response:
        studies = Study.objects.filter(workspace=self.workspace, part_of=None, **active())
        body = summaries(studies.select_related("subject").order_by("-created"))
        return Response(StudySummarySerializer(body, many=True).data)

    @extend_schema(
        request=NewStudySerializer,
        responses={201: StudySummarySerializer},
        summary="Ask a new question, or another about the same variants with the same sessions",
    )
    def post(self, request: Request) -> Response:
        body = validated(NewStudySerializer, request.data)
        like, question = body.get("like"), body["question"]
        if like is None:
            study = Study.ask(self.workspace, question)
        else:
            found = get_object_or_404(Study, pk=like, workspace=self.workspace)
            study = found.another_set(question)
        for one in study.session_set:
            judge_study(one)
        return Response(StudySummarySerializer(summaries([study])[0]).data, status=201)


def study_body(found: Study) -> contracts.Study:
    runs = list(found.runs.select_related("variant", "rig").order_by("round", "order_in_round"))
    cold_rounds = len({run.round for run in runs if run.cold})
    judged = board(found)
    script = script_body(found)
    variants = found.variants
    used = [part.variant_id for part in variants]
    return {
        "id": found.pk,
        "question": found.question,
        "why": found.why,
        "subject": found.subject.name,
        "subject_id": found.subject_id,
        "rig": found.rig.name if found.rig else None,
        "shelf": found.shelf,
        "demonstration": found.demonstration,
        "session": session_body(found),
        "maker": found.subject.maker,
        "factor": found.factor,
        "second_factor": found.second_factor,
        "baseline": found.baseline,
        "created": found.created,
        "state": study_state(run.state for run in runs),
        "headline": judged["headline"],
        "answers": judged["answers"],
        "deciding": [_named_place(metric, stretch) for metric, stretch in found.deciding],
        "proposed_deciding": None if found.deciding else _proposed(judged["answers"], script),
        "metrics": sum(row["counted"] for row in judged["rows"]),
        "profiles": found.profiles.filter(**active()).count(),
        "reports": found.issued_reports.count(),
        "waiting_numbers": waiting_numbers(found),
        "match": judged["match"],
        "variants": variants_body(found, variants, runs),
        "others": list(
            found.subject.variants.filter(**active()).exclude(pk__in=used).order_by("id")
        ),
        "script": script,
        "runs": [summary(run, cold_rounds) for run in runs],
        "session_set": [
            {"study": one.pk, "title": parse(one.script.text).title} for one in found.session_set
        ],
    }


def variants_body(
    study: Study, variants: list[StudyVariant], runs: list[Run]
) -> list[contracts.Variant]:
    """The study's variants, and how far its rig is with starting each."""
    rig = rig_of(study)
    newest = newest_asked(rig)
    measured = Counter(run.variant_id for run in runs if run.sealed)
    found: list[contracts.Variant] = []
    for part in variants:
        variant = part.variant
        known = rig.programs.get(variant.program, {}) if rig else {}
        wanted = StartCommand.checked(variant.start).text if variant.start else ""
        found.append(
            {
                "id": variant.pk,
                "name": variant.name,
                "program": variant.program,
                "tags": variant.tags,
                "position": part.position,
                "command": wanted or known.get("command", ""),
                "start": variant.start,
                "on_rig": start_state(rig, variant, newest),
                "runs": measured[part.pk],
                "state": _state_text(variant.state),
            }
        )
    return found


def _state_text(state: PreparedState | None) -> str:
    if state is None:
        return ""
    made = state.created.strftime("%-d %b %H:%M")
    return f"kept on {state.rig}, {made}, {state.size / 1024:.0f} KiB"


def session_body(study: Study) -> contracts.StartingPoint | None:
    """What the newest script was composed of; None where somebody has written in it."""
    point = taken_apart(study.script.text)
    if point is None:
        return None
    return {
        "parts": point.played, "file": point.file, "by_keys": point.by_keys, "nature": point.nature,
    }  # fmt: skip


class StudyDetail(StudyView):
    for_guests = True

    @extend_schema(responses=StudySerializer, summary="A study in full")
    def get(self, request: Request, study: int) -> Response:
        body = study_body(self.study(study))
        if request.user.member.role == GUEST:
            body["others"] = []  # a guest's link shows this study, not what else there is
            for variant in body["variants"]:  # nor how programs are started on whose machine
                variant |= {"command": "", "start": {}}
                if variant["on_rig"]["state"] != ELSEWHERE:
                    variant["on_rig"] = {"state": ALLOWED, "detail": "", "line": ""}
        return Response(StudySerializer(body).data)
