"""What rigs have installed and may start, and what owners ask them to start."""

from __future__ import annotations

import re
from typing import Any, Protocol

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.start_command import NAME, StartCommand, StartCommandError
from yardstick_server import contracts
from yardstick_server.api.base import MemberView, OwnerView
from yardstick_server.api.bodies import validated
from yardstick_server.inventory.models import Errand, Rig

#: How a variant's wanted start and what a rig says of itself go together.
ALLOWED, ASKED, REFUSED, DIFFERS, NOT_ALLOWED, NO_START, NO_RIG, ELSEWHERE = START_STATES = (
    "allowed", "asked", "refused", "differs", "not allowed", "no start", "no rig", "elsewhere",
)  # fmt: skip


class ApplicationSerializer(serializers.Serializer):
    id = serializers.CharField()
    name = serializers.CharField()
    command = serializers.ListField(child=serializers.CharField())
    icon = serializers.CharField()
    package = serializers.CharField(help_text="empty where no package manager knows it")
    version = serializers.CharField()


class ApplicationsSerializer(serializers.Serializer):
    rig = serializers.CharField()
    programs_from = serializers.ChoiceField(choices=["file", "owner"])
    applications = ApplicationSerializer(many=True)


class StartSerializer(serializers.Serializer):
    """A start command: words and what is set for them; never a shell."""

    command = serializers.ListField(
        child=serializers.CharField(max_length=4096, trim_whitespace=False, allow_blank=True),
        max_length=100,
    )
    environment = serializers.DictField(
        child=serializers.CharField(max_length=4096, allow_blank=True, trim_whitespace=False),
        default=dict,
    )
    prepare = serializers.ListField(
        child=serializers.CharField(max_length=4096), max_length=100, default=list
    )
    log = serializers.CharField(max_length=200, allow_blank=True, default="")
    home = serializers.ChoiceField(choices=["", "real"], default="")

    def validate(self, values: dict[str, Any]) -> dict[str, Any]:
        try:
            return StartCommand.checked(values).values()
        except StartCommandError as error:
            raise ValidationError(str(error)) from error


class ProgramSerializer(serializers.Serializer):
    name = serializers.RegexField(
        NAME, error_messages={"invalid": "a name of letters, digits, dots, dashes and spaces"}
    )
    start = StartSerializer()


class ReleasesSerializer(serializers.Serializer):
    folder = serializers.CharField(max_length=1000)


class ErrandSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    kind = serializers.CharField()
    state = serializers.ChoiceField(choices=["waits", "taken", "done", "refused"])
    detail = serializers.CharField()
    answer = serializers.DictField()


def rig_of(view: MemberView, name: str) -> Rig:
    found: Rig = get_object_or_404(Rig, workspace=view.workspace, name=name)
    return found


class RigApplications(MemberView):
    @extend_schema(responses=ApplicationsSerializer, summary="Desktop programs installed on a rig")
    def get(self, request: Request, name: str) -> Response:
        rig = rig_of(self, name)
        body: contracts.Applications = {
            "rig": rig.name,
            "programs_from": rig.programs_from,
            "applications": rig.applications,
        }
        return Response(ApplicationsSerializer(body).data)


class OwnersRig(OwnerView):
    """Where owners ask a rig to change what it starts; the rig decides whether it does."""

    def asked(self, request: Request, name: str, kind: str, body: dict[str, Any]) -> Response:
        rig = rig_of(self, name)
        if rig.programs_from != "owner":
            raise ValidationError(
                f"{rig.name} listens to its own file only: run the line that is shown there"
            )
        made = rig.errands.create(kind=kind, body=body, by=request.user.get_username())
        return Response(ErrandSerializer(made).data, status=201)


class RigPrograms(OwnersRig):
    @extend_schema(
        request=ProgramSerializer,
        responses={201: ErrandSerializer},
        summary="Ask a rig to start a program from now on",
    )
    def post(self, request: Request, name: str) -> Response:
        body = validated(ProgramSerializer, request.data)
        return self.asked(request, name, "allow", dict(body))


class RigProgram(OwnersRig):
    @extend_schema(
        request=None,
        responses={201: ErrandSerializer},
        summary="Ask a rig not to start a program any more",
    )
    def delete(self, request: Request, name: str, program: str) -> Response:
        return self.asked(request, name, "forbid", {"name": program})


class RigReleases(OwnersRig):
    @extend_schema(
        request=ReleasesSerializer,
        responses={201: ErrandSerializer},
        summary="Ask a rig which releases lie unpacked side by side in a folder",
    )
    def post(self, request: Request, name: str) -> Response:
        body = validated(ReleasesSerializer, request.data)
        return self.asked(request, name, "releases", dict(body))


class RigErrand(MemberView):
    @extend_schema(responses=ErrandSerializer, summary="How far an errand of a rig is")
    def get(self, request: Request, name: str, errand: int) -> Response:
        found = get_object_or_404(Errand, pk=errand, rig=rig_of(self, name))
        return Response(ErrandSerializer(found).data)


class Started(Protocol):
    """Something that rigs know by the name of its program, with the start that is wanted."""

    program: Any
    start: Any


def ask_to_allow(rig: Rig | None, wanted: Started, by: str) -> None:
    """Have a rig start a program as it is wanted, where the rig listens to owners."""
    if rig is not None and rig.programs_from == "owner" and wanted.start:
        body = {"name": wanted.program, "start": wanted.start}
        rig.errands.create(kind="allow", body=body, by=by)


def program_name(subject: str, variant: str, taken: set[str]) -> str:
    """What rigs call the program of a new variant: made of its names, and nobody else's."""
    whole = variant if variant.lower().startswith(subject.lower()) else f"{subject}-{variant}"
    wanted = re.sub(r"[^A-Za-z0-9._+]+", "-", whole).strip("-._+").lower()
    wanted = (wanted or "program")[:100]
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted}-{number}", number + 1
    return name


def start_state(
    rig: Rig | None, wanted: Started, newest: dict[str, Errand]
) -> contracts.StartState:
    """How far a rig is with starting a program: state, why, and the line to run there.

    `newest` are the rig's newest errands to allow something, by program.
    """
    if not wanted.program:
        return {"state": ELSEWHERE, "detail": "", "line": ""}
    start = StartCommand.checked(wanted.start) if wanted.start else None
    line = start.line(wanted.program) if start else ""
    if rig is None:
        return {"state": NO_RIG, "detail": "", "line": line}
    known, errand = rig.programs.get(wanted.program), newest.get(wanted.program)
    if known is not None and (start is None or known.get("digest") == start.digest):
        return {"state": ALLOWED, "detail": "", "line": line}
    if start is None:
        return {"state": NO_START, "detail": "", "line": ""}
    if errand is not None and errand.state in ("waits", "taken"):
        return {"state": ASKED, "detail": "", "line": line}
    if errand is not None and errand.state == "refused":
        return {"state": REFUSED, "detail": errand.detail, "line": line}
    return {"state": NOT_ALLOWED if known is None else DIFFERS, "detail": "", "line": line}


def newest_asked(rig: Rig | None) -> dict[str, Errand]:
    """The newest errand to allow each program of a rig, by its name."""
    if rig is None:
        return {}
    return {e.body["name"]: e for e in rig.errands.filter(kind="allow").order_by("id")}
