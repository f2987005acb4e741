"""A build at the gate, from when it is asked about to what came of it."""

from __future__ import annotations

from django.db import models

from yardstick_core.compare.gate import FIRST_ROUNDS, OUTCOMES, TOLERANCE


class Gate(models.Model):
    """A build held against the baseline of a study, in a study of its own.

    `asked_of` is the study whose session, terms and baseline it goes by; `study` the one that is
    measured, in which the baseline is at position 0 and the build at 1. One with `results` is
    measured elsewhere: its rounds are results that the build server brings in.
    """

    GATHERING, MEASURING, CONFIRMING, DONE = "gathering", "measuring", "confirming", "done"
    STATES = [
        (GATHERING, "its results are brought in"),
        (MEASURING, "its first rounds are measured"),
        (CONFIRMING, "a failure is held against fresh rounds"),
        (DONE, "decided"),
    ]
    asked_of = models.ForeignKey("studies.Study", models.CASCADE, related_name="gates")
    study = models.OneToOneField("studies.Study", models.CASCADE, related_name="gate")
    build = models.CharField(max_length=60)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)
    results = models.BooleanField(default=False, help_text="brought in, and not measured here")
    wanted = models.JSONField(default=list, help_text="metric and stretch of what counts; or all")
    tolerance = models.FloatField(default=TOLERANCE, help_text="percent")
    rounds = models.PositiveIntegerField(default=FIRST_ROUNDS)
    state = models.CharField(max_length=10, choices=STATES, default=MEASURING)
    first_rows = models.JSONField(default=list, help_text="as they stood before any confirming")
    fresh = models.JSONField(default=list, help_text="rounds that a failure is held against")
    rows = models.JSONField(default=list, help_text="as they stand in the end")
    outcome = models.CharField(max_length=24, choices=[(one, one) for one in OUTCOMES], blank=True)
    why = models.TextField(blank=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class BuildStart(models.Model):
    """What rigs start for every build that is held against a study.

    A build server puts each build where this finds it.
    """

    study = models.OneToOneField("studies.Study", models.CASCADE, related_name="build_start")
    program = models.CharField(max_length=120, help_text="what rigs call it")
    start = models.JSONField(help_text="wanted start command")
