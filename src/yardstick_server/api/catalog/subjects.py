"""Subjects: the programs under test, their variants, what starts them, how they are set."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import Count, Prefetch, Q, QuerySet
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server import contracts
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.inventory.models import Rig, Subject, Variant
from yardstick_server.shelf import active

MOST_VARIANTS = 200


class SettingsFileSerializer(serializers.Serializer):
    """A settings file of the subject; rigs look for it by its plain name where they say."""

    file = serializers.RegexField(
        r"^[^/\\.][^/\\]{0,119}$",
        error_messages={"invalid": "a plain file name; the folder is said on the rig"},
    )
    only = serializers.ListField(
        child=serializers.CharField(max_length=200),
        max_length=100,
        default=list,
        help_text="keys wanted; * for anything",
    )
    ignore = serializers.ListField(
        child=serializers.CharField(max_length=200),
        max_length=100,
        default=list,
        help_text="keys that may differ",
    )


class StartedBySerializer(serializers.Serializer):
    rig = serializers.CharField()
    command = serializers.CharField()
    log = serializers.CharField()
    caches = serializers.ListField(child=serializers.CharField())


class SubjectVariantSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    program = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    studies = serializers.IntegerField(help_text="in how many studies it takes part")
    started_by = StartedBySerializer(many=True, help_text="rigs that may start it, and how")


class SubjectSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    maker = serializers.CharField()
    settings = SettingsFileSerializer(many=True)
    release_order = serializers.ListField(
        child=serializers.CharField(), help_text="oldest first; where names do not tell"
    )
    variants = SubjectVariantSerializer(many=True)
    studies = serializers.IntegerField()


class SubjectValuesSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=120)
    maker = serializers.CharField(max_length=120, allow_blank=True, required=False)
    settings = SettingsFileSerializer(many=True, default=list, max_length=20)


class SubjectChangesSerializer(serializers.Serializer):
    """What is not given stays; what is given, is given whole."""

    name = serializers.CharField(max_length=120, required=False)
    maker = serializers.CharField(max_length=120, allow_blank=True, required=False)
    settings = SettingsFileSerializer(many=True, required=False, max_length=20)
    release_order = serializers.ListField(
        child=serializers.CharField(max_length=60), max_length=MOST_VARIANTS, required=False
    )


class NewSubjectVariantSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=60)
    program = serializers.CharField(
        max_length=120, help_text="name under which rigs know what to start"
    )


def subject_bodies(subjects: QuerySet[Subject]) -> list[contracts.Subject]:
    """Many subjects, with as few questions to the database as one."""
    variants = Variant.objects.filter(**active()).order_by("id")
    counted = variants.annotate(used=Count("studyvariant"))
    asked = Count("study", filter=Q(study__archived_at=None, study__deleted_at=None))
    found = list(
        subjects.annotate(asked=asked).prefetch_related(Prefetch("variants", queryset=counted))
    )
    workspaces = {subject.workspace_id for subject in found}
    rigs = list(Rig.objects.filter(workspace__in=workspaces, revoked=False))
    return [
        _body(subject, [rig for rig in rigs if rig.workspace_id == subject.workspace_id])
        for subject in found
    ]


def subject_body(subject: Subject) -> contracts.Subject:
    (found,) = subject_bodies(Subject.objects.filter(pk=subject.pk))
    return found


def _body(subject: Any, rigs: Sequence[Rig]) -> contracts.Subject:
    return {
        "id": subject.pk,
        "name": subject.name,
        "maker": subject.maker,
        "settings": [
            {"file": one["file"], "only": one.get("only", []), "ignore": one.get("ignore", [])}
            for one in subject.settings
        ],
        "release_order": subject.release_order,
        "studies": subject.asked,
        "variants": [
            {
                "id": variant.pk,
                "name": variant.name,
                "program": variant.program,
                "tags": variant.tags,
                "studies": variant.used,
                "started_by": [
                    {
                        "rig": rig.name,
                        "command": rig.programs[variant.program].get("command", ""),
                        "log": rig.programs[variant.program].get("log", ""),
                        "caches": rig.programs[variant.program].get("caches", []),
                    }
                    for rig in rigs
                    if variant.program in rig.programs
                ],
            }
            for variant in subject.variants.all()
        ],
    }


class SubjectsView(MemberView):
    def _listed(self) -> QuerySet[Subject]:
        named = self.workspace.subjects.exclude(name="")
        return named.filter(**active()).order_by("id")

    @extend_schema(responses=SubjectSerializer(many=True), summary="The programs under test")
    def get(self, request: Request) -> Response:
        found = subject_bodies(self._listed())
        return Response(SubjectSerializer(found, many=True).data)

    @extend_schema(
        request=SubjectValuesSerializer, responses={201: SubjectSerializer}, summary="Add a subject"
    )
    def post(self, request: Request) -> Response:
        body = validated(SubjectValuesSerializer, request.data)
        if self._listed().filter(name=body["name"]).exists():
            raise ValidationError({"name": "there is a subject of this name already"})
        made = self.workspace.subjects.create(**body)
        return Response(SubjectSerializer(subject_body(made)).data, status=201)


class SubjectView(MemberView):
    @extend_schema(
        request=SubjectChangesSerializer,
        responses=SubjectSerializer,
        summary="Change a subject's name, maker or settings files",
    )
    def patch(self, request: Request, subject: int) -> Response:
        found = get_object_or_404(self.workspace.subjects, pk=subject)
        body = validated(SubjectChangesSerializer, request.data)
        for name, value in body.items():
            setattr(found, name, value)
        found.save(update_fields=list(body) or None)
        return Response(SubjectSerializer(subject_body(found)).data)


class SubjectVariantsView(MemberView):
    for_builds = True

    @extend_schema(
        request=NewSubjectVariantSerializer,
        responses={201: SubjectSerializer},
        summary="Add a variant: its name, and the program that rigs start for it",
    )
    def post(self, request: Request, subject: int) -> Response:
        found = get_object_or_404(self.workspace.subjects, pk=subject)
        body = validated(NewSubjectVariantSerializer, request.data)
        if found.variants.filter(name=body["name"]).exists():
            raise ValidationError({"name": "there is a variant of this name already"})
        if found.variants.count() >= MOST_VARIANTS:
            raise ValidationError(f"a subject has at most {MOST_VARIANTS} variants")
        found.variants.create(**body)
        return Response(SubjectSerializer(subject_body(found)).data, status=201)
