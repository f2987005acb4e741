"""A study and what it consists of."""

from __future__ import annotations

import hashlib

from django.db import models, transaction
from django.db.models import Max

from yardstick_core.compare.claims import SIDES
from yardstick_core.plan import round_order
from yardstick_core.script import parse


class MissingFixture(ValueError):
    """The script names a fixture that the workspace does not have."""


class Study(models.Model):
    """A question about variants of one subject."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="studies")
    subject = models.ForeignKey("inventory.Subject", models.PROTECT)
    question = models.CharField(max_length=200)
    why = models.TextField(blank=True)
    factor = models.CharField(max_length=60)
    created = models.DateTimeField(auto_now_add=True)

    @property
    def variants(self) -> list[StudyVariant]:
        return list(self.study_variants.select_related("variant").order_by("position"))

    @property
    def script(self) -> ScriptVersion:
        return self.scripts.order_by("-number").first()

    def keep_script(self, text: str) -> ScriptVersion:
        """A new version, unless the text is that of the newest.

        Raises ScriptError for a script with mistakes, MissingFixture for an unknown fixture.
        """
        script = parse(text)
        have = set(self.workspace.fixtures.values_list("name", flat=True))
        missing = [fixture.file for fixture in script.fixtures if fixture.file not in have]
        if missing:
            raise MissingFixture(f"no fixture is called {', '.join(missing)}")
        sha256 = hashlib.sha256(text.encode()).hexdigest()
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=self.pk)
            newest = self.script
            if newest is not None and newest.sha256 == sha256:
                return newest
            number = newest.number + 1 if newest else 1
            return self.scripts.create(number=number, text=text, sha256=sha256)

    def add_rounds(self, count: int) -> list[int]:
        """Queue rounds in which every variant runs once, in balanced order; their numbers.

        The first round of a study is cold: it is kept apart and not compared with warm ones.
        """
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=self.pk)
            last = self.runs.aggregate(last=Max("round"))["last"]
            first = 0 if last is None else last + 1
            numbers = list(range(first, first + count + (1 if last is None else 0)))
            variants, script = self.variants, self.script
            for number in numbers:
                for place, index in enumerate(round_order(len(variants), number)):
                    self.runs.create(
                        variant=variants[index],
                        script=script,
                        round=number,
                        place=place,
                        cold=number == 0,
                    )
        return numbers


class StudyVariant(models.Model):
    """A variant's part in a study; position 0 is the baseline."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="study_variants")
    variant = models.ForeignKey("inventory.Variant", models.PROTECT)
    position = models.IntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "position"], name="study_position_once"),
            models.UniqueConstraint(fields=["study", "variant"], name="study_variant_once"),
        ]


class ScriptVersion(models.Model):
    """A session script as it was when runs were measured with it; never changed."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="scripts")
    number = models.IntegerField()
    text = models.TextField()
    sha256 = models.CharField(max_length=64)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "number"], name="script_number_once")
        ]


class Claim(models.Model):
    """A prediction or promise about a candidate, put to the test; the core words and judges it."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="claims")
    variant = models.ForeignKey(StudyVariant, models.CASCADE)
    stretch = models.JSONField()
    metric = models.CharField(max_length=40)
    side = models.CharField(max_length=8, choices=[(side, side) for side in SIDES])
    amount = models.FloatField()
    source = models.CharField(max_length=200, blank=True)
    created = models.DateTimeField(auto_now_add=True)
