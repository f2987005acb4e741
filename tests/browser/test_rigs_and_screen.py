"""Numbers on the screen are settled by looking, and the night shows what asks for a person."""

import re

import pytest
from playwright.sync_api import expect

from browser.conftest import axe_violations, study_id
from yardstick_command import up

pytestmark = pytest.mark.browser

WIDE = "Is 5.0-rc1 ready for wide drafts?"
#: A picture of a number that was doubted, kept with the newest run of a study.
DOUBTED = """
import io
from PIL import Image, ImageDraw, ImageFont
from yardstick_server.studies.models import Study
run = Study.objects.get(pk={study}).runs.filter(state="read").last()
image = Image.new("RGB", (160, 50), (250, 250, 248))
ImageDraw.Draw(image).text((40, 12), "2,040", fill=(30, 30, 34), font=ImageFont.load_default(20))
file = io.BytesIO()
image.save(file, "PNG")
run.pictures.create(name="line-7-look-1", content=file.getvalue())
run.shown.create(path=["Weave", "loom score"], unit="points", higher_is_better=True,
    picture="line-7-look-1", text="2,046", proposal=2046, value=2046,
    doubt="it was read as 2040 or 2046")
"""
CLEARED = """
from yardstick_server.analysis.deriving import keep_readings
from yardstick_server.analysis.judging import judge_study
from yardstick_server.studies.models import Study
study = Study.objects.get(pk={study})
for run in study.runs.filter(shown__isnull=False):
    run.shown.all().delete()
    run.pictures.filter(name="line-7-look-1").delete()
    keep_readings(run)
judge_study(study)
"""


@pytest.fixture
def doubted(owner, served):
    study = study_id(owner, WIDE)
    up.manage(served.environment, "shell", "-v", "0", "-c", DOUBTED.format(study=study))
    yield study
    up.manage(served.environment, "shell", "-v", "0", "-c", CLEARED.format(study=study))


def test_a_number_that_could_not_be_read_for_sure_is_settled_by_looking(owner, doubted):
    owner.goto(f"/studies/{doubted}/read")
    told = owner.get_by_role("status").filter(has_text="could not be read for sure")
    expect(told).to_contain_text("1 number")
    told.get_by_role("link", name="Look at it").click()
    owner.wait_for_url(re.compile("/shown$"))
    expect(owner.get_by_text("it was read as 2040 or 2046")).to_be_visible()
    expect(owner.get_by_role("img", name="loom score as the screen showed it")).to_be_visible()
    assert axe_violations(owner) == []
    field = owner.get_by_label(re.compile("^What stands there for loom score"))
    expect(field).to_be_focused()
    field.fill("many")
    expect(owner.get_by_role("button", name="This stands there")).to_be_disabled()
    field.fill("2,040")
    field.press("Enter")
    settled = owner.get_by_role("region", name="Settled")
    expect(settled).to_contain_text("2040 points")
    expect(owner.get_by_role("region", name="Waiting")).to_have_count(0)
    kept = owner.request.get(f"/api/studies/{doubted}/shown").json()
    assert kept["waiting"] == 0
    assert kept["numbers"][0]["value"] == 2040
    owner.goto(f"/studies/{doubted}/read")
    owner.get_by_role("heading", name=re.compile("metrics")).first.wait_for()
    expect(owner.get_by_text("could not be read for sure")).to_have_count(0)


def test_the_night_says_what_ended_how_and_how_the_rigs_stand(owner):
    owner.goto("/rigs")
    owner.get_by_role("link", name="at night").click()
    owner.wait_for_url(re.compile("/night"))
    expect(owner.get_by_role("heading", name="Rigs at night")).to_be_visible()
    expect(owner.get_by_text(re.compile("runs? ended since"))).to_be_visible()
    standing = owner.get_by_role("region", name="How the rigs stand")
    expect(standing.get_by_role("link", name="loft-1")).to_be_visible()
    assert axe_violations(owner) == []
    owner.keyboard.press("3")
    owner.wait_for_url(re.compile("hours=168"))
    expect(owner.get_by_role("button", name="a week")).to_have_attribute("aria-pressed", "true")
