"""Workspaces, their members, the ways in, and what was changed by whom."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.conf import settings
from django.contrib.auth.models import User
from django.db import models, transaction
from django.utils import timezone


def digest(token: str) -> str:
    """What is stored of a token: enough to recognise it, not to use it."""
    return hashlib.sha256(token.encode()).hexdigest()


class Workspace(models.Model):
    """What one team sees: its subjects, rigs, studies and runs, and nobody else's."""

    name = models.CharField(max_length=120)
    film_bytes_limit = models.BigIntegerField(
        default=20 << 30, help_text="what films of its runs may take on the server"
    )


class Member(models.Model):
    """A person's place in a workspace."""

    ROLES = [("owner", "owner"), ("tester", "tester"), ("reader", "reader")]
    workspace = models.ForeignKey(Workspace, models.CASCADE, related_name="members")
    user = models.OneToOneField(settings.AUTH_USER_MODEL, models.CASCADE, related_name="member")
    role = models.CharField(max_length=10, choices=ROLES)

    @property
    def may_change(self) -> bool:
        return self.role in ("owner", "tester")


class SignInLink(models.Model):
    """A link that signs one person in, once, within an hour."""

    LIFETIME = timedelta(hours=1)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    token_digest = models.CharField(max_length=64, unique=True)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)

    @classmethod
    def make(cls, user: object) -> str:
        """A new link's token; only its digest is kept."""
        token = secrets.token_urlsafe(32)
        cls.objects.create(
            user=user, token_digest=digest(token), expires=timezone.now() + cls.LIFETIME
        )
        return token

    @classmethod
    def make_the_only(cls, user: object) -> str:
        """A new link's token; those made for the same person before are of no use any more."""
        cls.objects.filter(user=user, used=None).delete()
        return cls.make(user)

    @classmethod
    def redeem(cls, token: str) -> User | None:
        """The user a token signs in, or None where it is unknown, used or too old."""
        with transaction.atomic():
            link = (
                cls.objects.select_for_update()
                .filter(token_digest=digest(token), used=None, expires__gt=timezone.now())
                .select_related("user")
                .first()
            )
            if link is None:
                return None
            link.used = timezone.now()
            link.save(update_fields=["used"])
            return link.user


class Invitation(models.Model):
    """Asks one person into a workspace, once, within a week."""

    LIFETIME = timedelta(days=7)
    workspace = models.ForeignKey(Workspace, models.CASCADE, related_name="invitations")
    role = models.CharField(max_length=10, choices=Member.ROLES)
    whom = models.CharField(max_length=120, help_text="for the list: whom it was made for")
    token_digest = models.CharField(max_length=64, unique=True)
    by = models.CharField(max_length=150)
    created = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    used_by = models.CharField(max_length=150, blank=True)

    @classmethod
    def open(cls, token: str) -> models.QuerySet[Invitation]:
        """The invitation of a token, where it still holds."""
        return cls.objects.filter(
            token_digest=digest(token), used_by="", expires__gt=timezone.now()
        ).select_related("workspace")


class ApiToken(models.Model):
    """Lets a program in, as far as its scope goes; only its digest is kept."""

    READ, MEASURE = SCOPES = ("read", "measure")
    workspace = models.ForeignKey(Workspace, models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=8, choices=[(scope, scope) for scope in SCOPES])
    token_digest = models.CharField(max_length=64, unique=True)
    begins = models.CharField(max_length=6, help_text="by which a person recognises it")
    by = models.CharField(max_length=150)
    created = models.DateTimeField(auto_now_add=True)
    last_used = models.DateTimeField(null=True)
    revoked = models.DateTimeField(null=True)


class ShareLink(models.Model):
    """Shows one study, and nothing else, to whoever has it; only to be read."""

    study = models.ForeignKey("studies.Study", models.CASCADE, related_name="share_links")
    whom = models.CharField(max_length=120, blank=True)
    names = models.BooleanField(default=False, help_text="whether it shows which member did what")
    token_digest = models.CharField(max_length=64, unique=True)
    by = models.CharField(max_length=150)
    created = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField()
    last_used = models.DateTimeField(null=True)
    revoked = models.DateTimeField(null=True)

    @classmethod
    def holding(cls) -> models.QuerySet[ShareLink]:
        """Links that are neither revoked nor too old."""
        return cls.objects.filter(revoked=None, expires__gt=timezone.now())


class AuditEntry(models.Model):
    """One change that somebody made: who, what, of which study, with what was sent."""

    workspace = models.ForeignKey(Workspace, models.CASCADE, related_name="audit")
    at = models.DateTimeField(auto_now_add=True)
    who = models.CharField(max_length=150)
    what = models.CharField(max_length=120)
    study = models.BigIntegerField(null=True)
    path = models.CharField(max_length=200)
    sent = models.JSONField(default=dict)

    class Meta:
        indexes = [models.Index(fields=["workspace", "-id"], name="audit_newest")]
