"""A log file that somebody brought, until it is kept or thrown away; and mappings for the next."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

#: A file that nobody has kept is thrown away after this.
KEPT_FOR = timedelta(days=3)


class LogFile(models.Model):
    """An uploaded file: nothing of it is in any study before a person keeps it."""

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
    created = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=8, choices=STATES, default="new")
    problem = models.CharField(max_length=500, blank=True)
    mapping = models.JSONField(default=dict)
    summary = models.JSONField(default=dict)
    rows_read = models.BigIntegerField(default=0)

    @property
    def path(self) -> Path:
        """Where its bytes are, under a name of our own."""
        return Path(settings.UPLOADS) / f"log-{self.pk}"

    def throw_away(self) -> None:
        """Delete the file and all that is known of it; runs made from it stay."""
        self.path.unlink(missing_ok=True)
        self.delete()

    @classmethod
    def sweep(cls) -> int:
        """Throw away files that nobody kept in time; how many."""
        old = cls.objects.filter(created__lt=timezone.now() - KEPT_FOR)
        for log in old:
            log.throw_away()
        return len(old)


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
