"""The job of telling an address, tried again for about a day and a half."""

from __future__ import annotations

from procrastinate import RetryStrategy
from procrastinate.contrib.django import app

MOST_ATTEMPTS = 8


@app.task(retry=RetryStrategy(max_attempts=MOST_ATTEMPTS, exponential_wait=4))
def deliver(delivery: int) -> None:
    """Send what waits; given up after the last attempt, or where the address is gone."""
    from yardstick_server.webhooks.models import WebhookDelivery
    from yardstick_server.webhooks.sending import NotTaken, send

    found = WebhookDelivery.objects.select_related("webhook").filter(pk=delivery).first()
    if found is None or found.state != "waits":
        return
    try:
        send(found)
    except NotTaken:
        if found.attempts > MOST_ATTEMPTS:
            WebhookDelivery.objects.filter(pk=delivery).update(state="failed")
            return
        raise
