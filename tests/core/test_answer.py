"""The answer to a question: sentences for every verdict, several deciding metrics and variants."""

from dataclasses import replace

import pytest

from core.studies import OPEN, SCROLL, WHOLE, judged
from core.test_decision import mixed_rig_exclusions, near, plain
from yardstick_core.compare.answer import answers, deciding_rows, proposed_of_script
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.readings import Reading

TIME, RATE, MEMORY, STUTTER = (
    (OPEN, "duration"), (SCROLL, "average_rate"), (WHOLE, "peak_memory"), (SCROLL, "stutter_share"),
)  # fmt: skip
OPENING = ("duration", OPEN)


def said(sides, *deciding, **options):
    judgement = judged(sides, deciding=list(deciding), **options)
    return [plain(answer.text) for answer in answers(judgement)]


@pytest.mark.parametrize(
    ("candidate", "sentence"),
    [
        (near(1.0, seed=2), "open takes 1.00 s less, 50 % less (49 to 50)"),
        (near(2.6, seed=2), "open takes 597 ms more, 30 % more (29 to 31)"),
        (
            near(2.01, seed=2),
            "No difference that anyone would notice: open takes 6.5 ms more, "
            "0.3 % more (0.4 less to 1.6 more)",
        ),
        (
            near(2.15, seed=2, share=0.2),
            "Not known yet: open takes 156 ms more, 7.8 % more (20 less to 64 more)",
        ),
        (
            near(2.095, seed=2),
            "Perhaps too little to matter: open takes 91.6 ms more, 4.6 % more (3.8 to 5.9)",
        ),
    ],
)
def test_each_verdict_has_its_sentence(candidate, sentence):
    assert said([{TIME: near(2)}, {TIME: candidate}], OPENING) == [sentence]


def test_a_large_change_is_said_as_a_factor():
    (text,) = said([{RATE: near(20)}, {RATE: near(60, seed=2)}])
    assert text == "average frame rate in Scroll is 40.0 fps more, 2.99 × (2.97 to 3.03)"


def test_what_is_named_decides_in_the_order_of_the_session_for_each_variant():
    sides = [
        {TIME: near(2), RATE: near(60), MEMORY: near(100)},
        {TIME: near(1, seed=2), RATE: near(60, seed=3), MEMORY: near(150, seed=4)},
        {TIME: near(2, seed=5), RATE: near(90, seed=6), MEMORY: near(100, seed=7)},
    ]
    judgement = judged(sides, deciding=[("peak_memory", WHOLE), OPENING])
    found = answers(judgement)
    assert [(one.candidate, one.metric) for one in found] == [
        (1, "duration"), (1, "peak_memory"), (2, "duration"), (2, "peak_memory"),
    ]  # fmt: skip
    assert [one.verdict for one in found] == ["ahead", "behind", "level", "level"]


def test_where_nothing_is_named_the_first_timing_answers():
    sides = [{MEMORY: near(90), TIME: near(2)}, {MEMORY: near(50), TIME: near(1)}]
    assert [row.metric.key for row in deciding_rows(judged(sides).rows)] == ["duration"]
    assert deciding_rows(judged([{MEMORY: near(90)}, {MEMORY: near(50)}]).rows) == []


@pytest.mark.parametrize(("spent", "where"), [
    (1.2, "behind on 2, furthest in peak memory"), (3.0, "behind on 2, among them peak memory"),
])  # fmt: skip
def test_a_main_metric_is_called_the_furthest_only_where_it_is(spent, where):
    processor = (OPEN, "processor_seconds")
    sides = [
        {MEMORY: near(100), processor: near(1)},
        {MEMORY: near(150, seed=2), processor: near(spent, seed=3)},
    ]
    assert judged(sides).headline == f"4.2 is ahead on none of 2, {where}"


def test_what_follows_the_launch_answers_where_a_session_does_more():
    launch = (("Launch", "launch"), "duration")
    sides = [{launch: near(1), RATE: near(60)}, {launch: near(1, seed=2), RATE: near(30, seed=3)}]
    (answer,) = answers(judged(sides))
    assert (answer.metric, answer.stretch) == ("average_rate", SCROLL)
    (alone,) = answers(judged([{launch: near(1)}, {launch: near(1.5, seed=2)}]))
    assert (alone.metric, alone.stretch) == ("duration", ("Launch", "launch"))


@pytest.mark.parametrize(("stretches", "proposed"), [
    ([("time", ["Launch", "launch"])], ("duration", ("Launch", "launch"))),
    ([("time", ["Launch", "launch"]), ("frames", ["Let it play", "playing"])],
     ("average_rate", ("Let it play", "playing"))),
    ([("time", ["Start-up", "ready"]), ("laps", ["Work", "reopen"])],
     ("lap_time", ("Work", "reopen"))),
    ([], None),
])  # fmt: skip
def test_what_will_answer_is_told_by_the_script(stretches, proposed):
    assert proposed_of_script(stretches) == proposed


def test_without_an_interval_it_says_why():
    assert said([{TIME: [2.0]}, {TIME: [1.0]}], OPENING) == [
        "Not known yet: open: one run a side has no interval: nothing is shown either way"
    ]
    (text,) = said([{STUTTER: [0] * 5}, {STUTTER: [0] * 5}], ("stutter_share", SCROLL))
    assert text.startswith("Not known yet: stutter time in Scroll: none in any run")
    (text,) = said([{STUTTER: [0] * 12}, {STUTTER: [0] * 12}], ("stutter_share", SCROLL))
    assert text.startswith(
        "No difference that anyone would notice: stutter time in Scroll: none in any"
    )


def test_what_is_withheld_or_not_yet_judged_is_no_answer():
    judgement = mixed_rig_exclusions(judged([{TIME: near(2)}, {TIME: near(1)}], deciding=[OPENING]))
    held = [
        replace(
            row,
            differences=(None, replace(row.differences[1], caveats=("two machines",))),
        )
        for row in judgement.rows
    ]
    (found,) = answers(replace(judgement, rows=tuple(held)))
    assert found.text == "No verdict: open: two machines"
    assert said([{TIME: near(2)}, {TIME: near(1)}], OPENING, compared_rounds=[]) == [
        "Not known yet: open: not both sides have been judged"
    ]


def test_a_change_in_the_own_unit_is_said_with_its_limits():
    (text,) = said([{STUTTER: near(10)}, {STUTTER: near(4, seed=2)}], ("stutter_share", SCROLL))
    assert text.startswith("stutter time in Scroll is 6.0")
    assert " pt less (-6." in text


def test_a_change_by_nothing_is_said_as_the_same():
    side = {RATE: near(60, share=0.002)}
    (text,) = said([side, side], ("average_rate", SCROLL))
    assert "average frame rate in Scroll is the same, 0.0 % more" in text


def ended(sides, outcomes, *, censored=(False, False)):
    """Answers to runs of two sides that ended so, with a reading each where there is one."""
    runs = [
        JudgedRun(
            2 * number + side, side, number, False, outcomes[side],
            () if values[number] is None
            else (Reading(OPEN, "duration", float(values[number]), right_censored=censored[side]),),
        )
        for side, values in enumerate(sides)
        for number in range(len(values))
    ]  # fmt: skip
    return [plain(one.text) for one in answers(judge(runs, ["4.1", "4.2"], deciding=[OPENING]))]


def test_of_a_variant_that_never_finishes_it_is_said_how_it_ended():
    nothing = [None] * 8
    assert ended((near(1), nothing), ("finished", "crashed")) == [
        "No verdict: open: none of 8 warm runs of 4.2 finished: 8 crashed"
    ]
    assert ended((nothing, near(1)), ("disturbed", "finished")) == [
        "Not known yet: open: not both sides have been judged"
    ]
    assert ended((nothing, near(1)), ("hung", "finished")) == [
        "No verdict: open: none of 8 warm runs of 4.1 finished: 8 hung"
    ]


@pytest.mark.parametrize(
    ("sides", "censored", "sentence"),
    [
        ((near(1), [10] * 8), (False, True), "open takes at least 8.97 s more (9.9 × or more)"),
        (
            (near(1), [1.1] * 8),
            (False, True),
            "Not known yet: open takes at least 91.6 ms more (9.1 % or more)",
        ),
        (([10] * 8, near(1)), (True, False), "open takes at least 8.97 s less (0.10 × or less)"),
        (
            (near(1), [0.9] * 8), (False, True),
            "Not known yet: open takes anything from 108 ms less upwards (11 % less)",
        ),
        (
            ([10] * 8, [10] * 8), (True, True),
            "Not known yet: open: readings of both sides are known only to be longer than what was "
            "seen, which no number of runs changes",
        ),
    ],
)  # fmt: skip
def test_where_some_have_no_end_the_limit_that_is_known_is_said(sides, censored, sentence):
    outcomes = ["cut off" if one else "finished" for one in censored]
    (said,) = ended(sides, outcomes, censored=censored)
    assert said == sentence
