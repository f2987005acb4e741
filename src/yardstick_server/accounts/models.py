"""Workspaces, their members, and links that sign a person in once."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.conf import settings
from django.db import models, transaction
from django.utils import timezone


def digest(token: str) -> str:
    """What is stored of a token: enough to recognise it, not to use it."""
    return hashlib.sha256(token.encode()).hexdigest()


class Workspace(models.Model):
    """What one team sees: its subjects, rigs, studies and runs, and nobody else's."""

    name = models.CharField(max_length=120)


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
    def redeem(cls, token: str) -> object | None:
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
