"""Reads a bundle as a study, or as a set of them: all of it, or nothing."""

from __future__ import annotations

import hashlib
import json
import tempfile
from collections.abc import Iterator
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import DataError, IntegrityError, transaction
from jsonschema import Draft202012Validator

from yardstick_core import CORE_VERSION
from yardstick_core.compare.crossed import cells_problem
from yardstick_core.films.clip import MOST_BYTES as MOST_CLIP_BYTES
from yardstick_core.formats.bundle import (
    RESULTS,
    STUDY,
    Bundle,
    BundleError,
    folder_of,
    room_for,
    upgraded,
)
from yardstick_core.formats.chunk_table import NotATable, read_chunks
from yardstick_core.keepable import unkeepable
from yardstick_core.report.results import results
from yardstick_core.script import ScriptError, parse
from yardstick_core.start_command import StartCommand, StartCommandError
from yardstick_core.streams.batch import Piece
from yardstick_core.streams.chunk import read_head
from yardstick_server.accounts.models import Workspace, digest
from yardstick_server.analysis.deriving import keep_readings
from yardstick_server.analysis.judging import judge_study, kept_analysis
from yardstick_server.bundles.exporting import VARIANT
from yardstick_server.films.models import FindingClip
from yardstick_server.inventory.models import Fixture, Rig, RigFacts, Subject, Variant
from yardstick_server.reports.models import ReportDraft
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import (
    ScriptVersion,
    Study,
    StudyPlan,
    StudyVariant,
    WorksPicture,
)
from yardstick_server.traces.keeping import ChunkConflict, ChunkRefused, keep_all

MOST_PICTURE = 12_000_000
MOST_FIXTURE = 64 << 20
MOST_SCRIPT = 1 << 20
MOST_STREAMS = 400
#: Chunks go to the database so many, or of so many bytes unpacked, at a time.
_CHUNKS_AT_ONCE, _BYTES_AT_ONCE = 200, 32 << 20
MOST_DIFFERENCES = 500
_OF_STUDY = (
    "question", "why", "factor", "baseline", "demonstration", "second_factor", "missing_cells",
    "day_share",
)  # fmt: skip


def bring_in(bundle: Bundle, workspace: Workspace, by: str) -> tuple[Study, list[str]]:
    """A study made of a bundle whose files have been checked, and what reads another way here.

    Raises BundleError, and then nothing of it is kept. What it says is to be started is kept as a
    wish: no rig starts it before its owner allows it.
    """
    if not room_for(bundle.manifest, Path(settings.UPLOADS)):
        raise BundleError("there is no room on the server's disk to unpack it")
    try:
        with transaction.atomic():
            reader = _Reader(bundle, workspace, by)
            studies = reader.studies()
            differs = [
                said if len(studies) == 1 else f"session {place}: {said}"
                for place, study in enumerate(studies, 1)
                for said in _differences(bundle, folder_of(place), study, reader.numbers)
            ]
    except BundleError:
        raise
    except (NotATable, ChunkRefused, ChunkConflict, ScriptError) as error:
        raise BundleError(f"its content cannot be used: {error}") from error
    except (IntegrityError, DataError) as error:
        raise BundleError("it says two things of one, or more than can be kept") from error
    except (ArithmeticError, AttributeError, LookupError, TypeError, ValueError) as error:
        raise BundleError(f"its content does not hold together: {error!r}") from error
    return studies[0], differs[:MOST_DIFFERENCES]


@cache
def _validator(name: str) -> Draft202012Validator:
    schema = json.loads((settings.PROJECT / "docs" / "bundle.schema.json").read_text())
    return Draft202012Validator({**schema, "$ref": f"#/$defs/{name}"})


class _Reader:
    def __init__(self, bundle: Bundle, workspace: Workspace, by: str) -> None:
        self.bundle, self.workspace, self.by = bundle, workspace, by
        self.rigs: dict[str, Rig] = {}
        self.variants: dict[tuple[str, str], list[Variant]] = {}
        #: Of each run here its number in the bundle.
        self.numbers: dict[int, int] = {}

    def body(self, name: str, kind: str) -> dict[str, Any]:
        """A JSON file of the bundle, held against its shape."""
        found = upgraded(self.bundle.json(name), kind, self.bundle.manifest.version)
        reason = unkeepable(found)
        if reason:
            raise BundleError(f"{name}: {reason}")
        wrong = next(iter(_validator(kind).iter_errors(found)), None)
        if wrong is not None:
            raise BundleError(f"{name}: {'/'.join(map(str, wrong.path))}: {wrong.message[:200]}")
        return dict(found)

    def studies(self) -> list[Study]:
        """A study of each session of the set, the first one first; judged once all are there."""
        made: list[Study] = []
        jobs: list[dict[str, Any]] = []
        sessions = self.bundle.manifest.sessions
        for place, runs in enumerate(sessions, 1):
            folder = folder_of(place)
            said = self.body(folder + STUDY, "study")
            if said["baseline"] >= len(said["variants"]):
                raise BundleError("its baseline is none of its variants")
            problem = cells_problem(
                [(one["first_level"], one["second_level"]) for one in said["variants"]],
                [(one["first"], one["second"]) for one in said["missing_cells"]],
            )
            if problem:
                raise BundleError(problem)
            made.append(self._study(said, folder, runs, made[0] if made else None))
            jobs += said["jobs"]
        for name in self.bundle.manifest.files:
            if name.startswith("sessions/") and int(name.split("/")[1]) not in {
                *range(2, len(sessions) + 1)
            }:
                raise BundleError("it holds more sessions than its manifest says")
        for kept in jobs:
            self._job(made, kept)
        for study in made:
            judge_study(study)
        return made

    def _study(self, said: dict[str, Any], folder: str, runs: int, first: Study | None) -> Study:
        self._fixtures(said["fixtures"])
        subject = (
            first.subject
            if first
            else Subject.objects.create(workspace=self.workspace, **said["subject"])
        )
        study = Study.objects.create(
            workspace=self.workspace, subject=subject, part_of=first,
            **{name: said[name] for name in _OF_STUDY},
        )  # fmt: skip
        variants = [
            study.study_variants.create(
                variant=self._variant(study, one),
                position=position,
                **{name: one[name] for name in VARIANT},
            )
            for position, one in enumerate(said["variants"])
        ]
        for part, one in zip(variants, said["variants"], strict=True):
            if one["works_picture"]:
                content = self._picture(folder + one["works_picture"])
                WorksPicture.objects.create(variant=part, content=content)
        scripts = {one["number"]: self._script(study, one, folder) for one in said["scripts"]}
        for term in said["terms"]:
            study.materiality_rules.create(**term)
        for profile in said["profiles"]:
            study.profiles.create(**profile)
        self._dated(study, variants, said)
        plan = said["plan"]
        if plan["state"] == "running":  # nothing is measured here before somebody wants it
            plan |= {"state": "stopped", "reason": "it was under way where the bundle was made"}
        StudyPlan.objects.filter(study=study).update(**plan)
        self._draft(study, said["report"])
        self._runs(study, variants, scripts, folder, runs)
        return study

    def _job(self, sessions: list[Study], said: dict[str, Any]) -> None:
        """A kept job, whose sessions go by their place in the set."""
        asked = said["asked"]
        for kind in asked["kinds"]:
            kind["sessions"] = [
                sessions[place - 1].pk for place in kind["sessions"] if 0 < place <= len(sessions)
            ]
        made = sessions[0].jobs.create(asked=asked, by=said["by"])
        sessions[0].jobs.filter(pk=made.pk).update(at=said["at"])

    def _variant(self, study: Study, said: dict[str, Any]) -> Variant:
        """A variant whose program no rig knows: its start is a wish of whoever made the bundle.

        Sessions of a set have their variants in common.
        """
        alike = self.variants.setdefault((said["name"], said["program"]), [])
        used = set(study.study_variants.values_list("variant", flat=True))
        for known in alike:
            if known.pk not in used:
                return known
        subject = study.subject
        start: dict[str, Any] = {}
        if said["start"]:
            try:
                start = StartCommand.checked(said["start"]).values()
            except StartCommandError as error:
                raise BundleError(f"what starts {said['name']} cannot be kept: {error}") from error
        made: Variant = subject.variants.create(
            name=said["name"], tags=said["tags"], start=start, program="",
        )  # fmt: skip
        if said["program"]:  # without one it was measured elsewhere, and is here too
            made.program = f"bundle-{made.pk}-{said['program']}"[:120]
            made.save(update_fields=["program"])
        alike.append(made)
        return made

    def _script(self, study: Study, said: dict[str, Any], folder: str) -> ScriptVersion:
        name = f"{folder}scripts/{said['number']}.session"
        text = self.bundle.read(name, MOST_SCRIPT).decode()
        if unkeepable(text):
            raise BundleError("a script holds what no text has")
        parse(text)
        sha256 = hashlib.sha256(text.encode()).hexdigest()
        if sha256 != said["sha256"]:
            raise BundleError("a script is another than its study says")
        made: ScriptVersion = study.scripts.create(number=said["number"], text=text, sha256=sha256)
        ScriptVersion.objects.filter(pk=made.pk).update(created=said["created"])
        return made

    def _fixtures(self, said: list[dict[str, str]]) -> None:
        """Files of the session; one that is here with other content stays as it is."""
        for one in said:
            content = self.bundle.read(one["file"], MOST_FIXTURE)
            if hashlib.sha256(content).hexdigest() != one["sha256"]:
                raise BundleError(f"the file {one['name']} is another than its study says")
            there = Fixture.objects.filter(workspace=self.workspace, name=one["name"]).first()
            if there is None:
                Fixture.keep(self.workspace, one["name"], content)
            elif there.sha256 != one["sha256"]:
                raise BundleError(
                    f"a file {one['name']} is here with another content: rename it, then bring "
                    "the bundle again"
                )

    def _dated(self, study: Study, variants: list[StudyVariant], said: dict[str, Any]) -> None:
        """What has a day of its own: the study, claims and waivers."""
        Study.objects.filter(pk=study.pk).update(created=said["created"])
        for claim in said["claims"]:
            created, variant = claim.pop("created"), variants[claim.pop("variant")]
            made = study.claims.create(variant=variant, **claim)
            study.claims.filter(pk=made.pk).update(created=created)
        for waiver in said["waivers"]:
            at = waiver.pop("at")
            kept = study.waivers.create(**waiver)
            study.waivers.filter(pk=kept.pk).update(at=at)
        study.refresh_from_db()

    def _draft(self, study: Study, said: dict[str, Any]) -> None:
        if any(said.values()):
            ReportDraft.objects.create(study=study, **said)

    # -- runs ----------------------------------------------------------------------------------

    def _runs(
        self, study: Study, variants: list[StudyVariant], scripts: dict[int, ScriptVersion],
        session: str, runs: int,
    ) -> None:  # fmt: skip
        made: dict[int, Run] = {}
        for number in range(1, runs + 1):
            folder = f"{session}runs/{number}/"
            said = self.body(f"{folder}run.json", "run")
            run = self._run(study, variants[said["variant"]], scripts[said["script"]], said)
            made[number] = run
            self.numbers[run.pk] = number
            self._streams(run, folder, said["rows"])
            self._pictures(run, folder, said)
            for shown in said["shown"]:
                run.shown.create(**{**shown, "at": _when(shown["at"])})
            run.state = "measured"
            run.repeats = made.get(said["repeats"])
            run.save()
            keep_readings(run)
        start = f"{session}runs/"
        for name in self.bundle.manifest.files:
            if name.startswith(start) and int(name[len(start) :].split("/")[0]) not in made:
                raise BundleError("it holds more runs than its manifest says")

    def _run(
        self, study: Study, variant: StudyVariant, script: ScriptVersion, said: dict[str, Any]
    ) -> Run:
        names = (
            "round", "order_in_round", "cold", "purpose", "level", "outcome", "detail", "origin",
            "left_out", "left_out_by", "acceptance_reason", "import_source", "moment",
        )  # fmt: skip
        rig = self._rig(said["rig"]) if said["rig"] else None
        run: Run = study.runs.create(
            variant=variant, script=script, rig=rig, state="running",
            started=_when(said["started"]), ended=_when(said["ended"]),
            **{name: said[name] for name in names},
        )  # fmt: skip
        if rig is not None and said["facts"]:
            run.facts = RigFacts.keep(rig, said["facts"])
        return run

    def _rig(self, name: str) -> Rig:
        """A rig of the name that measures nothing here; another name where that one is taken."""
        if name not in self.rigs:
            taken = Rig.objects.filter(workspace=self.workspace, name=name).exists()
            own = f"{name[:40]} of {self.bundle.manifest.made[:10]}" if taken else name
            self.rigs[name], _ = Rig.objects.get_or_create(
                workspace=self.workspace, name=own,
                defaults={"token_digest": digest(Rig.new_token()), "revoked": True},
            )  # fmt: skip
        return self.rigs[name]

    def _streams(self, run: Run, folder: str, rows: int) -> None:
        with tempfile.NamedTemporaryFile(suffix=".parquet", dir=settings.UPLOADS) as file:
            self.bundle.unpack(f"{folder}streams.parquet", file)
            streams: set[str] = set()
            for pieces in _gathered(read_chunks(Path(file.name), rows)):
                streams |= {piece.stream for piece in pieces}
                if len(streams) > MOST_STREAMS:
                    raise BundleError(f"a run has at most {MOST_STREAMS} streams")
                keep_all(run, pieces)

    def _pictures(self, run: Run, folder: str, said: dict[str, Any]) -> None:
        for picture in said["pictures"]:
            content = self._picture(f"{folder}{picture['file']}")
            run.pictures.create(name=picture["name"], content=content)
        for finding in said["findings"]:
            file, created = finding.pop("file"), finding.pop("created")
            clip, seconds = finding.pop("clip"), finding.pop("clip_s")
            content = self._picture(f"{folder}{file}") if file else b""
            made = run.findings.create(picture=content, **finding)
            run.findings.filter(pk=made.pk).update(created=created)
            if clip:
                FindingClip.objects.create(
                    finding=made, state="ready", data=self._clip(folder + clip), seconds=seconds
                )

    def _clip(self, name: str) -> bytes:
        content = self.bundle.read(name, MOST_CLIP_BYTES)
        if content[4:8] != b"ftyp":
            raise BundleError(f"{name} is no clip")
        return content

    def _picture(self, name: str) -> bytes:
        content = self.bundle.read(name, MOST_PICTURE)
        if not content.startswith(b"\x89PNG\r\n\x1a\n"):
            raise BundleError(f"{name} is no picture")
        return content


def _when(said: str | None) -> datetime | None:
    return datetime.fromisoformat(said) if said else None


def _gathered(pieces: Iterator[Piece]) -> Iterator[list[Piece]]:
    waiting: list[Piece] = []
    size = 0
    for piece in pieces:
        length = read_head(piece.data).length
        if waiting and (len(waiting) >= _CHUNKS_AT_ONCE or size + length > _BYTES_AT_ONCE):
            yield waiting
            waiting, size = [], 0
        waiting.append(piece)
        size += length
    if waiting:
        yield waiting


def _differences(bundle: Bundle, folder: str, study: Study, numbers: dict[int, int]) -> list[str]:
    """What the study says here that its bundle does not say; nothing by the same core."""
    theirs = bundle.json(folder + RESULTS)
    ours = results(kept_analysis(study).board, study.question)
    before = {_place(one): one for one in theirs["metrics"]}
    now = {_place(one): one for one in ours["metrics"]}
    found = (
        [f"core {theirs['core_version']} judged it there, {CORE_VERSION} here"]
        if (theirs["core_version"] != CORE_VERSION)
        else []
    )
    names = [part.variant.name for part in study.variants]
    for place in dict.fromkeys((*before, *now)):
        if place not in now or place not in before:
            label = (before.get(place) or now[place])["label"]
            found.append(f"{label} is read {'here' if place in now else 'there'} alone")
            continue
        found += _of_metric(before[place], now[place], names, numbers)
    return found


def _place(metric: dict[str, Any]) -> tuple[str, ...]:
    return metric["metric"], *metric["stretch"]


def _of_metric(
    before: dict[str, Any], now: dict[str, Any], names: list[str], numbers: dict[int, int]
) -> list[str]:
    found = []
    for name, old, new in zip(names, before["samples"], now["samples"], strict=True):
        was = {sample["run"]: sample["value"] for sample in old}
        is_ = {numbers[sample["run"]]: sample["value"] for sample in new}
        if was != is_:
            changed = sum(was.get(run) != is_.get(run) for run in {*was, *is_})
            found.append(f"{now['label']} of {name}: {changed} readings differ")
    for name, old, new in zip(names, before["differences"], now["differences"], strict=True):
        if (old is None) != (new is None):
            found.append(f"{now['label']} of {name}: judged in one place alone")
        elif old and new and _verdict_texts(old) != _verdict_texts(new):
            found.append(
                f"{now['label']} of {name}: {old['verdict']}, {old['interval_text']} there; "
                f"{new['verdict']}, {new['interval_text']} here"
            )
    return found


def _verdict_texts(difference: dict[str, Any]) -> tuple[Any, ...]:
    return tuple(difference[name] for name in ("verdict", "change_text", "interval_text"))
