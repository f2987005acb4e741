"""What is asked: the question, the variants and the baseline, and what counts."""

from __future__ import annotations

from django.db import transaction
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare.materiality import FAMILY_ROLES, LEAD
from yardstick_core.readings import METRICS
from yardstick_core.readings.families import lead_of
from yardstick_server.analysis.judging import judge_study
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.detail import StudySerializer, study_body
from yardstick_server.api.study.read import BoardSerializer, board
from yardstick_server.inventory.models import Rig
from yardstick_server.notify import notify
from yardstick_server.shelf import DELETED, active
from yardstick_server.studies.models import Study, StudyProfile

MOST_VARIANTS = 8


class ChangesSerializer(serializers.Serializer):
    question = serializers.CharField(max_length=200, required=False)
    why = serializers.CharField(max_length=4000, allow_blank=True, required=False)
    factor = serializers.CharField(max_length=60, required=False)
    baseline = serializers.IntegerField(min_value=0, required=False)
    rig = serializers.CharField(
        max_length=60, allow_null=True, required=False, help_text="null: any rig measures it"
    )


class NewVariantSerializer(serializers.Serializer):
    variant = serializers.IntegerField(help_text="id of a variant of the subject")


#: What a term says that leaves everything as it is.
NOTHING_SAID = (None, None, True, False, "")


class TagsSerializer(serializers.Serializer):
    tags = serializers.ListField(
        child=serializers.CharField(max_length=60), max_length=40,
        help_text="a script's steps may be for variants that have, or lack, one of them",
    )  # fmt: skip


class PlaceSerializer(serializers.Serializer):
    metric = serializers.CharField(max_length=40)
    stretch = serializers.ListField(child=serializers.CharField(max_length=200), max_length=12)

    def validate_metric(self, key: str) -> str:
        if key not in METRICS:
            raise serializers.ValidationError(f"no metric has the key “{key}”")
        return key


class TermSerializer(PlaceSerializer):
    """What is not given stays; null takes the metric's own materiality again."""

    share = serializers.FloatField(
        min_value=0.01, max_value=1000, allow_null=True, required=False, help_text="percent"
    )
    amount = serializers.FloatField(min_value=0, allow_null=True, required=False)
    counts = serializers.BooleanField(required=False)
    decides = serializers.BooleanField(required=False, help_text="the question is about it")
    family_role = serializers.ChoiceField(
        choices=FAMILY_ROLES, allow_blank=True, required=False,
        help_text="lead: of the metrics that say this fact it is the one that is counted; "
        "apart: counted by itself; empty: as the definitions have it",
    )  # fmt: skip

    def validate(self, values: dict) -> dict:
        metric, amount = METRICS[values["metric"]], values.get("amount")
        if not metric.on_logs and amount is not None and not amount > 0:
            raise serializers.ValidationError("the smallest change that matters is above 0")
        return values


class WeightSerializer(PlaceSerializer):
    weight = serializers.FloatField(min_value=0, max_value=100)


class LimitSerializer(PlaceSerializer):
    tolerance = serializers.FloatField(
        min_value=0, max_value=1000, allow_null=True, default=None,
        help_text="percent of the baseline, or the metric's unit; null: what matters",
    )  # fmt: skip


class ProfileValuesSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=80)
    about = serializers.CharField(max_length=300, allow_blank=True, default="")
    weights = WeightSerializer(many=True, allow_empty=True, max_length=200)
    limits = LimitSerializer(many=True, allow_empty=True, max_length=200)


class ProfileSerializer(ProfileValuesSerializer):
    id = serializers.IntegerField()


class ChangeStudy(StudyView):
    """Changes of what is asked; each answers with the study as it is now."""

    def answer(self, study: Study) -> Response:
        judge_study(study)
        notify(self.workspace.pk, "board", study=study.pk)
        study.refresh_from_db()
        return Response(StudySerializer(study_body(study)).data)


class AskView(ChangeStudy):
    @extend_schema(
        request=ChangesSerializer,
        responses=StudySerializer,
        summary="Change the question, its reason, the factor or the baseline",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(ChangesSerializer, request.data)
        if "baseline" in values and values["baseline"] >= found.study_variants.count():
            raise ValidationError("`baseline` is the position of one of the study's variants")
        if values.get("rig") is not None:
            rigs = Rig.objects.filter(workspace=self.workspace, revoked=False)
            values["rig"] = get_object_or_404(rigs, name=values["rig"])
        for name, value in values.items():
            setattr(found, name, value)
        found.save(update_fields=list(values) or None)
        return self.answer(found)


class StudyVariants(ChangeStudy):
    @extend_schema(request=NewVariantSerializer, responses=StudySerializer, summary="Add a variant")
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(NewVariantSerializer, request.data)
        variant = get_object_or_404(found.subject.variants, pk=body["variant"])
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=found.pk)
            have = found.study_variants.count()
            if have >= MOST_VARIANTS:
                raise ValidationError(f"a study compares at most {MOST_VARIANTS} variants")
            if found.study_variants.filter(variant=variant).exists():
                raise ValidationError(f"{variant.name} is already in this study")
            found.study_variants.create(variant=variant, position=have)
        return self.answer(found)


class StudyVariantView(ChangeStudy):
    @extend_schema(
        request=TagsSerializer, responses=StudySerializer, summary="Say what a variant has"
    )
    def put(self, request: Request, study: int, position: int) -> Response:
        found = self.study(study)
        part = get_object_or_404(found.study_variants, position=position)
        body = validated(TagsSerializer, request.data)
        part.variant.tags = sorted(set(body["tags"]))
        part.variant.save(update_fields=["tags"])
        return self.answer(found)

    @extend_schema(responses=StudySerializer, summary="Take a variant out that has not run")
    def delete(self, request: Request, study: int, position: int) -> Response:
        found = self.study(study)
        part = get_object_or_404(found.study_variants, position=position)
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=found.pk)
            if part.runs.exclude(state="withdrawn").exists():
                raise ValidationError(
                    f"{part.variant.name} has runs in this study: they would be lost. Nothing was "
                    "changed; leave runs out under Measure instead"
                )
            if found.baseline == position and found.study_variants.count() > 1:
                raise ValidationError("this is the baseline: choose another one first")
            part.runs.all().delete()
            part.delete()
            for later in found.study_variants.filter(position__gt=position).order_by("position"):
                later.position -= 1
                later.save(update_fields=["position"])
            if found.baseline > position:
                found.baseline -= 1
                found.save(update_fields=["baseline"])
        return self.answer(found)


def _make_lead(study: Study, metric: str, stretch: list[str]) -> None:
    """Of the metrics that say one fact only one is the lead: whichever was, is it no more."""
    fact = lead_of(metric) or metric
    for term in study.materiality_rules.filter(family_role=LEAD, stretch=stretch).exclude(
        metric=metric
    ):
        if (lead_of(term.metric) or term.metric) == fact:
            term.family_role = ""
            term.save()
            if term.values == NOTHING_SAID:
                term.delete()


class TermsView(StudyView):
    @extend_schema(
        request=TermSerializer,
        responses=BoardSerializer,
        summary="Say how much of a metric matters, or that it does not count",
    )
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(TermSerializer, request.data)
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=found.pk)
            term, _ = found.materiality_rules.get_or_create(
                metric=values["metric"], stretch=values["stretch"]
            )
            before = term.values
            if "share" in values:
                term.share = None if values["share"] is None else values["share"] / 100
            term.amount = values.get("amount", term.amount)
            term.counts = values.get("counts", term.counts)
            term.decides = values.get("decides", term.decides) and term.counts
            term.family_role = values.get("family_role", term.family_role)
            if term.values != before:
                term.by = request.user.get_username()
                term.after = found.runs.filter(state="read").count()
            term.save()
            if term.values == NOTHING_SAID:
                term.delete()
            if values.get("family_role") == LEAD:
                _make_lead(found, values["metric"], values["stretch"])
        judge_study(found)
        notify(self.workspace.pk, "board", study=study)
        return Response(BoardSerializer(board(found)).data)


class ProfilesView(StudyView):
    for_guests = True

    @extend_schema(responses=ProfileSerializer(many=True), summary="The profiles of a study")
    def get(self, request: Request, study: int) -> Response:
        kept = self.study(study).profiles.filter(**active())
        return Response(ProfileSerializer(kept, many=True).data)

    @extend_schema(
        request=ProfileValuesSerializer, responses={201: ProfileSerializer}, summary="A new profile"
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        kept = found.profiles.create(**validated(ProfileValuesSerializer, request.data))
        return Response(ProfileSerializer(kept).data, status=201)


class ProfileView(StudyView):
    @extend_schema(
        request=ProfileValuesSerializer, responses=ProfileSerializer, summary="Change a profile"
    )
    def put(self, request: Request, study: int, profile: int) -> Response:
        kept = get_object_or_404(StudyProfile, pk=profile, study=self.study(study))
        body = validated(ProfileValuesSerializer, request.data)
        for name, value in body.items():
            setattr(kept, name, value)
        kept.save()
        return Response(ProfileSerializer(kept).data)

    @extend_schema(responses={204: None}, summary="Forget a profile")
    def delete(self, request: Request, study: int, profile: int) -> Response:
        kept = get_object_or_404(StudyProfile, pk=profile, study=self.study(study))
        kept.move_to(DELETED, request.user.get_username())
        return Response(status=204)
