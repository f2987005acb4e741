"""The parity sheet on runs with planted differences: each is found, graded and placed."""

from dataclasses import replace

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from core.studies import OPEN as OPENING
from core.studies import SCROLL, judged, runs_of
from yardstick_core.compare.verdict import OPEN
from yardstick_core.match.caveats import family, parity_caveats, withheld_notes
from yardstick_core.match.conditions import conditions
from yardstick_core.match.control_runs import like_last_time, observer_cost, today_in_a_sentence
from yardstick_core.match.drift import drifts
from yardstick_core.match.facts import BREAKS, FACTS, HARMLESS, UNKNOWN, WORD, flat, lasting
from yardstick_core.match.parity import changed_since, parity
from yardstick_core.match.sheet import RunConditions
from yardstick_core.readings.durations import DURATION
from yardstick_core.readings.frames import AVERAGE_RATE
from yardstick_core.readings.processor import SPENT

ALIKE = {
    "processor": "P1", "kernel": "6.1", "boot": "b1", "power": "mains", "disk": "solid state",
    "temperature_c": 50.0, "display": {"width": 1280, "height": 800}, "memory_bytes": 8 * 2**30,
    "packages": {"libdraw": "1.0"}, "programs": [],
}  # fmt: skip
NAMES = ["4.1", "4.2"]


def run_conditions(rounds=6, change=lambda run: {}, **more):
    """Two variants in turns over some rounds; `change` gives what is different in a run."""
    found = []
    for number in range(rounds):
        for place in range(2):
            variant = place if number % 2 == 0 else 1 - place
            run = RunConditions(2 * number + place, variant, number, len(found), {})
            facts = flat({**ALIKE, **change(run)})
            about = {name: of(run) for name, of in more.items()}
            found.append(RunConditions(run.run, variant, number, run.order, facts, **about))
    return found


def sheet(change=lambda run: {}, factor="release", **more):
    return parity(run_conditions(change=change, **more), NAMES, 0, factor)


def only(found):
    assert len(found.mismatches) == 1, [part.text for part in found.mismatches]
    return found.mismatches[0]


def test_runs_measured_alike_have_an_empty_sheet():
    assert sheet().mismatches == ()
    assert sheet().runs == 12


@pytest.mark.parametrize(
    ("key", "other", "grade"),
    [
        ("kernel", "6.8", BREAKS),
        ("processor", "P2", BREAKS),
        ("power", "battery", BREAKS),
        ("memory_bytes", 16 * 2**30, BREAKS),
        ("boot", "b2", WORD),
        ("disk", "spinning", BREAKS),
        ("packages", {"libdraw": "2.0"}, WORD),
        ("display", {"width": 1920, "height": 800}, BREAKS),
        ("temperature_c", 70.0, WORD),
        ("programs", [{"name": "indexer", "share": 12.0}], WORD),
    ],
)
def test_what_differs_between_the_variants_is_found_and_graded(key, other, grade):
    part = only(sheet(lambda run: {key: other} if run.variant == 1 else {}))
    assert part.key.startswith(key)
    assert part.grade == grade
    assert part.candidates == (1,)
    assert "differs between the variants" in part.text
    assert part.caused


@pytest.mark.parametrize("key", ["kernel", "boot", "power"])
def test_a_change_between_rounds_is_placed_and_weighs_less(key):
    part = only(sheet(lambda run: {key: "other"} if run.round >= 3 else {}))
    assert part.grade == (WORD if FACTS[key].grade == BREAKS else HARMLESS)
    (place,) = part.places
    assert (place.before_round, place.after_round) == (2, 3)
    assert (place.before_run, place.after_run) == (5, 6)
    assert "between rounds 2 and 3" in part.text
    assert part.candidates == ()


def test_a_change_within_a_round_names_that_round():
    part = only(sheet(lambda run: {"kernel": "6.8"} if run.run >= 7 else {}))
    assert part.grade == WORD
    assert part.rounds == (3,)
    assert "in round 3" in part.text


def test_heat_that_comes_in_the_middle_is_placed_but_its_wavering_is_not():
    hot = sheet(lambda run: {"temperature_c": 50.0 + run.run % 3 + (20 if run.round >= 3 else 0)})
    part = only(hot)
    assert part.grade == HARMLESS
    assert (part.places[0].before_round, part.places[0].after_round) == (2, 3)
    assert sheet(lambda run: {"temperature_c": 50.0 + run.run % 5}).mismatches == ()


def test_what_is_not_known_of_some_runs_needs_a_word_and_of_none_is_listed():
    half = only(sheet(lambda run: {"kernel": "unknown"} if run.variant == 1 else {}))
    assert half.grade == WORD
    assert "is not known of all runs" in half.text
    none = sheet(lambda run: {"turbo": "unknown"})
    assert none.mismatches == ()
    assert none.unknown == ("turbo clock",)


def test_the_factor_is_meant_to_differ():
    part = only(sheet(lambda run: {"graphics_driver": f"d{run.variant}"}, factor="driver"))
    assert part.is_factor
    assert part.grade == HARMLESS
    assert only(sheet(lambda run: {"graphics_driver": f"d{run.variant}"})).grade == BREAKS


def test_runs_that_share_no_round_are_held_together_by_all_their_values():
    runs = [RunConditions(n, n % 2, -1 - n, n, {"kernel": f"6.{n % 2}"}) for n in range(6)]
    assert only(parity(runs, NAMES, 0)).grade == BREAKS


def test_an_option_that_one_variant_lacks_and_a_changed_default_are_shown():
    found = sheet(
        settings=lambda run: {
            "a": "1",
            **({"b": "2"} if run.variant else {}),
            "c": f"{run.variant}",
        },
        settings_made=lambda run: True,
    )
    words = {part.key: part.text for part in found.mismatches}
    assert "is not there in 4.1" in words["settings.b"]
    assert "has another default" in words["settings.c"]
    assert {part.grade for part in found.mismatches} == {WORD}


def test_a_setting_that_a_person_set_differently_breaks_the_comparison():
    part = only(sheet(settings=lambda run: {"c": f"{run.variant}"}))
    assert part.grade == BREAKS
    assert only(sheet(settings=lambda run: {"c": f"{run.variant}"}, factor="setting")).is_factor


def changing(changes):
    """A sheet of runs whose session changed a setting where `changes(run)` says so."""
    return sheet(
        settings=lambda run: {"recent": "none"},
        settings_after=lambda run: {"recent": "one" if changes(run) else "none"},
    )


def test_a_setting_that_only_one_variant_changes_while_it_runs_is_shown_and_harmless():
    part = only(changing(lambda run: run.variant == 1))
    assert part.grade == HARMLESS
    assert part.text == "setting recent changed during the session: changed in the session in 4.2"
    assert part.values == ((), (("changed in the session", 6),))
    assert changing(lambda run: True).mismatches == ()
    assert changing(lambda run: False).mismatches == ()


def test_a_setting_that_appears_while_it_runs_was_changed_too():
    found = sheet(
        settings=lambda run: {"a": "1"},
        settings_after=lambda run: {"a": "1", "b": "2"} if run.variant else {"a": "1"},
    )
    assert only(found).key == "changed.b"


def test_settings_that_changed_for_all_alike_between_rounds_are_harmless_and_placed():
    part = only(sheet(settings=lambda run: {"theme": "dark" if run.round > 2 else "light"}))
    assert part.grade == HARMLESS
    assert "changed between rounds 2 and 3" in part.text
    assert [(place.before, place.after) for place in part.places] == [("light", "dark")]


def test_runs_of_which_no_settings_are_known_say_nothing_of_them():
    found = sheet(settings=lambda run: {"a": "1"} if run.round % 2 else None)
    assert found.mismatches == ()


def test_unequal_work_is_counted():
    part = only(sheet(work=lambda run: {"inputs": 20 + run.variant, "windows": 1}))
    assert part.text == "inputs of a run are not the same: 20 in 4.1, 21 in 4.2"
    assert part.grade == WORD


def test_what_was_settled_stays_settled_until_something_else_is_found():
    def odd(other):
        return lambda run: {"kernel": other} if run.variant == 1 else {}

    first, longer = sheet(odd("6.8")), parity(run_conditions(9, odd("6.8")), NAMES, 0)
    assert only(first).identity == only(longer).identity
    assert only(first).identity != only(sheet(odd("6.9"))).identity


@given(st.lists(st.sampled_from(["6.1", "6.8", "unknown"]), min_size=4, max_size=16))
def test_whatever_is_found_every_run_is_accounted_for(kernels):
    runs = [RunConditions(n, n % 2, n // 2, n, {"kernel": k}) for n, k in enumerate(kernels)]
    found = parity(runs, NAMES, 0).mismatches
    assume(found)
    for part in found:
        assert sum(count for side in part.values for _, count in side) == len(kernels)
        assert len(part.places) <= len(kernels) - 1


# -- verdicts -------------------------------------------------------------------------------


def far_apart(**options):
    low = {(OPENING, "duration"): [2.0 + 0.01 * n for n in range(8)],
           (SCROLL, "average_rate"): [60 + 0.1 * n for n in range(8)]}  # fmt: skip
    high = {(OPENING, "duration"): [1.0 + 0.01 * n for n in range(8)],
            (SCROLL, "average_rate"): [90 + 0.1 * n for n in range(8)]}  # fmt: skip
    return judged([low, high], **options)


def test_a_grave_difference_holds_back_the_verdicts_it_touches():
    part = only(sheet(lambda run: {"graphics": f"card {run.variant}"}))
    held = far_apart(parity_caveats=parity_caveats([part], []))
    assert {row.differences[1].verdict for row in held.rows} == {OPEN}
    assert all(row.differences[1].verdict_withheld for row in held.rows)
    assert "held back on 2 of 2" in held.headline
    assert "no verdict, for the runs were not measured alike" in held.rows[0].sentence
    disk = only(sheet(lambda run: {"disk": f"disk {run.variant}"}))
    only_times = far_apart(parity_caveats=parity_caveats([disk], []))
    assert [row.differences[1].verdict for row in only_times.rows] == [OPEN, "ahead"]


def test_what_holds_a_verdict_back_is_named_before_what_only_needs_a_word():
    parts = sheet(lambda run: {"graphics": f"card {run.variant}", "boot": f"b{run.variant}"})
    row = far_apart(parity_caveats=parity_caveats(reversed(parts.mismatches), [])).rows[0]
    first, second = row.differences[1].caveats[:2]
    assert first.startswith("graphics differs")
    assert second.startswith("start of the machine differs")


def test_what_is_held_back_is_said_once_for_each_candidate():
    parts = sheet(lambda run: {"graphics": f"card {run.variant}", "boot": f"b{run.variant}"})
    found = parity_caveats(parts.mismatches, [])
    assert withheld_notes(found, ["4.1", "4.2"]) == [
        "verdicts on frames, times, processor of 4.2 are held back, for graphics differs between "
        "the variants"
    ]
    grave = next(part for part in parts.mismatches if part.key == "graphics")
    assert withheld_notes(parity_caveats(parts.mismatches, [grave.identity]), ["4.1", "4.2"]) == []


def test_once_settled_the_verdict_is_given_and_a_lighter_one_only_stands_beside_it():
    part = only(sheet(lambda run: {"graphics": f"card {run.variant}"}))
    free = far_apart(parity_caveats=parity_caveats([part], [part.identity]))
    assert {row.differences[1].verdict for row in free.rows} == {"ahead"}
    boot = only(sheet(lambda run: {"boot": f"b{run.variant}"}))
    beside = far_apart(parity_caveats=parity_caveats([boot], []))
    assert {row.differences[1].verdict for row in beside.rows} == {"ahead"}
    assert any("start of the machine" in r for r in beside.rows[0].differences[1].caveats)


def test_every_family_has_its_metrics():
    assert family("duration") == "times"
    assert family("one_percent_low") == "frames"
    assert family("peak_memory") == "memory"
    assert family("said.lower.s") == ""


# -- what a journal tells -----------------------------------------------------------------


def test_settings_that_were_not_there_before_are_the_programs_own():
    journal = [
        {"kind": "settings", "when": "before", "values": {}},
        {"kind": "precondition", "what": "network off", "state": "passed", "found": "off"},
        {"kind": "precondition", "what": "lid open", "state": "ticked", "by": "Ida", "since": "t"},
        {"kind": "step"}, {"kind": "input", "at": 1}, {"kind": "input", "at": 2},
        {"kind": "settings", "when": "after", "values": {"a": 1}},
    ]  # fmt: skip
    found = conditions(journal)
    assert found.settings == {"a": "1"}
    assert found.settings_made
    assert found.work == {"steps": 1, "inputs": 2}
    assert [one.state for one in found.preconditions] == ["passed", "ticked"]
    assert conditions([]).settings is None


def test_settings_that_could_not_be_read_are_not_known():
    why = "w.json cannot be read: Expecting value"
    noted = {"kind": "settings", "values": {"w.ini: a": "1"}, "troubles": [why]}
    found = conditions([{**noted, "when": "before"}, {**noted, "when": "after"}])
    assert found.settings is None
    assert not found.settings_made
    assert found.unread == (why,)


def test_facts_that_change_by_themselves_are_no_state_of_the_machine():
    kept = lasting({"kernel": "6.1", "load_1min": 0.5, "temperature_c": 40, "programs": []})
    assert kept == {"kernel": "6.1"}


# -- drift, control runs, today --------------------------------------------------------------


def test_a_planted_drift_is_found_whatever_the_variants_differ_by():
    slope = [1 + 0.02 * n for n in range(8)]
    low, high = [2 * s for s in slope], [s + 0.001 * (n % 2) for n, s in enumerate(slope)]
    rows = judged([{(OPENING, "duration"): low}, {(OPENING, "duration"): high}]).rows
    (found,) = drifts(rows)
    assert found.drifts
    assert found.change == pytest.approx(0.14, abs=0.02)
    assert "the day drifted" in found.text
    assert len(found.points) == 16


def test_noise_is_no_drift_and_few_runs_are_not_asked():
    wavering = [1.0, 1.1, 0.95, 1.05, 1.0, 1.08, 0.97, 1.02]
    (found,) = drifts(judged([{(OPENING, "duration"): wavering},
                              {(OPENING, "duration"): wavering[::-1]}]).rows)  # fmt: skip
    assert not found.drifts
    assert "no trend" in found.text
    assert drifts(judged([{(OPENING, "duration"): wavering[:3]}] * 2).rows) == []


def test_the_cost_of_watching_is_a_difference_with_an_interval():
    bare = [1.0 + 0.002 * n for n in range(6)]
    ordinary = runs_of([{(OPENING, DURATION.key): [v * 1.2 for v in bare],
                         (("Whole session",), SPENT.key): [v * 2 for v in bare],
                         (SCROLL, AVERAGE_RATE.key): bare}])  # fmt: skip
    controls = runs_of([{(OPENING, DURATION.key): bare,
                         (("Whole session",), SPENT.key): [v * 2 for v in bare]}])  # fmt: skip
    cost, spent = observer_cost(ordinary, controls, ["4.1"])
    assert cost.difference.ratio == pytest.approx(1.2, abs=0.01)
    assert "with sampling" in cost.text
    assert "too small to matter" in spent.text
    assert observer_cost(ordinary, [], ["4.1"]) == []


def test_today_is_held_against_last_time():
    usual = [1.0, 1.01, 0.99, 1.0, 1.02, 0.98]
    before = runs_of([{(OPENING, DURATION.key): usual}])
    same = like_last_time(before, runs_of([{(OPENING, DURATION.key): usual[:4]}]), ["4.1"])
    assert today_in_a_sentence(same) == "Today is like last time on 1 metric."
    slow = [v * 1.4 for v in usual[:4]]
    other = like_last_time(before, runs_of([{(OPENING, DURATION.key): slow}]), ["4.1"])
    assert "not like last time" in today_in_a_sentence(other)
    assert "40" in other[0].text
    one = like_last_time(before, runs_of([{(OPENING, DURATION.key): [1.0]}]), ["4.1"])
    assert "at least 2 runs" in one[0].text


def test_what_changed_since_last_time_is_named_with_both_values():
    earlier = [run for run in run_conditions() if run.variant == 1]
    later = [replace(run, facts={**run.facts, "kernel": "6.9", "locale": "en"}) for run in earlier]
    assert changed_since(earlier, earlier) == ()
    found = changed_since(earlier, later)
    assert [(one.name, one.grade, one.now) for one in found if one.name == "kernel"] == [
        ("kernel", BREAKS, "6.9")
    ]
    assert found[0].before == earlier[0].facts["kernel"]


def test_what_was_not_known_last_time_is_no_change():
    earlier = [run for run in run_conditions() if run.variant == 0]
    known = [replace(run, facts={**run.facts, "turbo": "on"}) for run in earlier]
    unknown = [replace(run, facts={**run.facts, "turbo": UNKNOWN}) for run in earlier]
    assert changed_since(unknown, known) == ()
    assert changed_since([], known) == ()
    assert changed_since(known, []) == ()


def laps_of(numbers):
    """A journal with an input before laps of so many inputs each."""
    journal = [{"kind": "input", "at": 5}]
    for lap, number in enumerate(numbers):
        start = 100 * (lap + 1)
        journal += [{"kind": "input", "at": start + n} for n in range(number)]
        span = {"start": start, "end": start + 99}
        journal.append({"kind": "lap", "path": ["Weave", "draft"], **span})
        journal.append({"kind": "lap", "path": ["Weave", "draft", "look"], **span})
    return journal


def test_more_laps_in_the_same_time_are_no_more_work_but_longer_laps_are():
    assert conditions(laps_of([4, 4, 4])).work["inputs"] == 5
    assert conditions(laps_of([4] * 9)).work["inputs"] == 5
    assert conditions(laps_of([6, 6, 6])).work["inputs"] == 7
