"""What other programs are told: signed, to whom an owner named, tried again, never followed."""

import hashlib
import hmac
import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from server.worlds import measure_all
from yardstick_server.analysis.judging import judgement_of
from yardstick_server.gates.deciding import ask
from yardstick_server.planning import advancing
from yardstick_server.webhooks.models import Webhook, WebhookDelivery
from yardstick_server.webhooks.sending import NotTaken, send
from yardstick_server.webhooks.tasks import MOST_ATTEMPTS, deliver


@pytest.fixture
def receiver():
    """A program on this machine that notes what it is told and answers as it is set to."""
    heard: list[tuple[dict[str, str], bytes]] = []

    class Handler(BaseHTTPRequestHandler):
        status = 200

        def do_POST(self):
            body = self.rfile.read(int(self.headers["Content-Length"]))
            heard.append((dict(self.headers), body))
            self.send_response(Handler.status)
            if Handler.status == 302:
                self.send_header("Location", f"http://127.0.0.1:{server.server_port}/other")
            self.end_headers()

        def log_message(self, *_):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    Handler.heard, Handler.url = heard, f"http://127.0.0.1:{server.server_port}/told"
    yield Handler
    server.shutdown()
    server.server_close()


@pytest.fixture
def hook(world, receiver):
    body = {"url": receiver.url}
    answer = world.owner.post("/api/webhooks", body, content_type="application/json")
    assert answer.status_code == 201
    return answer.json()["secret"]


def sent_by_worker():
    """Do what waits in the worker's queue for this, as it does."""
    for delivery in WebhookDelivery.objects.filter(state="waits").order_by("pk"):
        deliver(delivery.pk)


def checked(secret, headers, body) -> dict:
    """What was told, once its signature holds; as docs/gate.md says that it is checked."""
    at, sha256 = (part.split("=")[1] for part in headers["Yardstick-Signature"].split(", "))
    wanted = hmac.new(secret.encode(), f"{at}.".encode() + body, hashlib.sha256).hexdigest()
    assert hmac.compare_digest(wanted, sha256)
    return json.loads(body)


def test_the_end_of_a_plan_is_told_with_what_was_found(world, hook, receiver):
    world.study.materiality_rules.create(
        metric="duration", stretch=["Open", "open"], decides=True, by="x"
    )
    plan = world.study.plan
    plan.stop, plan.rounds = "fixed", 5
    plan.save()
    advancing.start(world.study, judgement_of(world.study))
    measure_all(world, {0: 2.0, 1: 1.4})
    sent_by_worker()
    ((headers, body),) = receiver.heard
    told = checked(hook, headers, body)
    assert (told["event"], told["study"]) == ("plan ended", world.study.pk)
    assert told["reason"] == "all 5 rounds of the plan are done"
    (answer,) = told["answers"]
    assert (answer["variant"], answer["verdict"]) == ("4.2", "ahead")
    assert told["link"].endswith(f"/studies/{world.study.pk}/say")
    assert WebhookDelivery.objects.get().state == "sent"


def test_a_decided_build_is_told(world, hook, receiver):
    gate = ask(world.study, "812", "x", wanted=[], tolerance=50, rounds=3, by="x")
    advancing.start(gate.study, judgement_of(gate.study))
    measure_all(world, {0: 2.0, 1: 2.0})
    sent_by_worker()
    told = [checked(hook, *one) for one in receiver.heard]
    assert [one["event"] for one in told] == ["plan ended", "gate decided"]
    assert (told[1]["build"], told[1]["outcome"]) == ("812", "not slower")


def test_an_address_that_fails_is_tried_again_and_given_up_in_the_end(world, hook, receiver):
    made = Webhook.objects.get().deliveries.create(event="tried", body={})
    receiver.status = 500
    for _ in range(MOST_ATTEMPTS):
        with pytest.raises(NotTaken, match="answered 500"):
            deliver(made.pk)
    deliver(made.pk)
    made.refresh_from_db()
    assert (made.state, made.attempts, made.answer) == ("failed", MOST_ATTEMPTS + 1, "answered 500")
    deliver(made.pk)
    assert len(receiver.heard) == MOST_ATTEMPTS + 1


def test_what_was_taken_after_a_failure_is_told_once(world, hook, receiver):
    made = Webhook.objects.get().deliveries.create(event="tried", body={})
    receiver.status = 503
    with pytest.raises(NotTaken):
        deliver(made.pk)
    receiver.status = 204
    deliver(made.pk)
    deliver(made.pk)
    assert len(receiver.heard) == 2


def test_nobody_is_followed_elsewhere(world, hook, receiver):
    receiver.status = 302
    made = Webhook.objects.get().deliveries.create(event="tried", body={})
    with pytest.raises(NotTaken, match="answered 302"):
        send(made)
    assert len(receiver.heard) == 1


def test_an_address_that_is_away_says_so(world):
    hook = world.workspace.webhooks.create(url="http://127.0.0.1:9/", secret="s", by="x")
    made = hook.deliveries.create(event="tried", body={})
    with pytest.raises(NotTaken, match="cannot be reached"):
        send(made)


@pytest.mark.parametrize(
    "url",
    ["ftp://127.0.0.1/", "127.0.0.1", "http://", "http://a:b@127.0.0.1/", "http://x/#y",
     "http://[::1/", "http://x:99999999/", "file:///etc/passwd", "x" * 501],
)  # fmt: skip
def test_what_is_no_address_is_refused(world, url):
    answer = world.owner.post("/api/webhooks", {"url": url}, content_type="application/json")
    assert answer.status_code == 400
    assert not Webhook.objects.exists()


def test_only_owners_name_addresses_and_see_what_was_told(world, others, hook, receiver):
    for client in (world.tester, world.reader):
        assert client.get("/api/webhooks").status_code == 403
        body = {"url": receiver.url}
        assert (
            client.post("/api/webhooks", body, content_type="application/json").status_code == 403
        )
    (line,) = world.owner.get("/api/webhooks").json()
    assert "secret" not in line
    assert world.owner.post(f"/api/webhooks/{line['id']}/try").status_code == 201
    sent_by_worker()
    (line,) = world.owner.get("/api/webhooks").json()
    (told,) = line["deliveries"]
    assert (told["event"], told["state"], told["answer"]) == ("tried", "sent", "answered 200")
    assert others.owner.get("/api/webhooks").json() == []
    assert others.owner.delete(f"/api/webhooks/{line['id']}").status_code == 404
    assert world.owner.delete(f"/api/webhooks/{line['id']}").status_code == 204
    assert not WebhookDelivery.objects.exists()
