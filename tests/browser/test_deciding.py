"""Asking, planning, reading and deciding in the real interface, on the demonstration's runs."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

WIDE = "Is 5.0-rc1 ready for wide drafts?"
SMALL = "Does a small draft open faster in 4.2?"

pytestmark = pytest.mark.browser


def test_the_question_and_the_baseline_are_changed_where_they_stand(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/ask")
    why = owner.get_by_label("why it is asked")
    kept = why.input_value()
    why.fill("Nobody has asked the weavers yet.")
    with owner.expect_response(re.compile(r"/ask$")):
        why.press("Enter")
    owner.reload()
    expect(owner.get_by_label("why it is asked")).to_have_value("Nobody has asked the weavers yet.")
    why.fill("something else")
    why.press("Escape")
    expect(why).to_have_value("Nobody has asked the weavers yet.")
    why.fill(kept)
    why.press("Enter")
    owner.get_by_role("button", name="make it the baseline").click()
    line = owner.get_by_role("rowgroup", name="4.1")
    expect(line).to_contain_text("make it the baseline")
    owner.goto(f"/studies/{study}/read")
    expect(owner.get_by_role("button", name=re.compile("4.2 ▾"))).to_be_visible()
    owner.goto(f"/studies/{study}/ask")
    owner.get_by_role("button", name="make it the baseline").click()
    expect(line).to_contain_text("the baseline")


def test_a_variant_comes_in_and_goes_out_again(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/ask")
    owner.get_by_role("button", name="+ 5.0-rc1", exact=True).click()
    line = owner.get_by_role("rowgroup", name="5.0-rc1", exact=True)
    expect(line).to_contain_text("not yet")
    line.get_by_role("button", name="take out").click()
    expect(line).to_have_count(0)
    owner.get_by_role("button", name=re.compile("^Undo")).click()
    expect(line).to_be_visible()
    line.get_by_role("button", name="take out").click()
    expect(line).to_have_count(0)


def test_materiality_is_changed_in_place_and_the_verdicts_follow(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/read?row=duration~Open draft~open")
    row = owner.get_by_role("row", name=re.compile("^open "))
    expect(row.locator(".verdict").first).to_have_text("ahead")
    share = owner.get_by_label("percent that matters")
    share.fill("300")
    share.press("Enter")
    expect(row.locator(".verdict").first).to_have_text("level")
    share.fill("lots")
    share.press("Enter")
    expect(share).to_have_value("300")
    owner.get_by_role("button", name="as usual").click()
    expect(row.locator(".verdict").first).to_have_text("ahead")
    expect(share).to_have_value("3")


def test_what_does_not_count_moves_out_of_what_is_judged(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/read?row=spikes~Scroll cloth~scroll")
    rows = owner.get_by_role("row", name=re.compile("^spikes"))
    expect(rows).to_have_count(1)
    owner.get_by_label("counts", exact=True).click()
    expect(rows).to_have_count(0)
    owner.get_by_role("button", name="all read").click()
    rows.get_by_role("button").click()
    expect(owner.get_by_text("Set aside in this study")).to_be_visible()
    owner.get_by_label("counts", exact=True).click()
    owner.get_by_role("button", name="everything", exact=True).click()
    expect(rows).to_have_count(1)


def test_a_plan_is_changed_shown_and_kept(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/measure")
    plan = owner.get_by_role("region", name="plan")
    expect(plan).to_contain_text("The plan has ended: all 8 rounds of the plan are done.")
    plan.get_by_label("when to stop").select_option("decided")
    expect(plan).to_contain_text(re.compile("intervals hold 9[89]"))
    most = plan.get_by_label("most rounds")
    most.fill("12")
    most.press("Enter")
    expect(plan.get_by_role("img", name=re.compile("looks after 5, 8, 12(?!,)"))).to_be_visible()
    owner.reload()
    expect(most).to_have_value("12")
    plan.get_by_label("when to stop").select_option("fixed")
    expect(plan).to_contain_text(re.compile("One look at the end|beyond the last look"))


def test_a_run_is_left_out_with_a_reason_and_taken_back(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/measure")
    apart = owner.get_by_role("button", name=re.compile("^set run"))
    number = re.search(r"\d+", apart.first.get_attribute("aria-label")).group()
    mine = owner.get_by_role("button", name=f"set run {number} apart")
    out = owner.get_by_role("button", name="Leave it out", exact=True)
    mine.click()
    expect(out).to_be_disabled()
    owner.get_by_label(re.compile("What went wrong")).fill("a backup ran")
    out.click()
    said = owner.get_by_text("left out: a backup ran", exact=True)
    expect(said).to_be_visible()
    expect(owner.get_by_label(re.compile("What went wrong"))).to_have_count(0)
    owner.goto(f"/studies/{study}/read")
    expect(owner.get_by_label("caveats")).to_contain_text("is left out: a backup ran")
    owner.goto(f"/studies/{study}/measure")
    mine.click()
    owner.get_by_role("button", name="Let it count again").click()
    expect(said).to_have_count(0)


def test_decide_recommends_by_profile_and_leads_to_the_numbers(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/decide")
    weavers = owner.get_by_role("listitem").filter(has_text="Preview weavers")
    expect(weavers).to_contain_text("Take 5.0-rc1")
    browsers = owner.get_by_role("listitem").filter(has_text="Browsers")
    expect(browsers).to_contain_text("Stay with 4.1")
    expect(browsers).to_contain_text("limit broken")
    points = owner.get_by_role("row", name=re.compile("^points"))
    expect(points).to_contain_text(re.compile(r"\d\d"))
    expect(owner.get_by_role("listitem").filter(has_text="each second gained")).to_have_count(2)
    owner.get_by_role("link", name="weave in Weave preview", exact=True).click()
    expect(owner).to_have_url(re.compile("read\\?row=duration%7EWeave"))
    expect(owner.get_by_role("row", name=re.compile("^weave"))).to_have_attribute(
        "aria-selected", "true"
    )


def test_a_profile_is_made_weighed_and_forgotten(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/ask")
    owner.get_by_role("button", name="Add a profile").click()
    owner.get_by_label("name of the profile").fill("Launchers")
    owner.get_by_label("add what counts").select_option(label="launch")
    owner.get_by_label("add a limit").select_option(label="peak memory")
    owner.get_by_role("button", name="Keep", exact=True).click()
    line = owner.get_by_role("listitem").filter(has_text="Launchers")
    expect(line).to_contain_text("1 metric weighed, 1 limit")
    owner.goto(f"/studies/{study}/decide")
    mine = owner.get_by_role("listitem").filter(has_text="Launchers")
    expect(mine).to_contain_text("5.0-rc1 is ahead, but peak memory gets worse")
    owner.goto(f"/studies/{study}/ask")
    line.get_by_role("button", name="change").click()
    owner.get_by_role("button", name="delete this profile").click()
    expect(line).to_have_count(0)


def test_what_decides_is_named_on_ask_and_answers_on_home(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/ask")
    part = owner.get_by_role("region", name="What decides")
    expect(part).to_contain_text("open in Open draft")
    part.get_by_label("name what decides").select_option(label="peak memory")
    expect(part.get_by_role("listitem")).to_have_count(2)
    owner.goto("/")
    line = owner.get_by_role("link", name=re.compile(SMALL[:18]))
    expect(line).to_contain_text(re.compile("peak memory is .* (more|less)"))
    expect(line).to_contain_text(re.compile(r"\d+ metrics: .*level"))
    assert axe_violations(owner) == []
    owner.goto(f"/studies/{study}/read")
    decides = owner.get_by_role("rowgroup").filter(has_text="This decides")
    expect(decides).to_contain_text("peak memory")
    owner.goto(f"/studies/{study}/ask")
    mine = part.get_by_role("listitem").filter(has_text="peak memory")
    mine.get_by_role("button", name="take out").click()
    expect(part.get_by_role("listitem")).to_have_count(1)
