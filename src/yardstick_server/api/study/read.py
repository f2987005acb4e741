"""The board of a study and the distributions behind it."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core import CORE_VERSION
from yardstick_core.readings.families import FAMILIES
from yardstick_server import contracts
from yardstick_server.analysis.curves import quantile_curves
from yardstick_server.analysis.judging import kept_analysis, unkept_judgement
from yardstick_server.analysis.models import StudyJudgement
from yardstick_server.api.answers import SeriesRenderer
from yardstick_server.api.base import MemberView
from yardstick_server.studies.models import Study

VERDICTS = ["ahead", "behind", "level", "open"]
QUANTILES = np.linspace(0, 1, 101)


class SampleSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    round = serializers.IntegerField()
    value = serializers.FloatField()
    right_censored = serializers.BooleanField()


class MedianSerializer(serializers.Serializer):
    value = serializers.FloatField()
    text = serializers.CharField()


class SentenceSerializer(serializers.Serializer):
    text = serializers.CharField()
    waivable = serializers.BooleanField(help_text="a person may waive what it is about, in Match")


class DifferenceSerializer(serializers.Serializer):
    verdict = serializers.ChoiceField(choices=VERDICTS)
    baseline_runs = serializers.IntegerField()
    candidate_runs = serializers.IntegerField()
    gain = serializers.FloatField(allow_null=True)
    gain_low = serializers.FloatField(allow_null=True)
    gain_high = serializers.FloatField(allow_null=True)
    band = serializers.FloatField(allow_null=True)
    ratio = serializers.FloatField(allow_null=True)
    p = serializers.FloatField(allow_null=True)
    method = serializers.CharField()
    change_text = serializers.CharField()
    percent_text = serializers.CharField()
    factor_text = serializers.CharField()
    interval_text = serializers.CharField()
    range_text = serializers.CharField(help_text="the interval as people say it, or empty")
    excluded_runs = serializers.ListField(
        child=serializers.ListField(help_text="run, and why it was set apart")
    )
    caveats = SentenceSerializer(many=True)
    runs_to_decide = serializers.IntegerField(allow_null=True)
    undecided = serializers.CharField(help_text="why it is open, as a code; else empty")
    verdict_withheld = serializers.BooleanField()


class RowSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    label = serializers.CharField()
    metric = serializers.CharField()
    name = serializers.CharField()
    definition = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    judged = serializers.BooleanField(help_text="counts in this study")
    can_count = serializers.BooleanField(help_text="a metric of the subject, not of the machine")
    primary = serializers.BooleanField()
    family = serializers.ChoiceField(choices=list(FAMILIES))
    echo_of = serializers.CharField(
        help_text="the metric of the same stretch that is counted for it, or empty"
    )
    not_judged = serializers.CharField(
        help_text="why it is not judged here though it is elsewhere, or empty"
    )
    follows_from = serializers.CharField(
        help_text="the metric that says the same by definition and is counted unless a person says "
        "otherwise, or empty"
    )
    counted = serializers.BooleanField(help_text="in what a variant is ahead or behind on")
    deciding = serializers.BooleanField(help_text="the question is about it")
    in_percent = serializers.BooleanField(help_text="compared as a ratio, not in its own unit")
    unit = serializers.CharField()
    unit_factor = serializers.FloatField()
    material = serializers.CharField()
    medians = serializers.ListField(child=MedianSerializer(allow_null=True))
    material_share = serializers.FloatField(allow_null=True, help_text="percent of the baseline")
    material_amount = serializers.FloatField(help_text="in the unit `amount_unit`")
    amount_unit = serializers.CharField()
    samples = serializers.ListField(child=SampleSerializer(many=True))
    cold = serializers.ListField(child=SampleSerializer(many=True))
    left_out = serializers.ListField(child=SampleSerializer(many=True))
    differences = serializers.ListField(child=DifferenceSerializer(allow_null=True))
    sentence = serializers.CharField()
    warnings = serializers.ListField(child=serializers.CharField())


class GrowingSerializer(serializers.Serializer):
    """Whether memory grows over the runs of a variant, where they are long enough to say."""

    stretch = serializers.ListField(child=serializers.CharField())
    variant = serializers.IntegerField()
    kind = serializers.CharField()
    text = serializers.CharField()


class LadderReadingSerializer(serializers.Serializer):
    """One timing or frame stretch over all levels of the script's ladder."""

    kind = serializers.ChoiceField(choices=["growth", "capacity"])
    stretch = serializers.ListField(child=serializers.CharField())
    ladder = serializers.CharField()
    levels = serializers.ListField(child=serializers.FloatField())
    medians = serializers.ListField(
        child=serializers.ListField(child=serializers.FloatField(allow_null=True)),
        help_text="by variant, then level: s of a growth, pictures a second of a capacity",
    )
    sentences = serializers.ListField(child=serializers.CharField())
    line = serializers.FloatField(
        allow_null=True, help_text="of a capacity: the rate that is still fluid"
    )


class AnswerSerializer(serializers.Serializer):
    """What one deciding metric says of one candidate, whole and in its parts."""

    candidate = serializers.IntegerField()
    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())
    verdict = serializers.ChoiceField(choices=VERDICTS)
    lead = serializers.CharField(help_text="how sure it is; empty for a clear difference")
    subject = serializers.CharField()
    change = serializers.CharField()
    detail = serializers.CharField()
    why = serializers.CharField(help_text="why there is no number, or empty")
    rounds_to_decide = serializers.IntegerField(
        allow_null=True, required=False,
        help_text="about so many rounds in all would decide it; null where it is or nobody knows",
    )  # fmt: skip
    futility = serializers.CharField(
        required=False, help_text="why no sensible number of rounds would decide it, or empty"
    )
    text = serializers.CharField()


class FamilyCountSerializer(serializers.Serializer):
    """How many metrics of a family got each verdict for one candidate."""

    variant = serializers.IntegerField()
    family = serializers.ChoiceField(choices=list(FAMILIES))
    ahead = serializers.IntegerField()
    behind = serializers.IntegerField()
    level = serializers.IntegerField()
    open = serializers.IntegerField()


class BoardSerializer(serializers.Serializer):
    headline = serializers.CharField()
    answers = AnswerSerializer(many=True)
    families = FamilyCountSerializer(many=True)
    variants = serializers.ListField(child=serializers.CharField())
    baseline = serializers.IntegerField()
    level = serializers.CharField(help_text="how sure every interval is, in percent")
    notes = SentenceSerializer(many=True, help_text="what cannot be concluded, and why")
    judged_after = serializers.IntegerField(
        allow_null=True,
        required=False,
        help_text="rounds that verdicts rest on while more are measured; null once none is",
    )
    growing = GrowingSerializer(many=True)
    ladders = LadderReadingSerializer(many=True)
    rows = RowSerializer(many=True)


class BoardView(MemberView):
    """The board as it was kept: it is JSON already and has the shape that its type says."""

    renderer_classes = [SeriesRenderer]
    for_guests = True

    @extend_schema(
        parameters=[
            OpenApiParameter("baseline", int, description="position of the variant to compare with")
        ],
        responses=BoardSerializer,
        summary="Every metric and difference of a study",
    )
    def get(self, request: Request, study: int) -> Response:
        found = get_object_or_404(Study, pk=study, workspace=self.workspace)
        baseline = baseline_asked(request, found)
        shown = board(found) if baseline == found.baseline else kept_analysis(found, baseline).board
        return Response(shown)


def baseline_asked(request: Request, study: Study) -> int:
    """The baseline an address asks for, else the study's own."""
    asked = request.query_params.get("baseline")
    if asked is None:
        return study.baseline
    if not asked.isdecimal() or int(asked) >= study.study_variants.count():
        raise ValidationError("`baseline` is the position of one of the study's variants")
    return int(asked)


def board(study: Study) -> dict[str, Any]:
    """The board as last judged; worked out where it never was, or by an older core."""
    kept = StudyJudgement.objects.filter(study=study, core_version=CORE_VERSION).first()
    found: dict[str, Any] = (kept or unkept_judgement(study)).board
    return found


class CurveSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    runs = serializers.IntegerField()
    ms = serializers.ListField(
        child=serializers.FloatField(), help_text="frame time at each share, mean over runs"
    )


class DistributionSerializer(serializers.Serializer):
    shares = serializers.ListField(child=serializers.FloatField())
    curves = CurveSerializer(many=True)


class DistributionView(MemberView):
    for_guests = True

    @extend_schema(
        parameters=[OpenApiParameter("stretch", str, many=True, description="its path")],
        responses=DistributionSerializer,
        summary="Quantile curves of the frame times of a stretch, by variant",
    )
    def get(self, request: Request, study: int) -> Response:
        found = get_object_or_404(Study, pk=study, workspace=self.workspace)
        path = tuple(request.query_params.getlist("stretch"))
        body: contracts.Distribution = {
            "shares": QUANTILES.tolist(),
            "curves": [
                {"variant": curve.variant, "runs": curve.runs, "ms": curve.ms.tolist()}
                for curve in quantile_curves(found, path, QUANTILES)
            ],
        }
        return Response(DistributionSerializer(body).data)
