"""From a question to what can be measured: the program, its variants, trying them, the session."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.script.starting_points import (
    NATURES,
    PARTS,
    STILL,
    StartingPoint,
    compose,
    try_script,
)
from yardstick_core.start_command import (
    StartCommand,
    StartCommandError,
    proposed_factor,
    split_command,
)
from yardstick_server import contracts
from yardstick_server.api.access import is_owner
from yardstick_server.api.bodies import validated
from yardstick_server.api.catalog.programs import StartSerializer, ask_to_allow, program_name
from yardstick_server.api.run.rehearsals import RehearsedTimingSerializer, SeenWindowSerializer
from yardstick_server.api.study.ask import MOST_VARIANTS, ChangeStudy
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.detail import StudySerializer
from yardstick_server.gates.models import BuildStart
from yardstick_server.inventory.models import Subject, Variant, rig_of
from yardstick_server.notify import notify
from yardstick_server.runs.models import Rehearsal
from yardstick_server.shelf import active
from yardstick_server.studies.models import MissingFixture, Study


class ProgramOfStudySerializer(serializers.Serializer):
    name = serializers.CharField(max_length=120)
    maker = serializers.CharField(max_length=120, allow_blank=True, required=False)


class ChangedVariantSerializer(serializers.Serializer):
    """What is started comes as words, or as somebody typed it."""

    name = serializers.CharField(max_length=60, required=False)
    start = StartSerializer(required=False)
    typed = serializers.CharField(
        max_length=8000, required=False,
        help_text="in place of `start`: a line of words, with NAME=value before them",
    )  # fmt: skip

    def validate(self, values: dict[str, Any]) -> dict[str, Any]:
        if "typed" in values:
            try:
                values["start"] = split_command(values.pop("typed")).values()
            except StartCommandError as error:
                raise ValidationError({"typed": str(error)}) from error
        return values


class StartedVariantSerializer(ChangedVariantSerializer):
    name = serializers.CharField(max_length=60)
    program = serializers.CharField(
        max_length=120, required=False, help_text="what it is of, where that is not said yet"
    )
    elsewhere = serializers.BooleanField(
        required=False, help_text="in place of `start`: no rig starts it, it is measured elsewhere"
    )

    def validate(self, values: dict[str, Any]) -> dict[str, Any]:
        values = super().validate(values)
        if values.get("elsewhere", False) == ("start" in values):
            raise ValidationError(
                "say what is to be started, in `start` or `typed`, or that it is measured elsewhere"
            )
        return {"start": {}, **values}


class TryWantedSerializer(serializers.Serializer):
    variants = serializers.ListField(
        child=serializers.IntegerField(min_value=0), required=False, max_length=MOST_VARIANTS,
        help_text="positions; all of them where none is named",
    )  # fmt: skip


class TrySerializer(serializers.Serializer):
    id = serializers.IntegerField()
    variant = serializers.IntegerField(help_text="position")
    state = serializers.ChoiceField(choices=["waits", "plays", "ended"])
    outcome = serializers.CharField()
    ended_well = serializers.BooleanField(
        help_text="it ended by itself, with exit status 0: so does a command"
    )
    detail = serializers.CharField()
    timings = RehearsedTimingSerializer(many=True)
    windows = SeenWindowSerializer(many=True, help_text="the main one first")
    pictures = serializers.IntegerField()
    elapsed_s = serializers.FloatField()
    rig = serializers.CharField()
    command = serializers.CharField(help_text="what was tried: stale once that is another")


class SessionPartsSerializer(serializers.Serializer):
    parts = serializers.ListField(
        child=serializers.ChoiceField(choices=PARTS), max_length=len(PARTS)
    )
    file = serializers.CharField(max_length=200, allow_blank=True, default="")
    by_keys = serializers.BooleanField(
        default=False, help_text="open it by Ctrl+O in the running program, not when it is started"
    )
    nature = serializers.ChoiceField(
        choices=NATURES, default=STILL,
        help_text="its window comes to rest, is always moving, or there is none: a command",
    )  # fmt: skip


class ProgramOfStudy(ChangeStudy):
    @extend_schema(
        request=ProgramOfStudySerializer,
        responses=StudySerializer,
        summary="Say which program a question is about",
    )
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(ProgramOfStudySerializer, request.data)
        with transaction.atomic():
            name_program(found, values)
        found.refresh_from_db()
        return self.answer(found)


def name_program(study: Study, values: dict[str, Any]) -> None:
    """Say which program a study is about: one that is known by this name, or its own renamed."""
    named = Subject.objects.filter(workspace=study.workspace, name=values["name"], **active())
    known, before = named.exclude(pk=study.subject_id).first(), study.subject
    if known is None:
        for name, value in values.items():
            setattr(before, name, value)
        before.save(update_fields=list(values))
        return
    if study.study_variants.exists():
        raise ValidationError(
            f"there is a program {known.name} already, with variants of its own: ask a new "
            "question about it, or choose another name. Nothing was changed"
        )
    study.subject = known
    study.save(update_fields=["subject"])
    if not before.name and not before.study_set.exists():
        before.delete()


class NewVariantView(ChangeStudy):
    @extend_schema(
        request=StartedVariantSerializer,
        responses={201: StudySerializer},
        summary="Add a new variant with what is to be started for it",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(StartedVariantSerializer, request.data)
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=found.pk)
            have = found.study_variants.count()
            if have >= MOST_VARIANTS:
                raise ValidationError(f"a study compares at most {MOST_VARIANTS} variants")
            if values.get("program") and not found.subject.name:
                name_program(found, {"name": values["program"]})
            variant = self._variant(found, values["name"], values["start"])
            found.study_variants.create(variant=variant, position=have)
            if not found.factor:
                known = [p.variant.start for p in found.variants if p.variant.start]
                found.factor = proposed_factor([StartCommand.checked(start) for start in known])
                found.save(update_fields=["factor"])
            if is_owner(request) and variant.start:
                ask_to_allow(rig_of(found), variant, request.user.get_username())
        answer = self.answer(found)
        answer.status_code = 201
        return answer

    def _variant(self, study: Study, wanted: str, start: dict[str, Any]) -> Variant:
        """A new variant; or the subject's own that is called and started just so.

        What was measured elsewhere is of the variant of its name, however a rig starts that.
        """
        used = study.study_variants.values("variant")
        known = study.subject.variants.filter(name=wanted, **active())
        known = known.filter(start=start) if start else known
        same: Variant | None = known.exclude(pk__in=used).first()
        if same is not None:
            return same
        name = free_name(study.subject, wanted)
        if not start:
            elsewhere: Variant = study.subject.variants.create(name=name, program="")
            return elsewhere
        program = new_program_name(study.subject, name)
        made: Variant = study.subject.variants.create(name=name, start=start, program=program)
        return made


def new_program_name(subject: Subject, variant: str) -> str:
    """What rigs call the program of a variant, or of a study's builds, that has no name yet."""
    others = Variant.objects.filter(subject__workspace=subject.workspace_id)
    builds = BuildStart.objects.filter(study__workspace=subject.workspace_id)
    taken = [*others.values_list("program", flat=True), *builds.values_list("program", flat=True)]
    return program_name(subject.name, variant, set(taken))


def free_name(subject: Subject, wanted: str) -> str:
    """The name, with a number where the subject has a variant of that name already."""
    taken = set(subject.variants.values_list("name", flat=True))
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted[:54]} {number}", number + 1
    return name


class StartedVariantView(ChangeStudy):
    @extend_schema(
        request=ChangedVariantSerializer,
        responses=StudySerializer,
        summary="Rename a variant, or change what is to be started for it",
    )
    def patch(self, request: Request, study: int, position: int) -> Response:
        found = self.study(study)
        part = get_object_or_404(found.study_variants, position=position)
        body = validated(ChangedVariantSerializer, request.data)
        values, variant = body, part.variant
        self.about = {"variant": variant.name}
        if "typed" in request.data and variant.start:  # what is not typed stays
            kept = {k: v for k, v in variant.start.items() if k in ("prepare", "log", "home")}
            values["start"] = {**kept, **values["start"]}
        changed = "start" in values and values["start"] != variant.start
        measured = variant.studyvariant_set.filter(runs__state__in=("measured", "read"))
        if changed and measured.exists():
            raise ValidationError(
                f"{variant.name} has been measured as it is started now: add another variant "
                "instead, so that both keep their meaning. Nothing was changed"
            )
        others = variant.subject.variants.exclude(pk=variant.pk)
        if others.filter(name=values.get("name", "")).exists():
            raise ValidationError({"name": "there is a variant of this name already"})
        if values.get("start") and not variant.program:
            values["program"] = new_program_name(variant.subject, values.get("name", variant.name))
        for name, value in values.items():
            setattr(variant, name, value)
        variant.save(update_fields=list(values) or None)
        if changed and is_owner(request):
            ask_to_allow(rig_of(found), variant, request.user.get_username())
        return self.answer(found)


class AllowVariantView(ChangeStudy):
    """Only owners have a rig asked; whoever else may, sees the line to run there."""

    @extend_schema(
        request=None, responses=StudySerializer, summary="Ask the rig to start a variant as wanted"
    )
    def post(self, request: Request, study: int, position: int) -> Response:
        if not is_owner(request):
            raise ValidationError("only an owner of this workspace may say what a rig starts")
        found = self.study(study)
        part = get_object_or_404(found.study_variants, position=position)
        self.about = {"variant": part.variant.name}
        ask_to_allow(rig_of(found), part.variant, request.user.get_username())
        return self.answer(found)


class VariantStateView(ChangeStudy):
    @extend_schema(
        request=None,
        responses=StudySerializer,
        summary="Let a variant's runs begin with an empty home again",
    )
    def delete(self, request: Request, study: int, position: int) -> Response:
        found = self.study(study)
        part = get_object_or_404(found.study_variants, position=position)
        part.variant.state = None
        part.variant.save(update_fields=["state"])
        return self.answer(found)


class TriesView(StudyView):
    """Each variant started once, to see whether it can be; nothing of it is a measurement."""

    @extend_schema(responses=TrySerializer(many=True), summary="How trying each variant went")
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study)
        waiting = found.rehearsals.filter(kind="try").exclude(state="ended")
        waiting.update(watched=timezone.now())
        return Response(TrySerializer(tries_of(found), many=True).data)

    @extend_schema(
        request=TryWantedSerializer,
        responses={201: TrySerializer(many=True)},
        summary="Start variants once on the rig and see their windows",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        body = validated(TryWantedSerializer, request.data)
        wanted = body.get("variants")
        parts = [p for p in found.started_variants if wanted is None or p.position in wanted]
        if not parts:
            raise ValidationError("there is no variant to try yet")
        text = try_script(found.script.text)
        for part in parts:
            found.rehearsals.filter(kind="try", variant=part, state="waits").delete()
            found.rehearsals.create(kind="try", variant=part, text=text)
        return Response(TrySerializer(tries_of(found), many=True).data, status=201)


#: What an agent says of a program that ended by itself, and well.
ENDED_WELL = "ended with exit status 0"


def tries_of(study: Study) -> list[contracts.Try]:
    """The newest try of each variant."""
    newest: dict[int, Rehearsal] = {}
    tries = study.rehearsals.filter(kind="try").select_related("variant__variant", "rig")
    for one in tries.defer("picture").order_by("id"):
        newest[one.variant.position] = one
    return [
        {
            "id": one.pk,
            "variant": position,
            "state": one.state,
            "outcome": one.outcome,
            "ended_well": one.outcome == "crashed" and one.detail.endswith(ENDED_WELL),
            "detail": one.detail,
            "timings": one.timings,
            "windows": one.windows,
            "pictures": one.pictures,
            "elapsed_s": one.elapsed_ns / 1e9,
            "rig": one.rig.name if one.rig else "",
            "command": one.variant.variant.program,
        }
        for position, one in sorted(newest.items())
    ]


class SessionPartsView(ChangeStudy):
    @extend_schema(
        request=SessionPartsSerializer,
        responses=StudySerializer,
        summary="Have the session written from a starting point",
    )
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(SessionPartsSerializer, request.data)
        point = StartingPoint(
            tuple(values["parts"]), values["file"], values["by_keys"], values["nature"]
        )
        try:
            found.keep_script(compose(point))
        except MissingFixture as error:
            raise ValidationError(str(error)) from error
        notify(self.workspace.pk, "board", study=study)
        return self.answer(found)
