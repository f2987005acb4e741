"""Claims of a study: listed with their judgement, put up and taken back."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare import claims as core
from yardstick_server.analysis.claims import claimable, judged_claims
from yardstick_server.analysis.judging import verdicts_of
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.read import SentenceSerializer
from yardstick_server.studies.models import Claim

JUDGEMENTS = [core.BORNE_OUT, core.CONTRADICTED, core.NOT_SHOWN]


class NewClaimSerializer(serializers.Serializer):
    variant = serializers.IntegerField(min_value=0, help_text="position of the candidate")
    stretch = serializers.ListField(child=serializers.CharField(), min_length=1)
    metric = serializers.CharField()
    side = serializers.ChoiceField(choices=core.SIDES)
    amount = serializers.FloatField(
        help_text="percent of the baseline, signed; for shares and counts in their own unit"
    )
    source = serializers.CharField(max_length=200, allow_blank=True, default="")

    def validate_amount(self, value: float) -> float:
        if not -100 <= value <= 100_000:
            raise serializers.ValidationError("an amount lies between −100 and 100,000")
        return value


class ClaimSerializer(NewClaimSerializer):
    id = serializers.IntegerField()
    after = serializers.IntegerField(help_text="runs that had been read when it was put up")
    judgement = serializers.ChoiceField(choices=JUDGEMENTS)
    statement = serializers.CharField()
    because = SentenceSerializer()


class ClaimableSerializer(serializers.Serializer):
    """A metric of a stretch that a claim may be about."""

    stretch = serializers.ListField(child=serializers.CharField())
    metric = serializers.CharField()
    name = serializers.CharField()
    unit = serializers.CharField()
    in_percent = serializers.BooleanField()


class ClaimableView(StudyView):
    @extend_schema(
        responses=ClaimableSerializer(many=True),
        summary="What claims may be about: what was read, and what the session will time",
    )
    def get(self, request: Request, study: int) -> Response:
        rows = claimable(self.study(study), verdicts_of(self.study(study)).rows)
        return Response(ClaimableSerializer(rows, many=True).data)


class ClaimsView(StudyView):
    for_guests = True

    @extend_schema(responses=ClaimSerializer(many=True), summary="Claims with their judgement")
    def get(self, request: Request, study: int) -> Response:
        return Response(ClaimSerializer(judged_claims(self.study(study)), many=True).data)

    @extend_schema(
        request=NewClaimSerializer, responses={201: ClaimSerializer}, summary="Put up a claim"
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(NewClaimSerializer, request.data)
        variant = found.study_variants.filter(position=values.pop("variant")).first()
        if variant is None or variant.position == found.baseline:
            raise ValidationError("the study has no such candidate")
        about = claimable(found, verdicts_of(found).rows)
        wanted = (values["metric"], values["stretch"])
        if wanted not in [(one["metric"], one["stretch"]) for one in about]:
            raise ValidationError("neither the runs nor the session know of such a reading")
        kept = found.claims.create(variant=variant, **values)
        judged = next(claim for claim in judged_claims(found) if claim["id"] == kept.pk)
        return Response(ClaimSerializer(judged).data, status=201)


class ClaimView(StudyView):
    @extend_schema(responses={204: None}, summary="Take a claim back")
    def delete(self, request: Request, study: int, claim: int) -> Response:
        get_object_or_404(Claim, pk=claim, study=self.study(study)).delete()
        return Response(status=204)
