"""Races: place and lead where both are known, steps of one's own, passing, alignment."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yardstick_core.race import Pass, alignments, instant_of, race
from yardstick_core.record import InputRecord, RunRecord, StretchRecord

S = 1_000_000_000


def run(*steps, begins=0.0, within=(), marks=(), inputs=()):
    """A run of steps that follow one another: name and seconds; within: kind, path, from, to."""
    at, stretches = begins, []
    for name, seconds in steps:
        stretches.append(StretchRecord("step", (name,), round(at * S), round((at + seconds) * S)))
        at += seconds
    stretches += [
        StretchRecord(kind, path, round(a * S), round(b * S)) for kind, path, a, b in within
    ]
    return RunRecord(
        tuple(stretches), tuple(InputRecord(round(a * S), 0, what) for a, what in inputs),
        tuple((round(a * S), name) for a, name in marks),
    )  # fmt: skip


def raced(*runs, baseline=0, at="start"):
    return race(runs, baseline, [instant_of(one, at) for one in runs])


def lead(found, racer, seconds):
    return found.lead_ns(racer, round(seconds * S)) / S


BASE = run(("Launch", 2), ("Weave", 8))


def test_whoever_is_twice_as_quick_leads_by_as_much_as_has_passed():
    found = raced(BASE, run(("Launch", 1), ("Weave", 4), begins=3.0))
    for at in (0.5, 1, 2.5, 5):
        assert lead(found, 1, at) == pytest.approx(at)
    assert lead(found, 1, 8) == pytest.approx(5), "whoever is done keeps the lead"
    assert found.end_ns == 10 * S


def test_the_baseline_leads_itself_by_nothing():
    found = raced(BASE, run(("Launch", 1), ("Weave", 9)))
    assert [lead(found, 0, at) for at in (0, 1.7, 6, 10, 12)] == [0] * 5


def test_a_step_of_ones_own_costs_its_time_and_no_step():
    found = raced(BASE, run(("Launch", 2), ("Show tips", 1), ("Weave", 8)))
    assert [step.match for step in found.racers[1].steps] == [0, None, 1]
    assert lead(found, 1, 2) == 0
    assert lead(found, 1, 2.5) == pytest.approx(-0.5)
    assert lead(found, 1, 7) == pytest.approx(-1)
    assert found.steps_ahead(1, 10 * S) == -1
    assert found.steps_ahead(1, 11 * S) == 0


def test_a_step_that_the_baseline_alone_has_is_a_jump_ahead():
    base = run(("Launch", 2), ("Show tips", 1), ("Weave", 8))
    found = raced(base, run(("Launch", 2), ("Weave", 8)))
    assert lead(found, 1, 1.9) == pytest.approx(0)
    assert lead(found, 1, 2.1) == pytest.approx(1)
    assert found.steps_ahead(1, 12 * S) == 0, "a step that it lacks does not count against it"
    assert lead(found, 1, 9) == pytest.approx(1)


def test_laps_within_a_step_say_where_in_it_each_is():
    laps = [("lap", ("Weave", "lap"), 2 + n, 3 + n) for n in range(8)]
    slow_end = [("lap", ("Weave", "lap"), 2 + n / 2, 2.5 + n / 2) for n in range(8)]
    base = run(("Launch", 2), ("Weave", 8), within=laps)
    found = raced(base, run(("Launch", 2), ("Weave", 8), within=slow_end))
    # all laps are done in half the time; then it waits until the step ends
    assert lead(found, 1, 4) == pytest.approx(2)
    assert lead(found, 1, 6) == pytest.approx(4)
    assert lead(found, 1, 10) == pytest.approx(0)


def test_passing_is_told_with_its_instant_and_who():
    found = raced(BASE, run(("Launch", 4), ("Weave", 2)))
    # behind by 2 s at 4 s; gains 3 s a second from then on
    assert found.passes() == [Pass(1, 0, pytest.approx(4.667 * S, rel=1e-3))]


def test_level_runs_pass_nobody():
    assert raced(BASE, run(("Launch", 2.02), ("Weave", 7.97))).passes() == []


def test_aligned_at_a_step_what_came_before_does_not_count():
    found = raced(BASE, run(("Launch", 5), ("Weave", 8)), at="step:Weave")
    assert lead(found, 1, 4) == pytest.approx(0)
    assert found.end_ns == 8 * S


def test_what_was_passed_before_the_race_began_is_not_told():
    base = run(("Launch", 2), ("Open", 2), ("Weave", 4))
    other = run(("Launch", 4), ("Open", 0.5), ("Weave", 2))
    assert [one.racer for one in raced(base, other).passes()] == [1]
    assert raced(base, other, at="step:Weave").passes() == []
    assert raced(base, other, at="step:Weave").reach_s == 3


def test_a_timing_is_led_by_when_it_came_true_not_by_when_its_step_went_on():
    launched = [
        ("time", ("Launch", "launch"), 0, 0.9),
        ("time", ("Launch", "launch", "read"), 0, 0.5),
    ]
    sooner = [
        ("time", ("Launch", "launch"), 1, 1.4),
        ("time", ("Launch", "launch", "read"), 1, 1.2),
    ]
    base = run(("Launch", 2.8), ("Close", 0.1), within=launched)
    found = raced(base, run(("Launch", 2.7), ("Close", 0.1), begins=1.0, within=sooner))
    assert [one.name for one in found.racers[1].timings] == ["launch"], "none within another"
    (timing,) = found.racers[1].timings
    assert found.timing_lead_ns(1, timing) == pytest.approx(0.5 * S)
    assert lead(found, 1, 0.4) == pytest.approx(0.5)
    assert found.reach_s >= 0.5 * 1.25, "it lies on the scale of leads"
    assert found.timing_of(1, round(0.3 * S)) is None
    assert found.timing_of(1, round(0.4 * S)) is timing
    assert found.timing_of(1, round(2.75 * S)) is None, "it is of the step before"


def test_a_timing_that_was_not_seen_to_end_has_no_lead():
    base = run(("Launch", 2), within=[("time", ("Launch", "launch"), 0, 1)])
    cut = StretchRecord("time", ("Launch", "launch"), 0, 2 * S, right_censored=True)
    found = raced(base, RunRecord((*run(("Launch", 2)).stretches, cut)))
    assert found.racers[1].timings[0].right_censored
    assert found.timing_lead_ns(1, found.racers[1].timings[0]) is None
    alone = raced(run(("Launch", 2)), base)
    assert alone.timing_lead_ns(1, alone.racers[1].timings[0]) is None


def test_timings_of_the_same_name_are_paired_in_order():
    def twice(*ends):
        return run(("Find", 9), within=[("time", ("Find", "find"), end - 1, end) for end in ends])

    found = raced(twice(2, 5), twice(3, 4, 7))
    leads = [found.timing_lead_ns(1, one) for one in found.racers[1].timings]
    assert leads == [-1 * S, 1 * S, None]


def test_marks_and_inputs_align_too():
    one = run(("A", 2), marks=[(0.5, "x")], inputs=[(0.7, "press a")])
    other = run(("A", 3), marks=[(1.5, "x"), (2, "y")], inputs=[(0.1, "press a"), (1, "press b")])
    assert alignments([one, other]) == [
        ("start", "the start"), ("step:A", "the step A"), ("mark:x", "the mark x"),
        ("input:0", "input 1: press a"),
    ]  # fmt: skip
    assert instant_of(other, "mark:x") == 1.5 * S
    assert instant_of(other, "input:1") == 1 * S
    for absent in ("mark:z", "step:B", "input:9", "input:x", "", "nonsense:1"):
        assert instant_of(one, absent) is None


def test_a_run_that_was_cut_off_waits_where_it_is():
    found = raced(BASE, run(("Launch", 2), ("Weave", 3)))
    assert found.racers[1].end_ns == 5 * S
    assert found.step_of(1, 9 * S) == 1
    assert found.step_of(1, -1 * S) is None


#: What the core says of a race at some instants, held against what the interface draws.
SHARED = Path(__file__).parents[2] / "web" / "src" / "race" / "places.json"


def told() -> dict:
    """A race with laps, a step of one's own and a step that one lacks, as the interface has it."""
    laps = [("lap", ("Weave", "lap"), 3 + n, 4 + n) for n in range(6)]
    quick = [("lap", ("Weave", "lap"), 2.5 + n / 2, 3 + n / 2) for n in range(6)]
    base = run(("Launch", 2), ("Tips", 1), ("Weave", 8), within=laps)
    other = run(("Launch", 1.5), ("News", 1), ("Weave", 9), ("Close", 0.5), within=quick)
    found = raced(base, other)
    return {
        "racers": [
            {
                "end_s": (one.end_ns - one.zero_ns) / S,
                "steps": [
                    {"name": s.name, "match": s.match, "start_s": (s.start_ns - one.zero_ns) / S,
                     "end_s": (s.end_ns - one.zero_ns) / S}
                    for s in one.steps
                ],
                "knots": [
                    {"at_s": (own - one.zero_ns) / S,
                     "base_s": (at - found.racers[0].zero_ns) / S}
                    for own, at in one.knots
                ],
            }
            for one in found.racers
        ],
        "instants": [
            {"at_s": at, "lead_s": round(lead(found, 1, at), 9),
             "steps_ahead": found.steps_ahead(1, round(at * S)),
             "step": found.step_of(1, round(at * S))}
            for at in (0, 0.7, 1.5, 2, 2.5, 2.9, 4.1, 5.5, 8, 11, 11.5, 11.9, 12, 14)
        ],
    }  # fmt: skip


def test_the_interface_is_held_against_what_the_core_says_now():
    """Where this fails, what the core says has changed: write `told()` to that file anew."""
    assert json.loads(SHARED.read_text()) == json.loads(json.dumps(told()))


seconds = st.floats(0.05, 20)


@given(st.lists(st.tuples(st.sampled_from("ABCDE"), seconds), min_size=1, max_size=8),
       st.lists(st.tuples(st.sampled_from("ABCDE"), seconds), min_size=1, max_size=8),
       seconds)  # fmt: skip
def test_places_never_go_back_and_the_last_lead_is_the_difference_of_the_ends(mine, theirs, begins):
    found = raced(run(*theirs), run(*mine, begins=begins))
    racer = found.racers[1]
    at = np.linspace(racer.zero_ns, racer.end_ns, 200)
    places = np.array([racer.place_ns(int(one)) for one in at])
    assert (np.diff(places) >= -1e-3).all()
    if racer.steps[-1].match == len(found.racers[0].steps) - 1:
        ends = [one.end_ns - one.zero_ns for one in found.racers]
        assert found.lead_ns(1, found.end_ns) == pytest.approx(ends[0] - ends[1], abs=2)
