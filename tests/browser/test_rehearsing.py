"""Rehearsing line by line, picking places, drafting from one's own work: on a real rig."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import study_id

pytestmark = pytest.mark.browser

TEXT = """\
session "Rehearse"
  fixture draft = "tea-towel.weft"

step "Launch"
  time launch
    start
    until window "Weftwright" is steady for 300ms

step "Open"
  press Ctrl+O
  type "{draft}"
  press Enter
  wait 10s
"""
SMALL = "Does a small draft open faster in 4.2?"
LATER = 30_000


@pytest.fixture
def script(owner):
    """The editor with a text of its own, which nobody keeps."""
    owner.goto(f"/studies/{study_id(owner, SMALL)}/script")
    text = owner.get_by_label("session script")
    expect(text).to_contain_text("session")
    text.click()
    owner.keyboard.press("Control+a")
    owner.keyboard.insert_text(TEXT)
    expect(text).to_contain_text("Rehearse")
    return text


@pytest.fixture
def panel(owner, script):
    return owner.get_by_role("region", name="rehearsal")


def test_line_by_line_and_a_place_picked_on_the_picture(owner, script, panel):
    panel.get_by_label("how to rehearse").select_option("line by line")
    panel.get_by_role("button", name="Rehearse").click()
    following = panel.get_by_role("button", name="Next line")
    status = panel.get_by_role("status").first
    for line in (6, 7, 10):
        expect(status).to_contain_text(f"waits for you at line {line}", timeout=LATER)
        following.click()
    expect(status).to_contain_text("waits for you at line 11", timeout=LATER)
    picture = panel.get_by_role("img", name=re.compile("the screen"))
    box = picture.bounding_box()
    owner.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    owner.mouse.down()
    owner.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + box["height"] * 0.6, steps=4)
    owner.mouse.up()
    owner.get_by_label("name of the place").fill("middle")
    owner.keyboard.press("Enter")
    expect(script).to_contain_text(re.compile(r"place middle = region \d+,\d+ \d+x\d+"))
    panel.get_by_role("button", name="Stop").click()
    expect(status).to_contain_text("aborted", timeout=LATER)
    # What windows were seen is offered when a condition is written.
    script.click()
    owner.keyboard.press("Control+End")
    owner.keyboard.type('step "More"\n  until window "Wef')
    owner.keyboard.press("Control+Space")
    offered = owner.locator(".cm-tooltip-autocomplete").get_by_role("option")
    expect(offered.first).to_contain_text("Weftwright")
    owner.keyboard.press("Escape")


def test_work_with_the_program_becomes_a_script(owner, script, panel):
    panel.get_by_role("button", name="draft from my own work").click()
    far = panel.get_by_role("application")
    expect(far).to_be_visible(timeout=LATER)
    expect(panel.get_by_role("status").first).to_contain_text("yours to work with")
    far.focus()
    owner.keyboard.press("Control+o")
    owner.wait_for_timeout(700)
    owner.keyboard.type("tea-towel.weft")
    owner.wait_for_timeout(300)
    owner.keyboard.press("Enter")
    expect(panel.get_by_text(re.compile("[1-9][0-9]+ keys and buttons heard"))).to_be_visible(
        timeout=LATER
    )
    owner.wait_for_timeout(1500)
    panel.get_by_role("button", name="End the work and draft").click()
    expect(script).to_contain_text("press Ctrl+O", timeout=LATER)
    expect(script).to_contain_text('type "{tea_towel}"')
    expect(script).to_contain_text("draft read")
    expect(owner.get_by_role("status").filter(has_text="changed, not kept yet")).to_be_visible()
