"""A bundle that is made of a study, or that somebody brought."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

#: A file is thrown away after this, taken or not: it can be made again.
KEPT_FOR = timedelta(days=3)


class StudyBundle(models.Model):
    """A file on its way out or in; of one that comes in, nothing is kept before all of it holds."""

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
    created = models.DateTimeField(auto_now_add=True)
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

    @property
    def path(self) -> Path:
        """Where its bytes are, under a name of our own."""
        return Path(settings.UPLOADS) / f"bundle-{self.pk}.zip"

    def throw_away(self) -> None:
        """Delete the file and all that is known of it; a study made from it stays."""
        self.path.unlink(missing_ok=True)
        self.delete()

    @classmethod
    def sweep(cls) -> int:
        """Throw away what was made or brought long ago; how many."""
        old = cls.objects.filter(created__lt=timezone.now() - KEPT_FOR)
        for one in old:
            one.throw_away()
        return len(old)
