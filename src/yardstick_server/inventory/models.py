"""What is measured, on what, with which files."""

from __future__ import annotations

import hashlib
import json
import secrets
from datetime import timedelta
from typing import Any

from django.db import models

from yardstick_core.match.facts import lasting
from yardstick_server.shelf import Shelved

#: A rig that was not heard of for so long is silent.
SILENT_AFTER = timedelta(seconds=10)


class Subject(Shelved):
    """A desktop program under test; without a name while a question is only being asked."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="subjects")
    name = models.CharField(max_length=120, blank=True)
    maker = models.CharField(max_length=120, blank=True)
    settings = models.JSONField(
        default=list, help_text="its settings files by plain name, with keys wanted and ignored"
    )
    release_order = models.JSONField(
        default=list, help_text="names of releases, oldest first, where their names do not tell"
    )


class PreparedState(models.Model):
    """A home that runs begin with, as a rehearsal left it: licences, first questions answered."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="states")
    sha256 = models.CharField(max_length=64)
    size = models.BigIntegerField()
    content = models.BinaryField()
    rig = models.CharField(max_length=60, help_text="where it was made")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workspace", "sha256"], name="state_once")]


class Variant(Shelved):
    """One release, edition or setting of a subject.

    `program` is only a name; each rig decides what it starts for it, and nothing where it is empty:
    what is called so was measured elsewhere. `start` is what somebody wants
    to be started, for an owner or the rig's own file to allow.
    """

    subject = models.ForeignKey(Subject, models.CASCADE, related_name="variants")
    name = models.CharField(max_length=60)
    program = models.CharField(max_length=120)
    tags = models.JSONField(default=list, help_text="what it has; scripts may ask for it")
    state = models.ForeignKey(PreparedState, models.SET_NULL, null=True)
    start = models.JSONField(default=dict, help_text="wanted start command; empty where none is")


class Fixture(Shelved):
    """A file that sessions work on, known by its content."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="fixtures")
    name = models.CharField(max_length=200)
    sha256 = models.CharField(max_length=64)
    size = models.BigIntegerField()
    content = models.BinaryField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["workspace", "name"], name="fixture_name_once")
        ]

    @classmethod
    def keep(cls, workspace: Any, name: str, content: bytes) -> Fixture:
        """Store a fixture, or replace the content of the one with this name."""
        sha256 = hashlib.sha256(content).hexdigest()
        fixture, _ = cls.objects.update_or_create(
            workspace=workspace,
            name=name,
            defaults={
                "sha256": sha256, "size": len(content), "content": content,
                "archived_at": None, "deleted_at": None,
            },
        )  # fmt: skip
        return fixture


class Rig(models.Model):
    """A machine that runs sessions."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="rigs")
    name = models.CharField(max_length=60)
    token_digest = models.CharField(max_length=64, unique=True)
    agent_version = models.CharField(max_length=20, blank=True)
    last_seen = models.DateTimeField(null=True)
    paused = models.BooleanField(default=False, help_text="ends its run and takes no other")
    revoked = models.BooleanField(default=False, help_text="its token is no longer taken")
    programs = models.JSONField(default=dict, help_text="what it may start, as it says itself")
    programs_from = models.CharField(
        max_length=5, default="file", help_text="who may change that: its file, or owners too"
    )
    background_cpu_share = models.FloatField(
        null=True, help_text="percent of it that is busy while it is idle, as it last said"
    )
    local = models.BooleanField(default=False, help_text="on the machine of this server")
    agent_digest = models.CharField(
        max_length=64, blank=True, help_text="which release of the agent it runs"
    )
    clock_off_s = models.FloatField(
        null=True, help_text="how far its clock is ahead of the server's, as it last spoke"
    )
    disk_free_bytes = models.BigIntegerField(null=True, help_text="where it keeps its records")
    applications = models.JSONField(default=list, help_text="programs installed on it")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["workspace", "name"], name="rig_name_once")]

    @staticmethod
    def new_token() -> str:
        return secrets.token_urlsafe(32)


def rig_of(study: Any) -> Rig | None:
    """The rig a study is measured on: the chosen one, else the only one there is."""
    if study.rig is not None:
        return study.rig
    there = Rig.objects.filter(workspace=study.workspace_id, revoked=False, last_seen__isnull=False)
    return there[0] if len(there[:2]) == 1 else None


class Errand(models.Model):
    """Something an owner asks a rig to do beside runs; the rig decides whether it does."""

    KINDS = [
        ("allow", "start a program from now on"),
        ("forbid", "not start it any more"),
        ("releases", "tell which releases lie unpacked in a folder"),
    ]
    STATES = [("waits", "for the rig"), ("taken", "by the rig"), ("done", ""), ("refused", "")]
    rig = models.ForeignKey(Rig, models.CASCADE, related_name="errands")
    kind = models.CharField(max_length=8, choices=KINDS)
    body = models.JSONField(default=dict)
    by = models.CharField(max_length=150)
    state = models.CharField(max_length=7, choices=STATES, default="waits")
    detail = models.TextField(blank=True)
    answer = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["rig", "state"])]


class RigConfirmation(models.Model):
    """What a person has seen to on a rig, because scripts ask for it."""

    rig = models.ForeignKey(Rig, models.CASCADE, related_name="confirmations")
    text = models.CharField(max_length=300)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["rig", "text"], name="rig_confirmed_once")]


class RigFacts(models.Model):
    """What was found out about a rig, kept once for each state it was in."""

    rig = models.ForeignKey(Rig, models.CASCADE, related_name="facts")
    digest = models.CharField(max_length=64)
    facts = models.JSONField()
    first_seen = models.DateTimeField(auto_now_add=True)
    last_seen = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["rig", "digest"], name="rig_facts_once")]

    @classmethod
    def keep(cls, rig: Rig, facts: dict[str, Any]) -> RigFacts:
        """Keep the state of a rig that these facts describe, without what passes by itself."""
        state = lasting(facts)
        digest = hashlib.sha256(json.dumps(state, sort_keys=True).encode()).hexdigest()
        found, _ = cls.objects.update_or_create(rig=rig, digest=digest, defaults={"facts": state})
        return found
