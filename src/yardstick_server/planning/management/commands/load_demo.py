"""Load the demonstration: the made-up Weftwright, its releases, a study and its recorded runs."""

from __future__ import annotations

import hashlib
import json
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction
from django.db.models import Max, Min

from yardstick_core.films.container import film_facts
from yardstick_core.record import CONTROL, FILMED, ROUND, from_journal
from yardstick_core.streams.batch import Piece
from yardstick_core.streams.chunk import decode_journal
from yardstick_core.streams.entries import Entry
from yardstick_server.accounts.models import Workspace, digest
from yardstick_server.analysis.deriving import keep_readings
from yardstick_server.analysis.judging import judge_study
from yardstick_server.films.models import Film
from yardstick_server.inventory.models import Fixture, Rig, RigFacts, Subject, Variant
from yardstick_server.runs.models import Run
from yardstick_server.shelf import ARCHIVED
from yardstick_server.studies.models import Study, StudyPlan
from yardstick_server.traces.keeping import keep_all


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path, help="the folder of the demonstration")
        parser.add_argument("--fixtures", type=Path, required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        workspace = Workspace.objects.order_by("id").first()
        if workspace is None:
            self.stderr.write("there is no workspace yet: run set_up first")
            return
        if workspace.subjects.filter(name="Weftwright").exists():
            self.stdout.write("the demonstration is already there")
            return
        with transaction.atomic():
            self._load(workspace, options)

    def _load(self, workspace: Workspace, options: dict[str, Any]) -> None:
        folder: Path = options["folder"]
        described = json.loads((folder / "studies.json").read_text())
        subject = Subject.objects.create(workspace=workspace, **described["subject"])
        variants = {
            name: Variant.objects.create(subject=subject, name=name, program=program)
            for name, program in described["variants"].items()
        }
        for file in described["fixtures"]:
            Fixture.keep(workspace, file, (options["fixtures"] / file).read_bytes())
        known: dict[str, Study] = {}
        for entry in described["studies"]:
            study = Study.objects.create(
                workspace=workspace,
                subject=subject,
                question=entry["question"],
                why=entry["why"],
                factor=entry["factor"],
                demonstration=True,
                second_factor=entry.get("second_factor", ""),
                missing_cells=entry.get("missing_cells", []),
                day_share=entry.get("share"),
                part_of=known.get(entry.get("part_of", "")),
            )
            known[entry.get("recorded", "")] = study
            levels = entry.get("levels", [["", ""]] * len(entry["variants"]))
            for position, name in enumerate(entry["variants"]):
                first, second = levels[position]
                study.study_variants.create(
                    variant=variants[name], position=position, first_level=first,
                    second_level=second,
                )  # fmt: skip
            for claim in entry.get("claims", []):
                variant = study.study_variants.get(variant__name=claim.pop("variant"))
                study.claims.create(variant=variant, **claim)
            for profile in entry.get("profiles", []):
                study.profiles.create(**profile)
            for place in entry.get("deciding", []):
                study.materiality_rules.create(decides=True, **place)
            plan = entry.get("plan", {})
            said = "background_cpu_limit" in plan
            StudyPlan.objects.filter(study=study).update(background_cpu_limit_set=said, **plan)
            study.keep_script((folder / entry["script"]).read_text(encoding="utf-8"))
            recorded = folder / "recorded" / entry.get("recorded", "none")
            for archive in sorted(recorded.glob("*.run")):
                self._run(study, archive)
            judge_study(study)
            if entry.get("put_away"):
                study.move_to(ARCHIVED, "the demonstration")
            self.stdout.write(f"{entry['question']}: {study.runs.count()} recorded runs")

    def _run(self, study: Study, path: Path) -> None:
        with zipfile.ZipFile(path) as archive:
            about = json.loads(archive.read("run.json"))
            rig, _ = Rig.objects.get_or_create(
                workspace=study.workspace,
                name=about["rig"],
                defaults={"token_digest": digest(Rig.new_token())},
            )
            run = Run.objects.create(
                study=study,
                variant=study.study_variants.get(variant__name=about["variant"]),
                script=study.script,
                round=about["round"],
                order_in_round=about["place"],
                cold=about["cold"],
                level=about.get("level", ""),
                purpose=_purpose(about),
                rig=rig,
                state="running",
                started=datetime.fromisoformat(about["started"]),
                ended=datetime.fromisoformat(about["ended"]),
            )
            journal: list[Entry] = []
            names = [name for name in archive.namelist() if name.startswith("streams/")]
            pieces = []
            for name in sorted(names):
                _, stream, file = name.split("/")
                data = archive.read(name)
                sequence = int(file.removesuffix(".chunk"))
                pieces.append(Piece(stream, sequence, hashlib.sha256(data).hexdigest(), data))
                if stream == "journal":
                    journal += decode_journal(data)
            keep_all(run, pieces)
            if about.get("film"):
                self._film(run, archive, about["film_began_ns"])
        record = from_journal(journal)
        run.outcome, run.detail, run.state = record.outcome, record.detail, "measured"
        facts = [entry["facts"] for entry in journal if entry["kind"] == "facts"]
        run.keep_facts(facts[0] if facts else {})
        run.save()
        if run.facts is not None:  # it was so when it was measured, not when it is loaded
            alike = Run.objects.filter(facts=run.facts)
            seen = alike.aggregate(first=Min("started"), last=Max("ended"))
            RigFacts.objects.filter(pk=run.facts.pk).update(
                first_seen=seen["first"], last_seen=seen["last"]
            )
        keep_readings(run)

    def _film(self, run: Run, archive: zipfile.ZipFile, began_ns: int) -> None:
        film = Film(run=run, began_ns=began_ns, state="ready")
        film.path.parent.mkdir(parents=True, exist_ok=True)
        film.path.write_bytes(archive.read("film.mp4"))
        facts = film_facts(film.path)
        film.width, film.height = facts.width, facts.height
        film.frames, film.seconds = facts.frames, facts.seconds
        film.size = film.path.stat().st_size
        film.sha256 = hashlib.sha256(film.path.read_bytes()).hexdigest()
        film.save()


def _purpose(about: dict[str, Any]) -> str:
    if about.get("film"):
        return FILMED
    return CONTROL if about.get("watch") == "outer" else ROUND
