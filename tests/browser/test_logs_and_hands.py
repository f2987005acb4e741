"""Bringing in a log and timing by hand, as a person does it."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id

pytestmark = pytest.mark.browser

SMALL = "Does a small draft open faster in 4.2?"


def log_bytes() -> bytes:
    """A log of a shed's own watcher: semicolons, decimal commas, marked stretches, broken lines."""
    lines = ["Loom watcher 2", "time (s);frame time (ms);working set (MB);phase"]
    for n in range(1, 1501):
        phase = "4.1" if 300 < n <= 800 else "4.2" if n > 900 else ""
        numbers = f"{n * 0.01:.2f};10;{200 + n / 100:.2f}".replace(".", ",")
        lines.append(f"{numbers};{phase}")
    lines[700] = "6,99;ten;207;4.1"
    lines.append("torn")
    return ("\n".join(lines) + "\n").encode()


def test_a_log_is_brought_in_understood_read_through_and_kept(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/measure")
    owner.get_by_role("link", name="Bring in a log").click()
    owner.get_by_label("log files").set_input_files(
        {"name": "loom.csv", "mimeType": "text/csv", "buffer": log_bytes()}
    )
    understood = owner.get_by_role("region", name="how it is understood")
    expect(understood.get_by_label("columns parted by")).to_have_value(";")
    expect(understood.get_by_label("decimal")).to_have_value(",")
    expect(understood.get_by_label("what phase is")).to_have_value("marker")
    expect(understood.get_by_role("img", name="frame time over time")).to_be_visible()
    expect(owner.get_by_role("region", name="doubts")).to_contain_text("line 701 (“ten” in frame")
    assert axe_violations(owner) == []
    understood.get_by_label("markers are").select_option("runs")
    owner.get_by_role("button", name="Read the whole file").click()
    found = owner.get_by_role("region", name="what is in it")
    expect(found).to_contain_text("1,499 rows understood, 2 lines broken", timeout=15_000)
    found.get_by_text("the broken lines").click()
    expect(found).to_contain_text("line 1503: 1 values where 4 were expected")
    expect(found.get_by_label("variant of 4.2")).to_have_value("1")
    found.get_by_label("variant of 4.2").select_option("new:4.2")
    found.get_by_label("name of the new variant 4.2").fill("4.2 at home")
    found.get_by_label("variant of 4.2").select_option("1")
    found.get_by_label("keep this mapping as").fill("shed watcher")
    assert axe_violations(owner) == []
    found.get_by_role("button", name="Keep as 2 runs").click()
    kept = owner.get_by_role("region", name="kept")
    expect(kept).to_contain_text("kept apart from the measured runs", timeout=15_000)
    kept.get_by_role("link", name=re.compile("^run")).first.click()
    origin = owner.get_by_role("region", name="where it came from")
    expect(origin).to_contain_text("Not known: processor, memory")
    expect(owner.get_by_role("region", name="frame time")).to_be_visible()
    origin.get_by_label("why it may be compared").fill("the same loom, last spring")
    owner.keyboard.press("Enter")
    expect(origin).to_contain_text("It counts: the same loom, last spring (owner)")
    owner.get_by_role("link", name="Read the study").click()
    expect(owner.get_by_text(re.compile("was brought in from “loom.csv”")).first).to_be_visible()
    owner.goto(f"/studies/{study}/measure")
    apart = owner.get_by_role("region", name="not let in yet")
    expect(apart).to_contain_text("kept apart from the measured runs")  # others' films may be too
    apart.get_by_label(re.compile("why (it|they) may be compared")).fill("the same loom too")
    expect(apart.get_by_role("button", name=re.compile("^Let (it|all [0-9]+) in"))).to_be_enabled()


def test_a_mapping_kept_is_there_for_the_next_file_of_its_kind(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/bring-in")
    owner.get_by_label("log files").set_input_files(
        {"name": "next.csv", "mimeType": "text/csv", "buffer": log_bytes()}
    )
    owner.get_by_label("as in").select_option("shed watcher")
    expect(owner.get_by_label("markers are")).to_have_value("runs")
    owner.get_by_role("link", name="another file").click()
    waiting = owner.get_by_role("region", name="waiting")
    expect(waiting).to_contain_text("next.csv")
    waiting.get_by_role("button", name="throw away").first.click()
    expect(waiting).to_have_count(0)


TABLE = "Version,Trial 1,Trial 2,Trial 3,Avg\n4.1,2.25,2.31,2.19,2.25\n4.2,1.81,1.83,1.79,1.81\n"


def test_a_table_kept_by_hand_is_judged_without_any_rig(owner):
    """From the question to the answer with nothing but a table of results."""
    owner.goto("/ask")
    owner.get_by_label("What do you want to know?").fill("Is 4.2 quicker by stopwatch?")
    owner.get_by_role("button", name="Bring in what was measured").click()
    owner.get_by_label("log files").set_input_files(
        {"name": "by-stopwatch.csv", "mimeType": "text/csv", "buffer": TABLE.encode()}
    )
    expect(owner.get_by_role("region", name="doubts")).to_contain_text("“Avg” sums up the others")
    owner.get_by_role("button", name="Read the whole file").click()
    found = owner.get_by_role("region", name="what is in it")
    expect(found.get_by_label("variant of 4.2").first).to_have_value("new:4.2", timeout=15_000)
    keep = found.get_by_role("button", name="Keep as 6 runs")
    expect(keep).to_be_disabled()
    expect(found.get_by_role("status")).to_have_text("first: name the program that they are of")
    found.get_by_label("of the program").fill("Heddle")
    found.get_by_label("what was measured is called").fill("open the large draft")
    assert axe_violations(owner) == []
    keep.click()
    kept = owner.get_by_role("region", name="kept")
    expect(kept).to_contain_text("It has become", timeout=15_000)
    answer = kept.get_by_role("list", name="the answer")
    expect(answer).to_contain_text("4.2 ahead open the large draft takes")
    expect(kept.get_by_role("link", name="See what differs")).to_be_visible()
    assert axe_violations(owner) == []
    kept.get_by_role("link", name="Read the study").click()
    expect(owner.locator(".verdict").first).to_have_text("ahead")
    study = study_id(owner, "Is 4.2 quicker by stopwatch?")
    for page, said in (
        ("decide", "3 runs of 4.1 and 3 runs of 4.2 brought in"),
        ("match", "No rig measured these runs"),
        ("measure", "6 runs brought in"),
        ("script", "No rig plays this session"),
        ("ask", "measured elsewhere: no rig starts it"),
        ("say", "from by-stopwatch.csv"),
    ):
        owner.goto(f"/studies/{study}/{page}")
        expect(owner.get_by_text(re.compile(said)).first).to_be_visible()
        assert axe_violations(owner) == [], page
    expect(owner.get_by_role("button", name="Start the plan")).to_have_count(0)


def a_run(frame_ms: float) -> bytes:
    rows = "".join(f"{n * frame_ms / 1000:.4f},{frame_ms}\n" for n in range(1, 400))
    return ("time_s,frame_ms\n" + rows).encode()


def test_a_file_a_run_comes_in_as_one_and_what_is_unlike_waits(owner):
    owner.goto("/ask")
    owner.get_by_label("What do you want to know?").fill("Does Heddle 2.1 scroll more smoothly?")
    owner.get_by_role("button", name="Bring in what was measured").click()
    files = [
        {
            "name": f"heddle-{release}-run{run}.csv",
            "mimeType": "text/csv",
            "buffer": a_run(milliseconds + run / 10),
        }
        for release, milliseconds in (("2.0", 16), ("2.1", 12))
        for run in (1, 2, 3)
    ]
    other = {"name": "notes.csv", "mimeType": "text/csv", "buffer": b"a,b\n1,2\n3,5\n4,4\n"}
    owner.get_by_label("log files").set_input_files([*files, other])
    expect(owner.get_by_text("and 5 more files with the same columns")).to_be_visible()
    expect(owner.get_by_role("alert").first).to_contain_text("1 file has other columns")
    owner.get_by_role("button", name="Read all 6 files").click()
    found = owner.get_by_role("region", name="what is in it")
    expect(found).to_contain_text("2,394 rows understood", timeout=20_000)
    expect(found.get_by_label("variant of heddle-2.1-run3.csv")).to_have_value("new:2.1")
    expect(found.get_by_label("of the program")).to_have_value("heddle")
    found.get_by_label("variant of heddle-2.0-run2.csv").select_option("leave")
    found.get_by_role("button", name="Keep as 5 runs").click()
    kept = owner.get_by_role("region", name="kept")
    expect(kept).to_contain_text("They have become", timeout=30_000)
    expect(kept).to_contain_text("Left where they are")
    expect(kept).to_contain_text("heddle-2.0-run2.csv")
    kept.get_by_role("link", name="Read the study").click()
    expect(owner.locator(".verdict").first).to_have_text("ahead")
    expect(owner.get_by_text("95 % interval", exact=False).first).to_be_visible()


PASTE = """text => {
    const clipboardData = new DataTransfer()
    clipboardData.setData("text/plain", text)
    window.dispatchEvent(new ClipboardEvent("paste", { clipboardData }))
}"""


def pasted(owner, study, text):
    owner.goto(f"/studies/{study}/bring-in")
    expect(owner.get_by_text("paste it here")).to_be_visible()
    owner.evaluate(PASTE, text)


def thrown_away(owner, study):
    owner.goto(f"/studies/{study}/bring-in")
    owner.get_by_role("button", name="throw away").click()
    expect(owner.get_by_role("button", name="throw away")).to_have_count(0)


def test_a_copied_table_is_pasted(owner):
    study = study_id(owner, SMALL)
    rows = "".join(f"4.{1 + n % 2}\t{n // 2}\t{2 + n / 8} s\n" for n in range(8))
    pasted(owner, study, f"Version\tRun\tOpening\n{rows}")
    understood = owner.get_by_role("region", name="how it is understood")
    expect(owner.get_by_role("heading", name="pasted table.txt")).to_be_visible()
    expect(understood.get_by_label("what Opening [s] is")).to_have_value("duration")
    expect(understood.get_by_label("what Version is")).to_have_value("variant")
    thrown_away(owner, study)


def test_rows_without_a_time_come_at_the_pace_that_is_said(owner):
    study = study_id(owner, SMALL)
    pasted(owner, study, "cpu %\tmemory MiB\n" + "50\t100\n" * 40)
    understood = owner.get_by_role("region", name="how it is understood")
    expect(understood.get_by_role("alert")).to_contain_text("no column says when")
    expect(understood.get_by_role("cell", name="100", exact=True).first).to_be_visible()
    understood.get_by_label("rows come every").fill("0.5")
    expect(understood.get_by_role("img", name="memory over time")).to_be_visible()
    expect(understood.get_by_role("alert")).to_have_count(0)
    assert axe_violations(owner) == []
    thrown_away(owner, study)


def test_what_is_no_log_is_refused_in_text(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/bring-in")
    owner.get_by_label("log files").set_input_files(
        {"name": "cloth.png", "mimeType": "image/png", "buffer": b"\x89PNG\r\n\x1a\n" + bytes(99)}
    )
    expect(owner.get_by_role("alert")).to_contain_text("this is a picture, not a log")
    expect(owner.get_by_role("alert")).to_contain_text("Nothing was kept")


def test_a_session_is_timed_by_hand_after_the_exercise(owner):
    study = study_id(owner, SMALL)
    owner.goto(f"/studies/{study}/by-hand")
    owner.get_by_role("button", name="First: how much do your reactions differ?").click()
    for n in range(10):
        owner.get_by_role("status").filter(has_text=f"{n} of 10").wait_for()
        owner.get_by_role("button", name="now", exact=True).wait_for()
        owner.wait_for_timeout(150 + 10 * (n % 3))
        owner.keyboard.press(" ")
        if not n:  # a second press to the same field counts for nothing
            owner.keyboard.press(" ")
            expect(owner.get_by_role("status")).to_contain_text("too early")
    watch = owner.get_by_role("region", name="stopwatch")
    expect(watch).to_be_visible()
    expect(owner.get_by_text(re.compile("every timing is known to ±"))).to_be_visible()
    assert axe_violations(owner) == []
    steps = watch.get_by_role("listitem")
    owner.keyboard.press(" ")
    owner.keyboard.press(" ")
    expect(steps.nth(1)).to_have_attribute("aria-current", "step")
    owner.keyboard.press("Backspace")
    expect(steps.nth(0)).to_have_attribute("aria-current", "step")
    for _ in range(steps.count()):
        owner.wait_for_timeout(60)
        owner.keyboard.press(" ")
    expect(watch.get_by_role("button", name="all steps timed")).to_be_disabled()
    variant = watch.get_by_text(re.compile("^Now")).inner_text()
    owner.keyboard.press("Enter")
    so_far = owner.get_by_role("region", name="timed so far")
    expect(so_far).to_contain_text("1 session timed by hand so far")
    expect(watch.get_by_text(re.compile("^Now"))).not_to_have_text(variant)
    so_far.get_by_role("link", name=re.compile("^run")).click()
    expect(owner.get_by_text(re.compile("timed by hand")).first).to_be_visible()
