"""A race that is taken along as a film: two files, made by the worker."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.db import models

from yardstick_server.passing_file import PassingFile


class RaceFilm(PassingFile):
    """A film of a race on its way to whoever asked for it."""

    FILE_NAME = "race-{}.mp4"
    STATES = [
        ("waits", "for the worker"),
        ("working", "is drawn"),
        ("done", "can be taken"),
        ("failed", "nothing came of it"),
    ]
    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="race_films")
    runs = models.JSONField(help_text="numbers of the runs, in the order they are shown")
    alignment = models.CharField(max_length=200)
    by = models.CharField(max_length=150)
    state = models.CharField(max_length=7, choices=STATES, default="waits")
    problem = models.CharField(max_length=300, blank=True)
    done = models.IntegerField(default=0, help_text="pictures of `total`")
    total = models.IntegerField(default=0)
    sizes = models.JSONField(default=dict, help_text="bytes of each kind of file")

    class Meta:
        ordering = ["-id"]

    def path_of(self, kind: str) -> Path:
        """Where the file of a kind is: mp4 or webm."""
        return Path(settings.UPLOADS) / f"race-{self.pk}.{kind}"

    @property
    def files(self) -> list[Path]:
        return [self.path, self.path_of("webm")]
