"""Takes one picture of each main view: `pictures.py SIGN-IN-LINK [FOLDER] [NAME …]`."""

from __future__ import annotations

import random
import re
import sys
import zipfile
from pathlib import Path

import pypdfium2
from playwright.sync_api import Page, Route, sync_playwright

FOLDER = Path(__file__).resolve().parents[2] / "docs" / "screenshots"
RECORDED = Path(__file__).resolve().parents[2] / "demo" / "recorded" / "wide-draft"
CHROMIUM = "/usr/bin/chromium"
#: What stands for a part of a view that has not come yet.
WAITING = re.compile("^fetching ")
QUIET = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"]


def settle(page: Page) -> None:
    """Wait until a view has come whole: what it fetches, and what it then still moves."""
    page.wait_for_load_state("load")
    page.get_by_text(WAITING).first.wait_for(state="hidden", timeout=60_000)
    page.wait_for_timeout(1200)
    page.get_by_text(WAITING).first.wait_for(state="hidden", timeout=60_000)


def address_of(page: Page, question: str) -> str:
    """Address of the study with a question that begins so."""
    page.goto("/")
    return str(page.get_by_role("link", name=question).first.get_attribute("href"))


def wide_study(page: Page) -> str:
    return address_of(page, "Is 5.0-rc1 ready for wide drafts?")


def line_of(page: Page, session: str) -> str:
    """Address of the line of releases of a session."""
    page.goto("/subjects")
    found = page.get_by_role("link", name=session).first
    found.wait_for()
    return str(found.get_attribute("href"))


def take_all(page: Page, shoot, wanted) -> None:  # type: ignore[no-untyped-def]
    study = wide_study(page)
    shoot("home", "/")
    shoot("ask-new", "/ask")
    page.goto(f"{study}/script")
    if wanted("rehearsal"):
        page.get_by_role("button", name="Rehearse").click()
        page.get_by_role("img", name="into the rehearsal").wait_for(timeout=30_000)
        page.wait_for_timeout(6000)
        shoot("rehearsal", None)
        page.get_by_role("button", name="Stop").click()
    shoot("ladder", f"{address_of(page, 'How does opening grow')}/read")
    shoot("read", f"{study}/read")
    shoot("decide", f"{study}/decide")
    shoot("sessions", f"{study}/sessions?metric=one_percent_low")
    shoot("crossed", f"{address_of(page, 'Does a narrow margin')}/crossed")
    shoot("line", line_of(page, "Open a long runner"))
    if wanted("say") or wanted("report"):
        take_report(page, shoot, study)
    page.goto(f"{study}/measure")
    run = page.locator("a[href^='/runs/']").first.get_attribute("href")
    shoot("run", str(run))
    take_runs(page, shoot, study, wanted)
    take_workshop(page, shoot)


OWN_WORDS = """For the blanket workshop, who weave after **every** change, 5.0-rc1 changes each
preview by #{weave in Weave preview | 5.0-rc1 | amount}, and each draft they open by
#{open in Open draft | 5.0-rc1 | amount}."""


def take_report(page: Page, shoot, study: str) -> None:  # type: ignore[no-untyped-def]
    """The report as it is arranged, then issued, on paper, and a figure of it."""
    page.goto(f"{study}/say")
    page.get_by_role("button", name="at In our words").click()
    page.get_by_label("words at In our words").fill(OWN_WORDS.replace("\n", " "))
    page.keyboard.press("Control+Enter")
    page.get_by_text("For the blanket workshop").first.wait_for()
    page.get_by_role("button", name="Issue as no.").click()
    page.get_by_text("It says what no.").wait_for()
    page.get_by_role("button", name="close").click()
    shoot("say", None)
    folder = FOLDER.parent / "report"
    folder.mkdir(exist_ok=True)
    number = page.request.get(f"/api{study}/reports").json()[0]["number"]
    for kind in ("html", "pdf"):
        made = page.request.get(f"/api{study}/report/file?kind={kind}&number={number}").body()
        (folder / f"report.{kind}").write_bytes(made)
    query = {"key": "2~duration~Weave preview~weave", "kind": "png", "number": number}
    drawn = page.request.get(f"/api{study}/figure", params=query).body()
    (folder / "figure.png").write_bytes(drawn)
    paper = pypdfium2.PdfDocument(folder / "report.pdf")
    paper[0].render(scale=1.3).to_pil().save(FOLDER / "report.png", optimize=True)
    paper.close()


def take_workshop(page: Page, shoot) -> None:  # type: ignore[no-untyped-def]
    """What was not alike, what the work is done with, and how one comes in."""
    shoot("match", f"{address_of(page, 'Does a small draft')}/match")
    shoot("rig", "/rigs/loft-1")


def mark_film(page: Page, study: str) -> None:
    """A film from elsewhere, with a region drawn on it and some timings marked."""
    with zipfile.ZipFile(RECORDED / "film-0.run") as archive:
        film = archive.read("film.mp4")
    page.goto(f"{study}/films")
    page.get_by_label("film files").set_input_files(
        {"name": "opening-at-home-2.mp4", "mimeType": "video/mp4", "buffer": film}
    )
    page.get_by_role("button", name="Bring in 1 film").click()
    page.get_by_text("The session's timings").wait_for(timeout=90_000)
    page.wait_for_timeout(1500)
    for key in ("Enter", "Enter", "n", "n"):
        page.keyboard.press(key)
        page.wait_for_timeout(600)
    box = page.locator("video").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 0.12 * box["width"], box["y"] + 0.12 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.92 * box["width"], box["y"] + 0.93 * box["height"], steps=5)
    page.mouse.up()
    page.wait_for_timeout(1200)
    for key in ("Enter", "Enter", "k", "k", "k", "k", "n"):
        page.keyboard.press(key)
        page.wait_for_timeout(600)


def take_runs(page: Page, shoot, study: str, wanted) -> None:  # type: ignore[no-untyped-def]
    """Runs racing, a log as it is understood, the stopwatch."""
    page.goto(f"{study}/race?t=16.3")
    page.get_by_role("button", name="Play").wait_for()
    page.wait_for_timeout(1500)
    shoot("race", None)
    if wanted("marking"):
        mark_film(page, study)
        shoot("marking", None)
    page.goto(f"{study}/bring-in")
    page.get_by_label("log files").set_input_files(
        {"name": "loom-watch.csv", "mimeType": "text/csv", "buffer": a_log()}
    )
    page.get_by_role("region", name="what the first rows draw").wait_for()
    page.get_by_label("markers are").select_option("runs")
    settle(page)
    shoot("bring-in", None)
    page.goto(f"{study}/by-hand")
    page.evaluate(
        "localStorage.setItem('yardstick-reaction',"
        " JSON.stringify({spread_ms: 38, middle_ms: 241, trials: 10}))"
    )
    page.reload()
    page.get_by_role("region", name="stopwatch").wait_for()
    for wait in (900, 1600, 2300):
        page.keyboard.press(" ")
        page.wait_for_timeout(wait)
    shoot("by-hand", None)


def a_log() -> bytes:
    """What the shed's own watcher wrote: semicolons, decimal commas, two marked stretches."""
    rng = random.Random(3)
    lines, at = (
        ["Loom watcher, shed 2", "time (s);frame time (ms);cpu (%);working set (MB);phase"],
        0.0,
    )
    for n in range(1, 4001):
        length = rng.gauss(9, 0.5) + (60 if n % 400 == 0 else 0)
        at += length / 1000
        phase = "" if at < 4 else "4.2 scroll" if at < 18 else "" if at < 20 else "5.0-rc1 scroll"
        numbers = f"{at:.4f};{length:.3f};{rng.gauss(55, 4):.1f};{200 + n / 100:.1f}"
        lines.append(f"{numbers.replace('.', ',')};{phase}")
    lines[1201] = "13,1;torn"
    return ("\n".join(lines) + "\n").encode()


def take_measuring(page: Page, shoot) -> None:  # type: ignore[no-untyped-def]
    """Measure while a real run is under way."""
    study = wide_study(page)
    page.goto(f"{study}/measure")
    page.get_by_role("button", name="Measure another round").click()
    page.get_by_text("Scroll cloth", exact=True).and_(page.locator("[aria-current]")).wait_for(
        timeout=60_000
    )
    page.wait_for_timeout(5000)
    shoot("measure", None)
    page.get_by_role("button", name="Stop all").click()


def from_another_machine(route: Route) -> None:
    """On the machine that measures, little is drawn meanwhile: show what others see."""
    answer = route.fetch()
    if not answer.ok:
        route.fulfill(response=answer)
        return
    route.fulfill(response=answer, json={**answer.json(), "local": False})


def main() -> None:
    link, *rest = sys.argv[1:]
    folder = Path(rest[0]) if rest else FOLDER
    only = set(rest[1:])
    folder.mkdir(parents=True, exist_ok=True)
    base = link.split("/sign-in/")[0]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)
        context = browser.new_context(
            base_url=base,
            viewport={"width": 1280, "height": 800},
            color_scheme="light",
        )
        page = context.new_page()
        page.route("**/api/session", from_another_machine)
        page.goto(link)

        def wanted(name: str) -> bool:
            return not only or name in only

        def shoot(name: str, address: str | None) -> None:
            if not wanted(name):
                return
            if address:
                page.goto(address)
                settle(page)
            page.screenshot(path=folder / f"{name}.png")

        take_all(page, shoot, wanted)
        if wanted("measure"):
            take_measuring(page, shoot)
        browser.close()


if __name__ == "__main__":
    main()
