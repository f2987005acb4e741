"""A study that starts empty: every page says what belongs there and offers the next act."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import study_id
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
