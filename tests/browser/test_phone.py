"""A phone held upright: the live run with time running downwards, and all studies."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser

SMALL = "Does a small draft open faster in 4.2?"
WIDE = "Is 5.0-rc1 ready for wide drafts?"


@pytest.fixture
def phone(owners_browser, served, browser):
    """The owner's page on a phone, which is never the machine that measures."""
    context = browser.new_context(
        base_url=served.base,
        viewport={"width": 390, "height": 844},
        storage_state=owners_browser.storage_state(),
    )
    page = context.new_page()

    def from_elsewhere(route):
        answer = route.fetch()
        route.fulfill(response=answer, json={**answer.json(), "local": False})

    page.route(re.compile("/api/session$"), from_elsewhere)
    yield page
    context.close()


def fits(page) -> bool:
    return page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_a_phone_shows_every_question_with_its_answer(phone):
    phone.goto("/")
    study = phone.get_by_role("listitem").filter(has_text=WIDE).first
    expect(study).to_contain_text(re.compile("885.ms less"))
    assert fits(phone)
    assert axe_violations(phone) == []
    study.get_by_role("link").first.click()
    expect(phone).to_have_url(re.compile("/measure$"))


def test_a_phone_shows_the_run_under_way_and_can_stop_after_it(phone):
    study = study_id(phone, SMALL)
    phone.goto(f"/studies/{study}/measure")
    expect(phone.get_by_role("region", name="known so far")).to_contain_text("open in Open draft")
    phone.get_by_role("button", name="Measure another round").click()
    run = phone.get_by_role("region", name="the run under way")
    expect(run).to_contain_text("on this-machine", timeout=90_000)
    lanes = run.get_by_role("img", name=re.compile("time downwards"))
    expect(lanes).to_contain_text("Launch", timeout=90_000)
    expect(lanes).to_contain_text("MiB")
    assert fits(phone)
    assert axe_violations(phone) == []
    with phone.expect_response(re.compile("/stop")) as answer:
        phone.get_by_role("button", name="Stop after this run").click()
    # on a busy machine the first of the two may have ended by now, and the other begun
    withdrawn = answer.value.json()["withdrawn"]
    expect(phone.get_by_text("Nothing is being measured.")).to_be_visible(timeout=90_000)
    expect(phone.get_by_text("being read: the answers do not count")).to_be_hidden(timeout=90_000)
    runs = phone.request.get(f"/api/studies/{study}").json()["runs"]
    last = [r for r in runs if r["round"] == max(run["round"] for run in runs)]
    assert sorted(r["state"] for r in last) == ["read", "withdrawn" if withdrawn else "read"]
    assert {r["outcome"] for r in last if r["state"] == "read"} == {"finished"}


def test_without_a_run_the_rounds_and_answers_still_stand(phone):
    phone.goto(f"/studies/{study_id(phone, WIDE)}/measure")
    expect(phone.get_by_role("heading", name="27 runs")).to_be_visible()
    known = phone.get_by_role("region", name="known so far")
    expect(known).to_contain_text("no more rounds are needed")
    expect(known.locator(".verdict")).to_have_text(["ahead", "behind", "behind", "ahead"])
