"""From an empty workspace to a verdict on two programs of Debian, through the page alone."""

import json
import re
import sys
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations
from core.made_films import CLOTH, film

pytestmark = pytest.mark.browser
#: A busy machine takes its time; what is expected is waited for.
LONG = 240_000
PLAYS = Path(__file__).parents[1] / "agent/plays_tk.py"
SEARCH = re.compile("search what is installed")


@pytest.fixture
def newcomer(empty_workspace, served, browser):
    """A page of the owner of an empty workspace, signed in by a link."""
    context = browser.new_context(base_url=served.base, viewport={"width": 1280, "height": 800})
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(empty_workspace())
    yield page
    context.close()
    assert errors == []


def bear_others(page) -> int:
    """Let runs count though other tests work beside this one; the study on the page."""
    expect(page).to_have_url(re.compile(r"/studies/\d+/ask$"))
    study = int(page.url.split("/")[-2])
    body = json.dumps({"background_cpu_limit": 100})
    answer = page.request.patch(f"/api/studies/{study}/plan", data=body, headers=signed(page))
    assert answer.ok, answer.text()
    return study


def signed(page) -> dict[str, str]:
    """What a change needs that does not come from the page itself."""
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    return {"Content-Type": "application/json", "X-CSRFToken": token}


def decided(page, study: int):
    """Wait until the plan has ended, and see that verdicts stand on Read."""
    expect(page).to_have_url(re.compile("/measure$"))
    ended = page.get_by_text(re.compile("The plan has ended: (after|the cap)"))
    expect(ended).to_be_visible(timeout=LONG)
    runs = page.request.get(f"/api/studies/{study}").json()["runs"]
    assert {run["outcome"] for run in runs} == {"finished"}
    page.goto(f"/studies/{study}/read")
    expect(page.locator(".verdict").first).to_be_visible()


def test_an_empty_workspace_asks_at_once_and_ends_in_a_verdict(newcomer):
    """Every act of the page is counted: the fewer, the sooner somebody new gets there."""
    acts = 0

    def act(done):
        nonlocal acts
        done()
        acts += 1

    page = newcomer
    question = page.get_by_label("What do you want to know?")
    expect(question).to_be_focused()
    expect(page.get_by_role("button", name=re.compile("^ask about it: ")).first).to_be_visible()
    assert axe_violations(page) == []
    act(lambda: question.fill("Which of two editors starts sooner?"))
    act(lambda: question.press("Enter"))
    expect(page.get_by_label("question", exact=True)).to_have_value(
        "Which of two editors starts sooner?"
    )
    expect(page.get_by_text("the program; two variants")).to_be_visible()
    study = bear_others(page)
    act(lambda: page.get_by_label(SEARCH).fill("mouse"))
    act(lambda: page.get_by_role("button", name="take it: Mousepad", exact=True).click())
    expect(page.get_by_label("program", exact=True)).to_have_value("Mousepad")
    act(lambda: page.get_by_role("button", name="an installed program").click())
    act(lambda: page.get_by_role("button", name="take it: FeatherPad", exact=True).click())
    expect(page.get_by_label("factor")).to_have_value("program")
    measure = page.get_by_role("button", name=re.compile("^Measure Mousepad .* and FeatherPad"))
    expect(measure).to_be_enabled(timeout=LONG)  # the rig says it starts them
    act(lambda: page.get_by_role("button", name="try them").click())
    tried = page.get_by_role("region", name="Try it")
    expect(page.get_by_text(re.compile("shown after"))).to_have_count(2, timeout=LONG)
    expect(tried.get_by_text("until its first window was shown")).to_be_visible()
    expect(tried.get_by_alt_text(re.compile("the window of"))).to_be_visible()
    assert axe_violations(page) == []
    rounds = page.get_by_label("most rounds")
    act(lambda: rounds.fill("3"))
    act(lambda: rounds.press("Enter"))
    act(lambda: measure.click())
    assert acts <= 20, acts
    expect(page.get_by_text("on the machine that measures")).to_be_visible(timeout=LONG)
    decided(page, study)


def test_what_is_wrong_is_said_where_it_is_asked(newcomer):
    page = newcomer
    page.goto("/ask")
    page.get_by_label("What do you want to know?").fill("Does my own build start?")
    page.get_by_role("button", name="Ask", exact=True).click()
    page.get_by_role("button", name="a command of my own").click()
    command = page.get_by_label("what is started", exact=True)
    command.fill("mousepad | tee log")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("alert")).to_contain_text("needs a shell")
    command.fill("python3 -c 'raise SystemExit(\"no licence found\")'")
    page.get_by_role("button", name="Add it").click()
    page.get_by_role("button", name="the same, started differently").click()
    page.get_by_label("what is started", exact=True).fill("/opt/nowhere/weftwright")
    page.get_by_label("name of the variant").fill("nowhere")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_role("button", name="take out nowhere")).to_be_visible()
    expect(page.get_by_text("the rig is being asked")).to_have_count(0, timeout=LONG)
    page.get_by_role("button", name="try them").click()
    tried = page.get_by_role("region", name="Try it")
    expect(page.get_by_role("button", name=re.compile("ended at once"))).to_be_visible(timeout=LONG)
    expect(page.get_by_role("button", name=re.compile("could not start"))).to_be_visible(
        timeout=LONG
    )
    page.get_by_role("button", name=re.compile("ended at once")).click()
    expect(tried).to_contain_text("no licence found")
    page.get_by_role("button", name=re.compile("could not start")).click()
    expect(tried).to_contain_text("“/opt/nowhere/weftwright” cannot be started")
    expect(page.get_by_role("button", name="Measure", exact=True)).to_be_disabled()


def test_what_draws_by_itself_is_measured_and_not_waited_for(newcomer):
    page = newcomer
    page.goto("/ask")
    page.get_by_label("What do you want to know?").fill("What does this player cost?")
    page.get_by_role("button", name="Ask", exact=True).click()
    page.get_by_role("button", name="a command of my own").click()
    page.get_by_label("what is started", exact=True).fill(f"{sys.executable} {PLAYS}")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("the rig is being asked")).to_have_count(0, timeout=LONG)
    page.get_by_role("button", name="try it").click()
    tried = page.get_by_role("region", name="Try it")
    measure = tried.get_by_role("button", name="measure what it plays")
    expect(measure).to_be_visible(timeout=LONG)
    expect(page.get_by_role("button", name=re.compile("shown after"))).to_be_visible()
    expect(page.get_by_text("a start for")).to_have_count(0)
    assert axe_violations(page) == []
    measure.click()
    steps = page.get_by_role("group", name="steps of the session")
    play = steps.get_by_role("button", name="Let it play", exact=True)
    expect(play).to_have_attribute("aria-pressed", "true")
    expect(steps.get_by_label("once it is started")).to_have_value("moving")
    expect(tried).to_contain_text("the session does not wait until it stands still")
    study = int(page.url.split("/")[-2])
    text = page.request.get(f"/api/studies/{study}").json()["script"]["text"]
    assert "until window is shown" in text
    assert "frames playing" in text
    assert "steady" not in text


def test_a_command_is_timed_until_it_ends(newcomer):
    page = newcomer
    page.goto("/ask")
    page.get_by_label("What do you want to know?").fill("Which setting renders sooner?")
    page.get_by_role("button", name="Ask", exact=True).click()
    study = bear_others(page)
    wait = "import time; time.sleep({})"
    page.get_by_role("button", name="a command of my own").click()
    page.get_by_label("what is started", exact=True).fill(f"python3 -c '{wait.format(0.6)}'")
    page.get_by_role("button", name="Add it").click()
    page.get_by_role("button", name="the same, started differently").click()
    page.get_by_label("what is started", exact=True).fill(f"python3 -c '{wait.format(0.1)}'")
    page.get_by_label("name of the variant").fill("quick")
    page.get_by_role("button", name="Add it").click()
    expect(page.get_by_text("the rig is being asked")).to_have_count(0, timeout=LONG)
    page.get_by_role("button", name="try them").click()
    expect(page.get_by_role("button", name=re.compile("ended well"))).to_have_count(2, timeout=LONG)
    tried = page.get_by_role("region", name="Try it")
    tried.get_by_role("button", name="time it until it ends").click()
    expect(page.get_by_label("once it is started")).to_have_value("command")
    expect(page.get_by_text("a start for")).to_have_count(0)
    assert axe_violations(page) == []
    rounds = page.get_by_label("most rounds")
    rounds.fill("3")
    rounds.press("Enter")
    page.get_by_role("button", name=re.compile("^Measure python3")).click()
    decided(page, study)
    # on a busy machine so few rounds may leave it open, but not turn it round
    expect(page.locator(".verdict").first).to_have_text(re.compile("^(ahead|open)$"))
    (answer,) = page.request.get(f"/api/studies/{study}").json()["answers"]
    assert answer["change"].endswith("less"), answer
    a_build_is_asked_about(page, study)


def a_build_is_asked_about(page, study: int):
    """What is started for builds is said, the rig allows it, and a build is asked about."""
    page.goto(f"/studies/{study}/say")
    gate = page.get_by_role("region", name="at every build")
    command = gate.get_by_label("what is started for a build")
    expect(command).to_have_attribute("placeholder", re.compile("python3"))
    command.fill(f"{sys.executable} -c 'print(1)' | tee log")
    command.press("Enter")
    expect(gate.get_by_role("alert")).to_contain_text("needs a shell")
    command.fill(f"{sys.executable} -c 'print(1)'")
    command.press("Enter")
    build = gate.get_by_label("name of the build")
    build.fill("night 1")
    build.press("Enter")
    expect(gate.get_by_text(re.compile(r"\d+ of \d+ runs"))).to_be_visible()
    gate.locator("summary", has_text="what a build server runs").click()
    gate.get_by_role("button", name="make one").click()
    expect(gate.get_by_text("It is shown this once")).to_be_visible()
    assert axe_violations(page) == []
    (asked,) = page.request.get(f"/api/studies/{study}/gates").json()
    assert page.request.post(f"/api/gates/{asked['id']}/stop", headers=signed(page)).ok


def test_a_step_that_works_on_a_file_asks_for_it(newcomer, tmp_path):
    page = newcomer
    page.goto("/ask")
    page.get_by_label("What do you want to know?").fill("Does it open my file sooner?")
    page.get_by_role("button", name="Ask", exact=True).click()
    file = tmp_path / "warp.txt"
    file.write_text("over and under\n" * 40)
    steps = page.get_by_role("group", name="steps of the session")
    with page.expect_file_chooser() as asked:
        steps.get_by_role("button", name=re.compile("open a file")).click()
    asked.value.set_files(file)
    expect(steps.get_by_role("button", name="Open a file")).to_have_attribute(
        "aria-pressed", "true"
    )
    expect(page.get_by_text("a fresh copy for each run")).to_be_visible()
    how = page.get_by_label("how the file is opened")
    expect(how).to_have_value("keys")
    how.select_option("start")
    step = steps.get_by_role("button", name=re.compile("open a file$"))
    expect(step).to_have_attribute("aria-pressed", "false")
    how.select_option("keys")
    expect(steps.get_by_role("button", name="Open a file")).to_have_attribute(
        "aria-pressed", "true"
    )


def test_takes_of_two_releases_are_all_that_somebody_has(newcomer, tmp_path):
    """From films to an answer and a race, of a question of which nothing else is known."""
    page = newcomer

    def takes(release, seconds):
        def drawn(at):
            picture = np.full_like(CLOTH, 40)
            if at >= 0.5:
                picture[:32, :32] = 200
            if at >= 0.5 + seconds:
                picture[64:] = CLOTH[64:]
            return picture

        content = film(tmp_path / "f.mp4", drawn, 30, 4).read_bytes()
        name = f"weaver-{release}"
        return [
            {"name": f"{name}-{n}.mp4", "mimeType": "video/mp4", "buffer": content} for n in (1, 2)
        ]

    page.goto("/ask")
    page.get_by_role("button", name="Bring in what was measured").click()
    page.get_by_label("log files").set_input_files([*takes("2.1", 1.0), *takes("2.0", 2.0)])
    expect(page.get_by_label("of the program")).to_have_value("weaver")
    expect(page.get_by_label(re.compile("^name of the new variant")).first).to_have_value("2.0")
    broken_off = []

    def break_off_once(route):
        broken_off.append(route.request.url)
        (route.abort if len(broken_off) == 1 else route.continue_)()

    page.route("**/footage?name=weaver-2.0-1.mp4*", break_off_once)
    page.get_by_role("button", name="Bring in 4 films").click()
    expect(page.get_by_role("alert")).to_be_visible()
    page.get_by_role("button", name="Bring in 4 films").click()  # what arrived is there
    for left in (3, 2, 1, 0):
        page.get_by_text("Where does launch start?").wait_for(timeout=60_000)
        page.keyboard.press("Enter")
        expect(page.get_by_text(re.compile("where does it end"))).to_be_visible()
        page.keyboard.press("Enter")
        if left:
            page.get_by_role("link", name=re.compile("^Go on with weaver")).click()
    page.get_by_role("link", name="See what 4 films come to").click()
    assert axe_violations(page) == []
    page.get_by_role("button", name="Keep 4 films as 4 runs").click()
    said = page.get_by_role("list", name="the answer")
    expect(said).to_contain_text(re.compile("launch takes 1(.00.s|000.ms) less"), timeout=60_000)
    expect(said).to_contain_text("ahead")
    study = int(page.url.split("/")[-2])
    known = page.request.get(f"/api/studies/{study}").json()
    assert [one["name"] for one in known["variants"]] == ["2.0", "2.1"]
    assert len(page.request.get(f"/api/studies/{study}/footage").json()) == 4
    page.goto(f"/studies/{study}/race")
    expect(page.locator("video")).to_have_count(2)
    expect(page.get_by_text("it has no film")).to_have_count(0)


def test_what_is_put_away_or_deleted_comes_back_with_one_act(newcomer):
    page = newcomer
    page.goto("/ask")
    page.get_by_label("What do you want to know?").fill("Is it worth keeping?")
    page.keyboard.press("Enter")
    for act, name in (("put", "put away Is it worth keeping?"), ("delete", None)):
        page.get_by_role("button", name=name or "delete Is it worth keeping?").click()
        expect(page).to_have_url(re.compile("/$"))
        expect(page.get_by_text("Is it worth keeping?", exact=True)).to_have_count(0)
        if act == "put":
            page.get_by_role("button", name=re.compile("^Undo")).click()
        else:
            page.goto("/put-away")
            page.get_by_role("button", name="bring back").click()
            expect(page.get_by_text("Nothing is put away")).to_be_visible()
            page.goto("/")
        page.get_by_text("Is it worth keeping?", exact=True).click()


def test_the_same_by_keyboard_alone(newcomer):
    """No pointer: keys of the page, Tab and Enter."""
    page = newcomer
    page.goto("/")
    page.get_by_role("link", name="Ask a question").wait_for()
    keys = page.keyboard
    keys.press("q")
    expect(page.get_by_label("What do you want to know?")).to_be_focused()
    keys.type("Do two plain programs start alike?")
    keys.press("Enter")
    study = bear_others(page)

    def tab_to(name: str, role: str = "button"):
        target = page.get_by_role(role, name=name, exact=True).first
        target.wait_for()
        for _ in range(80):
            if target.evaluate("one => one === document.activeElement"):
                return
            keys.press("Tab")
        raise AssertionError(f"Tab does not reach “{name}”")

    ways = (("a command of my own", "xcalc"), ("the same, started differently", "xclock"))
    for way, name in ways:
        tab_to(way)
        keys.press("Enter")
        tab_to("what is started", "textbox")
        keys.press("Control+a")
        keys.type(name)
        keys.press("Enter")
        expect(page.get_by_role("textbox", name=f"name of {name}")).to_be_visible()
    expect(page.get_by_role("button", name="Measure xcalc and xclock")).to_be_enabled(timeout=LONG)
    page.locator("body").evaluate("() => document.activeElement.blur()")
    keys.press("y")
    expect(page.get_by_role("button", name=re.compile("shown after"))).to_have_count(
        2, timeout=LONG
    )
    tab_to("most rounds", "textbox")
    keys.press("Control+a")
    keys.type("2")
    keys.press("Enter")
    tab_to("Measure xcalc and xclock")
    keys.press("Enter")
    decided(page, study)
