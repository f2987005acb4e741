"""The report as a document, its references, changes, and the forms that the core writes."""

import csv
import io
import json
import re
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.studies import OPEN, SCROLL, WHOLE, judged, names
from yardstick_core.report import evidence
from yardstick_core.report.changes import changes, gist, in_short
from yardstick_core.report.document import line_text, shown_sections
from yardstick_core.report.markdown import escaped, markdown
from yardstick_core.report.references import (
    UNKNOWN,
    filled,
    numbers_in,
    reference,
    row_label,
    unknown_in,
)
from yardstick_core.report.results import digest, results, results_csv
from yardstick_core.report.sections import KINDS, Arrangement, written
from yardstick_server.analysis.board import board_of
from yardstick_server.reports.charts import RULE_WIDTH, labels_apart
from yardstick_server.reports.svg import DARK, LIGHT, Rule, reach_for

FAST = {
    (OPEN, "duration"): [2.0, 2.02, 1.99, 2.01, 2.0, 2.03],
    (SCROLL, "average_rate"): [60, 61, 60.5, 60.2, 60.8, 60.1],
    (WHOLE, "peak_memory"): [100, 100.4, 100.2, 100.1, 100.3, 100.2],
}
SLOW = {
    (OPEN, "duration"): [1.4, 1.41, 1.4, 1.42, 1.39, 1.4],
    (SCROLL, "average_rate"): [50, 51, 50.4, 50.2, 50.6, 50.3],
    (WHOLE, "peak_memory"): [100.1, 100.3, 100.2, 100.2, 100.2, 100.1],
}


def board(sides=(FAST, SLOW)):
    judgement = judged(list(sides), deciding=[("duration", OPEN)])
    return board_of(judgement, names(len(sides)))


def content(**changed):
    """What a study of six rounds would give to its report."""
    found = {
        "question": "Is 4.2 faster?", "why": "The notes promise it.", "asked_on": "23 Nov 2026",
        "subject": "Weftwright", "maker": "made up", "factor": "release",
        "measured": "23 Nov 2026", "rig": "loft-1", "demonstration": False, "rounds": 6,
        "extent": "6 warm rounds",
        "board": board(),
        "decision": {
            "variants": ["4.1", "4.2"], "advice": [], "claims": [], "trade_offs": [],
            "breakdowns": [],
        },
        "match": {
            "status": {"runs": 12}, "mismatches": [], "unknown": [], "preconditions": [],
            "drift": [], "watching": {"runs": 0, "costs": []},
        },
        "runs": {"counted": [6, 6], "cold": 2, "control": 0, "failed": [], "left_out": [],
                 "brought_in": 0, "by_hand": 0},
        "findings": [],
        "work": {"title": "Open and scroll", "text": "session \"x\"\n", "version": 1,
                 "sha256": "ab" * 32, "steps": ["Open", "Scroll"], "facts": [("ends", "240")],
                 "files": [], "elsewhere": False},
        "machine": [("processor", "2 cores")], "curves": [], "lanes": [],
        "session_table": None, "crossing": None, "works_pictures": {}, "jobs": [],
        "plan": "6 rounds",
    }  # fmt: skip
    return {**found, **changed}


def keys(document):
    return [section["key"] for section in document["sections"]]


def section(document, key):
    return next(one for one in document["sections"] if one["key"] == key)


def test_the_answer_stands_first_with_its_numbers_marked():
    document = written(content(), Arrangement())
    first = section(document, "answer")["blocks"][0]
    assert document["sections"][0]["key"] == "answer"
    assert line_text(first["spans"]).startswith(
        "4.2: open takes 604\u00a0ms less, 30\u00a0% less ("
    )
    assert [span["text"] for span in first["spans"] if span["kind"] == "number"] == [
        "604\u00a0ms less"
    ]


def test_sections_are_moved_left_out_and_put_back_but_the_answer_and_what_touches_it_stay():
    arrangement = Arrangement(
        order=("machine", "answer"), on=frozenset({"all"}),
        off=frozenset({"machine", "answer", "caveats"}),
    )  # fmt: skip
    document = written(content(), arrangement)
    order = keys(document)
    assert sorted(order) == sorted(kind.key for kind in KINDS)
    assert order.index("machine") < order.index("answer") < order.index("caveats")
    shown = [one["key"] for one in shown_sections(document)]
    assert "machine" not in shown
    assert {"answer", "all"} <= set(shown)
    assert section(document, "caveats")["on"]


@given(st.lists(st.sampled_from([kind.key for kind in KINDS] + ["gone"]), max_size=30))
def test_whatever_order_is_asked_for_no_section_is_lost_or_twice(order):
    document = written(content(), Arrangement(order=tuple(order)))
    assert sorted(keys(document)) == sorted(kind.key for kind in KINDS)
    named = [key for key in dict.fromkeys(order) if key != "gone"]
    assert [key for key in keys(document) if key in named] == named


def test_a_caveat_of_what_decides_touches_the_answer():
    found = board()
    row = next(row for row in found["rows"] if row["deciding"])
    row["differences"][1]["caveats"] = [{"text": "kernel differs", "waivable": True}]
    document = written(content(board=found), Arrangement(off=frozenset({"caveats"})))
    (block,) = section(document, "caveats")["blocks"]
    assert line_text(block["spans"]) == "Touches open in 4.2: kernel differs."
    assert block["style"] == "caveat"


def test_a_number_in_ones_own_words_says_what_the_study_says_now():
    name = reference("open", "4.2", "amount")
    words = {"own": (f"It saves {name} a time.", "the owner")}
    block = section(written(content(), Arrangement(words=words)), "own")["blocks"][0]
    assert block["numbers"] == {name: "−604\u00a0ms"}
    later = board((FAST, {**SLOW, (OPEN, "duration"): [1.0, 1.01, 1.0, 1.0, 1.02, 1.0]}))
    again = section(written(content(board=later), Arrangement(words=words)), "own")["blocks"][0]
    assert again["numbers"] != block["numbers"]


@pytest.mark.parametrize(
    "name",
    [
        "#{weaving | 4.2 | amount}", "#{open | 9.9 | amount}", "#{open | 4.2 | colour}",
        "#{open | 4.1 | amount}",
    ],
)  # fmt: skip
def test_a_reference_to_nothing_is_said_to_be_unknown(name):
    assert numbers_in(f"x {name} y", board()) == {name: UNKNOWN}
    assert unknown_in(name, board()) == [name]
    assert filled(f"x {name} y", {}) == f"x {UNKNOWN} y"


def test_each_level_of_a_ladder_has_a_name_of_its_own():
    rows = [
        {"label": "peak memory", "stretch": ["Whole session · picks 20000"]},
        {"label": "peak memory", "stretch": ["Whole session"]},
        {"label": "open", "stretch": ["Open draft · picks 20000", "open"]},
    ]
    assert [row_label(row) for row in rows] == [
        "peak memory · picks 20000", "peak memory", "open in Open draft · picks 20000",
    ]  # fmt: skip


def test_what_is_held_back_cannot_be_set_into_words():
    found = board()
    row = next(row for row in found["rows"] if row["deciding"])
    row["differences"][1]["verdict_withheld"] = True
    assert numbers_in("#{open | 4.2 | percent}", found) == {"#{open | 4.2 | percent}": UNKNOWN}
    document = written(content(board=found), Arrangement())
    group = next(g for g in section(document, "matters")["blocks"][0]["groups"] if g["deciding"])
    assert (group["lines"][0]["gain"], group["lines"][0]["change"]) == (None, "held back")


def test_a_later_report_says_what_changed():
    before = gist(content())
    assert changes(before, gist(content())) == []
    assert in_short([], 2) == "It says what no. 2 says."
    later = content(rounds=12, board=board((FAST, FAST)))
    found = changes(before, gist(later))
    assert {"what": "rounds", "before": "6", "now": "12"} in found
    assert {"what": "open, 4.2", "before": "ahead", "now": "level"} in found
    assert in_short(found, 2).startswith("Since no. 2: open, 4.2 was ahead and is level")
    assert in_short(found[:1], 2) == "More was measured since no. 2; it says the same."


def test_a_waived_caveat_is_a_change_that_is_said():
    found = board()
    row = next(row for row in found["rows"] if row["deciding"])
    row["differences"][1]["caveats"] = [{"text": "kernel differs", "waivable": True}]
    with_it, without = gist(content(board=found)), gist(content())
    assert "settled" in [change["now"] for change in changes(with_it, without)]
    assert "a caveat is new" in in_short(changes(without, with_it), 1)


@given(st.text(max_size=40))
def test_no_text_of_a_person_becomes_markup_in_markdown(text):
    assert not re.search(r"(?<!\\)(?:\\\\)*[*_`<>|#\[\]]", escaped(text))
    assert "\n" not in escaped(text)


def test_markdown_holds_every_section_and_its_tables():
    document = written(content(), Arrangement(words={"asked": ("A <b>word</b>", "me")}))
    text = markdown(document, "Report no. 1", "Rests on ab.")
    for one in shown_sections(document):
        assert one["key"] == "answer" or f"## {one['title']}" in text
    assert "| **open** | 2.00\u00a0s | 4.2 | ahead" in text
    assert "A &lt;b>word&lt;/b>" in text


def test_json_and_csv_hold_the_same_numbers_in_the_metrics_own_unit():
    found = json.loads(json.dumps(results(board(), "Is it faster?")))
    metric = next(one for one in found["metrics"] if one["metric"] == "duration")
    assert (metric["unit"], metric["medians"][1]["value"]) == ("s", pytest.approx(1.4))
    lines = list(csv.DictReader(io.StringIO(results_csv(found))))
    line = next(one for one in lines if one["metric"] == "duration")
    assert float(line["ratio_low"]) == metric["differences"][1]["ratio_low"]
    assert float(line["median"]) == metric["medians"][1]["value"]
    assert line["definition"] == metric["definition"]


def test_no_cell_of_a_csv_is_a_formula():
    found = results(board(), "x")
    found["variants"] = ["=cmd()", "@sum"]
    lines = list(csv.DictReader(io.StringIO(results_csv(found))))
    assert {line["variant"] for line in lines} == {"'@sum"}
    assert {line["baseline"] for line in lines} == {"'=cmd()"}


def test_a_digest_depends_on_what_is_said_and_not_on_the_order_of_names():
    assert digest({"a": 1, "b": [2]}) == digest({"b": [2], "a": 1})
    assert digest({"a": 1}) != digest({"a": 1.5})


WEB = Path(__file__).resolve().parents[2] / "web" / "src"


@pytest.mark.parametrize(("theme", "palette"), [(0, LIGHT), (1, DARK)])
def test_reports_have_the_colours_of_the_interface(theme, palette):
    """They are said in two languages: a change of one is a change of both."""
    block = re.findall(r":root \{(.*?)\}", (WEB / "app" / "look.css").read_text(), re.S)[theme]
    colours = dict(re.findall(r"--([\w-]+): (#[0-9a-f]{6});", block))
    assert palette == {name: colours[name] for name in palette}


def test_reports_have_the_rule_of_the_interface():
    text = (WEB / "rule" / "scale.ts").read_text()
    reaches = re.search(r"REACHES = \[([^\]]*)\]", text).group(1)
    wanted = [float(one) for one in reaches.split(",")]
    for reach in wanted:
        assert reach_for([reach / 1.06]) == reach
        for _, word in Rule(reach, 0, 100).labels:
            assert f'"{word}"' in text, word


@pytest.mark.parametrize("reach", [0.16, 0.28, 0.5, 0.75, 1.2, 1.9, 3])
def test_no_label_of_a_rule_runs_into_another(reach):
    """Nor into the word for its middle, however near the first label lies."""
    rule = Rule(reach, 4, RULE_WIDTH - 8)
    shown = labels_apart(rule)
    assert len(shown) >= 3, "the middle and a place on either side are always named"
    spans = sorted(
        (rule.x(gain) - 2.2 * len(word), rule.x(gain) + 2.2 * len(word)) for gain, word in shown
    )
    assert all(one[1] <= other[0] for one, other in pairwise(spans))


SET = {
    "variants": ["4.1", "4.2"], "baseline": 0, "headline": "4.2 is 1.5 × as good.",
    "sessions": [
        {
            "title": title, "label": "open in Open", "readings": ["2 s", "1 s"], "places": places,
            "differences": [
                {"verdict": "", "text": ""}, {"verdict": "ahead", "text": "50 % less time"},
            ],
        }
        for title, places in (("Short", [2, 1]), ("Long", None))
    ],
    "means": [
        {"name": "Geometric mean", "about": "of these sessions", "candidates": [
            {"candidate": 1, "verdict": "ahead", "text": "1.5 × as good (1.4 to 1.6)", "why": ""},
        ]},
        {"name": "Sessions in general", "about": "as a sample", "candidates": [
            {"candidate": 1, "verdict": "", "text": "", "why": "from 3 sessions on"},
        ]},
    ],
}  # fmt: skip


def cell(row, column, position, state, **said):
    return {"row": row, "column": column, "position": position, "state": state, "variant": "",
            "note": "", "by": "", "picture": False, **said}  # fmt: skip


CROSSING = {
    "factor": "release", "second_factor": "tiles", "rows": ["4.1", "4.2"],
    "columns": ["smooth", "quick"],
    "chosen": {
        "label": "1 % low",
        "steps": [{
            "sentence": "quick: read the cells.",
            "interactions": [{"row": 1, "base_row": 0, "column": 1, "verdict": "ahead",
                              "text": "1.28 × (1.24 to 1.33)"}],
        }],
        "readings": [{"row": r, "column": c, "text": f"{r}{c} fps"} for r in (0, 1) for c in (0, 1)
                     if (r, c) != (0, 1)],
    },
    "cells": [
        cell(0, 0, 0, "works"),
        cell(0, 1, None, "not measured", note="has no tiles"),
        cell(1, 0, 1, "cannot open", variant="4.2", note="a licence", by="Ida", picture=True),
        cell(1, 1, 2, "works"),
    ],
}  # fmt: skip


def text_of(document, key):
    section = next(one for one in document["sections"] if one["key"] == key)
    found = markdown({**document, "sections": [section]}) if section["blocks"] else ""
    return found.replace("**", "")


def test_a_set_of_sessions_is_told_with_places_and_means():
    told = text_of(written(content(session_table=SET), Arrangement()), "sessions")
    assert "4.2 is 1.5 × as good." in told
    assert "| Short | open in Open | 4.2 | ahead | 1 s | 50 % less time | 1 |" in told
    assert "1.5 × as good (1.4 to 1.6)" in told
    assert "from 3 sessions on" in told
    one = {**SET, "sessions": SET["sessions"][:1]}
    assert text_of(written(content(session_table=one), Arrangement()), "sessions") == ""


def test_kept_jobs_are_told_with_what_they_take_for_granted():
    asked = {"candidate": 1, "metric": "", "period": "a day", "kinds": []}
    sentence = "With 4.2, a day: 34 s less (31 s to 37 s)."
    kept = {
        "id": 1, "job": asked, "by": "Ida", "at": None, "problem": "",
        "answer": {"sentence": sentence, "assumptions": ["every item is like those measured"]},
    }  # fmt: skip
    gone = {**kept, "answer": None, "problem": "study 9 is no session of this set"}
    told = text_of(written(content(jobs=[kept, gone]), Arrangement()), "job")
    assert sentence in told
    assert "A day as Ida described it: every item is like those measured." in told
    assert "that Ida kept cannot be worked out: study 9 is no session of this set." in told
    assert text_of(written(content(), Arrangement()), "job") == ""


def test_two_factors_are_told_cell_by_cell_with_what_works():
    told = text_of(written(content(crossing=CROSSING), Arrangement()), "factors")
    assert "quick: read the cells." in told
    assert "| 4.1 | 00 fps | – |" in told
    assert "quick in 4.2, against the same in 4.1" in told
    assert "1.28 × (1.24 to 1.33)" in told
    assert "not measured: has no tiles" in told
    assert "cannot open: a licence (says Ida)" in told
    assert text_of(written(content(), Arrangement()), "factors") == ""


def test_a_picture_of_what_does_not_work_stands_below_the_cells():
    pictures = {0: "of-one-that-works", 1: "of-the-licence"}
    document = written(content(crossing=CROSSING, works_pictures=pictures), Arrangement())
    section = next(one for one in document["sections"] if one["key"] == "factors")
    shown = [block for block in section["blocks"] if block["kind"] == "picture"]
    assert [block["data"] for block in shown] == ["of-the-licence"]
    assert shown[0]["caption"] == "4.2 cannot open: a licence"


def seen(number, **said):
    return {"variant": 1, "run": number, "at": "2.0 s", "kind": "artefact", "text": "a torn edge",
            "by": "Ida", "picture": "a-still", "clip": "", "clip_s": 0.0, **said}  # fmt: skip


def test_a_clip_stands_for_its_finding_and_no_more_of_them_than_can_be_sent(monkeypatch):
    monkeypatch.setattr(evidence, "MOST_OF_CLIPS", 10)
    found = [seen(1, clip="m" * 8, clip_s=4.0), seen(2, clip="m" * 8, clip_s=4.0), seen(3)]
    document = written(content(findings=found), Arrangement())
    section = next(one for one in document["sections"] if one["key"] == "findings")
    shown = [block for block in section["blocks"] if block["kind"] != "text"]
    assert [block["kind"] for block in shown] == ["clip", "picture", "picture"]
    assert shown[0]["still"] == "a-still"
    assert "(a clip of 4.0" in shown[0]["caption"]
    assert section["brief"] == "3, 2 pictures, 1 clip"
    assert "Clip, in the report" in markdown(document, "x", "y")
