"""Many releases, many sessions, two factors, a day's work: read and asked for as a person would."""

import json
import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser

WIDE = "Is 5.0-rc1 ready for wide drafts?"
CROSSED = "Does a narrow margin of tiles make scrolling smoother?"


def test_a_line_says_when_opening_got_quicker_and_what_to_measure_next(owner):
    owner.goto("/subjects")
    owner.get_by_role("link", name="Open a long runner and look along it").click()
    said = owner.get_by_text(re.compile("^Open in Open draft changed"))
    said.wait_for()
    assert "since 3.8.1 or 3.9" in said.inner_text()
    assert "less time" in said.inner_text()
    expect(
        owner.get_by_text(re.compile("^12 releases, [0-9]+ sessions of measuring"))
    ).to_be_visible()
    drawn = owner.get_by_role("img", name=re.compile("Better to the right of 4.1"))
    expect(drawn.first).to_be_visible()
    assert axe_violations(owner) == []
    pressed = owner.locator("button[aria-pressed=true]").first
    before = pressed.inner_text()
    owner.keyboard.press("j")
    owner.wait_for_url(re.compile("metric="))
    expect(pressed).not_to_have_text(before)
    held, chosen = owner.url, pressed.inner_text()
    owner.goto(held)
    expect(pressed).to_have_text(chosen)
    owner.keyboard.press("k")
    owner.get_by_role("button", name="Measure 3.8.1 next").click()
    owner.wait_for_url(re.compile(r"/studies/\d+/measure"))
    number = re.search(r"studies/(\d+)", owner.url)[1]
    study = owner.request.get(f"/api/studies/{number}").json()
    assert [one["name"] for one in study["variants"]] == ["4.1", "3.8.1"]
    assert study["script"]["title"] == "Open a long runner and look along it"


def test_releases_stand_in_the_order_that_a_person_says(owner):
    owner.goto("/subjects")
    owner.get_by_role("link", name="Open a long runner and look along it").click()
    owner.get_by_text("The order of releases").click()
    order = owner.get_by_label("order of releases")
    names = order.input_value().split("\n")
    order.fill("\n".join([names[1], names[0], *names[2:]]))
    owner.get_by_role("button", name="Keep this order").click()
    expect(owner.get_by_role("heading", name="Weftwright, 3.7 to 5.0-rc1")).to_be_visible()
    owner.get_by_text("The order of releases").click()
    owner.get_by_role("button", name="By their names").click()
    expect(owner.get_by_role("heading", name="Weftwright, 3.6 to 5.0-rc1")).to_be_visible()


def test_sessions_stand_beside_each_other_and_are_taken_along(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/decide")
    owner.get_by_role("link", name="all sessions beside each other").click()
    owner.get_by_text("3 sessions, 2 candidates").wait_for()
    table = owner.request.get(f"/api/studies/{study}/sessions").json()
    expect(owner.get_by_text(table["headline"])).to_be_visible()
    assert axe_violations(owner) == []
    owner.keyboard.press("o")
    expect(owner.get_by_text("sorted by share of a day")).to_be_visible()
    owner.get_by_role("button", name="peak memory").click()
    owner.wait_for_url(re.compile("metric=peak_memory"))
    owner.context.grant_permissions(["clipboard-read", "clipboard-write"])
    picture = owner.get_by_role("img", name=re.compile("Sessions by variants"))
    picture.hover()
    owner.get_by_role("button", name=re.compile("as CSV")).click()
    expect(owner.get_by_role("status").filter(has_text=re.compile("copied|saved"))).to_be_visible()
    copied = owner.evaluate("navigator.clipboard.readText()")
    assert copied.startswith('"session","share of a day, %"')
    assert len(copied.strip().splitlines()) == 1 + 3 * 3 + 3 * 2
    share = owner.get_by_label("share of a day of Open a small draft and look along it")
    share.fill("40")
    share.press("Enter")
    expect(owner.get_by_text(re.compile(r"80\s% said"))).to_be_visible()
    owner.get_by_role("link", name="Open a long runner and look along it").first.click()
    owner.get_by_role("navigation", name="Sessions of the study").wait_for()
    expect(owner.locator("[aria-current=page]", has_text="Open a long runner")).to_be_visible()


def test_what_a_set_says_together_stands_above_each_of_its_sessions(owner):
    study = study_id(owner, WIDE)
    headline = owner.request.get(f"/api/studies/{study}/sessions").json()["headline"]
    owner.goto(f"/studies/{study}/read")
    together = owner.get_by_role("region", name="over all sessions")
    expect(together).to_contain_text(headline)
    together.get_by_role("button", name="show the table").click()
    together.get_by_role("button", name="peak memory").click()
    expect(owner).to_have_url(re.compile("over=peak_memory"))
    expect(together.get_by_role("img", name=re.compile("Sessions by variants"))).to_be_visible()
    assert axe_violations(owner) == []
    owner.goto(owner.url.replace("/read", "/decide"))
    expect(together.get_by_role("button", name="hide the table")).to_be_visible()


def test_a_link_to_a_set_shows_its_sessions_to_a_guest(owner, served, browser):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/say")
    owner.get_by_role("button", name="Make a link").click()
    field = owner.get_by_text(re.compile(f"{served.base}/shared/"))
    link = re.search(r"\S+/shared/\S+", field.inner_text()).group()
    context = browser.new_context(base_url=served.base, viewport={"width": 1280, "height": 800})
    guest = context.new_page()
    guest.goto(link)
    guest.get_by_role("link", name="beside each other").click()
    expect(guest.get_by_text("3 sessions, 2 candidates")).to_be_visible()
    expect(guest.get_by_role("button", name="Add a session")).to_have_count(0)
    guest.goto(f"/studies/{study}/read")
    guest.get_by_role("link", name="Open a small draft and look along it").click()
    expect(guest.get_by_role("heading", name=re.compile("metrics, 2 candidates"))).to_be_visible()
    context.close()


def test_two_factors_are_read_cell_by_cell(owner):
    study = study_id(owner, CROSSED)
    owner.goto(f"/studies/{study}/crossed")
    told = owner.request.get(f"/api/studies/{study}/crossing").json()
    expect(owner.get_by_text(told["chosen"]["steps"][0]["sentence"])).to_be_visible()
    expect(owner.get_by_text("4.1 keeps no tiles: nothing is said of it")).to_be_visible()
    expect(owner.get_by_text("narrow in 4.2")).to_be_visible()
    assert axe_violations(owner) == []
    owner.get_by_role("button", name="peak memory").click()
    owner.wait_for_url(re.compile("metric=peak_memory"))
    owner.get_by_text("Change levels and remarks").click()
    owner.get_by_label("does 4.1 work?").select_option("cannot open")
    owner.get_by_label("remark on 4.1").fill("asks for a licence")
    owner.get_by_role("button", name="Keep").click()
    works = (
        owner.get_by_role("region")
        .or_(owner.locator("section"))
        .filter(has_text="What works with what")
    )
    expect(works.get_by_text("asks for a licence").first).to_be_visible()


def test_what_works_with_what_is_said_by_keys_and_shown(owner, tmp_path):
    study = study_id(owner, CROSSED)
    owner.goto(f"/studies/{study}/works")
    cell = owner.get_by_role("button", name="works", exact=True)
    cell.first.wait_for()
    assert axe_violations(owner) == []
    for key in ("ArrowDown", "ArrowRight", "w"):
        owner.keyboard.press(key)
    owner.wait_for_url(re.compile("cell=1"))
    word = owner.get_by_role("form", name=re.compile("whether .* works"))
    word.get_by_label(re.compile("^does .* work")).select_option("cannot open")
    word.get_by_label("what was seen").fill("asks for tiles that it does not know")
    shot = tmp_path / "shot.png"
    shot.write_bytes(owner.screenshot())
    word.get_by_label("a picture").set_input_files(shot)
    word.get_by_role("button", name="Keep").click()
    chosen = owner.get_by_role("complementary", name="the chosen cell")
    picture = chosen.get_by_role("img", name=re.compile("cannot open"))
    expect(picture).to_be_visible()
    assert picture.evaluate("one => one.decode().then(() => one.naturalWidth)") > 0
    expect(owner.get_by_text(re.compile("cannot open; "))).to_be_visible()
    owner.keyboard.press("u")
    expect(chosen.get_by_text("Its runs and findings say so.")).to_be_visible()
    expect(picture).to_have_count(0)


def test_a_study_is_crossed_from_what_its_variants_are_called(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/crossed")
    owner.get_by_placeholder("setting, driver, system …").fill("drawing")
    owner.get_by_label("drawing of 4.1").fill("cells")
    owner.get_by_label("drawing of 4.2").fill("tiles")
    owner.get_by_label("drawing of 5.0-rc1").fill("tiles")
    owner.get_by_role("button", name="Cross them").click()
    expect(owner.get_by_text("What works with what")).to_be_visible()
    owner.get_by_text("Change levels and remarks").click()
    for name in ("4.1", "4.2", "5.0-rc1"):
        owner.get_by_label(f"release of {name}").fill("")
        owner.get_by_label(f"drawing of {name}").fill("")
    owner.get_by_role("button", name="Keep").click()
    expect(owner.get_by_text("Cross two factors")).to_be_visible()


def test_a_days_work_is_summed_up_and_the_link_holds_it(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/job")
    owner.get_by_text(re.compile("^With 4.2, a day")).wait_for()
    assert axe_violations(owner) == []
    many = owner.get_by_label("how many of Open, scroll and weave a wide draft")
    many.fill("40")
    owner.wait_for_url(re.compile("job="))
    expect(owner.get_by_text(re.compile("40 of “Open, scroll"))).to_be_visible()
    said = owner.get_by_text(re.compile("^With 4.2, a day")).inner_text()
    held = owner.url
    owner.goto(held)
    expect(owner.get_by_text(said)).to_be_visible()
    owner.get_by_role("button", name="Another kind").click()
    expect(owner.get_by_text(re.compile("another kind was not measured"))).to_be_visible()


def test_a_job_of_the_address_that_is_none_begins_anew(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/job?job={json.dumps([1])}")
    owner.get_by_text(re.compile("^With 4.2, a day")).wait_for()


def test_a_days_work_is_kept_and_told_in_the_report(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/job")
    owner.get_by_label("how many of Open a small draft and look along it").fill("30")
    owner.get_by_role("button", name="Keep it for the report").click()
    kept = owner.get_by_role("region", name="kept jobs")
    sentence = kept.get_by_role("listitem").first.inner_text().split("\n")[0]
    assert sentence.startswith("With 4.2, a day:")
    assert axe_violations(owner) == []
    owner.get_by_role("link", name="report").click()
    expect(owner.get_by_text(sentence).first).to_be_visible()
    owner.goto(f"/studies/{study}/job")
    kept.get_by_role("button", name="let it go").click()
    expect(kept).to_have_count(0)
