"""A log file that somebody brought, until it is kept or thrown away; and mappings for the next."""

from __future__ import annotations

from django.db import models

from yardstick_server.passing_file import PassingFile


class LogFile(PassingFile):
    """An uploaded file: nothing of it is in any study before a person keeps it."""

    FILE_NAME = "log-{}"
    STATES = [
        ("new", "to be looked at"),
        ("reading", "is read through"),
        ("read", "has been read through"),
        ("keeping", "becomes runs"),
        ("kept", "has become runs"),
        ("failed", "could not be read"),
    ]
    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="logs")
    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="logs")
    name = models.CharField(max_length=200)
    size = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    by = models.CharField(max_length=150)
    state = models.CharField(max_length=8, choices=STATES, default="new")
    problem = models.CharField(max_length=500, blank=True)
    #: What its rows were made from, where they did not stand in the file as they are.
    made_from = models.CharField(max_length=40, blank=True)
    mapping = models.JSONField(default=dict)
    summary = models.JSONField(default=dict)
    rows_read = models.BigIntegerField(default=0)


class KeptMapping(models.Model):
    """How a kind of file is understood, under a name, for the next such file."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="mappings")
    name = models.CharField(max_length=80)
    mapping = models.JSONField()

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["workspace", "name"], name="mapping_name_once")
        ]
