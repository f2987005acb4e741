"""Rigs from Home, what scripts ask of a person, and ladders on the board."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, put_script, study_id

pytestmark = pytest.mark.browser

SMALL = "Does a small draft open faster in 4.2?"
LONGER = "How does opening grow with the length of a draft?"


def test_a_rig_is_added_with_one_command(owner):
    owner.goto("/")
    owner.get_by_role("button", name="add a rig").click()
    owner.get_by_label("name of the rig").fill("attic-2")
    owner.keyboard.press("Enter")
    command = owner.get_by_text(re.compile(r"python3 -c .* http://127\.0\.0\.1:\d+ \S{20,}"))
    expect(command).to_be_visible()
    assert axe_violations(owner) == []
    owner.get_by_role("button", name="done", exact=True).click()
    expect(owner.get_by_text("attic-2")).to_be_visible()


def test_a_person_confirms_what_a_script_asks_for(owner):
    study = study_id(owner, SMALL)
    text = owner.request.get(f"/api/studies/{study}").json()["script"]["text"]
    asking = text.replace("  place cloth", '  every run\n    confirm "lamp is off"\n  place cloth')
    put_script(owner, study, asking)
    owner.goto(f"/studies/{study}/measure")
    box = owner.get_by_role("checkbox", name=re.compile("On this-machine: lamp is off"))
    expect(box).not_to_be_checked()
    box.click()  # the server keeps it, and only then it is shown as checked
    expect(owner.get_by_text(re.compile("lamp is off, confirmed by owner"))).to_be_visible()
    put_script(owner, study, text)


def test_a_ladder_is_read_level_by_level_and_as_a_whole(owner):
    study = study_id(owner, LONGER)
    owner.goto(f"/studies/{study}/read?by=steps")
    ladder = owner.get_by_role("region", name="along the ladder")
    expect(ladder.get_by_text(re.compile(r"grows as picks to the power of \d"))).not_to_have_count(
        0
    )
    expect(ladder.get_by_role("img").first).to_be_visible()
    expect(
        owner.get_by_role("rowheader", name=re.compile("Open draft · picks 540000"))
    ).to_be_visible()
    assert axe_violations(owner) == []
