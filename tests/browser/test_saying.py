"""Say: the report arranged, worded, issued, withdrawn, shown as figures, shared and on a phone."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

WIDE = "Is 5.0-rc1 ready for wide drafts?"

pytestmark = pytest.mark.browser


def kept(page, act):
    """Do something and wait until the arrangement is kept."""
    with page.expect_response(lambda r: r.request.method == "PUT" and r.url.endswith("/report")):
        act()


def titles(page):
    return page.get_by_role("navigation", name="sections").get_by_role("listitem")


def test_a_report_is_arranged_worded_issued_withdrawn_and_read_on_a_phone(
    owner, owners_browser, served, browser
):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/say")
    expect(owner.get_by_text("Nothing of this study has been issued yet.")).to_be_visible()
    assert axe_violations(owner) == []
    words_are_kept_with_their_number(owner)
    sections_move_go_and_come_back(owner)
    owner.get_by_role("button", name="Issue as no. 1").click()
    expect(owner.get_by_text("It says what no. 1 says.")).to_be_visible()
    owner.get_by_role("link", name="read no. 1").click()
    expect(owner.get_by_text("Report no. 1")).to_be_visible()
    expect(owner.get_by_text(re.compile("gives back"))).to_be_visible()
    on_a_phone_it_fits(owners_browser, served, browser, study)
    by_a_link_a_guest_reads_it(owner, served, browser, study)
    owner.goto(f"/studies/{study}/say")
    owner.get_by_role("button", name="withdraw").click()
    owner.get_by_label("why no. 1 is withdrawn").fill("the driver was updated")
    owner.get_by_role("button", name="withdraw it").click()
    expect(owner.get_by_text("withdrawn: the driver was updated")).to_be_visible()
    owner.get_by_role("link", name="read no. 1").click()
    expect(owner.get_by_text(re.compile("^Withdrawn .* the driver was updated"))).to_be_visible()


def words_are_kept_with_their_number(owner):
    owner.get_by_role("button", name="at In our words").click()
    field = owner.get_by_label("words at In our words")
    field.press_sequentially("Each preview gives back #weave in")
    numbers = owner.get_by_role("list", name="numbers")
    expect(numbers.get_by_role("button").first).to_contain_text("weave in Weave preview")
    field.press("ArrowDown")
    expect(numbers.get_by_role("button").nth(1)).to_have_attribute("aria-current", "true")
    amount = numbers.get_by_role("button").nth(1).inner_text()
    field.press("Tab")
    expect(numbers.get_by_role("button").nth(1)).not_to_have_text(amount)
    field.press("Enter")
    expect(field).to_have_value(re.compile(r"#\{weave in Weave preview \| 5.0-rc1 \| percent\}$"))
    kept(owner, lambda: field.press("Control+Enter"))
    expect(owner.get_by_text(re.compile(r"gives back 42.% less"))).to_be_visible()


def sections_move_go_and_come_back(owner):
    frames = owner.get_by_role("button", name=re.compile("^Frame times"))
    before = titles(owner).all_inner_texts()
    place = next(n for n, title in enumerate(before) if title.startswith("Frame times"))
    frames.click()
    kept(owner, lambda: frames.press("Alt+ArrowUp"))
    expect(titles(owner).nth(place - 1)).to_contain_text("Frame times")
    kept(owner, owner.get_by_role("button", name=re.compile("^Undo")).click)
    expect(titles(owner)).to_have_count(len(before))
    expect(titles(owner).nth(place)).to_contain_text("Frame times")
    kept(owner, lambda: frames.press("o"))
    expect(owner.get_by_role("button", name="put back Frame times")).to_be_visible()
    expect(owner.get_by_text(re.compile("^How rare slow frames are scroll"))).to_have_count(0)
    kept(owner, owner.get_by_role("button", name="put back Frame times").click)
    expect(owner.get_by_text(re.compile("^How rare slow frames are scroll"))).to_be_visible()


def on_a_phone_it_fits(owners_browser, served, browser, study):
    context = browser.new_context(
        base_url=served.base,
        viewport={"width": 390, "height": 844},
        storage_state=owners_browser.storage_state(),
    )
    phone = context.new_page()
    phone.goto(f"/studies/{study}/say")
    expect(phone.get_by_text("Report 1", exact=True)).to_be_visible()
    expect(phone.get_by_role("heading", name=WIDE)).to_be_visible()
    wide = "document.querySelector('[data-paper]').shadowRoot.firstElementChild.scrollWidth"
    assert phone.evaluate(f"{wide} <= innerWidth")
    assert phone.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert axe_violations(phone) == []
    context.close()


def by_a_link_a_guest_reads_it(owner, served, browser, study):
    owner.goto(f"/studies/{study}/say")
    owner.get_by_role("button", name="Make a link").click()
    field = owner.get_by_text(re.compile(f"{served.base}/shared/"))
    expect(field).to_be_visible()
    link = re.search(r"\S+/shared/\S+", field.inner_text()).group()
    context = browser.new_context(base_url=served.base, viewport={"width": 1280, "height": 800})
    guest = context.new_page()
    guest.goto(link)
    expect(guest).to_have_url(re.compile("/say$"))
    expect(guest.get_by_role("heading", name=WIDE)).to_be_visible()
    expect(guest.get_by_text("Report no. 1")).to_be_visible()
    expect(guest.get_by_role("button", name=re.compile("Issue"))).to_have_count(0)
    expect(guest.get_by_role("button", name=re.compile("withdraw|words at"))).to_have_count(0)
    context.close()


def test_a_number_of_the_report_leads_to_its_row(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/say")
    owner.get_by_role("link", name="open in Open draft").click()
    expect(owner).to_have_url(re.compile(r"/read\?row=duration~Open(%20|\+)draft~open"))
    expect(owner.get_by_role("row", name=re.compile("^open in"))).to_be_visible()


def drawn_width(picture) -> int:
    """How wide a picture is, once it has been drawn."""
    return picture.evaluate("image => image.decode().then(() => image.naturalWidth)")


def test_figures_are_chosen_by_keys_and_hold_in_the_address(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/say")
    owner.get_by_role("link", name="choose a figure").click()
    picture = owner.get_by_role("img", name=re.compile("what matters"))
    expect(picture).to_be_visible()
    assert drawn_width(picture) == 1920  # once it is drawn, the page hears keys
    owner.keyboard.press("ArrowRight")
    picture = owner.get_by_role("img", name="launch, 4.2, wide, light")
    expect(picture).to_be_visible()
    owner.keyboard.press("l")
    picture = owner.get_by_role("img", name="launch, 4.2, wide, dark")
    expect(picture).to_be_visible()
    assert drawn_width(picture) == 1920
    owner.reload()
    expect(picture).to_be_visible()
    with owner.expect_download() as waiting:
        owner.get_by_role("link", name="save PNG").click()
    assert waiting.value.suggested_filename == f"study-{study}-figure-wide-dark.png"
    assert axe_violations(owner) == []


def test_a_study_goes_out_as_a_bundle_and_comes_in_again(owner, tmp_path):
    study = study_id(owner, "Is memory given back when a draft is closed?")
    owner.goto(f"/studies/{study}/say")
    owner.get_by_role("button", name="make a bundle").click()
    take = owner.get_by_role("link", name="save the bundle")
    expect(take).to_be_visible(timeout=90_000)
    with owner.expect_download() as waiting:
        take.click()
    waiting.value.save_as(tmp_path / "study.bundle.zip")
    owner.goto("/ask")
    field = owner.get_by_label(re.compile("Bring in a bundle"))
    field.set_input_files(tmp_path / "study.bundle.zip")
    brought = owner.get_by_role("list", name="bundles brought in")
    expect(brought).to_contain_text("It says here what it says", timeout=90_000)
    assert axe_violations(owner) == []
    brought.get_by_role("link").click()
    heading = owner.get_by_role("heading", name="Is memory given back when a draft is closed?")
    expect(heading).to_be_visible()
    brought_in = int(re.search(r"studies/(\d+)/", owner.url).group(1))
    (tmp_path / "no").write_bytes(b"PK")
    owner.goto("/ask")
    field.set_input_files(tmp_path / "no")
    expect(owner.get_by_role("alert")).to_contain_text("was not taken: this is no bundle")
    brought.get_by_role("button", name="measure it again here").click()
    expect(owner).to_have_url(re.compile(r"/studies/\d+/ask"))
    expect(owner.get_by_text("closed? (measured again)").first).to_be_visible()
    expect(owner.get_by_role("rowgroup", name="5.0-rc1")).to_be_visible()
    again = int(re.search(r"studies/(\d+)/", owner.url).group(1))
    token = next(c["value"] for c in owner.context.cookies() if c["name"] == "csrftoken")
    for number in (brought_in, again):  # others count the studies
        gone = owner.request.put(
            f"/api/shelf/study/{number}",
            data={"state": "deleted"},
            headers={"X-CSRFToken": token},
        )
        assert gone.ok
