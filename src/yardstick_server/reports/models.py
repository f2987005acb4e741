"""A study's report as persons arrange it, and those that were issued."""

from __future__ import annotations

from datetime import datetime
from typing import TypedDict

from django.db import models

from yardstick_core.report.sections import Arrangement


class ReportDraft(models.Model):
    """How the report of a study is arranged: sections in order, off or on, words of one's own.

    `words` are, by section, the Markdown and who wrote it last. `revision` counts changes, so that
    two who work at once do not write over one another.
    """

    study = models.OneToOneField("studies.Study", models.CASCADE, related_name="report_draft")
    order = models.JSONField(default=list)
    on = models.JSONField(default=list, help_text="sections that are usually left out")
    off = models.JSONField(default=list, help_text="sections that are usually in")
    words = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=0)

    @property
    def arrangement(self) -> Arrangement:
        return Arrangement(
            tuple(self.order),
            frozenset(self.on),
            frozenset(self.off),
            {key: (one["text"], one["by"]) for key, one in self.words.items()},
        )


class Heading(TypedDict):
    """What stands above a report wherever it is read."""

    number: int
    at: datetime
    by: str
    digest: str
    withdrawn: datetime | None
    withdrawn_by: str
    withdrawn_reason: str


class IssuedReport(models.Model):
    """A report as it went out: frozen, numbered within its study; withdrawn with a reason, never
    edited."""

    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="issued_reports")
    number = models.PositiveIntegerField()
    at = models.DateTimeField(auto_now_add=True)
    by = models.CharField(max_length=150)
    document = models.JSONField()
    results = models.JSONField(help_text="all numbers it rests on")
    gist = models.JSONField(help_text="what it says in short, for later ones")
    digest = models.CharField(max_length=64, help_text="SHA-256 of what it rests on")
    withdrawn = models.DateTimeField(null=True)
    withdrawn_by = models.CharField(max_length=150, blank=True)
    withdrawn_reason = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["-number"]
        constraints = [
            models.UniqueConstraint(fields=["study", "number"], name="report_number_once")
        ]

    @property
    def heading(self) -> Heading:
        """What stands above it wherever it is read."""
        return {
            "number": self.number,
            "at": self.at,
            "by": self.by,
            "digest": self.digest,
            "withdrawn": self.withdrawn,
            "withdrawn_by": self.withdrawn_by,
            "withdrawn_reason": self.withdrawn_reason,
        }
