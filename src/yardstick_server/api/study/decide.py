"""The Decide notch: recommendations, places, contributions, costs, claims and what is open."""

from __future__ import annotations

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.accounts.visitors import GUEST
from yardstick_server.analysis.deciding import decision_body
from yardstick_server.analysis.judging import kept_analysis
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.claims import ClaimSerializer
from yardstick_server.api.study.read import VERDICTS, SentenceSerializer, baseline_asked


class JudgedLimitSerializer(serializers.Serializer):
    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())
    state = serializers.ChoiceField(choices=["kept", "broken", "not known"])
    text = serializers.CharField()


class ScoreSerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    verdict = serializers.ChoiceField(choices=VERDICTS)
    gain = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    band = serializers.FloatField(allow_null=True, help_text="gains no larger do not matter, log")
    factor_text = serializers.CharField()
    limits = JudgedLimitSerializer(many=True)
    runs_to_decide = serializers.IntegerField(allow_null=True)


class AdviceReasonSerializer(serializers.Serializer):
    text = serializers.CharField()
    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())


class AdviceSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    profile = serializers.CharField()
    about = serializers.CharField()
    recommendation = serializers.ChoiceField(choices=["take", "stay", "no recommendation"])
    variants = serializers.ListField(child=serializers.IntegerField())
    sentence = serializers.CharField()
    reasons = AdviceReasonSerializer(many=True)
    scores = ScoreSerializer(many=True)


class PlaceRowSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    label = serializers.CharField()
    places = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    unranked = serializers.CharField(help_text="why there are no places; empty where there are")


class RankEntrySerializer(serializers.Serializer):
    variant = serializers.IntegerField()
    points = serializers.IntegerField()
    firsts = serializers.IntegerField()
    beats = serializers.ListField(child=serializers.IntegerField())
    together = serializers.CharField(help_text="mean gain over the main metrics")
    gain = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    band = serializers.FloatField(allow_null=True, help_text="gains no larger do not matter, log")


class PartSerializer(serializers.Serializer):
    label = serializers.CharField()
    change = serializers.FloatField()
    text = serializers.CharField()
    interval = serializers.CharField()
    share = serializers.FloatField(allow_null=True)
    only_in = serializers.CharField()


class BreakdownSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    label = serializers.CharField()
    candidate = serializers.IntegerField()
    higher_is_better = serializers.BooleanField()
    change = serializers.FloatField()
    text = serializers.CharField()
    parts = PartSerializer(many=True)


class TradeOffSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    candidate = serializers.IntegerField()
    gained_s = serializers.FloatField()
    gained_text = serializers.CharField()
    cost_metric = serializers.CharField()
    cost = serializers.FloatField()
    cost_text = serializers.CharField()
    per_second = serializers.CharField()
    sentence = serializers.CharField()


class UnsettledSerializer(serializers.Serializer):
    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    label = serializers.CharField()
    candidate = serializers.IntegerField()
    rounds = serializers.IntegerField(allow_null=True, help_text="rounds in all that should decide")
    verdict_withheld = serializers.BooleanField(
        help_text="held back, for the runs were not measured alike"
    )
    futility = serializers.CharField(
        help_text="why no sensible number of rounds would decide it, or empty"
    )
    why = SentenceSerializer()


class SessionGainSerializer(serializers.Serializer):
    study = serializers.IntegerField()
    question = serializers.CharField()
    factor_text = serializers.CharField()


class OverSessionsSerializer(serializers.Serializer):
    """One candidate over all studies of the subject that compare it with the same baseline."""

    candidate = serializers.IntegerField()
    sessions = SessionGainSerializer(many=True)
    these = serializers.CharField(help_text="geometric mean for these sessions")
    general = serializers.CharField(help_text="for sessions in general; empty below two")


class DecisionSerializer(serializers.Serializer):
    headline = serializers.CharField()
    variants = serializers.ListField(child=serializers.CharField())
    baseline = serializers.IntegerField()
    level = serializers.CharField()
    rounds = serializers.IntegerField(help_text="warm rounds measured")
    extent = serializers.CharField(help_text="the rounds, and the runs brought in, in words")
    notes = SentenceSerializer(many=True)
    advice = AdviceSerializer(many=True)
    places = PlaceRowSerializer(many=True)
    standings = RankEntrySerializer(many=True)
    breakdowns = BreakdownSerializer(many=True)
    trade_offs = TradeOffSerializer(many=True)
    unsettled = UnsettledSerializer(many=True)
    claims = ClaimSerializer(many=True)
    over_sessions = OverSessionsSerializer(many=True)
    growing = serializers.ListField(
        child=serializers.CharField(), help_text="whether memory grows, and where that leads"
    )


class DecisionView(StudyView):
    for_guests = True

    @extend_schema(
        parameters=[
            OpenApiParameter("baseline", int, description="position of the variant to compare with")
        ],
        responses=DecisionSerializer,
        summary="What the study says when it is time to decide",
    )
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study)
        baseline = baseline_asked(request, found)
        body = decision_body(kept_analysis(found, baseline))
        if request.user.member.role == GUEST:
            body["over_sessions"] = []  # a guest's link shows this study, not what else there is
        return Response(DecisionSerializer(body).data)
