"""A workspace with one of everything that routes name, for tests that try them all."""

from dataclasses import dataclass

from django.test import Client

from server.filmed import give_film
from server.worlds import World, deliver, recorded_streams
from yardstick_core.formats.mapping import Column, Mapping
from yardstick_core.report.changes import gist
from yardstick_server.accounts.models import ApiToken, ShareLink, digest
from yardstick_server.analysis.lines import MeasuredLine, lines_of
from yardstick_server.films.models import FindingClip
from yardstick_server.footage.models import Footage
from yardstick_server.gates.deciding import ask
from yardstick_server.races.models import RaceFilm
from yardstick_server.reports.gathering import content_of
from yardstick_server.reports.issuing import document_of
from yardstick_server.studies.models import WorksPicture


@dataclass
class Place:
    """A workspace with something under every kind of number, and who comes to it."""

    world: World
    numbers: dict[str, object]
    tester: Client
    reader_token: Client
    builder: Client
    guest: Client


def furnish(world: World) -> Place:
    """Give a workspace one of everything that routes name."""
    study = world.study
    study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, run, recorded_streams())
    found = study.runs.get(pk=run)
    finding = found.findings.create(at_ns=0, kind="remark", text="odd", by="x", picture=b"\x89PNG")
    FindingClip.objects.create(finding=finding, state="ready", data=b"clip", seconds=1)
    found.pictures.create(name="end", content=b"\x89PNG")
    give_film(found, [10, 60])
    study.study_variants.filter(position=1).update(works="works", works_by="x")
    WorksPicture.objects.create(variant=study.study_variants.get(position=1), content=b"\x89PNG")
    variant = study.variants[0]
    owner = world.workspace.members.get(role="owner").user
    link = "share-link-token"
    share = ShareLink.objects.create(
        study=study, token_digest=digest(link), by=owner.username, expires="2999-01-01T00:00Z"
    )
    invitation = world.workspace.invitations.create(
        role="reader", whom="Ida", token_digest=digest("invitation"), by=owner.username,
        expires="2999-01-01T00:00Z",
    )  # fmt: skip
    tokens = {}
    for scope in ApiToken.SCOPES:
        secret = f"secret {scope} {world.workspace.pk}".replace(" ", "-")
        tokens[scope] = secret
        kept = world.workspace.tokens.create(
            name=scope, scope=scope, token_digest=digest(secret), begins=secret[:6], by="x"
        )
    guest = Client()
    guest.get(f"/shared/{link}")
    numbers: dict[str, object] = {
        "study": study.pk, "run": run, "position": 1, "name": world.rig_record.name,
        "finding": finding.pk, "share": share.pk, "invitation": invitation.pk, "token": kept.pk,
        "part": study.add_session().pk,
        "member": world.workspace.members.get(role="reader").pk, "subject": study.subject_id,
        "claim": study.claims.create(variant=variant, stretch=[], metric="duration",
                                     side="at most", amount=1).pk,
        "job": study.jobs.create(
            asked={"candidate": 1, "metric": "", "period": "a day", "kinds": [], "whole": 0,
                   "threshold": 0}, by="x",
        ).pk,
        "profile": study.profiles.create(name="P").pk,
        "waiver": study.waivers.create(identity="0" * 16, text="w", reason="r", by="x").pk,
        "shown": found.shown.create(
            path=["Draw", "score"], unit="points", higher_is_better=True, doubt="unsure"
        ).pk,
        "rehearsal": study.rehearsals.create(variant=variant, text=study.script.text).pk,
        "line": (lines_of(study.subject) or [MeasuredLine("0" * 16, "")])[0].key,
        "program": "weftwright-4.1", "kind": "study", "number": study.pk,
        "errand": world.rig_record.errands.create(kind="releases", by="x", state="taken").pk,
        "log": study.logs.create(
            workspace=world.workspace, name="x.csv", by="x",
            mapping=Mapping("separated", (Column("ms"),)).as_dict(),
        ).pk,
        "report": study.issued_reports.create(
            number=1, by="x", document=document_of(study), results={}, gist=gist(content_of(study)),
        ).number,
        "webhook": world.workspace.webhooks.create(
            url="http://127.0.0.1:9/", secret="s", by="x"
        ).pk,
        "bundle": world.workspace.bundles.create(study=study, way="out", name="x", by="x").pk,
        "footage": Footage.objects.create(study=study, variant=variant, name="x", by="x").pk,
        "film": RaceFilm.objects.create(study=study, runs=[run], alignment="start", by="x").pk,
        "gate": ask(study, "812", "weftwright-nightly", wanted=[], tolerance=10, rounds=3,
                    by="x").pk,
        "sha256": world.workspace.fixtures.first().sha256, "stream": "frames", "sequence": 0,
    }  # fmt: skip

    def program(scope: str) -> Client:
        return Client(headers={"Authorization": f"Token {tokens[scope]}"})

    return Place(world, numbers, world.tester, program("read"), program("measure"), guest)
