"""Crossed factors over the API: cells said, effects and interactions, what works with what."""

import base64
import io
from copy import deepcopy

import pytest
from PIL import Image

from server.worlds import make_world, measure_all
from yardstick_server.analysis import crossing as analysis
from yardstick_server.reports import paper

JSON = "application/json"
CELLS = [("4.1", "smooth"), ("4.2", "smooth"), ("4.1", "quick"), ("4.2", "quick")]


def said(**changes):
    variants = [
        {"position": n, "first": first, "second": second} for n, (first, second) in enumerate(CELLS)
    ]
    return {"second_factor": "tiles", "variants": variants, "missing": [], **changes}


@pytest.fixture(scope="module")
def measured_once(begun):
    """Releases and tiles: quick tiles help 4.2 by a fifth and hurt 4.1 by as much."""
    world = make_world("weavers")
    for name in ("4.1 quick", "4.2 quick"):
        variant = world.study.subject.variants.create(name=name, program="weftwright")
        position = world.study.study_variants.count()
        world.study.study_variants.create(variant=variant, position=position)
    url = f"/api/studies/{world.study.pk}/crossing"
    assert world.owner.put(url, said(), content_type=JSON).status_code == 200
    world.study.add_rounds(7)
    measure_all(world, {0: 1.0, 1: 1.0, 2: 1.2, 3: 0.8})
    return world


@pytest.fixture
def four(measured_once, db):
    return deepcopy(measured_once)


@pytest.fixture
def db(within):
    return within


def crossing(world, **asked):
    return world.owner.get(f"/api/studies/{world.study.pk}/crossing", asked).json()


def test_cells_effects_and_the_interaction_are_told(four):
    body = crossing(four, metric="duration", stretch=["Open", "open"])
    assert (body["rows"], body["columns"]) == (["4.1", "4.2"], ["smooth", "quick"])
    chosen = body["chosen"]
    (step,) = chosen["steps"]
    assert step["answer"] == "read the cells"
    assert step["number"] is None
    (interaction,) = step["interactions"]
    assert interaction["verdict"] == "ahead"
    assert interaction["text"].replace("\u00a0", " ").startswith("1.5")
    assert "There is no one number for them" in step["sentence"]
    slower, quicker = (one["text"].replace("\u00a0", " ") for one in chosen["along_columns"])
    assert slower.startswith("20 % more time (")
    assert quicker.startswith(("20 % less time (", "21 % less time ("))
    assert len(chosen["readings"]) == 4
    rate = next(one for one in body["metrics"] if one["metric"] == "average_rate")
    assert rate["steps"][0]["answer"] in ("one number", "not known yet", "read the cells")


def test_nothing_is_crossed_until_somebody_says_so(world):
    body = crossing(world)
    assert (body["rows"], body["chosen"], body["second_factor"]) == ([], None, "")
    assert [one["name"] for one in body["variants"]] == ["4.1", "4.2"]


@pytest.mark.parametrize(("changes", "why"), [
    ({"second_factor": " "}, "second factor"),
    ({"variants": [{"position": 0, "first": "a", "second": ""}]}, "both factors"),
    ({"variants": [{"position": 9, "first": "a", "second": "b"}]}, "no variant 9"),
    ({"variants": [{"position": n, "first": "a", "second": "b"} for n in (0, 1)]}, "said twice"),
    ({"missing": [{"first": "4.1", "second": "quick", "note": "x"}]}, "said twice"),
    ({"variants": [{"position": 0, "first": "a", "second": "b", "works": "perhaps"}]}, "one of"),
])  # fmt: skip
def test_cells_that_cannot_be_are_refused_and_nothing_changes(four, changes, why):
    before = crossing(four)
    url = f"/api/studies/{four.study.pk}/crossing"
    answer = four.owner.put(url, said(**changes), content_type=JSON)
    assert answer.status_code == 400
    assert why in str(answer.json())
    assert crossing(four) == before


def test_what_works_with_what_comes_from_runs_findings_and_persons(four):
    run = four.study.runs.filter(variant__position=3, cold=False).first()
    run.findings.create(at_ns=0, kind="remark", text="seams at the fold", by="x")
    variants = said()["variants"]
    variants[2] |= {"works": "does not start", "note": "asks for a licence"}
    missing = [{"first": "4.0", "second": "quick", "note": "has no tiles"}]
    url = f"/api/studies/{four.study.pk}/crossing"
    body = four.owner.put(url, said(variants=variants, missing=missing), content_type=JSON).json()
    cells = {(one["row"], one["column"]): one for one in body["cells"]}
    assert cells[0, 0]["state"] == "works"
    assert cells[1, 1]["state"] == "works with a remark"
    assert (cells[1, 1]["note"], cells[1, 1]["run"]) == ("seams at the fold", run.pk)
    assert cells[0, 1]["state"] == "does not start"
    assert cells[0, 1]["by"] == "weavers-owner"
    assert (cells[2, 1]["state"], cells[2, 1]["note"]) == ("not measured", "has no tiles")
    assert body["chosen"]["missing"] == [[2, 0], [2, 1]]


def picture(kind):
    file = io.BytesIO()
    Image.new("RGB", (3, 2), (20, 90, 160)).save(file, kind)
    return file.getvalue()


def test_a_person_shows_what_does_not_work(four):
    """With their word, in any usual kind; it goes with the report, and with the word."""
    url = f"/api/studies/{four.study.pk}"
    shot = f"{url}/works/2/picture"
    assert four.owner.get(shot).status_code == 404
    early = four.owner.put(shot, picture("JPEG"), content_type="image/jpeg")
    assert early.status_code == 400
    assert "whether it works" in early.content.decode()
    variants = said()["variants"]
    variants[2] |= {"works": "cannot open", "note": "asks for a licence"}
    four.owner.put(f"{url}/crossing", said(variants=variants), content_type=JSON)
    assert four.owner.put(shot, picture("JPEG"), content_type="image/jpeg").status_code == 204
    assert four.owner.put(shot, b"no picture", content_type="image/png").status_code == 400
    assert paper  # whose library has half pictures taken in the whole process
    half = picture("PNG")[:-24]
    assert four.owner.put(shot, half, content_type="image/png").status_code == 400
    kept = four.owner.get(shot)
    assert kept.content.startswith(b"\x89PNG")
    assert [one["picture"] for one in crossing(four)["cells"]] == [False, True, False, False]
    report = four.owner.get(f"{url}/report").json()
    section = next(one for one in report["sections"] if one["key"] == "factors")
    assert base64.b64encode(kept.content).decode() in section["html"]
    assert "4.1 quick cannot open: asks for a licence" in section["html"]
    variants[2] |= {"works": "", "note": ""}
    four.owner.put(f"{url}/crossing", said(variants=variants), content_type=JSON)
    assert not any(one["picture"] for one in crossing(four)["cells"])
    assert four.owner.delete(shot).status_code == 204
    assert four.owner.get(shot).status_code == 404
    assert (
        four.owner.put(f"{url}/works/9/picture", b"", content_type="image/png").status_code == 404
    )


def test_the_board_and_the_cells_give_the_same_verdict_against_the_baseline(four):
    board = four.owner.get(f"/api/studies/{four.study.pk}/board").json()
    of_board = {
        (row["metric"], tuple(row["stretch"]), index): difference["verdict"]
        for row in board["rows"]
        for index, difference in enumerate(row["differences"])
        if difference
    }
    compared = 0
    for one in crossing(four)["metrics"]:
        asked = {"metric": one["metric"], "stretch": one["stretch"]}
        chosen = crossing(four, **asked)["chosen"]
        for effect in (*chosen["along_rows"], *chosen["along_columns"]):
            if effect["from_cell"] == [0, 0]:
                row, column = effect["to_cell"]
                place = (one["metric"], tuple(one["stretch"]), 2 * column + row)
                assert effect["verdict"] == of_board[place]
                compared += 1
    assert compared > 4


def test_cells_that_were_not_measured_alike_are_held_back(four, monkeypatch):
    monkeypatch.setattr(analysis, "is_withheld", lambda row, position: position == 3)
    chosen = crossing(four, metric="duration", stretch=["Open", "open"])["chosen"]
    (step,) = chosen["steps"]
    assert step["sentence"] == "Held back: the runs of 4.2 quick were not measured alike."
    assert step["interactions"] == []
    assert [one["withheld"] for one in chosen["readings"]] == [False, False, False, True]
    assert all(one["to_cell"] != [1, 1] for one in chosen["along_columns"])


def test_a_finding_that_was_withdrawn_is_no_remark(four):
    run = four.study.runs.filter(variant__position=3, cold=False).first()
    run.findings.create(at_ns=0, kind="remark", text="seams", by="x", withdrawn=True)
    states = {(one["row"], one["column"]): one["state"] for one in crossing(four)["cells"]}
    assert states[1, 1] == "works"


def test_the_report_tells_of_both_factors(four):
    report = four.owner.get(f"/api/studies/{four.study.pk}/report").json()
    section = next(one for one in report["sections"] if one["key"] == "factors")
    assert section["on"]
    assert "what works with what" in section["html"]
    assert "There is no one number for them" in section["html"]


def test_others_cross_nothing_of_it(four, others):
    url = f"/api/studies/{four.study.pk}/crossing"
    assert others.owner.get(url).status_code == 404
    assert four.reader.put(url, said(), content_type=JSON).status_code == 403
