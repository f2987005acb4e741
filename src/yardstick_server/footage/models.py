"""A film that somebody brought: what was found in it, and the marks that a person set."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models.signals import post_delete
from django.dispatch import receiver


class Footage(models.Model):
    """A film of a variant's session; its files lie beside the database.

    `marks` are timings: path, and for start and end the picture and how well its instant is known.
    """

    STATES = [
        ("waits", "to be looked through"),
        ("looking", "is looked through"),
        ("ready", "can be marked"),
        ("failed", "cannot be used"),
    ]
    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="footage")
    variant = models.ForeignKey("studies.StudyVariant", models.CASCADE)
    run = models.ForeignKey(
        "runs.Run", models.SET_NULL, null=True, help_text="what its marks have become"
    )
    name = models.CharField(max_length=200)
    size = models.BigIntegerField(default=0)
    sha256 = models.CharField(max_length=64, blank=True)
    by = models.CharField(max_length=150)
    created = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=8, choices=STATES, default="waits")
    problem = models.CharField(max_length=300, blank=True)
    done_s = models.FloatField(default=0, help_text="how far it has been looked through")
    facts = models.JSONField(default=dict)
    regions = models.JSONField(default=list, help_text="name, and x, y, width, height in pixels")
    marks = models.JSONField(default=list)
    timings = models.JSONField(default=list, help_text="what the marks came to when they were set")

    class Meta:
        ordering = ["id"]

    def path(self, kind: str) -> Path:
        """Where a file lies: what was brought, what is stepped through, or what changes."""
        return Path(settings.FILMS) / f"footage-{self.pk}.{kind}"

    @property
    def files(self) -> list[Path]:
        return [self.path(kind) for kind in ("brought", "mp4", "changes")]


@receiver(post_delete, sender=Footage)
def _throw_away(instance: Footage, **_: Any) -> None:
    for path in instance.files:
        path.unlink(missing_ok=True)
