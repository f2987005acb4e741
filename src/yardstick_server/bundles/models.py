"""A bundle that is made of a study, or that somebody brought."""

from __future__ import annotations

from django.db import models

from yardstick_server.passing_file import PassingFile


class StudyBundle(PassingFile):
    """A file on its way out or in; of one that comes in, nothing is kept before all of it holds."""

    FILE_NAME = "bundle-{}.zip"
    OUT, IN = "out", "in"
    STATES = [
        ("waits", "for the worker"),
        ("working", "is written, or checked and read"),
        ("done", "can be taken, or has become a study"),
        ("failed", "nothing came of it"),
    ]
    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="bundles")
    study = models.ForeignKey("studies.Study", models.CASCADE, null=True, related_name="bundles")
    way = models.CharField(max_length=3, choices=[(OUT, OUT), (IN, IN)])
    name = models.CharField(max_length=200)
    by = models.CharField(max_length=150)
    state = models.CharField(max_length=7, choices=STATES, default="waits")
    problem = models.CharField(max_length=500, blank=True)
    done = models.BigIntegerField(default=0, help_text="of `total`: runs out, bytes checked in")
    total = models.BigIntegerField(default=0)
    size = models.BigIntegerField(default=0)
    differs = models.JSONField(
        default=list, help_text="what reads another way here than where it was made"
    )
    core_version = models.CharField(max_length=20, blank=True, help_text="where it was made")

    class Meta:
        ordering = ["-id"]
