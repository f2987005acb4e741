"""People come in and go, guests see one study, the workshop shows what the work is done with."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser
PASSWORD = "warp-and-weft-9"


@pytest.fixture
def stranger(browser, served):
    context = browser.new_context(base_url=served.base, viewport={"width": 1280, "height": 800})
    yield context.new_page()
    context.close()


def test_somebody_is_invited_joins_leaves_and_signs_in_again(owner, stranger):
    owner.goto("/people")
    owner.get_by_label("whom to invite").fill("Ida")
    owner.get_by_role("button", name="Make an invitation").click()
    link = owner.locator("pre").inner_text()
    stranger.goto(link)
    expect(stranger.get_by_text("owner invites Ida")).to_be_visible()
    assert axe_violations(stranger) == []
    stranger.get_by_label("Name").fill("ida")
    stranger.get_by_label("Password").fill("password1234")
    stranger.get_by_role("button", name="Join").click()
    expect(stranger.get_by_role("alert")).to_contain_text("common")
    stranger.get_by_label("Password").fill(PASSWORD)
    stranger.get_by_role("button", name="Join").click()
    expect(stranger.get_by_role("heading", name=re.compile("studies"))).to_be_visible()
    stranger.goto("/people")
    stranger.get_by_role("button", name="sign out").click()
    expect(stranger.get_by_role("button", name="Sign in")).to_be_visible()
    assert axe_violations(stranger) == []
    stranger.get_by_label("Name").fill("ida")
    stranger.get_by_label("Password").fill("wrong")
    stranger.get_by_role("button", name="Sign in").click()
    expect(stranger.get_by_role("alert")).to_contain_text("do not fit together")
    stranger.get_by_label("Password").fill(PASSWORD)
    stranger.get_by_role("button", name="Sign in").click()
    expect(stranger.get_by_text("you: tester")).to_be_visible()
    owner.reload()
    row = owner.get_by_role("listitem").filter(has_text="ida").filter(has_text="take out")
    row.get_by_role("button", name="new way in").click()
    expect(owner.get_by_text("Send this link to ida")).to_be_visible()
    stranger.goto("/")
    expect(stranger.get_by_role("button", name="Sign in")).to_be_visible()
    stranger.goto(owner.locator("pre").inner_text())
    stranger.get_by_label("your new password").fill("linen-and-wool-7")
    stranger.get_by_role("button", name="Set a password").click()
    expect(stranger.get_by_role("status").filter(has_text="kept")).to_be_visible()
    row.get_by_role("button", name="take out").click()
    expect(owner.get_by_role("heading", name="1 person in")).to_be_visible()
    stranger.goto("/")
    expect(stranger.get_by_role("button", name="Sign in")).to_be_visible()
    expect(owner.get_by_text("took a member out")).to_be_visible()
    gone = owner.get_by_role("listitem").filter(has_text="taken out")
    gone.get_by_role("button", name="let back in").click()
    expect(owner.get_by_role("heading", name="2 people in")).to_be_visible()
    row.get_by_role("button", name="take out").click()
    expect(owner.get_by_role("heading", name="1 person in")).to_be_visible()
    assert axe_violations(owner) == []


KEEP = re.compile("^Keep as version [0-9]+$")
#: Of every notch what it shows, and what only those who may change the study are offered.
OFFERED = {
    "ask": ("the answer so far", "make it the baseline", "Add a profile", "Put up a claim", "Ask"),
    "match": ("What watching costs", "Settle it", "Measure it 3 times"),
    "script": ("as kept", "lay out", "Rehearse", KEEP),
    "measure": ("rounds measured", "Measure another round", "Start the plan", "Stop all"),
    "read": ("metrics, 1 candidate against", "as usual"),
}


def nothing_to_press(page, study):
    for notch, (there, *buttons) in OFFERED.items():
        page.goto(f"/studies/{study}/{notch}")
        expect(page.get_by_text(there).first).to_be_visible()
        for name in buttons:
            expect(page.get_by_role("button", name=name, exact=True)).to_have_count(0)


def test_whoever_may_change_a_study_is_offered_to(owner):
    study = study_id(owner, "Does a small draft open faster in 4.2?")
    offered = set()
    for notch, (_, *buttons) in OFFERED.items():
        owner.goto(f"/studies/{study}/{notch}")
        for name in buttons:
            if name not in ("Stop all", "Start the plan", "Settle it"):
                button = owner.get_by_role("button", name=name, exact=True)
                expect(button.first).to_be_visible()
                offered.add(name)
    assert len(offered) >= 10


def test_a_guest_reads_the_study_and_gets_no_further(owner, stranger):
    study = study_id(owner, "Does a small draft open faster in 4.2?")
    owner.goto(f"/studies/{study}/ask")
    owner.get_by_label("whom the link is for").fill("the makers")
    owner.get_by_role("button", name="Make a link").click()
    link = owner.locator("pre").inner_text()
    stranger.goto(link)
    expect(stranger.get_by_text("shared with you, to be read")).to_be_visible()
    expect(stranger.get_by_text("follows the study until it is issued")).to_be_visible()
    stranger.goto("/")
    expect(stranger).to_have_url(re.compile(f"/studies/{study}/say"))
    stranger.goto(f"/studies/{study}/read")
    expect(stranger.get_by_text("metrics, 1 candidate against")).to_be_visible()
    run = owner.request.get(f"/api/studies/{study}").json()["runs"][0]["id"]
    nothing_to_press(stranger, study)
    stranger.goto(f"/runs/{run}")
    expect(stranger.get_by_role("heading", name=f"Run {run}")).to_be_visible()
    expect(stranger.get_by_role("button", name="Pin one")).to_have_count(0)
    other = study_id(owner, "Is 5.0-rc1 ready for wide drafts?")
    stranger.goto(f"/studies/{other}/read")
    expect(stranger.get_by_role("alert")).to_contain_text("this link shows one study")
    owner.reload()
    owner.get_by_role("listitem").filter(has_text="the makers").get_by_role("button").click()
    expect(owner.get_by_role("listitem").filter(has_text="the makers")).to_have_count(0)
    stranger.goto(f"/studies/{study}/read")
    expect(stranger.get_by_role("button", name="Sign in")).to_be_visible()


def test_a_token_is_shown_once(owner):
    owner.goto("/people")
    owner.get_by_label("name of the token").fill("nightly build")
    owner.get_by_role("button", name="Make it").click()
    token = owner.locator("pre").inner_text()
    owner.reload()
    line = owner.get_by_role("listitem").filter(has_text="nightly build").first
    expect(line).to_contain_text(f"{token[:6]}…")
    assert token not in owner.content()
    line.get_by_role("button", name="revoke").click()
    expect(line).to_contain_text("revoked")


def test_the_workshop_shows_subjects_rigs_and_fixtures(owner, tmp_path):
    owner.goto("/")
    owner.get_by_role("link", name="Subjects").click()
    expect(owner.get_by_role("cell", name="weftwright-5.0-rc1").first).to_be_visible()
    expect(owner.get_by_text("python -I -m weftwright --release 4.1")).to_be_visible()
    expect(owner.get_by_text("weftwright.ini")).to_be_visible()
    assert axe_violations(owner) == []
    owner.keyboard.press("g")
    owner.keyboard.press("i")
    expect(owner.get_by_role("heading", name="How they differ")).to_be_visible()
    expect(owner.get_by_role("row", name=re.compile("^processor"))).to_be_visible()
    assert axe_violations(owner) == []
    owner.get_by_role("link", name="loft-1").first.click()
    expect(owner.get_by_text("one of 2 cores").first).to_be_visible()
    expect(owner.get_by_text("How that changed")).to_be_visible()
    assert axe_violations(owner) == []
    owner.keyboard.press("g")
    owner.keyboard.press("f")
    file = tmp_path / "spare.weft"
    file.write_text("a spare draft")
    owner.get_by_label("file to keep as a fixture").set_input_files(file)
    row = owner.get_by_role("row", name="spare.weft")
    expect(row).to_contain_text("13 B")
    assert axe_violations(owner) == []
    row.get_by_role("button", name="delete").click()
    expect(row).to_have_count(0)
    owner.get_by_role("button", name=re.compile("^Undo")).click()
    expect(row).to_be_visible()


def test_an_owner_names_who_is_told_when_a_plan_ends(owner):
    owner.goto("/people")
    section = owner.get_by_role("region", name="addresses that are told")
    section.get_by_label("address that is told").fill("ftp://127.0.0.1/")
    section.get_by_role("button", name="Tell it").click()
    expect(section.get_by_role("alert")).to_contain_text("begins with http")
    section.get_by_label("address that is told").fill("http://127.0.0.1:9/told")
    section.get_by_role("button", name="Tell it").click()
    expect(section.locator("pre")).to_have_text(re.compile(r"^\S{30,}$"))
    section.get_by_role("button", name="done").click()
    section.get_by_role("button", name="try it").click()
    expect(section).to_contain_text("cannot be reached", timeout=30_000)
    assert axe_violations(owner) == []
    section.get_by_role("button", name="take out").click()
    expect(section.get_by_role("listitem")).to_have_count(0)
