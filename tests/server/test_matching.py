"""Match on the server: facts frozen with runs, the sheet, settling, control runs, today's check."""

import pytest

from server.worlds import World, keep_measured, queued_runs, read_all, recorded_streams
from yardstick_core.record import CONTROL
from yardstick_core.streams import chunk
from yardstick_server.inventory.models import RigFacts

ALIKE = {"kernel": "6.1", "boot": "b1", "cores": 2, "load_1min": 0.2, "temperature_c": 50.0}


def measure(world: World, facts=lambda run: {}, entries=lambda run: []) -> list[int]:
    """Measure every queued run, with facts and journal entries of its own."""
    done = []
    while queued := queued_runs(world):
        for run in queued:
            length = 1.0 if run.variant.position == 0 else 0.5
            streams = recorded_streams(length * (1 + 0.01 * (run.round % 3)), seed=run.pk)
            if run.purpose == CONTROL:
                streams = {"journal": streams["journal"]}
            journal = chunk.decode_journal(streams["journal"][0])
            journal = [entry for entry in journal if entry["kind"] != "facts"]
            streams["journal"] = [chunk.encode_journal([*entries(run), *journal])]
            keep_measured(world, run, streams, {**ALIKE, **facts(run)})
            done.append(run.pk)
        read_all([run.pk for run in queued])
    return done


def plan(world: World, **values) -> None:
    type(world.study.plan).objects.filter(study=world.study).update(
        **{"stop": "fixed", "rounds": 4, **values}
    )


def match(world: World) -> dict:
    return world.reader.get(f"/api/studies/{world.study.pk}/match").json()


def board(world: World) -> dict:
    return world.reader.get(f"/api/studies/{world.study.pk}/board").json()


def settle(world: World, identity: str, reason: str = "it was so last week too"):
    return world.tester.post(
        f"/api/studies/{world.study.pk}/waivers",
        {"identity": identity, "reason": reason}, content_type="application/json",
    )  # fmt: skip


def verdicts(world: World) -> set[tuple[str, bool]]:
    return {
        (row["differences"][1]["verdict"], row["differences"][1]["verdict_withheld"])
        for row in board(world)["rows"]
        if row["differences"][1] and row["metric"] == "duration"
    }


@pytest.fixture
def odd(world):
    """A study whose candidate ran on another kernel."""
    world.study.add_rounds(4)
    measure(world, lambda run: {"kernel": "6.8"} if run.variant.position else {})
    return world


def test_facts_are_frozen_with_each_run_and_states_kept_once(world):
    world.study.add_rounds(2)
    runs = measure(world, lambda run: {"temperature_c": 40.0 + run.pk % 3})
    assert RigFacts.objects.count() == 1
    kept = world.study.runs.get(pk=runs[0]).known_facts
    assert kept["kernel"] == "6.1"
    assert kept["temperature_c"] == 40.0 + runs[0] % 3
    known = world.reader.get(f"/api/runs/{runs[0]}").json()["known"]
    assert {"name": "kernel", "value": "6.1"} in known


def test_what_breaks_the_comparison_holds_the_verdict_until_it_is_settled(odd):
    found = match(odd)
    assert found["status"]["grave"] == 1
    (part,) = found["mismatches"]
    assert part["grade"] == "breaks the comparison"
    assert "6.1 in 4.1, 6.8 in 4.2" in part["text"]
    assert verdicts(odd) == {("open", True)}
    assert "held back" in board(odd)["headline"]
    assert board(odd)["notes"][0] == {
        "text": "all verdicts on 4.2 are held back, for kernel differs between the variants",
        "waivable": True,
    }
    decision = odd.reader.get(f"/api/studies/{odd.study.pk}/decision").json()
    assert {row["unranked"] for row in decision["places"]} == {"held back: not measured alike"}
    assert all(one["verdict_withheld"] and one["rounds"] is None for one in decision["unsettled"])
    assert odd.reader.get(f"/api/studies/{odd.study.pk}").json()["match"]["grave"] == 1
    answer = settle(odd, part["identity"])
    assert answer.status_code == 201
    assert answer.json()["status"] == {
        "runs": 8, "found": 1, "open": 0, "grave": 0, "waived": 1,
    }  # fmt: skip
    assert verdicts(odd) == {("ahead", False)}
    settled = answer.json()["mismatches"][0]["waived"]
    assert (settled["by"], settled["reason"]) == ("weavers-tester", "it was so last week too")
    back = odd.tester.delete(f"/api/studies/{odd.study.pk}/waivers/{settled['id']}")
    assert back.status_code == 200
    assert verdicts(odd) == {("open", True)}


def test_where_something_else_is_found_later_the_old_word_does_not_hold(odd):
    settle(odd, match(odd)["mismatches"][0]["identity"])
    odd.study.add_rounds(1)
    measure(odd, lambda run: {"kernel": "6.9"} if run.variant.position else {})
    found = match(odd)
    assert found["status"]["grave"] == 1
    assert found["outlived"][0]["reason"] == "it was so last week too"
    assert verdicts(odd) == {("open", True)}


def test_only_what_is_found_can_be_settled_and_only_with_a_reason(odd):
    assert settle(odd, "0" * 16).status_code == 400
    assert "not found in the runs any more" in settle(odd, "0" * 16).content.decode()
    assert settle(odd, match(odd)["mismatches"][0]["identity"], "").status_code == 400
    assert odd.study.waivers.count() == 0


def test_the_factor_is_meant_to_differ(odd):
    odd.tester.post(
        f"/api/studies/{odd.study.pk}/ask", {"factor": "Kernel"}, content_type="application/json"
    )
    (part,) = match(odd)["mismatches"]
    assert part["is_factor"]
    assert verdicts(odd) == {("ahead", False)}


def test_a_change_in_the_middle_is_placed_between_the_right_rounds(world):
    world.study.add_rounds(4)
    measure(world, lambda run: {"boot": "b2"} if run.round > 2 else {})
    (part,) = match(world)["mismatches"]
    (place,) = part["places"]
    assert (place["before_round"], place["after_round"]) == (2, 3)
    assert part["grade"] == "harmless"


@pytest.mark.parametrize("cold", [0, 1, 2])
def test_rounds_are_numbered_from_the_first_that_counts(world, cold):
    plan(world, cold_rounds=cold)
    world.study.add_rounds(4)
    measure(world, lambda run: {"boot": "b2"} if run.round >= cold + 2 else {})
    found = match(world)
    (place,) = found["mismatches"][0]["places"]
    assert (place["before_round"], place["after_round"]) == (2, 3)
    assert {point["round"] for point in found["drift"][0]["points"]} == {1, 2, 3, 4}


def test_preconditions_settings_and_fixtures_come_with_the_run(world):
    world.study.add_rounds(2)

    def entries(run):
        return [
            {"kind": "precondition", "at": 0, "what": "network off", "state": "passed"},
            {"kind": "precondition", "at": 0, "what": "lamp off", "state": "ticked", "by": "ida",
             "since": "2026-11-02T10:00:00"},
            {"kind": "settings", "at": 0, "when": "before", "values": {}},
            {"kind": "settings", "at": 9, "when": "after",
             "values": {"w.ini: view.rows": "3" if run.variant.position else "5"}},
            {"kind": "fixtures", "at": 0, "files": {"small.weft": "ab" * 32}},
        ]  # fmt: skip

    (run, *_) = measure(world, entries=entries)
    found = match(world)
    assert found["preconditions"] == [
        {"what": "network off", "passed": 6, "ticked": 0, "failed": 0, "by": []},
        {"what": "lamp off", "passed": 0, "ticked": 6, "failed": 0, "by": ["ida, 2026-11-02"]},
    ]
    (part,) = found["mismatches"]
    assert part["text"].startswith("setting w.ini: view.rows has another default")
    kept = world.reader.get(f"/api/runs/{run}").json()["conditions"]
    assert kept["preconditions"][1]["by"] == "ida"
    assert kept["settings_made"] is True


def test_a_settings_file_that_cannot_be_read_is_named_and_compared_with_nothing(world):
    world.study.add_rounds(2)

    def entries(run):
        broken = run.variant.position == 1
        told = {"values": {} if broken else {"w.json: rows": "5"},
                "troubles": ["w.json cannot be read: torn"] if broken else []}  # fmt: skip
        return [{"kind": "settings", "at": 0, "when": "before", **told}]

    measure(world, entries=entries)
    found = match(world)
    assert found["mismatches"] == []
    broken = world.study.runs.filter(variant__position=1).values_list("pk", flat=True)
    assert found["unread"] == [{"why": "w.json cannot be read: torn", "runs": sorted(broken)}]


def test_another_fixture_or_script_midway_is_found(world):
    world.study.add_rounds(2)
    measure(world, entries=lambda run: [{"kind": "fixtures", "at": 0, "files": {"a": "0" * 64}}])
    world.study.keep_script(world.study.script.text.replace("repeat 20", "repeat 25"))
    world.study.add_rounds(2)
    measure(world, entries=lambda run: [{"kind": "fixtures", "at": 0, "files": {"a": "1" * 64}}])
    names = {part["name"]: part["grade"] for part in match(world)["mismatches"]}
    assert names == {"fixture a": "needs a word", "session script": "needs a word"}


def test_control_runs_are_queued_unsampled_and_held_against_the_others(world):
    plan(world, control_rounds=3)
    world.study.add_rounds(4)
    purposes = list(
        world.study.runs.values_list("round", "purpose").order_by("round", "order_in_round")
    )
    assert purposes.count((1, "control")) == 2
    assert not [one for one in purposes if one in ((0, "control"), (4, "control"))]
    measure(world, entries=lambda run: [{"kind": "spent", "at": 0, "processor_s": 1.0}])
    found = match(world)["watching"]
    assert (found["runs"], found["planned"]) == (6, 3)
    assert {one["metric"] for one in found["costs"]} == {"duration", "processor_spent"}
    assert all("too small to matter" in one["text"] for one in found["costs"])
    rows = board(world)["rows"]
    assert all(len(row["samples"][0]) <= 4 for row in rows)


def test_today_is_checked_against_last_time_and_counts_in_no_comparison(world):
    world.study.add_rounds(6)
    measure(world)
    before = board(world)["rows"]
    asked = world.tester.post(
        f"/api/studies/{world.study.pk}/checks", {"variant": 0, "runs": 5},
        content_type="application/json",
    )  # fmt: skip
    assert asked.status_code == 201
    assert asked.json()["today"]["read"] == 0
    assert asked.json()["today"]["changed"] == []
    measure(world, lambda run: {"kernel": "6.9"})
    today = match(world)["today"]
    assert (today["read"], today["variant"]) == (5, 0)
    assert "like last time" in today["sentence"]
    assert any(one["text"].startswith("open of 4.1") for one in today["comparisons"])
    assert today["changed"] == [
        {"name": "kernel", "grade": "breaks the comparison", "before": "6.1", "now": "6.9"}
    ]
    assert board(world)["rows"] == before


def test_a_plan_says_what_a_rig_does_with_a_run(world):
    world.study.subject.settings = [{"file": "w.ini"}]
    world.study.subject.save()
    world.study.add_rounds(1)
    given = world.rig.post("/api/agent/runs/take").json()
    assert given["settings"] == [{"file": "w.ini"}]
    assert given["watch"] == "full"


@pytest.mark.parametrize(
    ("counts", "alike", "differs"), [((3, 4), 1, 0), ((0, 0), 0, 0), ((3, 0), 0, 1)]
)
def test_heat_that_held_all_runs_back_alike_is_said_though_nothing_differs(
    world, counts, alike, differs
):
    world.study.add_rounds(2)

    def entries(run):
        return [{"kind": "throttled", "at": 0, "count": counts[run.variant.position]}]

    measure(world, entries=entries)
    told = match(world)
    assert len(told["alike"]) == alike
    assert [part["key"] for part in told["mismatches"]].count("throttled") == differs
    said = [note for note in board(world)["notes"] if "held back for heat" in str(note)]
    assert len(said) == alike + differs
    if alike:
        assert told["alike"][0].startswith("all 4 runs alike were held back for heat")
