"""The script's editor: mistakes while typing, completion, help, layout, versions side by side."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import study_id

pytestmark = pytest.mark.browser

DRAFTS = "Is memory given back when a draft is closed?"


@pytest.fixture
def editor(owner):
    owner.goto(f"/studies/{study_id(owner, DRAFTS)}/script")
    text = owner.get_by_label("session script")
    expect(text).to_contain_text("Open and close drafts")
    text.click()
    owner.keyboard.press("Control+End")
    return text


def test_a_mistake_is_shown_while_typing_and_mended_by_a_press(owner, editor):
    owner.keyboard.type('step "More"\n  pres F5\n')
    told = owner.get_by_role("status").filter(has_text="Nothing is kept until")
    expect(told).to_contain_text("found “pres”. Did you mean “press”?")
    keep = owner.get_by_role("button", name=re.compile("^Keep as version"))
    expect(keep).to_be_disabled()
    expect(owner.get_by_role("button", name="Rehearse", exact=True)).to_be_in_viewport()
    owner.locator(".cm-lintRange-error").hover()
    tip = owner.locator(".cm-tooltip-lint")
    expect(tip).to_contain_text("found “pres”")
    tip.get_by_role("button", name="write “press”").click()
    expect(owner.get_by_role("status").filter(has_text="changed, not kept yet")).to_be_visible()
    expect(editor).to_contain_text("press F5")
    owner.get_by_role("button", name="leave the changes").click()
    expect(editor).not_to_contain_text("F5")


def test_words_are_completed_and_explained(owner, editor):
    owner.keyboard.type('step "More"\n  unt')
    choice = owner.get_by_role("option", name=re.compile("^until"))
    expect(choice).to_be_visible()
    owner.wait_for_timeout(150)
    owner.keyboard.press("Enter")
    owner.keyboard.type(" pict")
    expect(owner.get_by_role("option", name=re.compile("^picture"))).to_be_visible()
    owner.keyboard.press("Escape")
    owner.locator(".script-word", has_text="settle").hover()
    expect(owner.locator(".script-help")).to_contain_text("whole machine has been that quiet")


def test_a_change_is_kept_as_a_version_and_compared_with_the_one_before(owner, editor):
    owner.keyboard.type("# looked over by two people\n")
    keep = owner.get_by_role("button", name="Keep as version 2")
    expect(keep).to_be_enabled()
    owner.keyboard.press("Control+s")
    expect(owner.get_by_text("version 2 ·")).to_be_visible()
    versions = owner.get_by_label("compare with a version")
    versions.select_option(label="version 1, 8 runs")
    expect(owner.locator(".cm-insertedLine, .cm-changedLine").first).to_be_visible()
    study = study_id(owner, DRAFTS)
    listed = owner.request.get(f"/api/studies/{study}/scripts").json()
    assert [(v["number"], v["measured"]) for v in listed] == [(2, 0), (1, 8)]


def test_a_script_is_laid_out_at_a_press(owner, editor):
    owner.keyboard.type('step   "More"   # why not\n  wait   2s\n')
    owner.get_by_role("button", name="lay out").click()
    expect(editor).to_contain_text('step "More"  # why not')
    owner.get_by_role("button", name="leave the changes").click()


def test_a_rehearsal_shows_the_screen_and_marks_the_line_that_failed(owner, editor):
    """A real one: played by the rig, shown as it goes, stopped by what never came true."""
    owner.keyboard.press("Control+a")
    owner.keyboard.insert_text(
        'session "Try"\nstep "Launch"\n  time launch\n    start\n'
        '    until window "Weftwright" is steady for 200ms\n'
        '  until log "no such line", within 2s\n'
    )
    panel = owner.get_by_role("region", name="rehearsal")
    panel.get_by_role("button", name="Rehearse").click()
    expect(panel.get_by_role("img", name=re.compile("into the rehearsal"))).to_be_visible(
        timeout=30_000
    )
    expect(panel.get_by_role("status")).to_contain_text("cut off, line 6", timeout=30_000)
    expect(panel).to_contain_text("did not come true within 2 s")
    expect(panel.get_by_role("listitem").filter(has_text="launch")).to_contain_text(
        re.compile(r"\d\s(ms|s)")
    )
    runs = owner.request.get(f"/api/studies/{study_id(owner, DRAFTS)}").json()["runs"]
    assert len(runs) == 8
