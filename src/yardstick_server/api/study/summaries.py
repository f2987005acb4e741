"""Studies in short, for a page that shows all of them at once."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from typing import Any

from rest_framework import serializers

from yardstick_core import CORE_VERSION
from yardstick_server import contracts
from yardstick_server.analysis.judging import answer_key, unkept_judgement
from yardstick_server.analysis.models import StudyJudgement
from yardstick_server.api.study.read import VERDICTS, AnswerSerializer, FamilyCountSerializer
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study, StudyVariant


class TickSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    label = serializers.CharField()
    gain = serializers.FloatField()
    band = serializers.FloatField()
    verdict = serializers.ChoiceField(choices=VERDICTS)


class StandoutSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    verdict = serializers.ChoiceField(choices=VERDICTS)
    label = serializers.CharField()
    text = serializers.CharField()


class ParityStatusSerializer(serializers.Serializer):
    runs = serializers.IntegerField()
    found = serializers.IntegerField()
    open = serializers.IntegerField()
    grave = serializers.IntegerField(help_text="of the open ones, those that hold verdicts back")
    waived = serializers.IntegerField()


class NamedPlaceSerializer(serializers.Serializer):
    """A metric of a stretch and what it is called."""

    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())
    name = serializers.CharField()


class BeforeSerializer(serializers.Serializer):
    verdict = serializers.CharField(help_text="empty where there was none")
    until = serializers.DateTimeField()


class AnswerOnRuleSerializer(AnswerSerializer):
    """An answer with its interval on the rule, and what it was before."""

    before = BeforeSerializer(allow_null=True, help_text="null where it never changed")

    gain = serializers.FloatField(allow_null=True)
    gain_low = serializers.FloatField(allow_null=True)
    gain_high = serializers.FloatField(allow_null=True)
    band = serializers.FloatField(allow_null=True)


class StudySummarySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    question = serializers.CharField()
    created = serializers.DateTimeField()
    changed = serializers.DateTimeField(
        allow_null=True, help_text="when a verdict on what decides last changed"
    )
    subject = serializers.CharField()
    variants = serializers.ListField(child=serializers.CharField())
    baseline = serializers.IntegerField()
    demonstration = serializers.BooleanField()
    headline = serializers.CharField()
    level = serializers.CharField(help_text="how sure every interval is, in percent")
    answers = AnswerOnRuleSerializer(many=True)
    families = FamilyCountSerializer(many=True)
    state = serializers.ChoiceField(
        choices=["not measured", "running", "waiting for a rig", "measured"]
    )
    runs_done = serializers.IntegerField()
    runs_total = serializers.IntegerField()
    troubles = serializers.IntegerField(help_text="runs that did not finish")
    unread = serializers.IntegerField(help_text="runs whose record could not be read")
    match = ParityStatusSerializer(help_text="what was not alike in its runs")
    rigs = serializers.ListField(child=serializers.CharField())
    ticks = TickSerializer(many=True)
    standouts = StandoutSerializer(
        many=True, help_text="where each candidate is furthest ahead and behind"
    )


def study_state(states: Iterable[str]) -> str:
    """How far a study is, in words, from the states of its runs."""
    there = set(states)
    if not there:
        return "not measured"
    if "running" in there:
        return "running"
    if "queued" in there:
        return "waiting for a rig"
    return "measured"


def summaries(studies: Iterable[Study]) -> list[contracts.StudySummary]:
    """Each study in short. Asks the database as often for fifty studies as for one."""
    studies = list(studies)
    judged = _judged(studies)
    runs = defaultdict(list)
    found = Run.objects.filter(study__in=studies).exclude(state="withdrawn")
    for study, *run in found.values_list("study_id", "state", "outcome", "rig__name", "unread"):
        runs[study].append(tuple(run))
    names = defaultdict(list)
    variants = StudyVariant.objects.filter(study__in=studies).order_by("position")
    for study, name in variants.values_list("study_id", "variant__name"):
        names[study].append(name)
    return [_summary(one, judged[one.pk], runs[one.pk], names[one.pk]) for one in studies]


def _judged(studies: Sequence[Study]) -> dict[int, StudyJudgement]:
    """What was last concluded of each, without the boards; worked out where it never was."""
    kept = StudyJudgement.objects.filter(study__in=studies).defer("board")
    found = {one.study_id: one for one in kept if one.core_version == CORE_VERSION and one.summary}
    for study in studies:
        if study.pk not in found:
            found[study.pk] = unkept_judgement(study)
    return found


def _summary(
    study: Study, judged: StudyJudgement, runs: list[tuple[Any, ...]], names: list[str]
) -> contracts.StudySummary:
    states = [run[0] for run in runs]
    before = judged.verdicts_before
    short: contracts.StudySummary = judged.summary
    return {
        **short,
        "answers": [
            {**answer, "before": before.get(answer_key(answer))} for answer in short["answers"]
        ],
        "id": study.pk,
        "question": study.question,
        "created": study.created,
        "changed": judged.verdicts_changed,
        "subject": study.subject.name,
        "variants": names,
        "baseline": study.baseline,
        "demonstration": study.demonstration,
        "state": study_state(states),
        "runs_done": sum(state in ("measured", "read") for state in states),
        "runs_total": len(runs),
        "troubles": sum(run[1] not in ("", "finished") for run in runs),
        "unread": sum(bool(run[3]) for run in runs),
        "rigs": sorted({run[2] for run in runs if run[2]}),
    }
