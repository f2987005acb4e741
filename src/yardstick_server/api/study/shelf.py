"""What is put away or deleted: studies, programs, variants, fixtures, profiles; and back again."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Any, cast

from django.db import transaction
from django.db.models import QuerySet
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import PermissionDenied, ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server import contracts
from yardstick_server.accounts.models import Workspace
from yardstick_server.api.access import is_owner
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated
from yardstick_server.inventory.models import Fixture, Subject, Variant
from yardstick_server.notify import notify
from yardstick_server.planning.advancing import stop_by_hand
from yardstick_server.planning.purging import purge
from yardstick_server.shelf import ACTIVE, ARCHIVED, DELETED, KEPT_FOR, SHELF_STATES
from yardstick_server.studies.models import Study, StudyProfile
from yardstick_server.studies.using import used_by

KINDS: dict[str, Callable[[Workspace], QuerySet[Any]]] = {
    "study": lambda workspace: Study.objects.filter(workspace=workspace),
    "subject": lambda workspace: Subject.objects.filter(workspace=workspace).exclude(name=""),
    "variant": lambda workspace: Variant.objects.filter(subject__workspace=workspace),
    "fixture": lambda workspace: Fixture.objects.filter(workspace=workspace).defer("content"),
    "profile": lambda workspace: StudyProfile.objects.filter(study__workspace=workspace),
}


class ShelvedSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(choices=list(KINDS))
    id = serializers.IntegerField()
    name = serializers.CharField()
    state = serializers.ChoiceField(choices=SHELF_STATES)
    by = serializers.CharField()
    at = serializers.DateTimeField(allow_null=True)
    until = serializers.DateTimeField(
        allow_null=True, help_text="of what was deleted: when it is lost for good"
    )
    runs = serializers.IntegerField(help_text="measured runs that belong to it")


class ShelfStateSerializer(serializers.Serializer):
    state = serializers.ChoiceField(choices=SHELF_STATES)


class DemonstrationSerializer(serializers.Serializer):
    state = serializers.ChoiceField(choices=[ACTIVE, ARCHIVED])


def name_of(found: Any) -> str:
    if isinstance(found, Study):
        return found.question
    if isinstance(found, Variant):
        return f"{found.subject.name} {found.name}"
    return str(found.name)


def shelved_body(kind: str, found: Any) -> contracts.Shelved:
    state = found.shelf
    at = found.deleted_at or found.archived_at
    return {
        "kind": kind,
        "id": found.pk,
        "name": name_of(found),
        "state": state,
        "by": found.shelved_by,
        "at": at,
        "until": found.deleted_at + KEPT_FOR if state == DELETED else None,
        "runs": found.runs.filter(state__in=("measured", "read")).count() if kind == "study" else 0,
    }


class ShelfView(MemberView):
    @extend_schema(
        responses=ShelvedSerializer(many=True), summary="What is put away or deleted, newest first"
    )
    def get(self, request: Request) -> Response:
        found = [
            shelved_body(kind, one)
            for kind, of in KINDS.items()
            for one in of(self.workspace).exclude(archived_at=None, deleted_at=None)
        ]
        found.sort(key=lambda one: cast(datetime, one["at"]), reverse=True)
        return Response(ShelvedSerializer(found, many=True).data)


class ShelvedView(MemberView):
    @extend_schema(
        request=ShelfStateSerializer,
        responses=ShelvedSerializer,
        summary="Put something away, delete it, or bring it back",
    )
    def put(self, request: Request, kind: str, number: int) -> Response:
        found = self._found(kind, number)
        body = validated(ShelfStateSerializer, request.data)
        state, users = body["state"], used_by(found)
        self.about = {"kind": kind, "what": name_of(found)}
        if state == DELETED and users:
            more = f" and {len(users) - 1} more" if len(users) > 1 else ""
            raise ValidationError(
                f"“{users[0]}”{more} works with {name_of(found)}: nothing was deleted. Put it away "
                "instead, or delete what works with it first"
            )
        if isinstance(found, Study) and state != ACTIVE:
            stop_by_hand(found)
        found.move_to(state, request.user.get_username())
        notify(self.workspace.pk, "shelf")
        return Response(ShelvedSerializer(shelved_body(kind, found)).data)

    @extend_schema(
        responses={204: None}, summary="Lose something that was deleted for good; owners only"
    )
    def delete(self, request: Request, kind: str, number: int) -> Response:
        if not is_owner(request):
            raise PermissionDenied("only an owner of this workspace may lose something for good")
        found = self._found(kind, number)
        self.about = {"kind": kind, "what": name_of(found)}
        if found.shelf != DELETED:
            raise ValidationError("only what was deleted before can be lost for good")
        purge(found)
        notify(self.workspace.pk, "shelf")
        return Response(status=204)

    def _found(self, kind: str, number: int) -> Any:
        of = KINDS.get(kind)
        if of is None:
            raise ValidationError(f"nothing of the kind “{kind}” can be put away")
        return get_object_or_404(of(self.workspace), pk=number)


class DemonstrationView(MemberView):
    @extend_schema(
        request=DemonstrationSerializer,
        responses=ShelvedSerializer(many=True),
        summary="Put the demonstration away with all its studies, or bring it back",
    )
    def put(self, request: Request) -> Response:
        body = validated(DemonstrationSerializer, request.data)
        state, by = body["state"], request.user.get_username()
        studies = list(Study.objects.filter(workspace=self.workspace, demonstration=True))
        with transaction.atomic():
            for study in studies:
                if study.shelf != DELETED:
                    if state == ARCHIVED:
                        stop_by_hand(study)
                    study.move_to(state, by)
            for subject in {study.subject for study in studies}:
                only = not Study.objects.filter(subject=subject, demonstration=False).exists()
                if only or state == ACTIVE:
                    subject.move_to(state, by)
        notify(self.workspace.pk, "shelf")
        found = [shelved_body("study", study) for study in studies]
        return Response(ShelvedSerializer(found, many=True).data)
