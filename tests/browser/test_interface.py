"""The real interface in a browser, against a real server with a real rig."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import SHORT, axe_violations, put_script, study_id
from yardstick_command import up

pytestmark = pytest.mark.browser

WIDE = "Is 5.0-rc1 ready for wide drafts?"
SMALL = "Does a small draft open faster in 4.2?"


def test_a_stranger_is_told_how_to_get_in_and_nothing_else(page):
    page.goto("/")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    expect(page.get_by_text("Weftwright")).to_have_count(0)


def test_a_used_link_says_so(page, owners_browser):
    page.goto("/sign-in/used-already")
    expect(page.get_by_role("alert")).to_contain_text("has been used")


def test_home_shows_every_study_as_one_rule_and_opens_by_key(owner):
    owner.goto("/")
    expect(owner.get_by_role("heading", name="Six studies")).to_be_visible()
    expect(owner.get_by_role("img", name=re.compile("metrics against 4."))).to_have_count(10)
    owner.keyboard.press("j")
    owner.keyboard.press("Enter")
    expect(owner).to_have_url(re.compile(r"/studies/\d+$"))


def test_the_board_answers_in_a_sentence_with_interval_and_runs(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/read?row=one_percent_low~Scroll%20cloth~scroll")
    side = owner.get_by_role("complementary")
    expect(side).to_contain_text(re.compile(r"1 % low is .*fps in 4\.1; in 4\.2 it is .*fps"))
    expect(side).to_contain_text("95 % interval")
    expect(side).to_contain_text("rate of the mean of the slowest 1 % of frames")
    expect(side.get_by_role("group", name=re.compile("of every run"))).to_be_visible()
    row = owner.get_by_role("row", name=re.compile(r"^1 % low"))
    expect(row).to_contain_text("behind")
    expect(row).to_contain_text("ahead")


def test_rows_are_walked_by_keys_and_the_address_holds_the_view(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/read?row=duration~Launch~launch")
    owner.get_by_role("row", name=re.compile("^launch")).wait_for()
    owner.keyboard.press("j")
    owner.keyboard.press("j")
    expect(owner).to_have_url(re.compile("row=duration(%7E|~)Open"))
    owner.keyboard.press("2")
    expect(owner).to_have_url(re.compile("without=1"))
    expect(owner.get_by_role("heading", name=re.compile("1 candidate"))).to_be_visible()
    owner.reload()
    expect(owner.get_by_role("heading", name=re.compile("1 candidate"))).to_be_visible()


def test_another_variant_becomes_the_baseline_by_choice_and_by_key(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/read")
    owner.get_by_role("button", name="baseline").click()
    owner.get_by_role("option", name="4.2").click()
    expect(owner).to_have_url(re.compile("baseline=1"))
    row = owner.get_by_role("row", name=re.compile("^1 % low"))
    expect(row).to_contain_text("4.1")
    expect(row.locator(".verdict").first).to_have_text("ahead")
    owner.keyboard.press("Escape")
    owner.goto(f"/studies/{study}/read?baseline=1")
    owner.get_by_role("row", name=re.compile("^1 % low")).wait_for()
    owner.keyboard.press("b")
    expect(owner).to_have_url(re.compile("baseline=2"))


def test_claims_are_judged_put_up_and_taken_back(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/ask")
    claims = owner.get_by_role("listitem")
    promised = claims.filter(has_text="open in Open draft is at least 20")
    expect(promised).to_contain_text("borne out")
    guessed = claims.filter(has_text="1 % low in Scroll cloth is not less")
    expect(guessed).to_contain_text("contradicted")
    owner.get_by_role("button", name="Put up a claim").click()
    owner.get_by_label("metric", exact=True).select_option(label="weave")
    owner.get_by_label("candidate").select_option(label="5.0-rc1")
    owner.get_by_label("amount").fill("10")
    owner.get_by_label("said by").fill("a friend")
    owner.get_by_role("button", name="Put it up").click()
    mine = claims.filter(has_text="said by: a friend")
    expect(mine).to_contain_text("borne out")
    mine.get_by_role("button", name="take back").click()
    expect(mine).to_have_count(0)
    expect(promised).to_be_visible()
    expect(guessed).to_be_visible()


def test_only_what_matters_hides_what_is_level_or_open(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/read")
    owner.get_by_role("button", name="only what matters").click()
    owner.get_by_role("button", name="everything").wait_for()
    rows = owner.locator("tbody tr").filter(has=owner.locator(".verdict"))
    expect(rows.filter(has_not_text=re.compile("ahead|behind"))).to_have_count(0)
    expect(rows).not_to_have_count(0)


def test_a_run_shows_lanes_steps_and_the_readings_of_a_stretch(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/measure")
    owner.locator("a[href^='/runs/']").first.click()
    expect(owner.get_by_role("heading", name=re.compile(r"^Run \d+"))).to_be_visible()
    for lane in ("frame time", "processor", "memory"):
        expect(owner.get_by_role("region", name=lane)).to_be_visible()
    expect(owner.get_by_role("heading", name=re.compile("^Scroll cloth"))).to_be_visible()
    owner.keyboard.press("]")
    expect(owner.get_by_role("heading", name=re.compile("^Weave preview"))).to_be_visible()
    owner.keyboard.press("n")
    expect(owner).to_have_url(re.compile("from="))


def test_dragging_over_a_lane_chooses_a_stretch(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/measure")
    owner.locator("a[href^='/runs/']").first.click()
    lane = owner.get_by_role("region", name="frame time").locator(".u-over")
    box = lane.bounding_box()
    owner.mouse.move(box["x"] + 300, box["y"] + 50)
    owner.mouse.down()
    owner.mouse.move(box["x"] + 420, box["y"] + 50, steps=6)
    owner.mouse.up()
    expect(owner.get_by_role("heading", name=re.compile("^chosen by hand"))).to_be_visible()


def test_the_script_is_readable_and_says_what_will_be_timed(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/script")
    expect(owner.get_by_role("heading", name="5 timings, 1 frame stretch")).to_be_visible()
    expect(owner.get_by_text("ends when log “draft read”")).to_be_visible()
    expect(owner.get_by_label("session script")).to_contain_text('until file "out.png" is written')


def test_keys_are_listed_and_lead_to_the_notches(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/ask")
    owner.get_by_label("question", exact=True).wait_for()
    owner.keyboard.press("?")
    expect(owner.get_by_role("complementary", name="Keys")).to_contain_text("Measure")
    owner.keyboard.press("Escape")
    owner.keyboard.press("g")
    owner.keyboard.press("s")
    expect(owner).to_have_url(re.compile("/script$"))


def test_a_rig_is_paused_and_goes_on(owner):
    owner.goto("/")
    owner.get_by_role("button", name="pause", exact=True).click()
    expect(owner.get_by_text("paused: takes no run")).to_be_visible()
    owner.get_by_role("button", name="let it go on").click()
    expect(owner.get_by_text("idle, ready to measure")).to_be_visible()


def test_find_goes_where_a_few_letters_say(owner):
    owner.goto("/")
    owner.get_by_role("heading", name="Six studies").wait_for()
    owner.keyboard.press("/")
    owner.keyboard.type("wide script")
    owner.keyboard.press("Enter")
    expect(owner).to_have_url(re.compile("/script$"))
    expect(owner.get_by_text("what will be timed")).to_be_visible()
    owner.keyboard.press("Escape")
    expect(owner).to_have_url(re.compile("/$"))


def test_the_cursor_walks_frame_by_frame(owner):
    study = study_id(owner, WIDE)
    owner.goto(f"/studies/{study}/measure")
    owner.locator("a[href^='/runs/']").first.click()
    owner.get_by_role("region", name="memory").wait_for()
    # The spikes come with the readings of the stretch, a little after the lanes.
    expect(owner.get_by_role("complementary").get_by_text("average frame rate")).to_be_visible()
    owner.keyboard.press("n")
    cursor = owner.get_by_test_id("cursor")
    first = cursor.inner_text()
    assert re.search(r"frame .*ms \(.*fps\)", first)
    owner.keyboard.press(".")
    expect(cursor).not_to_have_text(first)


def at_rest(page) -> None:
    """Return once the page shows what it is about and fetches nothing more."""
    expect(page.get_by_role("heading").first).to_be_visible()
    expect(page.get_by_text(re.compile("^fetching"))).to_have_count(0)


@pytest.mark.parametrize("view", ["/", "ask", "script", "measure", "read", "decide"])
def test_views_pass_an_accessibility_check_light_and_dark(owner, view):
    owner.goto("/" if view == "/" else f"/studies/{study_id(owner, WIDE)}/{view}")
    at_rest(owner)
    found = {}
    for scheme in ("light", "dark"):
        owner.emulate_media(color_scheme=scheme)
        found[scheme] = axe_violations(owner)
    assert found == {"light": [], "dark": []}


def test_nothing_is_cut_off_at_1024_px_and_nothing_empty_follows(owner):
    owner.set_viewport_size({"width": 1024, "height": 768})
    study = study_id(owner, WIDE)
    for view in ("/", *(f"/studies/{study}/{part}" for part in ("ask", "read", "measure"))):
        owner.goto(view)
        at_rest(owner)
        size = "[document.documentElement.scrollWidth, document.documentElement.scrollHeight]"
        wide, high = owner.evaluate(size)
        assert wide <= 1024, view
        assert high <= 768 or view == "/", f"{view} can be scrolled beyond its end"


def test_an_address_that_leads_nowhere_says_so(owner):
    owner.goto("/studies/999999")
    expect(owner.get_by_role("alert")).to_contain_text("belongs to another workspace")
    owner.goto("/nowhere")
    expect(owner.get_by_text("There is nothing at this address")).to_be_visible()


def launches(board) -> list[int]:
    """How many launches of each variant a board compares."""
    launch = next(row for row in board["rows"] if row["metric"] == "duration")
    return [len(side) for side in launch["samples"]]


def test_measuring_a_real_round_changes_the_board_without_reload(owner):
    """The whole way: button, queue, rig, display, program, chunks, seal, readings, board."""
    study = study_id(owner, SMALL)
    put_script(owner, study, SHORT)
    owner.goto(f"/studies/{study}/measure")
    owner.get_by_text("8 warm rounds measured").wait_for()
    owner.evaluate("window.notReloaded = true")
    before = owner.request.get(f"/api/studies/{study}/board").json()
    owner.get_by_role("button", name="Measure another round").click()
    now = owner.get_by_role("complementary")
    expect(now.get_by_text("on this-machine")).to_be_visible(timeout=20_000)
    expect(now.get_by_text(re.compile("so far"))).to_be_visible(timeout=20_000)
    expect(now.locator("[aria-current=step]")).to_be_visible(timeout=20_000)
    expect(owner.get_by_text("9 warm rounds measured")).to_be_visible(timeout=90_000)
    owner.get_by_role("link", name="Read", exact=False).last.click()
    owner.wait_for_url(re.compile("/read"))
    assert owner.evaluate("window.notReloaded") is True
    wanted = [count + 1 for count in launches(before)]
    for _ in range(50):  # the round has been measured; that it is judged comes a moment later
        after = owner.request.get(f"/api/studies/{study}/board").json()
        if launches(after) == wanted:
            break
        owner.wait_for_timeout(200)
    assert launches(after) == wanted


def test_a_run_is_aborted_from_the_page_and_kept(owner):
    study = study_id(owner, SMALL)
    put_script(
        owner, study, SHORT.replace('step "Close"', 'step "Wait"\n  wait 30s\n\nstep "Close"')
    )
    owner.goto(f"/studies/{study}/measure")
    owner.get_by_role("button", name="Measure another round").click()
    owner.get_by_text("Wait", exact=True).and_(owner.locator("[aria-current]")).wait_for(
        timeout=60_000
    )
    owner.get_by_role("button", name="Stop all").click()
    expect(owner.get_by_text("aborted in step “Wait”")).to_be_visible(timeout=30_000)
    expect(owner.get_by_text("withdrawn", exact=True)).to_be_visible()
    run = owner.get_by_role("link").filter(has_text="aborted").first
    run.click()
    expect(owner.get_by_role("alert")).to_contain_text("Everything measured until then is kept")
    expect(owner.get_by_role("region", name="frame time")).to_be_visible()


def test_a_server_away_during_a_run_loses_nothing(owner, served):
    """The API is stopped while a run is measured and started again: the run arrives whole."""
    study = study_id(owner, SMALL)
    put_script(owner, study, SHORT.replace('step "Close"', '  wait 4s\n\nstep "Close"'))
    owner.goto(f"/studies/{study}/measure")
    owner.get_by_role("button", name="Measure another round").click()
    owner.get_by_text("Scroll cloth", exact=True).and_(owner.locator("[aria-current]")).wait_for(
        timeout=60_000
    )
    served.part("api").stop()
    owner.wait_for_timeout(6000)
    served.part("api").start()
    up.wait_until_served(int(served.base.rsplit(":", 1)[1]))
    owner.reload()
    expect(owner.get_by_text("10 warm rounds measured")).to_be_visible(timeout=90_000)
    runs = owner.request.get(f"/api/studies/{study}").json()["runs"]
    newest = max(run["round"] for run in runs)
    mine = [run for run in runs if run["round"] == newest]
    assert [run["outcome"] for run in mine] == ["finished", "finished"]
    noted = [
        owner.request.get(f"/api/runs/{run['id']}").json()["observer"]["frames"] for run in mine
    ]
    code = (
        "from yardstick_server.runs.models import Run\n"
        "from django.db.models import Sum\n"
        f"for run in {[run['id'] for run in mine]}:\n"
        "    frames = Run.objects.get(pk=run).chunks.filter(stream='frames')\n"
        "    print(frames.aggregate(all=Sum('samples'))['all'])"
    )
    kept = up.manage(served.environment, "shell", "-v", "0", "-c", code).split()
    assert list(map(int, kept)) == noted
    assert min(noted) > 0
