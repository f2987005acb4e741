"""Reports over the API: arranged, issued, withdrawn, shared, and the same in every form."""

import base64
import csv
import io
import json
import re
from xml.etree import ElementTree

import pypdfium2
import pytest
from django.conf import settings
from django.test import Client
from jsonschema import Draft202012Validator
from PIL import Image

from server.test_findings import picture
from server.worlds import make_world, measure_all
from yardstick_core.report import document
from yardstick_server.accounts.models import ShareLink, digest
from yardstick_server.analysis.judging import kept_analysis
from yardstick_server.reports import charts, gathering
from yardstick_server.reports.figure import SHAPES, figure, figures_of
from yardstick_server.reports.issuing import document_of
from yardstick_server.reports.page import words_html
from yardstick_server.reports.svg import LIGHT


@pytest.fixture(scope="module")
def measured_once(begun):
    """Four warm rounds in which 4.2 opens 30 % faster, and opening decides."""
    world = make_world("weavers")
    world.study.materiality_rules.create(
        metric="duration", stretch=["Open", "open"], decides=True, by="weavers-owner"
    )
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    return world


@pytest.fixture
def db(within):
    return within


def url(world, rest=""):
    return f"/api/studies/{world.study.pk}/report{rest}"


def report(world, client=None):
    return (client or world.owner).get(url(world)).json()


def arranged(world, **changes):
    """The arrangement as it is, with something changed."""
    now = report(world)
    body = {
        "revision": now["revision"], "order": [one["key"] for one in now["sections"]], "on": [],
        "off": [], "words": {}, **changes,
    }  # fmt: skip
    return world.owner.put(url(world), body, content_type="application/json")


def issued(world):
    body = {"rests_on": report(world)["rests_on"]}
    return world.owner.post(url(world, "s"), body, content_type="application/json")


def file(world, kind, number=None, client=None):
    which = "" if number is None else f"&number={number}"
    answer = (client or world.owner).get(url(world, f"/file?kind={kind}{which}"))
    assert answer.status_code == 200, answer.content[:300]
    return answer.content


def plain(text: str) -> str:
    """A text without markup, breaks and the difference between spaces."""
    bare = re.sub(r"<style.*?</style>|<title.*?</title>|<[^>]+>", " ", text, flags=re.DOTALL)
    bare = bare.replace("&nbsp;", " ").replace("&amp;", "&").replace("\\", "")
    return re.sub(r"[\s\u00a0|*>]+", " ", bare)


def pdf_text(data: bytes) -> str:
    document = pypdfium2.PdfDocument(data)
    try:
        return plain(" ".join(page.get_textpage().get_text_range() for page in document))
    finally:
        document.close()


def without_spaces(text: str) -> str:
    return re.sub(r"[\s\u00a0\u00ad\ufffe-]+", "", text)


def test_every_form_says_the_same_numbers(measured):
    arranged(measured, words={"own": "It saves #{open | 4.2 | amount}."})
    page = report(measured)
    forms = {
        "page": plain(" ".join(one["html"] for one in page["sections"] if one["on"])),
        "html": plain(file(measured, "html").decode()),
        "markdown": plain(file(measured, "markdown").decode()),
        "pdf": pdf_text(file(measured, "pdf")),
    }
    assert not re.search(r"\s\. Meant to differ", file(measured, "html").decode())
    numbers = json.loads(file(measured, "json"))
    lines = list(csv.DictReader(io.StringIO(file(measured, "csv").decode())))
    shown = [
        metric for metric in numbers["metrics"]
        if metric["metric"] in ("duration", "average_rate", "peak_memory", "one_percent_low")
    ]  # fmt: skip
    assert len(shown) >= 4
    for metric in shown:
        difference = metric["differences"][1]
        line = next(
            one for one in lines
            if (one["metric"], one["stretch"]) == (metric["metric"], " / ".join(metric["stretch"]))
        )  # fmt: skip
        assert line["change_text"].lstrip("'") == difference["change_text"]
        assert line["interval_text"].lstrip("'") == difference["interval_text"]
        assert float(line["change"]) == difference["change"]
        for said in (
            metric["label"], metric["medians"][0]["text"], metric["medians"][1]["text"],
            difference["verdict"], difference["change_text"], difference["interval_text"],
        ):  # fmt: skip
            for form, text in forms.items():
                assert without_spaces(plain(said)) in without_spaces(text), f"{said} not in {form}"
        reading = f"{metric['medians'][1]['text']}{metric['unit']}"
        for form in ("page", "html", "pdf"):
            assert without_spaces(reading) in without_spaces(forms[form]), f"no unit in {form}"
    amount = next(m for m in shown if m["deciding"])["differences"][1]["change_text"]
    for form, text in forms.items():
        assert f"Itsaves{without_spaces(amount)}." in without_spaces(text), form


def test_an_issued_report_stays_as_it_was_while_the_study_goes_on(measured):
    before = issued(measured)
    assert before.status_code == 201
    kinds = ("html", "markdown", "json", "csv")
    frozen = {kind: file(measured, kind, 1) for kind in kinds}
    measured.study.add_rounds(2)
    measure_all(measured, {0: 2.0, 1: 1.98})
    assert {kind: file(measured, kind, 1) for kind in kinds} == frozen
    assert file(measured, "json") != frozen["json"]
    now = report(measured)
    assert now["since"]["number"] == 1
    assert {"what": "rounds", "before": "4", "now": "6"} in now["since"]["changes"]
    assert now["rests_on"] != before.json()["rests_on"]


def test_what_is_issued_is_what_was_read(measured):
    seen = report(measured)["rests_on"]
    measured.study.add_rounds(1)
    measure_all(measured, {0: 2.0, 1: 1.4})
    answer = measured.owner.post(
        url(measured, "s"), {"rests_on": seen}, content_type="application/json"
    )
    assert answer.status_code == 409
    assert "nothing was issued" in answer.json()["detail"]
    assert report(measured)["issued"] == []


def test_reports_are_numbered_and_withdrawn_with_a_reason_and_nothing_else(measured):
    issued(measured)
    numbers = [one["number"] for one in issued(measured).json()["issued"]]
    assert numbers == [2, 1]
    withdraw = url(measured, "s/1/withdraw")
    answer = measured.owner.post(withdraw, {"reason": " "}, content_type="application/json")
    assert answer.status_code == 400
    reason = {"reason": "the driver was updated"}
    body = measured.owner.post(withdraw, reason, content_type="application/json").json()
    assert body["issued"][1]["withdrawn_reason"] == "the driver was updated"
    again = measured.owner.post(withdraw, {"reason": "x"}, content_type="application/json")
    assert again.status_code == 400
    assert "the driver was updated" in file(measured, "html", 1).decode()
    assert "the driver was updated" in file(measured, "markdown", 1).decode()
    for method in ("put", "patch", "delete"):
        answer = getattr(measured.owner, method)(url(measured, "s/1"), content_type="a/b")
        assert answer.status_code == 405
    assert report(measured)["since"]["number"] == 2


def test_two_who_arrange_at_once_do_not_write_over_one_another(measured):
    first = report(measured)["revision"]
    assert arranged(measured, words={"own": "Mine."}).status_code == 200
    late = arranged(measured, revision=first, words={"own": "Theirs."})
    assert late.status_code == 409
    own = next(one for one in report(measured)["sections"] if one["key"] == "own")
    assert own["words"] == {"text": "Mine.", "by": "weavers-owner"}


def test_words_stay_with_who_wrote_them(measured):
    arranged(measured, words={"own": "Mine."})
    now = report(measured)
    body = {"revision": now["revision"], "order": [], "on": [], "off": [],
            "words": {"own": "Mine.", "asked": "And this."}}  # fmt: skip
    sections = measured.tester.put(url(measured), body, content_type="application/json").json()
    by = {one["key"]: one["words"]["by"] for one in sections["sections"] if one["words"]}
    assert by == {"own": "weavers-owner", "asked": "weavers-tester"}


@pytest.mark.parametrize(
    "changes",
    [{"order": ["nothing"]}, {"off": ["x" * 99]}, {"words": {"weather": "fine"}},
     {"words": {"own": "x" * 9000}}, {"revision": -1}, {"on": "all"}],
)  # fmt: skip
def test_an_arrangement_that_makes_no_sense_changes_nothing(measured, changes):
    before = report(measured)
    assert arranged(measured, **changes).status_code == 400
    assert report(measured) == before


def test_verdicts_and_caveats_cannot_be_taken_out(measured):
    body = arranged(measured, off=["answer", "caveats", "machine"]).json()
    on = {one["key"]: one["on"] for one in body["sections"]}
    assert (on["answer"], on["caveats"], on["machine"]) == (True, True, False)


def test_no_word_or_name_of_a_person_runs_in_a_report(measured):
    evil = "<script>alert(1)</script>"
    variant = measured.study.variants[1].variant
    variant.name = evil
    variant.save()
    measured.study.question = f"Is {evil} faster?"
    measured.study.save()
    words = f"{evil} [press](javascript:alert(1)) ![x](http://127.0.0.1/x.png)"
    arranged(measured, words={"own": words})
    html = file(measured, "html").decode()
    assert "<script" not in html
    assert 'href="javascript' not in html
    assert "x.png" not in html
    drawn = measured.owner.get(f"/api/studies/{measured.study.pk}/figure?key=matters&kind=svg")
    assert b"<script" not in drawn.content
    ElementTree.fromstring(drawn.content)


def test_words_keep_what_markdown_is_for():
    html = words_html("A **bold** [link](https://example.org) and #{a | b | c}", {})
    assert "<strong>bold</strong>" in html
    assert 'href="https://example.org"' in html
    assert '<b class="number">(number not known)</b>' in html


def test_a_file_needs_nothing_but_itself(measured):
    html = file(measured, "html").decode()
    assert not re.findall(r'(?:src|href)="(?!data:)[^"#]+"', html)
    assert not re.findall(r"url\((?!data:)", html)
    assert "<script" not in html


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("theme", ["light", "dark"])
def test_every_figure_says_what_was_measured_and_where(measured, shape, theme):
    found = report(measured)["figures"]
    assert found[0]["key"] == "matters"
    assert len(found) > 4
    for one in (found[0], found[1], found[-1]):
        address = f"/api/studies/{measured.study.pk}/figure"
        query = {"key": one["key"], "shape": shape, "theme": theme, "kind": "svg"}
        answer = measured.owner.get(address, query)
        tree = ElementTree.fromstring(answer.content)
        text = " ".join(tree.itertext())
        assert "Measured with Noble Yardstick on loft" in text
        assert "n = 4 rounds" in text
        assert (tree.get("width"), tree.get("height")) == tuple(map(str, SHAPES[shape]))


def test_a_difference_as_a_figure_holds_its_interval_and_every_run(measured):
    key = next(one["key"] for one in report(measured)["figures"] if "~duration~" in one["key"])
    address = f"/api/studies/{measured.study.pk}/figure"
    svg = measured.owner.get(address, {"key": key, "kind": "svg"}).content.decode()
    numbers = json.loads(file(measured, "json"))
    metric = next(one for one in numbers["metrics"] if one["deciding"])
    assert f"{metric['differences'][1]['interval_text']} (" in svg
    assert svg.count("<circle") >= len(metric["samples"][1]) == 4
    png = measured.owner.get(address, {"key": key, "kind": "png", "shape": "square"})
    picture = Image.open(io.BytesIO(png.content))
    assert picture.size == (1080, 1080)
    assert len(picture.getcolors(1 << 24)) > 20


@pytest.mark.parametrize(
    ("query", "status"),
    [({"key": "1~nothing~x", "kind": "svg"}, 404), ({"key": "chart~frames~99", "kind": "svg"}, 404),
     ({"key": "chart~x", "kind": "svg"}, 404), ({"key": "matters", "kind": "gif"}, 400),
     ({"key": "matters", "kind": "svg", "shape": "round"}, 400),
     ({"key": "matters", "kind": "svg", "number": "7"}, 404)],
)  # fmt: skip
def test_a_figure_that_is_not_there_is_said_to_be_so(measured, query, status):
    answer = measured.owner.get(f"/api/studies/{measured.study.pk}/figure", query)
    assert answer.status_code == status


def test_a_guest_reads_the_report_without_names_unless_the_link_says_so(measured):
    arranged(measured, words={"own": "Our own words."})
    issued(measured)
    for names in (False, True):
        token = f"link-{names}"
        ShareLink.objects.create(
            study=measured.study, token_digest=digest(token), by="weavers-owner", names=names,
            expires="2999-01-01T00:00Z",
        )  # fmt: skip
        guest = Client()
        guest.get(f"/shared/{token}")
        texts = [
            guest.get(url(measured, "s/1")).content.decode(),
            guest.get(url(measured)).content.decode(),
            file(measured, "html", 1, guest).decode(),
            file(measured, "markdown", 1, guest).decode(),
            pdf_text(file(measured, "pdf", 1, guest)),
        ]
        assert [("weavers-owner" in text) for text in texts] == [names] * len(texts)


def test_a_study_without_a_run_has_a_report_that_says_so(world):
    body = report(world)
    answer = next(one for one in body["sections"] if one["key"] == "answer")
    assert "no warm round has been measured" in answer["html"]
    assert file(world, "pdf").startswith(b"%PDF")
    assert "no warm round" in file(world, "markdown").decode()


def test_results_have_the_shape_that_is_published(measured):
    schema = json.loads((settings.PROJECT / "docs" / "results.schema.json").read_text())
    Draft202012Validator.check_schema(schema)
    validator = Draft202012Validator(schema)
    assert not list(validator.iter_errors(json.loads(file(measured, "json"))))
    wrong = {**json.loads(file(measured, "json")), "schema": 2}
    assert list(validator.iter_errors(wrong))


def test_a_finding_stands_in_the_report_with_its_picture(measured):
    run = measured.study.runs.filter(cold=False).first()
    run.findings.create(
        at_ns=1_500_000_000, kind="artefact", text="a <torn> edge", by="weavers-owner",
        picture=picture(),
    )  # fmt: skip
    run.findings.create(at_ns=5, kind="remark", text="taken back", by="x", withdrawn=True)
    html = file(measured, "html").decode()
    assert "a &lt;torn&gt; edge" in html
    assert "1.5\u00a0s" in html
    assert "taken back" not in html
    assert base64.b64encode(picture()).decode() in html
    pages = pypdfium2.PdfDocument(file(measured, "pdf"))
    kinds = [one.type for page in pages for one in page.get_objects(max_depth=5)]
    assert pypdfium2.raw.FPDF_PAGEOBJ_IMAGE in kinds
    pages.close()
    assert "noted by weavers-owner" in file(measured, "markdown").decode()


# -- charts of growth ----------------------------------------------------------------------------


def memory_lanes(**changes):
    lane = {"variant": 0, "run": 1, "at": [1.0, 2.0, 3.0], "low": [80.0, 90.0, 100.0],
            "high": [120.0, 130.0, 140.0], "spikes": []}  # fmt: skip
    higher = {**lane, "variant": 1, "low": [280.0, 380.0, 580.0], "high": [320.0, 420.0, 590.0]}
    return {"kind": "lanes", "stretch": ["Whole session"], "name": "Memory", "unit": "MiB",
            "seconds": 3.0, "lanes": [lane, higher], **changes}  # fmt: skip


def sentence(words):
    return document.text_block(document.plain(words))


NAMES = {"variants": ["4.1", "4.2"], "baseline": 0}


def test_memory_is_drawn_in_one_field_and_frame_times_in_a_lane_each():
    drawn = charts.lanes(memory_lanes(), NAMES, LIGHT)
    words = " ".join(ElementTree.fromstring(drawn).itertext())
    assert "0 MiB" in words
    assert "600 MiB" in words
    assert "since the whole session began" in words
    assert 'fill-opacity="0.5"' not in drawn
    frames = memory_lanes(name="Frame time", unit="ms", stretch=["Scroll", "scroll"])
    drawn = charts.lanes(frames, NAMES, LIGHT)
    assert drawn.count('fill-opacity="0.5"') == 2
    assert "since scroll began" in " ".join(ElementTree.fromstring(drawn).itertext())


def test_a_chart_of_growth_says_the_sentence_that_it_shows(measured):
    told = document_of(measured.study)
    (growth,) = [one for one in told["sections"] if one["key"] == "growth"]
    long = f"4.2: grows, +422 MiB/min. If it goes on so: {'much later ' * 20}"
    growth["blocks"] = [
        sentence("4.1: levels off."), sentence(long), memory_lanes(), sentence("something else"),
    ]  # fmt: skip
    key = next(one.key for one in figures_of(told) if one.key.startswith("chart~growth"))
    words = " ".join(ElementTree.fromstring(figure(told, {}, key)).itertext())
    assert "Memory along the whole session" in words
    assert "4.1: levels off. 4.2: grows, +422 MiB/min. n = 4 rounds" in words
    assert "something else" not in words
    assert "much later" not in words


def test_growth_over_the_whole_session_has_its_chart(measured, monkeypatch):
    """Memory is read of the whole session, which no step of a run is called."""
    kept = kept_analysis(measured.study)
    board = {**kept.board, "growing": [{"text": "4.2: grows", "variant": 1}]}
    monkeypatch.setattr(kept, "board", board)
    found = gathering._lanes(measured.study, kept)
    (memory,) = [block for block in found if block["unit"] == "MiB"]
    assert memory["stretch"] == ["Whole session"]
    assert [lane["variant"] for lane in memory["lanes"]] == [0, 1]
    assert 0 < memory["lanes"][0]["at"][-1] <= memory["seconds"]
