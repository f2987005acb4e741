"""Addresses of other programs that are told when a plan ends or a build is decided."""

from __future__ import annotations

import secrets
from urllib.parse import urlsplit

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.api.base import OwnerView
from yardstick_server.api.bodies import validated
from yardstick_server.webhooks.models import Webhook, WebhookDelivery
from yardstick_server.webhooks.sending import TRIED
from yardstick_server.webhooks.tasks import deliver

MOST, SHOWN = 20, 5


class NewWebhookSerializer(serializers.Serializer):
    url = serializers.CharField(max_length=500)

    def validate_url(self, url: str) -> str:
        try:
            parts = urlsplit(url)
            _ = parts.port
        except ValueError as error:
            raise ValidationError("this is no address") from error
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise ValidationError("an address begins with http:// or https://")
        if parts.username or parts.password or parts.fragment:
            raise ValidationError("an address has no password and no part after #")
        return url


class DeliverySerializer(serializers.Serializer):
    event = serializers.CharField()
    created = serializers.DateTimeField()
    state = serializers.ChoiceField(choices=WebhookDelivery.STATES)
    attempts = serializers.IntegerField()
    answer = serializers.CharField()


class WebhookSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    url = serializers.CharField()
    by = serializers.CharField()
    created = serializers.DateTimeField()
    deliveries = DeliverySerializer(many=True, help_text="the last few")


class MadeWebhookSerializer(serializers.Serializer):
    secret = serializers.CharField(help_text="what it is told is signed with; shown this once")


def _body(webhook: Webhook) -> dict[str, object]:
    return {
        "id": webhook.pk, "url": webhook.url, "by": webhook.by, "created": webhook.created,
        "deliveries": webhook.deliveries.all()[:SHOWN],
    }  # fmt: skip


class WebhooksView(OwnerView):
    @extend_schema(
        responses=WebhookSerializer(many=True), summary="Addresses told when a plan ends"
    )
    def get(self, request: Request) -> Response:
        found = [_body(webhook) for webhook in self.workspace.webhooks.all()]
        return Response(WebhookSerializer(found, many=True).data)

    @extend_schema(
        request=NewWebhookSerializer,
        responses={201: MadeWebhookSerializer},
        summary="Have an address told when a plan ends or a build is decided",
    )
    def post(self, request: Request) -> Response:
        url = validated(NewWebhookSerializer, request.data)["url"]
        if self.workspace.webhooks.count() >= MOST:
            raise ValidationError(f"{MOST} addresses are told already: take one out first")
        secret = secrets.token_urlsafe(32)
        self.workspace.webhooks.create(url=url, secret=secret, by=request.user.get_username())
        return Response({"secret": secret}, status=201)


class WebhookView(OwnerView):
    @extend_schema(responses={204: None}, summary="Tell an address nothing more")
    def delete(self, request: Request, webhook: int) -> Response:
        found = get_object_or_404(self.workspace.webhooks, pk=webhook)
        self.about = {"url": found.url}
        found.delete()
        return Response(status=204)


class TryWebhook(OwnerView):
    @extend_schema(
        request=None, responses={201: DeliverySerializer}, summary="Tell an address something now"
    )
    def post(self, request: Request, webhook: int) -> Response:
        found = get_object_or_404(self.workspace.webhooks, pk=webhook)
        made = found.deliveries.create(event=TRIED, body={"event": TRIED})
        deliver.defer(delivery=made.pk)
        self.about = {"url": found.url}
        return Response(DeliverySerializer(made).data, status=201)
