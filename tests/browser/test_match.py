"""Match in the browser: what was not alike, settled with a reason and taken back."""

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser


@pytest.fixture
def sheet(owner):
    owner.goto(f"/studies/{study_id(owner, 'Is 5.0-rc1 ready for wide drafts?')}/match")
    expect(owner.get_by_role("heading", name="What else was different")).to_be_visible()
    return owner


def test_a_changed_default_is_found_settled_and_taken_back(sheet):
    row = sheet.get_by_role("row", name="view.patterns_at_start")
    expect(row).to_contain_text("needs a word")
    expect(row).to_contain_text("not settled")
    row.get_by_role("button").click()
    aside = sheet.get_by_label("the chosen difference")
    expect(aside).to_contain_text("has another default: yes in 4.1, yes in 4.2, no in 5.0-rc1")
    sheet.keyboard.press("Enter")
    reason = sheet.get_by_label("Why may they be compared all the same?")
    expect(reason).to_be_focused()
    reason.fill("it is part of the release")
    sheet.keyboard.press("Enter")
    expect(row).to_contain_text("settled by owner")
    expect(aside).to_contain_text("“it is part of the release”")
    notch = sheet.get_by_role("link", name="Match")
    expect(notch).to_contain_text("1 to settle")
    aside.get_by_role("button", name="take it back").click()
    expect(row).to_contain_text("not settled")
    expect(notch).to_contain_text("2 to settle")


def test_the_address_holds_the_chosen_difference_and_keys_walk(sheet):
    chosen = sheet.get_by_label("the chosen difference")
    first, before = chosen.inner_text(), sheet.url
    sheet.keyboard.press("j")
    expect(chosen).not_to_have_text(first, use_inner_text=True)
    expect(sheet).not_to_have_url(before)
    second = chosen.inner_text()
    sheet.goto(sheet.url)
    expect(chosen).to_have_text(second, use_inner_text=True)


def test_what_is_to_settle_is_named_beside_the_verdicts(sheet):
    sheet.get_by_role("link", name="Read", exact=False).first.click()
    sheet.get_by_role("link", name="to settle").first.click()
    expect(sheet.get_by_role("heading", name="What else was different")).to_be_visible()


def test_the_page_is_accessible_and_shows_what_watching_costs(sheet):
    assert axe_violations(sheet) == []
    sheet.goto(f"/studies/{study_id(sheet, 'Does a small draft open faster in 4.2?')}/match")
    expect(sheet.get_by_text("16 control runs without sampling")).to_be_visible()
    expect(sheet.get_by_text("whole processor time of 4.1")).to_be_visible()
    expect(sheet.get_by_label("rounds with control runs")).to_have_value("8")


def test_a_run_shows_what_it_was_measured_under(sheet):
    study = study_id(sheet, "Is 5.0-rc1 ready for wide drafts?")
    run = sheet.request.get(f"/api/studies/{study}").json()["runs"][0]["id"]
    sheet.goto(f"/runs/{run}")
    expect(sheet.get_by_text("file system")).to_be_visible()
    sheet.get_by_text("settings, the program's own defaults").click()
    expect(sheet.get_by_text("weftwright.ini: view.rows_per_notch")).to_be_visible()
