"""A study and what it consists of."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

from django.db import models, transaction
from django.db.models import Max, Min

from yardstick_core import plan as core_plan
from yardstick_core.compare import materiality
from yardstick_core.compare import profiles as core_profiles
from yardstick_core.compare.claims import SIDES
from yardstick_core.record import CHECK, CONTROL, FILMED, ROUND
from yardstick_core.script import at_every_level, parse
from yardstick_core.script.model import Confirm, Ladder
from yardstick_core.script.starting_points import StartingPoint, compose
from yardstick_server.accounts.models import Workspace
from yardstick_server.inventory.models import Subject, Variant
from yardstick_server.shelf import Shelved, active


@lru_cache(maxsize=512)
def fixture_files(text: str) -> tuple[str, ...]:
    """Files that a script works on, at every level of its ladder. Raises ScriptError."""
    scripts = at_every_level(text)
    return tuple(dict.fromkeys(f.file for script in scripts for f in script.fixtures))


class MissingFixture(ValueError):
    """The script names a fixture that the workspace does not have."""


class Study(Shelved):
    """A question about variants of one subject; measured on one rig where one is chosen."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="studies")
    subject = models.ForeignKey("inventory.Subject", models.PROTECT)
    question = models.CharField(max_length=200)
    why = models.TextField(blank=True)
    factor = models.CharField(max_length=60, blank=True)
    rig = models.ForeignKey("inventory.Rig", models.SET_NULL, null=True)
    demonstration = models.BooleanField(default=False)
    baseline = models.IntegerField(default=0, help_text="position of the variant compared with")
    created = models.DateTimeField(auto_now_add=True)
    part_of = models.ForeignKey(
        "self", models.CASCADE, null=True, related_name="parts",
        help_text="the study whose set of sessions this is one of",
    )  # fmt: skip
    second_factor = models.CharField(
        max_length=60, blank=True, help_text="crossed with the first; empty where there is none"
    )
    missing_cells = models.JSONField(
        default=list, help_text="of crossed factors: both levels, and why nothing is measured there"
    )
    day_share = models.FloatField(null=True, help_text="of a user's day its session is, percent")

    def save(self, *args: Any, **kwargs: Any) -> None:
        """A new study has a plan with the usual values from its first moment."""
        new = self._state.adding
        with transaction.atomic():
            super().save(*args, **kwargs)
            if new:
                StudyPlan.objects.create(study=self)

    @classmethod
    def ask(cls, workspace: Workspace, question: str) -> Study:
        """A new question of which nothing else is known yet; its session only launches."""
        with transaction.atomic():
            subject = Subject.objects.create(workspace=workspace, name="")
            made = cls.objects.create(workspace=workspace, subject=subject, question=question)
            made.keep_script(compose(StartingPoint()))
        return made

    @property
    def session_set(self) -> list[Study]:
        """All sessions of the set that it belongs to, the first one first; at least itself."""
        root = self.part_of or self
        return [root, *root.parts.filter(deleted_at=None).order_by("pk")]

    def add_session(self) -> Study:
        """One more session of the set: the same variants, and a script to be changed."""
        root = self.part_of or self
        made = root.another(root.question)
        made.why, made.part_of, made.demonstration = root.why, root, root.demonstration
        made.save(update_fields=["why", "part_of", "demonstration"])
        return made

    @property
    def variants(self) -> list[StudyVariant]:
        return list(self.study_variants.select_related("variant").order_by("position"))

    @property
    def started_variants(self) -> list[StudyVariant]:
        """Those that rigs start; the others were measured elsewhere, and are brought in."""
        return [part for part in self.variants if part.variant.program]

    @property
    def script(self) -> ScriptVersion:
        return self.scripts.order_by("-number").first()

    def keep_script(self, text: str) -> ScriptVersion:
        """A new version, unless the text is that of the newest.

        Raises ScriptError for a script with mistakes, MissingFixture for an unknown fixture.
        """
        have = set(self.workspace.fixtures.filter(**active()).values_list("name", flat=True))
        missing = [file for file in fixture_files(text) if file not in have]
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

    def another(self, question: str, variants: Sequence[Variant] = ()) -> Study:
        """A new study with the same session, terms, profiles and plan.

        Of the same variants, or of others, the first of which is then its baseline.
        """
        with transaction.atomic():
            made = Study.objects.create(
                workspace=self.workspace, subject=self.subject, question=question,
                factor=self.factor, baseline=0 if variants else self.baseline, rig=self.rig,
            )  # fmt: skip
            for position, variant in enumerate(variants):
                made.study_variants.create(variant=variant, position=position)
            for part in self.variants if not variants else ():
                made.study_variants.create(
                    variant=part.variant, position=part.position,
                    first_level=part.first_level, second_level=part.second_level,
                )  # fmt: skip
            if not variants:
                made.second_factor, made.missing_cells = self.second_factor, self.missing_cells
                made.save(update_fields=["second_factor", "missing_cells"])
            made.keep_script(self.script.text)
            terms = list(self.materiality_rules.all())
            for term in terms:
                term.after = 0  # of the new study nobody has read a run
            for kept in (*terms, *self.profiles.filter(**active())):
                kept.pk, kept.study = None, made
                kept._state.adding = True
                kept.save()
            plan = self.plan
            StudyPlan.objects.filter(study=made).update(
                stop=plan.stop, rounds=plan.rounds, precision=plan.precision,
                cap=plan.cap, cold_rounds=plan.cold_rounds, order=plan.order, rest_s=plan.rest_s,
                background_cpu_limit=plan.background_cpu_limit,
                background_cpu_limit_set=plan.background_cpu_limit_set,
                control_rounds=plan.control_rounds,
            )  # fmt: skip
        return made

    def another_set(self, question: str) -> Study:
        """A new study like this one; of the first of a set, with all its sessions."""
        with transaction.atomic():
            made = self.another(question)
            if self.part_of is None:
                for part in self.session_set[1:]:
                    one = part.another(question)
                    one.part_of, one.day_share = made, part.day_share
                    one.save(update_fields=["part_of", "day_share"])
                made.day_share = self.day_share
                made.save(update_fields=["day_share"])
        return made

    @property
    def plan(self) -> StudyPlan:
        """The study's plan; asked anew each time, for rounds and persons change it meanwhile."""
        return StudyPlan.objects.get(study=self)

    @property
    def terms(self) -> materiality.MaterialityRules:
        return materiality.MaterialityRules(
            materiality.MaterialityRule(
                term.metric,
                tuple(term.stretch),
                term.share,
                term.amount,
                term.counts,
                term.family_role,
            )
            for term in self.materiality_rules.all()
        )

    @property
    def deciding(self) -> list[materiality.MetricOfStretch]:
        """The metrics that the question is about, as persons named them."""
        return [
            (term.metric, tuple(term.stretch))
            for term in self.materiality_rules.all()
            if term.decides
        ]

    @property
    def first_warm_round(self) -> int:
        """Number of the first round that counts, for persons: the cold ones stand before it."""
        return self.runs.filter(cold=True).values("round").distinct().count()

    def round_order(self, number: int) -> list[int]:
        """Positions of the variants in the order of their turns in a round."""
        variants = self.study_variants.count()
        return list(core_plan.round_order(variants, number, self.plan.order))

    def next_rounds(self, count: int) -> list[tuple[int, bool, list[int]]]:
        """The next rounds as they would be queued: number, whether cold, variants in order."""
        plan = self.plan.core()
        last = self.runs.aggregate(last=Max("round"))["last"]
        first = 0 if last is None else max(0, last + 1)  # runs brought in are of rounds below 0
        cold = max(0, plan.cold_rounds - first)
        started = [part.position for part in self.started_variants]
        return [
            (
                number,
                number < plan.cold_rounds,
                [started[n] for n in core_plan.round_order(len(started), number, plan.order)],
            )
            for number in range(first, first + cold + count)
        ]

    def add_rounds(self, count: int) -> list[int]:
        """Queue rounds in which every variant that rigs start runs once; their numbers.

        The plan's cold rounds come first: they are kept apart and not compared with warm ones.
        """
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=self.pk)
            rounds = self.next_rounds(count)
            variants, script = self.variants, self.script
            controls = self._controls_wanted()
            for number, cold, order in rounds:
                turns = core_plan.turns(order, script.levels, number)
                planned = [(turn, ROUND) for turn in turns]
                if controls and not cold:
                    planned += [(turn, CONTROL) for turn in turns]
                    controls -= 1
                for place, ((index, level), purpose) in enumerate(planned):
                    self.runs.create(
                        variant=variants[index], script=script, round=number, order_in_round=place,
                        cold=cold, level=level, purpose=purpose,
                    )  # fmt: skip
            if self._films_wanted():
                self.add_films()
        return [number for number, _, _ in rounds]

    def _controls_wanted(self) -> int:
        """How many of the next warm rounds also take control runs."""
        had = self.runs.filter(purpose=CONTROL).exclude(state="withdrawn")
        return max(0, self.plan.control_rounds - had.values("round").distinct().count())

    def _films_wanted(self) -> bool:
        """Whether the plan asks for filmed runs, and there have been none."""
        had = self.runs.filter(purpose=FILMED).exclude(state="withdrawn")
        return self.plan.film and not had.exists()

    def add_checks(self, variant: StudyVariant, count: int) -> list[int]:
        """Queue a variant anew, outside of the rounds; the runs."""
        return self._add_apart(CHECK, [variant] * count)

    def add_films(self) -> list[int]:
        """Queue a filmed run of each variant that rigs start, outside of the rounds; the runs."""
        return self._add_apart(FILMED, self.started_variants)

    def _add_apart(self, purpose: str, variants: list[StudyVariant]) -> list[int]:
        """Queue runs outside of the rounds, in this order; the runs."""
        with transaction.atomic():
            Study.objects.select_for_update().get(pk=self.pk)
            least = min(self.runs.aggregate(least=Min("round"))["least"] or 0, 0)
            return [
                self.runs.create(
                    variant=variant, script=self.script, round=least - 1, order_in_round=place,
                    purpose=purpose, level=self.script.levels[0],
                ).pk
                for place, variant in enumerate(variants)
            ]  # fmt: skip


class StudyPlan(models.Model):
    """How a study is measured and how far its plan is; the core says what each value means."""

    STATES = [
        ("ready", "not started"),
        ("running", "queues rounds by itself"),
        ("stopped", "stopped by a person"),
        ("ended", "ended by itself"),
    ]
    study = models.OneToOneField(Study, models.CASCADE, related_name="kept_plan")
    stop = models.CharField(max_length=10, default=core_plan.DECIDED)
    rounds = models.IntegerField(default=8)
    precision = models.FloatField(default=3.0)
    cap = models.IntegerField(default=20)
    cold_rounds = models.IntegerField(default=1)
    order = models.CharField(max_length=12, default=core_plan.BALANCED)
    rest_s = models.FloatField(default=0)
    control_rounds = models.IntegerField(
        default=0, help_text="warm rounds in which each variant also runs once without sampling"
    )
    film = models.BooleanField(
        default=False, help_text="one run more of each variant is filmed, and compared with nothing"
    )
    background_cpu_limit = models.FloatField(
        default=core_plan.BACKGROUND_CPU_LIMIT,
        help_text="share of the machine others may take, percent; a run with more is repeated",
    )
    background_cpu_limit_set = models.BooleanField(
        default=False, help_text="by a person; else it is taken from what the rig shows when idle"
    )
    added = models.BooleanField(default=False)
    state = models.CharField(max_length=8, choices=STATES, default="ready")
    reason = models.CharField(max_length=400, blank=True)
    looks = models.JSONField(default=list)

    def core(self) -> core_plan.Plan:
        return core_plan.Plan(
            self.stop, self.rounds, self.precision, self.cap, self.cold_rounds, self.order,
            self.rest_s, self.added,
        )  # fmt: skip


class MaterialityRule(models.Model):
    """A study's own word on what counts: of one stretch, or of all where it is empty."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="materiality_rules")
    metric = models.CharField(max_length=40)
    stretch = models.JSONField(default=list)
    share = models.FloatField(null=True)
    amount = models.FloatField(null=True)
    counts = models.BooleanField(default=True)
    decides = models.BooleanField(default=False, help_text="the question is about it")
    family_role = models.CharField(
        max_length=8, blank=True, help_text="among the metrics that say the same fact"
    )
    by = models.CharField(max_length=150, blank=True)
    after = models.PositiveIntegerField(
        default=0, help_text="runs that had been read when it was last changed"
    )

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "metric", "stretch"], name="term_once")
        ]

    @property
    def values(self) -> tuple[float | None, float | None, bool, bool, str]:
        """Everything that a person sets by it."""
        return self.share, self.amount, self.counts, self.decides, self.family_role


class StudyProfile(Shelved):
    """What counts for one kind of user of the subject; the core recommends by it."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="profiles")
    name = models.CharField(max_length=80)
    about = models.CharField(max_length=300, blank=True)
    weights = models.JSONField(default=list)
    limits = models.JSONField(default=list)

    class Meta:
        ordering = ["id"]

    def core(self) -> core_profiles.Profile:
        return core_profiles.Profile(
            self.name,
            self.about,
            tuple(
                core_profiles.Weight(w["metric"], tuple(w["stretch"]), w["weight"])
                for w in self.weights
            ),
            tuple(
                core_profiles.Limit(m["metric"], tuple(m["stretch"]), m.get("tolerance"))
                for m in self.limits
            ),
        )


#: Whether a variant works, as people say it.
WORKS = ("works", "works with a remark", "cannot open", "does not start")


class StudyVariant(models.Model):
    """A variant's part in a study; position 0 is the baseline."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="study_variants")
    variant = models.ForeignKey("inventory.Variant", models.PROTECT)
    position = models.IntegerField()
    first_level = models.CharField(max_length=60, blank=True, help_text="of crossed factors")
    second_level = models.CharField(max_length=60, blank=True)
    works = models.CharField(
        max_length=24,
        blank=True,
        choices=[(one, one) for one in WORKS],
        help_text="a person's word on whether it works; else what its runs say",
    )
    works_note = models.CharField(max_length=300, blank=True)
    works_by = models.CharField(max_length=150, blank=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["study", "position"], name="study_position_once"),
            models.UniqueConstraint(fields=["study", "variant"], name="study_variant_once"),
        ]


class WorksPicture(models.Model):
    """A picture (PNG) beside a person's word on whether a variant works."""

    variant = models.OneToOneField(StudyVariant, models.CASCADE, related_name="works_picture")
    content = models.BinaryField()


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

    @property
    def ladder(self) -> Ladder | None:
        return parse(self.text).ladder

    @property
    def levels(self) -> tuple[str, ...]:
        """Levels of its ladder; one without a name where it has none."""
        ladder = self.ladder
        return ladder.levels if ladder else ("",)

    @property
    def confirms(self) -> list[str]:
        """What persons must have confirmed for a rig that is to play it."""
        return [wanted.text for wanted in parse(self.text).before if isinstance(wanted, Confirm)]


class Waiver(models.Model):
    """A person's word on something that was not alike; it holds for just what was found then."""

    study = models.ForeignKey(Study, models.CASCADE, related_name="waivers")
    identity = models.CharField(max_length=16)
    text = models.TextField(help_text="what was found, as it was said then")
    reason = models.CharField(max_length=400)
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["study", "identity"], name="settled_once")]


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


class KeptJob(models.Model):
    """Work of a day, a week or a whole job that a study's difference was projected onto.

    `asked` is what a person said of it; what it comes to is worked out anew wherever it is shown.
    """

    study = models.ForeignKey(
        Study, models.CASCADE, related_name="jobs", help_text="the first one of its set"
    )
    asked = models.JSONField()
    by = models.CharField(max_length=150)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
