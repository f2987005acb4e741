"""One execution of a session with one variant on one rig, and the queue of those to come."""

from __future__ import annotations

from datetime import timedelta

from django.db import models, transaction
from django.utils import timezone

from yardstick_core.match.facts import fact_of
from yardstick_core.record import OUTCOMES, PURPOSES, ROUND
from yardstick_server.inventory.models import Rig, RigFacts
from yardstick_server.studies.models import ScriptVersion

LEASE = timedelta(seconds=30)
WATCHED_FOR = timedelta(seconds=20)
#: How a run's record came to be.
MEASURED, BROUGHT_IN, BY_HAND = ORIGINS = ("measured", "brought in", "timed by hand")


class Run(models.Model):
    """A run; `state` is how far it is, `outcome` how its session ended."""

    STATES = [
        ("queued", "waits for a rig"),
        ("running", "a rig has it"),
        ("measured", "sealed, readings to come"),
        ("read", "readings derived"),
        ("withdrawn", "taken back before it ran"),
    ]
    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="runs")
    variant = models.ForeignKey("studies.StudyVariant", models.PROTECT, related_name="runs")
    script = models.ForeignKey("studies.ScriptVersion", models.PROTECT, related_name="runs")
    round = models.IntegerField()
    order_in_round = models.IntegerField()
    cold = models.BooleanField(default=False)
    state = models.CharField(max_length=10, choices=STATES, default="queued")
    outcome = models.CharField(max_length=12, choices=[(o, o) for o in OUTCOMES], blank=True)
    detail = models.TextField(blank=True)
    rig = models.ForeignKey("inventory.Rig", models.PROTECT, null=True, related_name="runs")
    facts = models.ForeignKey("inventory.RigFacts", models.PROTECT, null=True)
    moment = models.JSONField(
        default=dict, help_text="facts of the rig that pass by themselves, as this run began"
    )
    conditions = models.JSONField(
        default=dict, help_text="preconditions, settings and work, read from its journal"
    )
    purpose = models.CharField(
        max_length=7, choices=[(purpose, purpose) for purpose in PURPOSES], default=ROUND
    )
    abort_asked = models.BooleanField(default=False)
    lease_until = models.DateTimeField(null=True)
    started = models.DateTimeField(null=True)
    ended = models.DateTimeField(null=True)
    progress = models.JSONField(default=dict)
    level = models.CharField(max_length=60, blank=True, help_text="of the script's ladder")
    unread = models.CharField(
        max_length=300, blank=True, help_text="why its record was set aside and is not read"
    )
    repeats = models.ForeignKey("self", models.SET_NULL, null=True, related_name="repeated_by")
    origin = models.CharField(
        max_length=14, choices=[(origin, origin) for origin in ORIGINS], default=MEASURED
    )
    import_source = models.JSONField(
        default=dict, help_text="of a run that was brought in: its file"
    )
    acceptance_reason = models.CharField(
        max_length=450,
        blank=True,
        help_text="why a run that was brought in counts, and who says so",
    )
    left_out = models.CharField(max_length=300, blank=True, help_text="why it does not count")
    left_out_by = models.CharField(max_length=150, blank=True)

    class Meta:
        ordering = ["round", "order_in_round"]
        constraints = [
            models.UniqueConstraint(
                fields=["study", "round", "order_in_round"], name="run_place_once"
            )
        ]
        indexes = [models.Index(fields=["state", "id"])]

    @classmethod
    def take_next(cls, rig: Rig) -> Run | None:
        """The next queued run of the rig's workspace, now leased to it; None where none waits."""
        if rig.paused:
            return None
        with transaction.atomic():
            run = (
                cls.objects.select_for_update(skip_locked=True, of=("self",))
                .filter(_for(rig), state="queued", study__workspace=rig.workspace)
                .exclude(script__in=unconfirmed_scripts(rig))
                .select_related("study")
                .order_by("id")
                .first()
            )
            if run is None:
                run = cls.requeue_lost_run(rig)
            elif run.study.part_of_id or run.study.parts.exists():
                run = cls._next_of_set(run, rig)
            if run is None or resting(run, rig):
                return None
            run.state, run.rig, run.started = "running", rig, timezone.now()
            run.lease_until = timezone.now() + LEASE
            run.save(update_fields=["state", "rig", "started", "lease_until"])
            return run

    @classmethod
    def _next_of_set(cls, first: Run, rig: Rig) -> Run:
        """Of a set of sessions the run of the earliest round: rounds go over all sessions."""
        root = first.study.part_of_id or first.study_id
        of_set = models.Q(study=root) | models.Q(study__part_of=root)
        found = (
            cls.objects.select_for_update(skip_locked=True, of=("self",))
            .filter(of_set, _for(rig), state="queued", study__workspace=rig.workspace)
            .exclude(script__in=unconfirmed_scripts(rig))
            .select_related("study")
            .order_by("round", "study_id", "order_in_round")
            .first()
        )
        return found or first

    @classmethod
    def requeue_lost_run(cls, rig: Rig) -> Run | None:
        """A new run for one whose rig has been silent for longer than its lease.

        The lost one is left out with that reason; where its rig returns, its record is still taken.
        """
        lost = (
            cls.objects.select_for_update(skip_locked=True, of=("self",))
            .filter(
                run_out(), _for(rig), state="running", study__workspace=rig.workspace,
                repeated_by__isnull=True,
            )
            .exclude(rig=rig)
            .filter(_not_restarting())
            .order_by("id")
            .first()
        )  # fmt: skip
        if lost is None:
            return None
        last = max(
            lost.study.runs.filter(round=lost.round).values_list("order_in_round", flat=True)
        )
        run = cls.objects.create(
            study=lost.study, variant=lost.variant, script=lost.script, round=lost.round,
            order_in_round=last + 1, cold=lost.cold, level=lost.level, repeats=lost,
            purpose=lost.purpose,
        )  # fmt: skip
        lost.left_out = f"its rig fell silent; run {run.pk} took its place"
        lost.save(update_fields=["left_out"])
        return run

    def keep_facts(self, facts: dict[str, object]) -> None:
        """Freeze what its rig found out about itself; saving is left to the caller."""
        self.facts = RigFacts.keep(self.rig, facts) if facts else None
        self.moment = {key: value for key, value in facts.items() if fact_of(key).passing}

    @property
    def known_facts(self) -> dict[str, object]:
        """What is known of its rig as it was measured: what lasts, and what passes."""
        return {**(self.facts.facts if self.facts else {}), **self.moment}

    @property
    def sealed(self) -> bool:
        """Whether its record is whole and will not change any more."""
        return self.state in ("measured", "read")

    @property
    def silent(self) -> bool:
        """Whether its rig has not been heard of for longer than the lease."""
        if self.state != "running" or self.lease_until is None:
            return False
        now = timezone.now()
        return not now <= self.lease_until <= now + 2 * LEASE


def _for(rig: Rig) -> models.Q:
    """Runs of studies that are measured on this rig, or on any."""
    return models.Q(study__rig=None) | models.Q(study__rig=rig)


def _not_restarting() -> models.Q:
    """Runs whose rig has not said that it is restarted within the session, or is overdue."""
    until = timezone.now().timestamp()
    return models.Q(progress__restarting_until__isnull=True) | models.Q(
        progress__restarting_until__lte=until
    )


def run_out() -> models.Q:
    """Leases that have run out, or reach further than any can: then the clock was set back."""
    now = timezone.now()
    return models.Q(lease_until__lt=now) | models.Q(lease_until__gt=now + 2 * LEASE)


def unconfirmed_scripts(rig: Rig) -> list[int]:
    """Versions of scripts with queued runs that ask for something nobody confirmed for the rig."""
    confirmed = set(rig.confirmations.values_list("text", flat=True))
    waiting = ScriptVersion.objects.filter(
        runs__state="queued", study__workspace=rig.workspace
    ).distinct()
    return [version.pk for version in waiting if not set(version.confirms) <= confirmed]


def resting(run: Run, rig: Rig) -> bool:
    """Whether the plan of a run's study wants the rig to rest before it takes the run."""
    rest = timedelta(seconds=run.study.plan.rest_s)
    last = Run.objects.filter(rig=rig, ended__isnull=False).order_by("-ended").first()
    return bool(rest) and last is not None and last.ended + rest > timezone.now()


class RunPicture(models.Model):
    """A picture kept with a run: the screen at its end, what differed from what was expected."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="pictures")
    name = models.CharField(max_length=60)
    content = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "name"], name="run_picture_once")]


FINDING_KINDS = ["crash", "artefact", "wrong result", "feel", "remark"]


class Finding(models.Model):
    """A person's note on a moment or stretch of a run, perhaps with a picture (PNG)."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="findings")
    at_ns = models.BigIntegerField()
    until_ns = models.BigIntegerField(null=True)
    kind = models.CharField(max_length=12, choices=[(kind, kind) for kind in FINDING_KINDS])
    text = models.TextField()
    picture = models.BinaryField(default=b"")
    by = models.CharField(max_length=150)
    created = models.DateTimeField(auto_now_add=True)
    withdrawn = models.BooleanField(default=False)

    class Meta:
        ordering = ["at_ns", "id"]


class Rehearsal(models.Model):
    """A script played once to see whether it works, or drafted; never a measurement."""

    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="rehearsals")
    variant = models.ForeignKey("studies.StudyVariant", models.CASCADE)
    kind = models.CharField(
        max_length=5, default="play", help_text="play, or draft: a person works"
    )
    text = models.TextField()
    state = models.CharField(max_length=6, default="waits")
    rig = models.ForeignKey("inventory.Rig", models.SET_NULL, null=True)
    line = models.IntegerField(default=0)
    elapsed_ns = models.BigIntegerField(default=0)
    outcome = models.CharField(max_length=12, blank=True)
    detail = models.TextField(blank=True)
    timings = models.JSONField(default=list)
    picture = models.BinaryField(default=b"")
    pictures = models.IntegerField(default=0)
    stop_asked = models.BooleanField(default=False)
    step_by_step = models.BooleanField(default=False)
    allowed = models.IntegerField(default=0, help_text="lines it may play, step by step")
    waits = models.BooleanField(default=False, help_text="waits to be let on to the next line")
    windows = models.JSONField(default=list)
    hands = models.JSONField(default=list, help_text="what a person does, to be done on the rig")
    heard = models.IntegerField(default=0, help_text="keys and buttons heard on the rig")
    draft = models.TextField(blank=True)
    keep_state = models.CharField(
        max_length=7, blank=True, help_text="keep the home it leaves: for its variant, or for all"
    )
    state_detail = models.TextField(blank=True, help_text="what became of keeping it")
    created = models.DateTimeField(auto_now_add=True)
    watched = models.DateTimeField(default=timezone.now, help_text="when somebody last looked")

    @property
    def alone(self) -> bool:
        """Whether nobody watches any more: then it is over, for it keeps a rig from measuring."""
        return timezone.now() - self.watched > WATCHED_FOR
