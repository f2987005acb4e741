"""People come in by password or invitation and go; programs by tokens; all of it leaves a trace."""

import re
import time
from datetime import timedelta
from urllib.parse import urlsplit

import pytest
from axes.models import AccessAttempt
from django.contrib.auth.models import User
from django.core.cache import cache
from django.db.models import F
from django.test import Client

from yardstick_server.accounts.models import ApiToken, AuditEntry, Invitation, Member
from yardstick_server.api.people import session as views

GOOD = "warp-and-weft-9"


def send(client, method, path, **body):
    return getattr(client, method)(f"/api/{path}", body, content_type="application/json")


@pytest.fixture
def ida(world):
    """A tester who came by an invitation, with her browser."""
    link = send(world.owner, "post", "invitations", whom="Ida", role="tester").json()["link"]
    browser, token = Client(), link.rpartition("/")[2]
    assert send(browser, "post", f"join/{token}", name="ida", password=GOOD).status_code == 201
    return browser


def test_an_invitation_says_what_it_is_for_and_works_once(world):
    link = send(world.owner, "post", "invitations", whom="Ida", role="tester").json()["link"]
    token = link.rpartition("/")[2]
    assert token not in str(list(Invitation.objects.values()))
    browser = Client()
    said = browser.get(f"/api/join/{token}").json()
    assert said == {
        "workspace": "weavers", "role": "tester", "by": "weavers-owner", "whom": "Ida",
    }  # fmt: skip
    assert send(browser, "post", f"join/{token}", name="ida", password=GOOD).status_code == 201
    session = browser.get("/api/session").json()
    assert (session["name"], session["role"], session["has_password"]) == ("ida", "tester", True)
    joined = AuditEntry.objects.latest("id")
    assert (joined.who, joined.what) == ("ida", "joined")
    assert token not in joined.path
    assert send(Client(), "post", f"join/{token}", name="eve", password=GOOD).status_code == 404
    assert Client().get(f"/api/join/{token}").status_code == 404


@pytest.mark.parametrize(
    ("name", "password", "why"),
    [
        ("ida", "short", "at least 12"),
        ("ida", "123456789012", "numeric"),
        ("ida", "password1234", "common"),
        ("idaidaidaida", "idaidaidaida", "similar"),
        ("weavers-owner", GOOD, "taken"),
        ("a b c", GOOD, "valid username"),
    ],
)
def test_what_makes_no_account_leaves_the_invitation_open(world, name, password, why):
    link = send(world.owner, "post", "invitations", whom="Ida", role="tester").json()["link"]
    token = link.rpartition("/")[2]
    answer = send(Client(), "post", f"join/{token}", name=name, password=password)
    assert answer.status_code == 400
    assert why in answer.content.decode()
    assert Invitation.open(token).exists()
    assert not User.objects.filter(username="ida").exists()


def test_an_invitation_taken_back_or_too_old_lets_nobody_in(world):
    for spoil in ("delete", "age"):
        link = send(world.owner, "post", "invitations", whom="Ida", role="owner").json()["link"]
        kept = Invitation.objects.latest("id")
        if spoil == "delete":
            assert send(world.owner, "delete", f"invitations/{kept.pk}").status_code == 204
        else:
            Invitation.objects.filter(pk=kept.pk).update(expires="2000-01-01T00:00Z")
        assert Client().get(f"/api/join/{link.rpartition('/')[2]}").status_code == 404


def test_name_and_password_sign_in_and_wrong_ones_do_not(ida):
    assert send(Client(), "post", "sign-in", name="ida", password="wrong").status_code == 400
    assert send(Client(), "post", "sign-in", name="nobody", password=GOOD).status_code == 400
    browser = Client()
    assert send(browser, "post", "sign-in", name="ida", password=GOOD).status_code == 204
    assert browser.get("/api/session").json()["name"] == "ida"


def test_guessing_is_throttled_and_says_for_how_long(ida):
    cache.clear()
    answers = [
        send(Client(), "post", "sign-in", name="ida", password=f"guess {n}").status_code
        for n in range(7)
    ]
    assert answers[0] == 400
    assert answers[-1] == 429
    barred = send(Client(), "post", "sign-in", name="ida", password=GOOD)
    assert barred.status_code == 429
    assert re.search(r"try again in \d s", barred.json()["detail"])
    other = send(Client(), "post", "sign-in", name="weavers-owner", password="x")
    assert other.status_code == 400


def test_each_further_failure_doubles_the_delay_and_a_success_ends_it(ida):
    """Delays instead of a lock: the right password works again soon, guessing gets ever slower."""
    cache.clear()

    def tried(password):
        return send(Client(), "post", "sign-in", name="ida", password=password)

    def later(seconds):
        attempts = AccessAttempt.objects.filter(username="ida")
        attempts.update(attempt_time=F("attempt_time") - timedelta(seconds=seconds))

    for n in range(5):
        failed = time.monotonic()
        assert tried(f"guess {n}").status_code == 400
    for n, delay in enumerate([4, 8, 16, 32, 64, 128, 256, 512, 900, 900, 900, 900]):
        tries = time.monotonic()
        answer = tried(f"more {n}")
        assert answer.status_code == 429
        left = int(answer["Retry-After"])
        # of a delay that began with the failure before, as much is over as has passed since
        assert delay - (time.monotonic() - failed) <= left <= delay
        failed = tries
        later(left)
    assert tried(GOOD).status_code == 204
    assert tried("a slip").status_code == 400


def sign_in(name, password, address, said=""):
    headers = {"X-Forwarded-For": f"{said}, {address}".strip(", ")}
    return (
        Client(headers=headers)
        .post("/api/sign-in", {"name": name, "password": password}, content_type="application/json")
        .status_code
    )


def test_behind_a_proxy_nobody_is_locked_out_by_guesses_from_elsewhere(ida, settings):
    """Addresses were not known behind the proxy: anybody locked out anybody by name."""
    settings.PROXIES = 1
    cache.clear()
    guesses = [sign_in("ida", f"guess {n}", "198.51.100.7") for n in range(7)]
    assert guesses[-1] == 429
    assert sign_in("ida", GOOD, "203.0.113.9") == 204
    # who writes an address into the header itself is still known by the one the proxy saw
    assert sign_in("ida", GOOD, "198.51.100.7", said="203.0.113.9") == 429


def test_fresh_names_from_one_address_are_limited_too(ida, settings, monkeypatch):
    settings.PROXIES = 1
    monkeypatch.setattr(views, "MOST_FAILURES", 5)
    cache.clear()
    guesses = [sign_in(f"name {n}", "guess", "198.51.100.8") for n in range(7)]
    assert guesses == [400] * 5 + [429] * 2
    assert sign_in("ida", GOOD, "203.0.113.9") == 204


def test_hashing_holds_up_no_other_request(ida, monkeypatch):
    monkeypatch.setattr(views, "LONGEST_WAIT_S", 0.05)
    cache.clear()
    taken = [views._hashing.acquire(timeout=1) for _ in range(2)]
    try:
        assert sign_in("ida", GOOD, "203.0.113.9") == 429
        assert ida.get("/api/studies").status_code == 200
    finally:
        for _ in taken:
            views._hashing.release()


def test_signing_in_needs_the_pages_own_token(ida):
    strict = Client(enforce_csrf_checks=True)
    assert send(strict, "post", "sign-in", name="ida", password=GOOD).status_code == 403
    page = strict.get("/")
    headers = {"X-CSRFToken": page.cookies["csrftoken"].value}
    body = {"name": "ida", "password": GOOD}
    answer = strict.post("/api/sign-in", body, content_type="application/json", headers=headers)
    assert answer.status_code == 204


def test_a_new_password_needs_the_old_one_and_ends_other_sessions(ida):
    elsewhere = Client()
    send(elsewhere, "post", "sign-in", name="ida", password=GOOD)
    wrong = send(ida, "put", "session/password", old="wrong", new="linen-and-wool-7")
    assert wrong.status_code == 400
    kept = send(ida, "put", "session/password", old=GOOD, new="linen-and-wool-7")
    assert kept.status_code == 200
    assert ida.get("/api/session").status_code == 200
    assert elsewhere.get("/api/session").status_code == 401
    assert User.objects.get(username="ida").password.startswith("argon2")


def test_the_owner_who_came_by_a_link_sets_a_first_password(world):
    assert world.owner.get("/api/session").json()["has_password"] is False
    assert send(world.owner, "put", "session/password", new=GOOD).status_code == 200
    browser = Client()
    name = "weavers-owner"
    assert send(browser, "post", "sign-in", name=name, password=GOOD).status_code == 204


def test_a_member_taken_out_is_out_at_once(world, ida):
    member = Member.objects.get(user__username="ida")
    assert send(world.owner, "delete", f"members/{member.pk}").status_code == 204
    assert ida.get("/api/session").status_code in (401, 403)
    assert send(Client(), "post", "sign-in", name="ida", password=GOOD).status_code == 400
    assert world.owner.get("/api/members").json()[-1]["taken_out"] is True
    for method, route in (("patch", ""), ("delete", ""), ("post", "/way-in")):
        answer = send(world.owner, method, f"members/{member.pk}{route}", role="reader")
        assert answer.status_code == 404


def test_a_member_taken_out_by_mistake_is_let_back_in(world, ida):
    member = Member.objects.get(user__username="ida")
    assert send(world.owner, "post", f"members/{member.pk}/back").status_code == 404
    send(world.owner, "delete", f"members/{member.pk}")
    back = send(world.owner, "post", f"members/{member.pk}/back").json()
    assert (back["name"], back["role"], back["taken_out"]) == ("ida", "tester", False)
    assert ida.get("/api/session").status_code == 401
    assert send(Client(), "post", "sign-in", name="ida", password=GOOD).status_code == 204
    assert AuditEntry.objects.latest("id").what == "let a member back in"


def test_an_owner_who_was_taken_out_keeps_no_workspace(world, ida):
    """The last owner stays: one who was taken out does not count."""
    owner = world.workspace.members.get(role="owner")
    member = Member.objects.get(user__username="ida")
    assert send(world.owner, "patch", f"members/{member.pk}", role="owner").status_code == 200
    assert send(world.owner, "delete", f"members/{member.pk}").status_code == 204
    assert send(world.owner, "delete", f"members/{owner.pk}").status_code == 400


def test_somebody_who_forgot_their_password_gets_a_new_way_in(world, ida):
    member = Member.objects.get(user__username="ida")
    first = send(world.owner, "post", f"members/{member.pk}/way-in").json()["link"]
    link = send(world.owner, "post", f"members/{member.pk}/way-in").json()["link"]
    assert ida.get("/api/session").status_code == 401
    assert send(Client(), "post", "sign-in", name="ida", password=GOOD).status_code == 400
    browser = Client()
    assert browser.get(urlsplit(first).path).headers["Location"] == "/?link=spent"
    assert browser.get("/api/session").status_code == 401
    assert browser.get(urlsplit(link).path).headers["Location"] == "/people"
    assert browser.get("/api/session").json()["has_password"] is False
    assert send(browser, "put", "session/password", new="linen-and-wool-7").status_code == 200
    again = send(Client(), "post", "sign-in", name="ida", password="linen-and-wool-7")
    assert again.status_code == 204
    noted = AuditEntry.objects.filter(what="gave a member a new way in")
    assert noted.count() == 2
    assert link.rpartition("/")[2] not in str(list(noted.values()))


def test_an_owner_does_not_shut_themselves_out(world):
    owner = world.workspace.members.get(role="owner")
    answer = send(world.owner, "post", f"members/{owner.pk}/way-in")
    assert answer.status_code == 400
    assert "you are in" in answer.content.decode()
    assert world.owner.get("/api/session").status_code == 200


def test_a_workspace_keeps_an_owner(world):
    owner = world.workspace.members.get(role="owner")
    for answer in (
        send(world.owner, "patch", f"members/{owner.pk}", role="reader"),
        send(world.owner, "delete", f"members/{owner.pk}"),
    ):
        assert answer.status_code == 400
        assert "needs an owner" in answer.content.decode()
    reader = world.workspace.members.get(role="reader")
    assert send(world.owner, "patch", f"members/{reader.pk}", role="owner").status_code == 200
    assert send(world.owner, "patch", f"members/{owner.pk}", role="reader").status_code == 200
    assert world.owner.get("/api/members").status_code == 403


def test_a_token_is_shown_once_knows_its_last_use_and_ends_when_revoked(world):
    made = send(world.owner, "post", "tokens", name="nightly", scope="measure").json()["token"]
    assert made not in str(list(ApiToken.objects.values()))
    line = world.owner.get("/api/tokens").json()[0]
    assert line["begins"] == made[:6]
    assert line["last_used"] is None
    program = Client(headers={"Authorization": f"Token {made}"})
    answer = send(program, "post", f"studies/{world.study.pk}/rounds", count=1)
    assert answer.status_code == 201
    assert world.owner.get("/api/tokens").json()[0]["last_used"] is not None
    assert AuditEntry.objects.latest("id").who == "token nightly"
    assert send(world.owner, "delete", f"tokens/{line['id']}").status_code == 204
    assert program.get("/api/studies").status_code == 401


def test_every_change_leaves_who_what_and_what_was_sent_but_no_secret(world):
    send(world.owner, "put", "session/password", new=GOOD)
    send(world.tester, "patch", f"studies/{world.study.pk}/plan", rounds=5)
    send(world.reader, "patch", f"studies/{world.study.pk}/plan", rounds=6)
    entries = world.owner.get("/api/audit").json()
    assert [(e["who"], e["what"], e["sent"]) for e in entries] == [
        ("weavers-tester", "changed the plan", {"rounds": 5}),
        ("weavers-owner", "changed their password", {}),
    ]
    assert entries[0]["study"] == world.study.pk
    older = world.owner.get(f"/api/audit?before={entries[0]['id']}").json()
    assert [entry["what"] for entry in older] == ["changed their password"]
    assert world.owner.get("/api/audit?before=nonsense").status_code == 200


def test_the_audit_list_names_whom_and_what_a_change_was_about(world, ida):
    member = Member.objects.get(user__username="ida")
    send(world.owner, "post", "tokens", name="nightly", scope="read")
    token = ApiToken.objects.get()
    send(world.owner, "delete", f"tokens/{token.pk}")
    send(world.tester, "patch", f"rigs/{world.rig_record.name}", paused=True)
    send(world.owner, "patch", f"members/{member.pk}", role="reader")
    send(world.owner, "delete", f"members/{member.pk}")
    entries = world.owner.get("/api/audit").json()[:4]
    assert [(entry["what"], entry["sent"]) for entry in entries] == [
        ("took a member out", {"member": "ida"}),
        ("changed a role", {"member": "ida", "role": "reader"}),
        ("changed a rig", {"name": world.rig_record.name, "paused": True}),
        ("revoked a token", {"name": "nightly"}),
    ]


def test_a_share_link_is_stored_as_a_digest_and_holds_as_long_as_it_says(world):
    path = f"studies/{world.study.pk}/shares"
    link = send(world.tester, "post", path, whom="the makers", days=3).json()["link"]
    (line,) = world.tester.get(f"/api/{path}").json()
    assert link.rpartition("/")[2] not in str(world.study.share_links.values())
    guest = Client()
    answer = guest.get(re.sub(r"^https?://[^/]+", "", link))
    assert answer.headers["Location"] == f"/studies/{world.study.pk}/say"
    session = guest.get("/api/session").json()
    assert (session["role"], session["study"], session["live_url"]) == (
        "guest", world.study.pk, "",
    )  # fmt: skip
    assert world.tester.get(f"/api/{path}").json()[0]["last_used"] is not None
    assert line["whom"] == "the makers"
    assert send(world.tester, "post", path, days=9999).status_code == 400


def test_the_production_settings_pass_djangos_own_check():
    import os
    import subprocess
    import sys

    from django.conf import settings

    environment = {
        **os.environ, "YARDSTICK_HTTPS": "1", "YARDSTICK_HOSTS": "yardstick.example",
        "YARDSTICK_SECRET_KEY": "k" + "0123456789abcdefghijklmnopqrstuvwxyz-ABCDEFGHIJKLMNOPQRS",
        "YARDSTICK_WEB_ORIGIN": "https://yardstick.example",
        "PYTHONPATH": str(settings.PROJECT / "src"),
        "DJANGO_SETTINGS_MODULE": "yardstick_server.settings",
    }  # fmt: skip
    command = [sys.executable, "-m", "django", "check", "--deploy", "--fail-level", "WARNING"]
    done = subprocess.run(command, env=environment, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr


def test_pages_carry_the_headers_that_keep_others_out(world):
    page = world.owner.get("/")
    assert "script-src 'self'" in page["Content-Security-Policy"]
    assert "'unsafe-inline'" not in page["Content-Security-Policy"].split("style-src")[0]
    assert page["X-Frame-Options"] == "DENY"
    assert page["X-Content-Type-Options"] == "nosniff"
    assert page["Referrer-Policy"] == "same-origin"
    assert "camera=()" in page["Permissions-Policy"]
