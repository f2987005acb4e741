"""Notes what is to be told, and tells it: one POST of JSON, signed, without following anybody."""

from __future__ import annotations

import hashlib
import hmac
import json
import time
from typing import Any

import httpx

from yardstick_server.accounts.models import Workspace
from yardstick_server.webhooks.models import WebhookDelivery

PLAN_ENDED, GATE_DECIDED, TRIED = "plan ended", "gate decided", "tried"
TIMEOUT_S = 10.0
#: So many past deliveries of an address are kept.
KEPT = 50


class NotTaken(Exception):
    """The address did not take it: it is tried again."""


def tell(workspace: Workspace, event: str, about: dict[str, Any]) -> None:
    """Tell every address of a workspace, once what is being done has been committed."""
    from yardstick_server.webhooks.tasks import deliver

    for webhook in workspace.webhooks.all():
        made = webhook.deliveries.create(event=event, body={"event": event, **about})
        deliver.defer(delivery=made.pk)
        old = webhook.deliveries.values_list("pk", flat=True)[KEPT:]
        webhook.deliveries.filter(pk__in=list(old)).exclude(state="waits").delete()


def signature(secret: str, at: int, body: bytes) -> str:
    """HMAC-SHA256 of the instant, a dot and the body: whoever knows the secret can check it."""
    return hmac.new(secret.encode(), f"{at}.".encode() + body, hashlib.sha256).hexdigest()


def send(delivery: WebhookDelivery) -> None:
    """One try. Raises NotTaken where the address is away or does not answer with 2xx."""
    hook = delivery.webhook
    body = json.dumps({**delivery.body, "delivery": delivery.pk}, sort_keys=True).encode()
    at = int(time.time())
    headers = {
        "Content-Type": "application/json",
        "User-Agent": "noble-yardstick",
        "Yardstick-Signature": f"at={at}, sha256={signature(hook.secret, at, body)}",
    }
    delivery.attempts += 1
    try:
        with (
            httpx.Client(timeout=TIMEOUT_S, follow_redirects=False, trust_env=False) as client,
            client.stream("POST", hook.url, content=body, headers=headers) as answer,
        ):
            status = answer.status_code
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        delivery.answer = f"cannot be reached: {error}"[:200]
    else:
        delivery.answer = f"answered {status}"
        delivery.state = "sent" if 200 <= status < 300 else delivery.state
    delivery.save(update_fields=["attempts", "answer", "state"])
    if delivery.state != "sent":
        raise NotTaken(delivery.answer)
