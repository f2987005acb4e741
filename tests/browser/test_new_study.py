"""A study that starts empty: every page says what belongs there and offers the next act."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import SHORT, put_script, study_id
from browser.test_interface import WIDE

pytestmark = pytest.mark.browser


def test_a_new_question_about_the_same_variants_starts_empty(owner):
    owner.goto(f"/studies/{study_id(owner, WIDE)}/ask")
    owner.get_by_label("Ask something else").fill("Does it stay calm?")
    owner.get_by_role("button", name="Ask", exact=True).click()
    expect(owner.get_by_label("question", exact=True)).to_have_value("Does it stay calm?")
    expect(owner.get_by_text("Nothing has been measured yet.").first).to_be_visible()
    study = study_id(owner, "Does it stay calm?")
    owner.goto(f"/studies/{study}/read")
    expect(owner.get_by_text(re.compile("Nothing has been measured yet"))).to_be_visible()
    owner.goto(f"/studies/{study}/decide")
    expect(owner.get_by_text(re.compile("Nothing can be decided yet"))).to_be_visible()
    owner.goto(f"/studies/{study}/measure")
    expect(owner.get_by_text("The plan has not been started.")).to_be_visible()
    expect(owner.get_by_text("next rounds, in this order")).to_be_visible()
    expect(owner.get_by_role("button", name="Start the plan")).to_be_visible()


def test_a_plan_runs_by_itself_and_says_why_it_stopped(owner):
    """Two real rounds of three releases, queued, played, read and ended without a hand."""
    study = study_id(owner, "Does it stay calm?")
    put_script(owner, study, SHORT)
    owner.goto(f"/studies/{study}/measure")
    plan = owner.get_by_role("region", name="plan")
    for label, value in (("number of rounds", "2"), ("cold rounds", "0")):
        field = plan.get_by_label(label, exact=True)
        field.fill(value)
        field.press("Enter")
        expect(field).to_have_value(value)
    expect(plan.get_by_role("img", name=re.compile("looks after 2"))).to_be_visible()
    owner.get_by_role("button", name="Start the plan").click()
    expect(plan).to_contain_text("The plan runs: 0 of 2 rounds are done.")
    expect(plan.get_by_label("when to stop")).to_be_disabled()
    ended = plan.get_by_text("The plan has ended: all 2 rounds of the plan are done.")
    expect(ended).to_be_visible(timeout=150_000)
    runs = owner.request.get(f"/api/studies/{study}").json()["runs"]
    assert [run["outcome"] for run in runs] == ["finished"] * 6
    owner.goto(f"/studies/{study}/read")
    expect(owner.locator(".verdict").first).to_be_visible()
