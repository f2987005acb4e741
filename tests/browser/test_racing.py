"""Racing: runs side by side from the same moment, films in step, by keys, held by the address."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser

WIDE = "Is 5.0-rc1 ready for wide drafts?"
SMALL = "Does a small draft open faster in 4.2?"
#: One picture of a film at 25 a second.
A_PICTURE_S = 0.04
FILMS = "[...document.querySelectorAll('video')]"


def race_of(page, question: str = WIDE, rest: str = "") -> dict:
    """Open the race of a study; what the server says of it."""
    study = study_id(page, question)
    page.goto(f"/studies/{study}/race{rest}")
    page.get_by_role("button", name=re.compile("Play|Again")).wait_for()
    return page.request.get(f"/api/studies/{study}/race").json()


def until(page, said: str) -> None:
    """Wait until an expression is true in a page; the page itself may evaluate no text."""
    for _ in range(600):
        if page.evaluate(said):
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"never came true: {said}")


def films_ready(page) -> None:
    until(page, f"{FILMS}.length > 1 && {FILMS}.every((film) => film.readyState > 2)")


def instant(page) -> float:
    return float(re.search(r"[?&]t=([\d.]+)", page.url).group(1))


def films_at(page, racers: list[dict]) -> tuple[float, float]:
    """How far the films are from each other, and from the race as the page says it, s."""
    at, told_ms = page.evaluate(
        f"[{FILMS}.map((film) => film.currentTime),"
        " Number(document.querySelector('[data-skew-ms]')?.dataset.skewMs ?? 1e6)]"
    )
    instants = [film + racer["film"]["began_s"] for film, racer in zip(at, racers, strict=True)]
    return max(instants) - min(instants), told_ms / 1000


@pytest.mark.parametrize("off_s", [0.2, 1.0])
def test_a_film_out_of_step_comes_back_to_the_clock_of_the_page(owner, off_s):
    """What brings it back is what keeps it: a busy machine takes longer, none takes for ever.

    A little is caught up by the speed of the film, much by a jump.
    """
    racers = race_of(owner)["racers"]
    films_ready(owner)
    looks = []
    for _ in range(5):
        owner.get_by_role("button", name=re.compile("Play|Again")).click()
        until(owner, f"{FILMS}.every((film) => film.currentTime > 1)")
        owner.evaluate(f"{FILMS}[0].currentTime += {off_s}")
        while not owner.get_by_role("button", name="Again").is_visible():
            looks.append(films_at(owner, racers))
            if max(looks[-1]) < A_PICTURE_S:
                return
            owner.wait_for_timeout(100)
    raise AssertionError(f"never in step again: {looks}")


def test_films_stand_where_the_race_stands(owner):
    race = race_of(owner)
    films_ready(owner)
    owner.keyboard.press(" ")
    until(owner, f"{FILMS}.every((film) => film.currentTime > 1)")
    owner.keyboard.press(" ")
    expect(owner.get_by_role("button", name="Play")).to_be_visible()
    expect(owner).to_have_url(re.compile("t="))
    began = [racer["film"]["began_s"] for racer in race["racers"]]
    wanted = [instant(owner) - start for start in began]
    until(
        owner,
        f"{wanted}.every((wanted, film) => Math.abs({FILMS}[film].currentTime - wanted) < 0.02)",
    )


def test_it_is_stepped_and_scrubbed_by_keys_and_the_address_holds_it(owner):
    race = race_of(owner, rest="?t=5")
    films_ready(owner)
    owner.keyboard.press(".")
    expect(owner).to_have_url(re.compile(r"t=5\.02"))
    owner.keyboard.press(",")
    expect(owner).to_have_url(re.compile(r"t=5\.00"))
    steps = race["racers"][race["baseline"]]["steps"]
    weave = next(step for step in steps if step["start_s"] > 5)
    owner.keyboard.press("]")
    expect(owner).to_have_url(re.compile(f"t={weave['start_s']:.2f}"))
    expect(owner.get_by_role("region", name="4.1")).to_contain_text(weave["name"])
    owner.reload()
    films_ready(owner)
    assert instant(owner) == pytest.approx(weave["start_s"], abs=0.01)
    owner.keyboard.press("[")
    expect(owner).not_to_have_url(re.compile(f"t={weave['start_s']:.2f}"))
    owner.keyboard.press("3")
    expect(owner.get_by_role("region", name="5.0-rc1")).to_have_count(0)
    owner.keyboard.press("3")
    expect(owner.get_by_role("region", name="5.0-rc1")).to_be_visible()


def test_who_leads_is_said_as_the_core_says_it(owner):
    race = race_of(owner, rest="?t=99")
    base = race["racers"][race["baseline"]]
    for racer in race["racers"]:
        if racer is base:
            continue
        lead = racer["steps"][-1]["lead_s"]
        said = f"{racer['name']} was done {abs(lead):.2f}"
        expect(owner.get_by_text(re.compile(re.escape(said))).first).to_be_visible()
    expect(owner.get_by_text("finished", exact=True)).to_have_count(len(race["racers"]))
    passed = race["passes"][0]["at_s"]
    owner.get_by_role("button", name=f"{passed:.3g}"[:3]).first.click()
    expect(owner).to_have_url(re.compile(f"t={passed:.2f}"))


def test_runs_begin_together_from_a_step_that_is_chosen(owner):
    race_of(owner)
    owner.get_by_label("together from").select_option("step:Scroll cloth")
    expect(owner).to_have_url(re.compile("from=step"))
    expect(owner.get_by_text(re.compile("level with 4.1")).first).to_be_visible()
    expect(owner.get_by_role("region", name="4.1")).to_contain_text("Scroll cloth")


def test_runs_without_films_are_drawn_from_their_records(owner):
    race_of(owner, SMALL, "?t=1.5")
    drawn = owner.get_by_role("img", name=re.compile("drawn from its record"))
    expect(drawn).to_have_count(2)
    expect(owner.locator("video")).to_have_count(0)
    assert axe_violations(owner) == []


def test_a_still_and_a_film_can_be_taken_along(owner):
    race = race_of(owner, rest="?t=3")
    assert axe_violations(owner) == []
    still = owner.request.get(f"/api/studies/{study_id(owner, WIDE)}/race/still?instant=3")
    assert still.headers["content-type"] == "image/png"
    owner.get_by_role("button", name="Take it along").click()
    owner.get_by_role("button", name="Draw the film").click()
    link = owner.get_by_role("link", name=re.compile("MP4")).first
    link.wait_for(timeout=900_000)  # drawn beside everything else on a busy machine
    taken = owner.request.get(link.get_attribute("href"))
    assert taken.body()[4:8] == b"ftyp"
    assert len(race["racers"]) == 3
