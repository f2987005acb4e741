"""The film of a run: a row, and a file beside the database."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Sum
from django.db.models.signals import post_delete
from django.dispatch import receiver

from yardstick_server.accounts.models import Workspace
from yardstick_server.studies.models import Study


class Film(models.Model):
    """What was on the screen of a run; its pictures are on the run's clock.

    `began_ns` is when, on that clock, its first picture was taken.
    """

    STATES = [
        ("coming", "its rig sends it"),
        ("waits", "whole, to be made ready for playing"),
        ("ready", "can be played"),
        ("unusable", "nothing in it can be played"),
    ]
    run = models.OneToOneField("runs.Run", models.CASCADE, related_name="film")
    state = models.CharField(max_length=8, choices=STATES, default="coming")
    began_ns = models.BigIntegerField(default=0)
    width = models.IntegerField(default=0)
    height = models.IntegerField(default=0)
    frames = models.IntegerField(default=0)
    seconds = models.FloatField(default=0)
    size = models.BigIntegerField(default=0, help_text="bytes that are kept of it")
    sha256 = models.CharField(max_length=64, blank=True, help_text="of what its rig sent")
    problem = models.CharField(max_length=300, blank=True)

    @property
    def path(self) -> Path:
        """Where it lies once it is ready."""
        return Path(settings.FILMS) / f"film-{self.run_id}.mp4"

    @property
    def coming_path(self) -> Path:
        """Where it lies as its rig sends it."""
        return Path(settings.FILMS) / f"film-{self.run_id}.coming"


class FindingClip(models.Model):
    """Some seconds of a run's film (MP4) that go with a finding; a worker cuts them."""

    STATES = [
        ("wanted", "a worker cuts it"),
        ("ready", "can be played"),
        ("failed", "cannot be had; `problem` says why"),
    ]
    finding = models.OneToOneField("runs.Finding", models.CASCADE, related_name="clip")
    state = models.CharField(max_length=6, choices=STATES, default="wanted")
    data = models.BinaryField(default=b"")
    seconds = models.FloatField(default=0)
    problem = models.CharField(max_length=300, blank=True)


@receiver(post_delete, sender=Film)
def _throw_away(instance: Film, **_: Any) -> None:
    instance.path.unlink(missing_ok=True)
    instance.coming_path.unlink(missing_ok=True)


def bytes_of_films(workspace: Workspace) -> int:
    """What the films of a workspace take, those from elsewhere included."""
    films = Film.objects.filter(run__study__workspace=workspace).aggregate(all=Sum("size"))
    brought = Study.objects.filter(workspace=workspace).aggregate(all=Sum("footage__size"))
    return int(films["all"] or 0) + int(brought["all"] or 0)
