"""What has been worked out from the recorded streams; all of it can be worked out again."""

from __future__ import annotations

from django.db import models


class RunReading(models.Model):
    """One number of one run."""

    run = models.ForeignKey("runs.Run", models.CASCADE, related_name="readings")
    stretch = models.JSONField()
    metric = models.CharField(max_length=40)
    value = models.FloatField()
    plus_minus = models.FloatField(default=0)
    longer_than = models.BooleanField(default=False)
    warning = models.CharField(max_length=200, blank=True)
    core_version = models.CharField(max_length=20)


class StudyJudgement(models.Model):
    """The board of a study as last judged."""

    study = models.OneToOneField("studies.Study", models.CASCADE, related_name="judgement")
    board = models.JSONField()
    core_version = models.CharField(max_length=20)
    made = models.DateTimeField(auto_now=True)
