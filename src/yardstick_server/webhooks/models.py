"""Addresses that an owner wants told, and what they were told."""

from __future__ import annotations

from django.db import models


class Webhook(models.Model):
    """An address of another program; what it is told is signed with `secret`."""

    workspace = models.ForeignKey("accounts.Workspace", models.CASCADE, related_name="webhooks")
    url = models.CharField(max_length=500)
    secret = models.CharField(max_length=64)
    by = models.CharField(max_length=150)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class WebhookDelivery(models.Model):
    """One thing told to one address, or not yet: the body is as it was when it happened."""

    STATES = [("waits", "to be sent"), ("sent", "taken"), ("failed", "given up")]
    webhook = models.ForeignKey(Webhook, models.CASCADE, related_name="deliveries")
    event = models.CharField(max_length=20)
    body = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=6, choices=STATES, default="waits")
    attempts = models.PositiveIntegerField(default=0)
    answer = models.CharField(max_length=200, blank=True, help_text="of the last try")

    class Meta:
        ordering = ["-id"]
