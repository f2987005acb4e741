"""Two crossed factors: which variant stands in which cell, and what the cells show."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare.crossed import cells_problem
from yardstick_server.analysis.crossing import crossing_body
from yardstick_server.api.bodies import validated
from yardstick_server.api.pictures import ImageParser, as_png, png_response
from yardstick_server.api.study.base import StudyView
from yardstick_server.notify import notify
from yardstick_server.studies.models import WORKS, Study, StudyVariant, WorksPicture

METRIC = OpenApiParameter("metric", str, description="key of the metric shown; what decides else")
STRETCH = OpenApiParameter("stretch", str, many=True, description="its stretch, part by part")


class CrossingVariantSerializer(serializers.Serializer):
    position = serializers.IntegerField(min_value=0)
    name = serializers.CharField(required=False, max_length=60, help_text="as it is called")
    first = serializers.CharField(max_length=60, allow_blank=True, help_text="level of the factor")
    second = serializers.CharField(max_length=60, allow_blank=True)
    works = serializers.CharField(
        max_length=24, allow_blank=True, default="",
        help_text="a person's word on whether it works; empty: what its runs say",
    )  # fmt: skip
    note = serializers.CharField(max_length=300, allow_blank=True, default="")

    def validate_works(self, works: str) -> str:
        if works and works not in WORKS:
            raise serializers.ValidationError(f"one of {', '.join(WORKS)}, or nothing")
        return works


class MissingCellSerializer(serializers.Serializer):
    first = serializers.CharField(max_length=60)
    second = serializers.CharField(max_length=60)
    note = serializers.CharField(max_length=300, help_text="why nothing is measured there")


class CrossingValuesSerializer(serializers.Serializer):
    """Both factors, whole: variants that are not named stand in no cell."""

    second_factor = serializers.CharField(max_length=60, allow_blank=True)
    variants = CrossingVariantSerializer(many=True, max_length=40)
    missing = MissingCellSerializer(many=True, max_length=60, default=list)


class CrossedCellSerializer(serializers.Serializer):
    row = serializers.IntegerField()
    column = serializers.IntegerField()
    position = serializers.IntegerField(allow_null=True)
    variant = serializers.CharField()
    state = serializers.CharField(help_text="whether it works")
    note = serializers.CharField()
    by = serializers.CharField(help_text="who says so; empty: its runs do")
    run = serializers.IntegerField(allow_null=True, help_text="that shows it")
    picture = serializers.BooleanField(help_text="whether a person gave one with their word")


class CrossedGainSerializer(serializers.Serializer):
    gain = serializers.FloatField(allow_null=True)
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    text = serializers.CharField()


class CrossedEffectSerializer(CrossedGainSerializer):
    from_cell = serializers.ListField(child=serializers.IntegerField())
    to_cell = serializers.ListField(child=serializers.IntegerField())
    verdict = serializers.CharField()


class CrossedInteractionSerializer(CrossedGainSerializer):
    """Above 0 the step of the second factor helps `row` more than it helps `base_row`."""

    row = serializers.IntegerField()
    base_row = serializers.IntegerField()
    column = serializers.IntegerField()
    base_column = serializers.IntegerField()
    verdict = serializers.CharField()
    rounds = serializers.IntegerField(allow_null=True, help_text="that would tell")


class CrossedStepSerializer(serializers.Serializer):
    column = serializers.IntegerField()
    answer = serializers.CharField(help_text="one number, read the cells, not known yet, …")
    rounds = serializers.IntegerField(allow_null=True)
    interactions = CrossedInteractionSerializer(many=True)
    effects = CrossedEffectSerializer(many=True)
    number = CrossedGainSerializer(allow_null=True)
    sentence = serializers.CharField()


class CrossedMetricSerializer(serializers.Serializer):
    metric = serializers.CharField()
    stretch = serializers.ListField(child=serializers.CharField())
    label = serializers.CharField()
    deciding = serializers.BooleanField()
    steps = CrossedStepSerializer(many=True)


class CrossedSampleSerializer(serializers.Serializer):
    run = serializers.IntegerField()
    round = serializers.IntegerField()
    value = serializers.FloatField()


class CrossedReadingSerializer(serializers.Serializer):
    row = serializers.IntegerField()
    column = serializers.IntegerField()
    text = serializers.CharField()
    withheld = serializers.BooleanField(help_text="its runs were not measured alike")
    samples = CrossedSampleSerializer(many=True)


class CrossedWholeSerializer(CrossedMetricSerializer):
    unit = serializers.CharField()
    higher_is_better = serializers.BooleanField()
    readings = CrossedReadingSerializer(many=True)
    along_columns = CrossedEffectSerializer(many=True)
    along_rows = CrossedEffectSerializer(many=True)
    missing = serializers.ListField(
        child=serializers.ListField(child=serializers.IntegerField()), help_text="row and column"
    )


class CrossingSerializer(serializers.Serializer):
    factor = serializers.CharField()
    second_factor = serializers.CharField(help_text="empty where nothing is crossed")
    baseline = serializers.IntegerField()
    band = serializers.FloatField()
    variants = CrossingVariantSerializer(many=True)
    missing = MissingCellSerializer(many=True)
    rows = serializers.ListField(child=serializers.CharField(), help_text="levels of the factor")
    columns = serializers.ListField(child=serializers.CharField())
    base = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    cells = CrossedCellSerializer(many=True)
    metrics = CrossedMetricSerializer(many=True)
    chosen = CrossedWholeSerializer(allow_null=True)


class CrossingView(StudyView):
    for_guests = True

    @extend_schema(
        parameters=[METRIC, STRETCH], responses=CrossingSerializer,
        summary="The cells of two crossed factors, what each factor does, and where they interact",
    )  # fmt: skip
    def get(self, request: Request, study: int) -> Response:
        asked = request.query_params
        body = crossing_body(self.study(study), asked.get("metric", ""), asked.getlist("stretch"))
        return Response(CrossingSerializer(body).data)

    @extend_schema(
        request=CrossingValuesSerializer, responses=CrossingSerializer,
        summary="Say which levels of two factors each variant has, and whether each works",
    )  # fmt: skip
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(CrossingValuesSerializer, request.data)
        _check(found, body)
        said = {one["position"]: one for one in body["variants"]}
        found.second_factor = body["second_factor"].strip()
        found.missing_cells = [dict(one) for one in body["missing"]]
        found.save(update_fields=["second_factor", "missing_cells"])
        for part in found.variants:
            one = said.get(part.position, {})
            works = (one.get("works", ""), one.get("note", ""))
            if works != (part.works, part.works_note):
                part.works_by = request.user.get_username() if works[0] else ""
            part.first_level, part.second_level = one.get("first", ""), one.get("second", "")
            part.works, part.works_note = works
            part.save()
        notify(self.workspace.pk, "board", study=found.pk)
        return Response(CrossingSerializer(crossing_body(found, "", [])).data)


def _check(study: Study, body: dict[str, object]) -> None:
    """Raises ValidationError where a cell is taken twice or a variant is none of the study's."""
    variants: list[dict[str, object]] = body["variants"]  # type: ignore[assignment]
    known = {part.position for part in study.variants}
    if strangers := [one["position"] for one in variants if one["position"] not in known]:
        raise ValidationError({"variants": f"the study has no variant {strangers[0]}"})
    cells = [(str(one["first"]), str(one["second"])) for one in variants]
    missing: list[dict[str, object]] = body["missing"]  # type: ignore[assignment]
    problem = cells_problem(cells, [(str(one["first"]), str(one["second"])) for one in missing])
    if problem:
        raise ValidationError({"variants": problem})
    if (any(map(all, cells)) or missing) and not str(body["second_factor"]).strip():
        raise ValidationError({"second_factor": "say what the second factor is"})


class WorksPictureView(StudyView):
    for_guests = True
    parser_classes = [ImageParser]

    def part(self, study: int, position: int) -> StudyVariant:
        found: StudyVariant = get_object_or_404(
            self.study(study).study_variants.select_related("works_picture"), position=position
        )
        return found

    @extend_schema(
        responses={(200, "image/png"): OpenApiTypes.BINARY},
        summary="The picture that goes with a person's word on whether a variant works",
    )
    def get(self, request: Request, study: int, position: int) -> HttpResponse:
        kept = getattr(self.part(study, position), "works_picture", None)
        return png_response(kept.content if kept else b"")

    @extend_schema(
        request={"image/*": OpenApiTypes.BINARY},
        responses={204: None},
        summary="Give a person's word on whether a variant works a picture: PNG, JPEG or WebP",
    )
    def put(self, request: Request, study: int, position: int) -> Response:
        part = self.part(study, position)
        picture = as_png(request.data if isinstance(request.data, bytes) else b"")
        if not part.works:
            raise ValidationError("say first whether it works: a picture goes with that")
        WorksPicture.objects.update_or_create(variant=part, defaults={"content": picture})
        notify(self.workspace.pk, "board", study=study)
        return Response(status=204)

    @extend_schema(responses={204: None}, summary="Take that picture away")
    def delete(self, request: Request, study: int, position: int) -> Response:
        WorksPicture.objects.filter(variant=self.part(study, position)).delete()
        notify(self.workspace.pk, "board", study=study)
        return Response(status=204)
