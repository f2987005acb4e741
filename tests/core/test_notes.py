"""What cannot be concluded is said plainly: few runs, failures, machines, missing metrics."""

from collections import Counter
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from core.studies import OPEN, SCROLL, judged, runs_of
from core.test_decision import near
from yardstick_core.compare.endings import Endings, ending_notes, fails_more, share_limits
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.compare.text import THIN
from yardstick_core.readings import Reading

TIME, LOW = (OPEN, "duration"), (SCROLL, "tenth_percent_low")
SIDES = [{TIME: near(2, 6, 1)}, {TIME: near(1, 6, 2)}]


def notes(runs, variants=("4.1", "4.2")):
    return judge(runs, list(variants)).notes


def test_a_sound_study_has_no_reservation():
    assert notes(runs_of(SIDES)) == ()


def test_one_variant_is_read_and_not_compared():
    found = judged([{TIME: near(2, 5)}])
    assert "Only 4.1 is in this study" in found.notes[0]
    assert found.headline == "4.1 stands alone: nothing is compared"
    assert found.rows[0].medians[0] == pytest.approx(2, rel=0.02)


def test_one_run_a_side_shows_nothing_either_way():
    found = judged([{TIME: [2.0]}, {TIME: [1.0]}])
    assert sum("a single run has no interval" in note for note in found.notes) == 2
    assert found.rows[0].differences[1].verdict == "open"


def test_a_variant_without_runs_or_without_finished_ones():
    runs = runs_of(SIDES)
    assert "5.0 has not run yet" in notes(runs, ("4.1", "4.2", "5.0"))[0]
    crashed = [replace(run, outcome="crashed") if run.variant else run for run in runs]
    found = notes(crashed)
    assert "No warm run of 4.2 finished" in found[1]
    assert found[0].replace(THIN, " ") == (
        "6 of 6 runs of 4.2 crashed (100 %, 54 to 100); of 6 runs of 4.1 none failed. "
        "4.2 fails more often than chance explains."
    )


def ended(variant, *outcomes, **more):
    return [
        JudgedRun(10 * place + variant, variant, place, False, outcome, (), **more)
        for place, outcome in enumerate(outcomes)
    ]


def test_failures_are_told_with_how_sure_they_are_and_may_be_chance():
    runs = ended(0, *["finished"] * 7, "disturbed") + ended(
        1, *["finished"] * 5, "crashed", "crashed", "hung", "aborted", "refused"
    )
    (note,) = ending_notes(runs, ["4.1", "4.2"], 0, 0.05)
    assert note.replace(THIN, " ") == (
        "2 of 8 runs of 4.2 crashed, 1 hung (38 %, 9 to 76); of 8 runs of 4.1 none failed. "
        "That may be chance."
    )


def test_the_baseline_is_told_once_beside_several_candidates():
    runs = ended(0, *["finished"] * 8)
    runs += ended(1, "crashed", *["finished"] * 7) + ended(2, "hung", *["finished"] * 7)
    found = ending_notes(runs, ["4.1", "4.2", "5.0"], 0, 0.05)
    assert ["none failed" in note for note in found] == [True, False]
    assert found[1].startswith("1 of 8 runs of 5.0 hung")


def test_a_baseline_that_fails_is_told_as_the_worse_one():
    runs = ended(0, *["crashed"] * 7, "finished") + ended(1, *["finished"] * 8)
    assert ending_notes(runs, ["4.1", "4.2"], 0, 0.05)[0].endswith(
        "4.1 fails more often than chance explains."
    )
    assert ending_notes(ended(0, "finished", "crashed"), ["4.1"], 0, 0.05)[0].startswith(
        "1 of 2 runs of 4.1 crashed"
    )


def test_runs_left_out_and_runs_of_files_say_nothing_of_failing():
    runs = ended(0, "finished", "finished") + ended(1, "crashed", left_out="power went")
    runs += [replace(run, round=-1) for run in ended(1, "crashed")]
    assert ending_notes(runs, ["4.1", "4.2"], 0, 0.05) == []
    assert ending_notes([], [], 0, 0.05) == []


@settings(max_examples=40)
@given(st.integers(0, 12), st.integers(0, 12), st.integers(0, 12), st.integers(0, 12))
def test_who_fails_more_is_the_same_from_either_side(bad, good, worse, better):
    one = Endings(bad + good, Counter({"crashed": bad}))
    two = Endings(worse + better, Counter({"hung": worse}))
    here, there = fails_more(one, two, 0.05), fails_more(two, one, 0.05)
    assert (here is None) == (there is None)
    if here is not None:
        assert here != there
        assert here == (bad / one.played > worse / two.played)
    if one.played:
        low, high = share_limits(one, 0.05)
        assert low <= bad / one.played <= high


def test_two_that_fail_alike_are_seldom_told_apart():
    rng = np.random.default_rng(3)
    told = 0
    for failed in rng.binomial(8, 0.3, (400, 2)):
        one, two = (Endings(8, Counter({"crashed": int(n)})) for n in failed)
        told += fails_more(one, two, 0.05) is not None
    assert told <= 20


def test_a_missing_metric_is_named_with_what_it_needs():
    found = judged([SIDES[0], {**SIDES[1], LOW: near(50, 6)}]).notes
    assert found == (
        "4.1 has no reading of 0.1 % low (it needs 30000 frames): nothing is compared there.",
    )


def test_many_missing_metrics_are_counted():
    many = {(("S", f"t{n}"), "duration"): near(1, 6) for n in range(3)}
    kinds = ("average_rate", "median_frame", "p95_frame", "p99_frame", "evenness")
    many |= {(SCROLL, kind): near(9, 6) for kind in kinds}
    (note,) = judged([SIDES[0], {**SIDES[1], **many}]).notes
    assert note.count(",") == 3
    assert "and 2 more" in note


def test_machines_that_differ_within_a_round_hold_the_verdict_back():
    runs = [replace(run, rig="barn" if run.variant else "loft") for run in runs_of(SIDES)]
    found = judge(runs, ["4.1", "4.2"])
    difference = found.rows[0].differences[1]
    assert (difference.verdict, difference.verdict_withheld) == ("open", True)
    assert "4.1 ran on loft and 4.2 on barn" in found.notes[0]
    assert found.counts[1]["open"] == 1


def test_rounds_on_several_machines_are_sound_where_each_round_is_on_one():
    runs = [replace(run, rig="loft" if run.round % 2 else "barn") for run in runs_of(SIDES)]
    found = judge(runs, ["4.1", "4.2"])
    assert found.rows[0].differences[1].verdict == "ahead"
    assert found.notes == ()


def test_one_start_of_the_machine_for_each_side_is_a_doubt():
    runs = [replace(run, boot="b" if run.variant else "a") for run in runs_of(SIDES)]
    difference = judge(runs, ["4.1", "4.2"]).rows[0].differences[1]
    assert difference.verdict == "ahead"
    assert "what differs may be the start" in difference.caveats[-1]
    shared = [replace(run, boot="a") for run in runs]
    assert judge(shared, ["4.1", "4.2"]).rows[0].differences[1].caveats == ()


def test_runs_left_out_are_counted_and_shown_but_not_compared():
    runs = runs_of(SIDES)
    runs[1] = replace(runs[1], left_out="an update ran")
    found = judge(runs, ["4.1", "4.2"])
    assert found.notes == ("Run 1 of 4.2 is left out: an update ran.",)
    (row,) = found.rows
    assert [sample.run for sample in row.left_out[1]] == [1]
    assert row.differences[1].candidate_runs == 5


def test_cold_runs_are_a_result_of_their_own():
    runs = [replace(run, cold=run.round == 0) for run in runs_of(SIDES)]
    (row,) = judge(runs, ["4.1", "4.2"]).rows
    assert [len(side) for side in row.cold] == [1, 1]
    assert row.differences[1].baseline_runs == 5


def test_a_median_that_was_never_reached_is_longer_than():
    """Two of three runs were cut off after 30 s: the median is not 30 s but longer."""
    readings = [(2.0, False), (30.0, True), (30.0, True)]
    runs = runs_of([{TIME: [1.0, 1.1, 0.9]}])
    for number, (value, longer) in enumerate(readings):
        reading = Reading(OPEN, "duration", value, right_censored=longer)
        outcome = "cut off" if longer else "finished"
        runs.append(JudgedRun(10 + number, 1, number, False, outcome, (reading,)))
    (row,) = judge(runs, ["4.1", "4.2"]).rows
    assert (row.medians, row.longer) == ((1.0, 30.0), (False, True))
    assert "in 4.2 it is longer than 30.0" in row.sentence
    assert len(row.samples[1]) == 3


def test_inputs_that_nothing_follows_in_any_run_are_noted():
    """The file had fewer pages than the session turns; not so where one variant answers."""
    sides = [{TIME: near(at, 6, at), (SCROLL, "key_to_picture"): [1000.0] * 6} for at in (2, 1)]

    def in_vain(*variants):
        return [
            replace(run, readings=tuple(
                replace(one, right_censored=one.metric == "key_to_picture"
                        and run.variant in variants)
                for one in run.readings
            ))
            for run in runs_of(sides)
        ]  # fmt: skip

    (note,) = notes(in_vain(0, 1))
    assert note.startswith("In “Scroll” no picture followed most inputs, in any run")
    assert notes(in_vain(1)) == ()


def test_rounds_that_mix_machines_are_left_out_of_the_pairs():
    runs = [
        replace(run, rig="barn" if run.variant and run.round == 2 else "loft")
        for run in runs_of(SIDES)
    ]
    found = judge(runs, ["4.1", "4.2"])
    difference = found.rows[0].differences[1]
    assert (difference.verdict, len(difference.pairs)) == ("ahead", 5)
    assert "1 rounds of 4.1 and 4.2 ran on two machines" in found.notes[0]


def test_work_that_moved_to_the_graphics_processor_is_said_where_both_stand():
    used, drawn = (SCROLL, "processor_seconds"), (SCROLL, "graphics_seconds")
    moved = [
        {used: near(4, 8, 1), drawn: near(1, 8, 2)},
        {used: near(2, 8, 3), drawn: near(3, 8, 4)},
    ]
    said = [note for note in judged(moved).notes if "moved" in note]
    assert len(said) == 1
    assert "work of 4.2 moved from the processor to the graphics processor" in said[0]
    back = [note for note in judged(moved[::-1]).notes if "moved" in note]
    assert "moved from the graphics processor to the processor" in back[0]
    alike = [
        {used: near(4, 8, 1), drawn: near(1, 8, 2)},
        {used: near(2, 8, 3), drawn: near(1, 8, 4)},
    ]
    assert not [note for note in judged(alike).notes if "moved" in note]
