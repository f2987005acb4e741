"""What rigs start for the builds that are held against a study."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.start_command import StartCommand, StartCommandError, split_command
from yardstick_server import contracts
from yardstick_server.api.access import is_owner
from yardstick_server.api.bodies import validated
from yardstick_server.api.catalog.programs import (
    ask_to_allow,
    newest_asked,
    start_state,
)
from yardstick_server.api.study.base import StudyView
from yardstick_server.api.study.detail import StartStateSerializer
from yardstick_server.api.study.start import new_program_name
from yardstick_server.gates.models import BuildStart
from yardstick_server.inventory.models import Rig, rig_of
from yardstick_server.studies.models import Study

#: What a build's command has from the baseline's, as it is typed without them.
_OF_THE_BASELINE = ("prepare", "log", "home")


class NewBuildStartSerializer(serializers.Serializer):
    typed = serializers.CharField(
        max_length=8000, help_text="a line of words, with NAME=value before them"
    )

    def validate(self, values: dict[str, Any]) -> dict[str, Any]:
        try:
            return {"start": split_command(values["typed"]).values()}
        except StartCommandError as error:
            raise ValidationError({"typed": str(error)}) from error


class BuildStartSerializer(serializers.Serializer):
    program = serializers.CharField(help_text="what rigs call it; empty until it is said")
    command = serializers.CharField(help_text="as it is typed; empty until it is said")
    proposed = serializers.CharField(help_text="what the newest variant is started by")
    rig = serializers.CharField(help_text="which starts it; empty where there are several, or none")
    on_rig = StartStateSerializer()


class BuildStartView(StudyView):
    @extend_schema(
        responses=BuildStartSerializer, summary="What rigs start for a build at the gate of a study"
    )
    def get(self, request: Request, study: int) -> Response:
        return Response(BuildStartSerializer(build_start_body(self.study(study))).data)

    @extend_schema(
        request=NewBuildStartSerializer,
        responses=BuildStartSerializer,
        summary="Say what rigs start for every build, and ask the rig of the study to",
    )
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(NewBuildStartSerializer, request.data)
        if not found.study_variants.exists():
            raise ValidationError("the study has no variant to hold a build against: add one")
        base = found.variants[found.baseline].variant.start
        start = {k: v for k, v in base.items() if k in _OF_THE_BASELINE} | values["start"]
        kept = BuildStart.objects.filter(study=found).first() or BuildStart(
            study=found, program=new_program_name(found.subject, "build")
        )
        kept.start = start
        kept.save()
        if is_owner(request):
            ask_to_allow(rig_of(found), kept, request.user.get_username())
        self.about = {"program": kept.program}
        return Response(BuildStartSerializer(build_start_body(found)).data)


def build_start_body(study: Study) -> contracts.BuildStart:
    rig = rig_of(study)
    kept = BuildStart.objects.filter(study=study).first()
    started = [part.variant for part in study.variants if part.variant.start]
    newest = started[-1] if started else None
    return {
        "program": kept.program if kept else "",
        "command": StartCommand.checked(kept.start).text if kept else "",
        "proposed": StartCommand.checked(newest.start).text if newest else "",
        "rig": rig.name if rig else "",
        "on_rig": start_state(rig, kept or BuildStart(program="", start={}), newest_asked(rig)),
    }


def started_for_a_build(study: Study, program: str | None) -> tuple[str, dict[str, Any]]:
    """What is started for a build: the program of this name, or what is said for the study's.

    Raises ValidationError where nothing is said, or where no rig would start it.
    """
    kept = BuildStart.objects.filter(study=study).first()
    if program is None and kept is None:
        raise ValidationError(
            "nothing says what a rig starts for a build: say it in the study, under “Ask it of "
            "every build”, or name a program. Nothing was begun"
        )
    if kept is not None and program in (None, kept.program):
        name, start = kept.program, kept.start
        wanted = StartCommand.checked(start).digest
    else:
        name, start, wanted = program or "", {}, ""
    if not _startable(study, name, wanted):
        raise ValidationError(f"{_rigs_text(study)} may not start {name} yet. Nothing was begun")
    return name, start


def _startable(study: Study, program: str, digest: str) -> bool:
    """Whether a rig that was ever heard of may start it; where none was, that is not known."""
    told = [rig.programs.get(program) for rig in _rigs(study)]
    may = (one is not None and digest in ("", one.get("digest")) for one in told)
    return not told or any(may)


def _rigs(study: Study) -> list[Rig]:
    """The rigs that may play it: the one of the study, or any."""
    one = rig_of(study)
    rigs = study.workspace.rigs.filter(revoked=False, last_seen__isnull=False)
    return list(rigs.filter(pk=one.pk) if one else rigs)


def _rigs_text(study: Study) -> str:
    rigs = _rigs(study)
    return rigs[0].name if len(rigs) == 1 else f"none of {len(rigs)} rigs"
