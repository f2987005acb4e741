"""The page of a run: looked at closely, beside others, by the lap, with findings, taken along."""

import io
import re

import pytest
from PIL import Image
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser

WIDE = "Is 5.0-rc1 ready for wide drafts?"
LOOM = "Is memory given back when a draft is closed?"


def finished(page, question: str) -> list[dict]:
    study = page.request.get(f"/api/studies/{study_id(page, question)}").json()
    return [run for run in study["runs"] if run["outcome"] == "finished" and not run["cold"]]


def one_of_each(page, question: str = WIDE) -> list[int]:
    """A run of every variant of the same round, in the order of the variants."""
    runs = finished(page, question)
    newest = max(run["round"] for run in runs)
    mine = sorted((run for run in runs if run["round"] == newest), key=lambda run: run["variant"])
    return [run["id"] for run in mine]


def open_run(page, run: int, rest: str = "") -> None:
    page.goto(f"/runs/{run}{rest}")
    page.get_by_role("region", name="memory", exact=True).wait_for()


def at_of(page) -> tuple[float, float]:
    """The view that the address holds, once it has come to rest."""
    seen = ""
    while page.url != seen:
        seen = page.url
        page.wait_for_timeout(400)
    left, right = (re.search(rf"{name}=([\d.]+)", page.url) for name in ("left", "right"))
    return float(left.group(1)), float(right.group(1))


def test_zooming_and_panning_go_down_to_frames_and_stay_in_the_address(owner):
    open_run(owner, one_of_each(owner)[0])
    for _ in range(5):
        owner.keyboard.press("+")
    expect(owner).to_have_url(re.compile("left=.*right="))
    left, right = at_of(owner)
    assert right - left < 1
    owner.keyboard.press("ArrowRight")
    expect(owner).not_to_have_url(re.compile(f"left={left:.4f}"))
    assert at_of(owner)[0] == pytest.approx(left + (right - left) / 4, abs=0.01)
    owner.reload()
    owner.get_by_role("region", name="memory", exact=True).wait_for()
    assert at_of(owner)[1] - at_of(owner)[0] == pytest.approx(right - left, abs=1e-3)
    owner.keyboard.press("0")
    expect(owner).not_to_have_url(re.compile("left="))


def test_the_wheel_zooms_with_ctrl_and_dragging_the_rule_pans(owner):
    open_run(owner, one_of_each(owner)[0])
    rule = owner.get_by_role("img", name="time since the run's start, s")
    box = rule.bounding_box()
    owner.mouse.move(box["x"] + box["width"] / 2, box["y"] + 30)
    owner.keyboard.down("Control")
    for _ in range(4):
        owner.mouse.wheel(0, -100)
    owner.keyboard.up("Control")
    expect(owner).to_have_url(re.compile("left="))
    before = at_of(owner)
    owner.mouse.down()
    owner.mouse.move(box["x"] + box["width"] / 2 - 200, box["y"] + 30, steps=8)
    owner.mouse.up()
    expect(owner).not_to_have_url(re.compile(f"left={before[0]:.4f}"))
    after = at_of(owner)
    assert after[0] > before[0]
    assert after[1] - after[0] == pytest.approx(before[1] - before[0], rel=0.01)


def test_lanes_fold_move_and_grow_and_a_link_keeps_it(owner):
    open_run(owner, one_of_each(owner)[0])
    owner.get_by_role("button", name="fold processor").click()
    owner.get_by_role("button", name="show key to picture").click()
    owner.get_by_role("button", name="move up: key to picture").click()
    owner.get_by_role("button", name="make higher: frame time").click()
    expect(owner).to_have_url(re.compile("lanes=frames.202%2C-processor%2Clatency%2Cmemory"))
    owner.reload()
    expect(owner.get_by_role("button", name="show processor")).to_be_visible()
    lane = owner.get_by_role("region", name="key to picture")
    expect(lane.locator("canvas")).to_be_visible()


def test_runs_lie_over_one_another_aligned_at_a_step(owner):
    first, second, third = one_of_each(owner)
    open_run(owner, first)
    owner.get_by_role("button", name="Beside it …").click()
    for other in (second, third):
        owner.get_by_role("button", name=f"{other} same round").click()
    owner.keyboard.press("Escape")
    together = owner.get_by_role("region", name="runs side by side")
    expect(together.get_by_role("button", pressed=True)).to_have_count(3)
    owner.get_by_label("laid together at").select_option(label="step “Scroll cloth”")
    expect(owner).to_have_url(re.compile(f"with={second}%2C{third}.*align=step"))
    cursor = owner.get_by_test_id("cursor")
    for _ in range(90):  # there is no next picture before those of the new view have come
        owner.keyboard.press(".")
        if cursor.is_visible():
            break
        owner.wait_for_timeout(500)
    expect(cursor).to_contain_text(f"run {third}")
    owner.keyboard.press("2")
    expect(together.get_by_role("button", pressed=True)).to_have_count(2)
    expect(cursor).not_to_contain_text(f"run {second}")
    owner.keyboard.press("s")
    expect(owner.get_by_role("region", name=f"frame time, run {third}")).to_be_visible()
    assert axe_violations(owner) == []


def test_stretches_of_runs_are_compared_without_a_verdict(owner):
    first, second, _ = one_of_each(owner)
    open_run(owner, first, f"?with={second}")
    sides = owner.get_by_role("region", name="stretches side by side")
    expect(sides).to_contain_text("no interval here and is no verdict")
    row = sides.get_by_role("row", name=re.compile("^average frame rate"))
    expect(row).to_contain_text(re.compile(r"\+\d+\s?fps · \d+\s?% more\s+· [\d.]+\s?× the rate"))
    expect(sides.get_by_role("img", name="share of frames by frame time, ms")).to_be_visible()
    expect(sides.get_by_role("img", name="share of the time by frame time, ms")).to_be_visible()


def test_a_held_stretch_stands_beside_the_next_one_chosen(owner):
    open_run(owner, one_of_each(owner)[0])
    expect(owner.get_by_role("heading", name=re.compile("^Scroll cloth"))).to_be_visible()
    owner.keyboard.press("h")
    owner.get_by_text("Held. Choose another stretch").wait_for()
    owner.keyboard.press("]")
    sides = owner.get_by_role("region", name="stretches side by side")
    expect(sides.get_by_role("columnheader")).to_have_count(3)
    owner.keyboard.press("H")
    expect(sides).to_have_count(0)


def test_laps_lie_over_one_another_and_say_where_memory_goes(owner):
    run = next(run for run in finished(owner, LOOM) if run["variant"] == 1)["id"]
    open_run(owner, run)
    laps = owner.get_by_role("region", name="laps and growth")
    expect(laps).to_contain_text(re.compile(r"Memory over 1\d laps"))
    expect(laps).to_contain_text(re.compile(r"grows: \+\d+\s?MiB/min .* after 8\s?h"))
    expect(laps).to_contain_text("of this machine are full after")
    owner.context.grant_permissions(["clipboard-read", "clipboard-write"])
    laps.get_by_role("button", name="copy crest and trough as CSV").click()
    expect(laps.get_by_text("copied")).to_be_visible()
    lines = owner.evaluate("navigator.clipboard.readText()").splitlines()
    assert lines[0] == '"lap","seconds","crest MiB","trough MiB"'
    count = laps.get_by_role("heading").first.inner_text()
    assert count == f"Memory over {len(lines) - 1} laps"
    laps.get_by_role("button", name="copy laps over one another as SVG").click()
    owner.wait_for_function("navigator.clipboard.readText().then(text => text.startsWith('<svg'))")
    drawn = owner.evaluate("navigator.clipboard.readText()")
    assert "var(--" not in drawn
    laps.get_by_role("button", name="3", exact=True).click()
    expect(owner.get_by_role("complementary").get_by_role("heading").first).to_contain_text(
        "Open and close / draft"
    )


def test_a_finding_is_pinned_with_a_picture_seen_on_the_rule_and_taken_back(owner, tmp_path):
    run = one_of_each(owner)[0]
    open_run(owner, run)
    owner.keyboard.press("p")
    form = owner.get_by_role("form", name="a new finding")
    expect(form.get_by_label("what was seen")).to_be_focused()
    form.get_by_label("what was seen").fill("the fringe flickers")
    form.get_by_label("kind of finding").select_option("artefact")
    written = io.BytesIO()
    Image.new("RGB", (20, 10), (180, 20, 20)).save(written, "JPEG")
    form.get_by_label("a picture", exact=True).set_input_files(
        {"name": "fringe.jpg", "mimeType": "image/jpeg", "buffer": written.getvalue()}
    )
    form.get_by_role("button", name="Pin it").click()
    findings = owner.get_by_role("region", name="findings")
    expect(findings).to_contain_text("the fringe flickers")
    expect(findings.get_by_role("img", name="for: the fringe flickers")).to_be_visible()
    expect(owner.get_by_role("button", name=re.compile("^artefact at"))).to_be_visible()
    assert axe_violations(owner) == []
    findings.get_by_role("button", name="take back: the fringe flickers").click()
    expect(findings.get_by_role("article")).to_have_count(0)
    findings.get_by_role("button", name="Undo").click()
    expect(findings.get_by_role("article")).to_have_count(1)
    findings.get_by_role("button", name="take back: the fringe flickers").click()


def test_what_is_in_view_is_a_table_and_is_taken_along(owner):
    owner.context.grant_permissions(["clipboard-read", "clipboard-write"])
    open_run(owner, one_of_each(owner)[0], "?left=5&right=5.5")
    owner.get_by_role("button", name="CSV", exact=True).click()
    expect(owner.get_by_text("CSV copied")).to_be_visible()
    lines = owner.evaluate("navigator.clipboard.readText()").splitlines()
    assert lines[0] == "lane,series,unit,time_s,value"
    assert all(5 <= float(line.rsplit(",", 2)[1]) <= 5.5 for line in lines[1:])
    owner.get_by_role("button", name="SVG", exact=True).click()
    expect(owner.get_by_text("SVG copied")).to_be_visible()
    drawn = owner.evaluate("navigator.clipboard.readText()")
    assert drawn.startswith("<svg")
    assert "frame time, ms" in drawn
    assert "processor, cores" in drawn
    owner.get_by_role("button", name="PNG", exact=True).click()
    expect(owner.get_by_text("PNG copied")).to_be_visible()
    owner.keyboard.press("t")
    table = owner.get_by_role("region", name="lanes as a table").get_by_role("table")
    expect(table.get_by_role("row").nth(1)).to_contain_text(re.compile(r"^5\.\d+\s*Scroll cloth"))
    assert axe_violations(owner) == []
