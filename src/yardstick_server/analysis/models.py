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
    right_censored = models.BooleanField(default=False)
    warning = models.CharField(max_length=200, blank=True)
    core_version = models.CharField(max_length=20)


class StudyJudgement(models.Model):
    """The board of a study as last judged, and what its answers were before."""

    study = models.OneToOneField("studies.Study", models.CASCADE, related_name="judgement")
    board = models.JSONField()
    summary = models.JSONField(default=dict, help_text="what of the board stands in short")
    verdicts_before = models.JSONField(
        default=dict, help_text="of each answer, its verdict before it last changed, and when"
    )
    verdicts_changed = models.DateTimeField(
        null=True, help_text="when a verdict on what decides last changed"
    )
    core_version = models.CharField(max_length=20)
    made = models.DateTimeField(auto_now=True)


class ShownNumber(models.Model):
    """A number that a program only showed: what was read from its picture, and who settled it.

    `doubt` says why a person is asked; `at` is set once one has answered, and `value` is theirs
    then, none where there was nothing to read.
    """

    run = models.ForeignKey("runs.Run", models.CASCADE, related_name="shown")
    path = models.JSONField()
    unit = models.CharField(max_length=20)
    higher_is_better = models.BooleanField()
    picture = models.CharField(max_length=60, blank=True)
    text = models.CharField(max_length=200, blank=True)
    proposal = models.FloatField(null=True)
    value = models.FloatField(null=True)
    plus_minus = models.FloatField(default=0)
    doubt = models.CharField(max_length=200, blank=True)
    by = models.CharField(max_length=150, blank=True)
    at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "path"], name="shown_number_once")]

    @property
    def settled(self) -> bool:
        """Whether it counts as it stands: read without doubt, or by a person."""
        return not self.doubt or self.at is not None
