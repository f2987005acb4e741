"""Films from elsewhere, as a person brings and marks them; a run with a film of its own."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id
from core.made_films import CLOTH, film

pytestmark = pytest.mark.browser

SMALL = "Does a small draft open faster in 4.2?"
WIDE = "Is 5.0-rc1 ready for wide drafts?"


def opening(at):
    """The program is there after 0.5 s; a menu answers after 1 s; the cloth is there after 2 s."""
    picture = np.full_like(CLOTH, 40)
    if at >= 0.5:
        picture[:, :32] = 120
    if at >= 1.0:
        picture[:32, 64:128] = 200
    if at >= 2.0:
        picture[64:, 64:] = CLOTH[64:, 64:]
    return picture


def test_a_film_is_brought_marked_by_keys_and_kept(owner, tmp_path):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/measure")
    owner.get_by_role("link", name="a film", exact=True).click()
    expect(owner.get_by_role("heading", name="Films from elsewhere")).to_be_visible()
    assert axe_violations(owner) == []
    content = film(tmp_path / "f.mp4", opening, 30, 4).read_bytes()
    owner.get_by_label("film files").set_input_files(
        {"name": "at-home.mp4", "mimeType": "video/mp4", "buffer": content}
    )
    owner.get_by_label("variant of at-home.mp4").select_option("1")
    assert axe_violations(owner) == []
    owner.get_by_role("button", name="Bring in 1 film").click()
    asked = owner.get_by_text("Where does launch start?")
    asked.wait_for(timeout=60_000)
    assert axe_violations(owner) == []
    expect(owner.get_by_text(re.compile("± 17.ms, a length to ± 33.ms"))).to_be_visible()
    # the program is there after half a second, and answers after one
    owner.keyboard.press("Enter")
    expect(owner.get_by_text("launch starts in picture 15; where does it end?")).to_be_visible()
    owner.keyboard.press("Enter")
    row = owner.get_by_role("row", name=re.compile("launch"))
    expect(row).to_contain_text("0.500 ± 0.033")
    expect(owner.get_by_text("Where does open start?")).to_be_visible()
    owner.keyboard.press("s")
    expect(owner.get_by_text("open starts in picture 30; where does it end?")).to_be_visible()
    owner.keyboard.press("n")
    owner.keyboard.press(".")
    expect(owner.get_by_text("picture 61", exact=True)).to_be_visible()
    owner.keyboard.press("e")
    opened = owner.get_by_role("row", name=re.compile("^open"))
    expect(opened).to_contain_text("1.000 ± 0.033")
    owner.keyboard.press("u")
    expect(opened).to_contain_text("not yet")
    opened.get_by_role("button", name="open").click()
    expect(owner.get_by_text("picture 30", exact=True)).to_be_visible()
    owner.keyboard.press("n")
    owner.keyboard.press("e")
    expect(opened).to_contain_text("1.000 ± 0.033")
    owner.get_by_role("button", name="Keep 2 timings as a run").click()
    kept = owner.get_by_role("link", name=re.compile("^run"))
    kept.click()
    origin = owner.get_by_role("region", name="where it came from")
    expect(origin).to_contain_text("at-home.mp4")


def test_a_film_that_is_none_says_why(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/films")
    owner.get_by_label("film files").set_input_files(
        {"name": "notes.mkv", "mimeType": "video/x-matroska", "buffer": b"no film at all" * 99}
    )
    owner.get_by_role("button", name="Bring in 1 film").click()
    expect(owner.get_by_role("alert")).to_contain_text(
        "notes.mkv cannot be used: it cannot be opened as a film", timeout=30_000
    )


def test_a_film_of_a_run_stands_where_its_lanes_are_looked_at(owner):
    study = owner.request.get(f"/api/studies/{study_id(owner, WIDE)}").json()
    run = next(run["id"] for run in study["runs"] if run["purpose"] == "filmed")
    owner.goto(f"/runs/{run}")
    shown = owner.get_by_label("film of this run")
    shown.wait_for()
    at = owner.get_by_text(re.compile(r"at [\d.]+.s of the run"))
    said = float(re.search(r"at ([\d.]+)", at.inner_text()).group(1))
    film_at = shown.evaluate("(film) => film.currentTime")
    began = owner.request.get(f"/api/runs/{run}").json()["film"]["began_s"]
    assert film_at == pytest.approx(said - began, abs=0.02)
    owner.keyboard.press("p")
    form = owner.get_by_role("form", name="a new finding")
    expect(form.get_by_label("with what the film shows")).to_be_checked()
    form.get_by_label("what was seen").fill("the cloth is torn for a moment")
    form.get_by_role("button", name="Pin it").click()
    picture = owner.get_by_role("img", name=re.compile("for: the cloth is torn"))
    expect(picture).to_be_visible()
    expect(picture).to_have_js_property("complete", True)
    assert picture.evaluate("(image) => image.naturalWidth") > 300
