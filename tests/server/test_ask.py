"""What is asked: question, variants, baseline, what counts, profiles; and what is decided."""

import re

import pytest
from django.test import Client

from server.worlds import make_world, measure_all, texts
from yardstick_server.accounts.models import ShareLink, digest

OPEN = ["Open", "open"]


@pytest.fixture(scope="module")
def measured_once(begun):
    world = make_world("weavers")
    world.study.plan.__class__.objects.filter(study=world.study).update(stop="fixed", rounds=4)
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    return world


@pytest.fixture
def db(within):
    return within


def send(world, method, route, body=None):
    call = getattr(world.owner, method)
    return call(f"/api/studies/{world.study.pk}/{route}", body, content_type="application/json")


def board_of(world):
    return world.owner.get(f"/api/studies/{world.study.pk}/board").json()


def row_of(board, metric="duration", stretch=OPEN):
    return next(r for r in board["rows"] if r["metric"] == metric and r["stretch"] == stretch)


def test_the_question_is_changed_in_place(world):
    body = send(world, "post", "ask", {"question": "Is it calmer?", "why": ""}).json()
    assert (body["question"], body["why"], body["factor"]) == ("Is it calmer?", "", "release")
    assert send(world, "post", "ask", {"question": ""}).status_code == 400
    assert send(world, "post", "ask", {"baseline": 2}).status_code == 400


def test_another_baseline_turns_every_verdict_round(measured):
    assert row_of(board_of(measured))["differences"][1]["verdict"] == "ahead"
    assert send(measured, "post", "ask", {"baseline": 1}).json()["baseline"] == 1
    board = board_of(measured)
    assert board["baseline"] == 1
    assert row_of(board)["differences"][0]["verdict"] == "behind"
    back = measured.owner.get(f"/api/studies/{measured.study.pk}/board?baseline=0").json()
    assert row_of(back)["differences"][1]["verdict"] == "ahead"


def test_variants_are_added_and_taken_out_before_they_ran(measured):
    third = measured.study.subject.variants.create(name="5.0", program="weftwright-5.0")
    body = send(measured, "post", "variants", {"variant": third.pk}).json()
    assert [v["name"] for v in body["variants"]] == ["4.1", "4.2", "5.0"]
    assert body["others"] == []
    assert "5.0 has not run yet: nothing can be said about it." in texts(
        board_of(measured)["notes"]
    )
    assert send(measured, "post", "variants", {"variant": third.pk}).status_code == 400
    body = send(measured, "delete", "variants/2").json()
    assert [v["name"] for v in body["others"]] == ["5.0"]
    refused = send(measured, "delete", "variants/1")
    assert refused.status_code == 400
    assert "has runs in this study" in refused.content.decode()
    assert measured.study.study_variants.count() == 2


def test_a_variant_of_another_subject_is_not_taken(world, others):
    stranger = others.study.subject.variants.first()
    assert send(world, "post", "variants", {"variant": stranger.pk}).status_code == 404


def test_materiality_moves_the_verdict_at_once_and_back(measured):
    assert row_of(board_of(measured))["differences"][1]["verdict"] == "ahead"
    place = {"metric": "duration", "stretch": OPEN}
    board = send(measured, "put", "terms", {**place, "share": 60}).json()
    row = row_of(board)
    assert row["differences"][1]["verdict"] == "level"
    assert row["material_share"] == 60
    board = send(measured, "put", "terms", {**place, "amount": 0.3}).json()
    assert (row_of(board)["material_share"], row_of(board)["material_amount"]) == (60, 0.3)
    board = send(measured, "put", "terms", {**place, "share": None, "amount": None}).json()
    assert row_of(board)["differences"][1]["verdict"] == "ahead"
    assert measured.study.materiality_rules.count() == 0


def test_what_was_said_to_matter_after_looking_is_noted_until_it_is_taken_back(measured):
    place = {"metric": "duration", "stretch": OPEN}
    notes = texts(send(measured, "put", "terms", {**place, "share": 60}).json()["notes"])
    late = "how much of open matters was changed by weavers-owner when 10 runs had been read"
    assert [note for note in notes if late in note]
    spikes = {"metric": "spikes", "stretch": ["Scroll", "scroll"]}
    notes = texts(send(measured, "put", "terms", {**spikes, "counts": False}).json()["notes"])
    assert [note for note in notes if "spikes in Scroll was set aside by weavers-owner" in note]
    another = measured.study.another("Is it calmer?")
    assert {term.after for term in another.materiality_rules.all()} == {0}
    send(measured, "put", "terms", {**spikes, "counts": True})
    notes = texts(send(measured, "put", "terms", {**place, "share": None}).json()["notes"])
    assert not [note for note in notes if "had been read already" in note]


def test_what_is_said_to_matter_before_the_first_run_needs_no_note(world):
    place = {"metric": "duration", "stretch": OPEN}
    send(world, "put", "terms", {**place, "share": 60})
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    board = board_of(world)
    assert row_of(board)["material_share"] == 60
    said_again = send(world, "put", "terms", {**place, "share": 60}).json()
    for notes in (texts(board["notes"]), texts(said_again["notes"])):
        assert not [note for note in notes if "had been read already" in note]


def test_what_does_not_count_is_shown_and_not_judged(measured):
    place = {"metric": "spikes", "stretch": ["Scroll", "scroll"]}
    before = send(measured, "put", "terms", {**place, "counts": True}).json()
    assert row_of(before, **place)["judged"]
    row = row_of(send(measured, "put", "terms", {**place, "counts": False}).json(), **place)
    assert not row["judged"]
    assert row["differences"] == [None, None]
    assert row["medians"][0]["value"] == 0


@pytest.mark.parametrize(
    "body",
    [
        {"metric": "nonsense", "stretch": OPEN},
        {"metric": "duration", "stretch": OPEN, "share": 0},
        {"metric": "stutter_share", "stretch": OPEN, "amount": 0},
        {"metric": "duration", "stretch": OPEN, "amount": -1},
    ],
)
def test_terms_that_make_no_sense_change_nothing(measured, body):
    assert send(measured, "put", "terms", body).status_code == 400
    assert measured.study.materiality_rules.count() == 0


def test_positions_close_up_where_a_variant_before_the_baseline_is_taken_out(world):
    for name in ("5.0", "5.1"):
        made = world.study.subject.variants.create(name=name, program=f"weftwright-{name}")
        assert send(world, "post", "variants", {"variant": made.pk}).status_code == 200
    assert send(world, "post", "ask", {"baseline": 3}).json()["baseline"] == 3
    assert send(world, "delete", "variants/3").status_code == 400
    body = send(world, "delete", "variants/1").json()
    assert [(v["name"], v["position"]) for v in body["variants"]] == [
        ("4.1", 0), ("5.0", 1), ("5.1", 2),
    ]  # fmt: skip
    assert body["baseline"] == 2


def test_a_study_compares_so_many_variants_at_most(world):
    for number in range(6):
        made = world.study.subject.variants.create(name=f"6.{number}", program=f"w-{number}")
        assert send(world, "post", "variants", {"variant": made.pk}).status_code == 200
    last = world.study.subject.variants.create(name="7", program="w-7")
    refused = send(world, "post", "variants", {"variant": last.pk})
    assert refused.status_code == 400
    assert "at most 8 variants" in refused.content.decode()


PROFILE = {
    "name": "Openers",
    "about": "open all day",
    "weights": [{"metric": "duration", "stretch": OPEN, "weight": 2}],
    "limits": [{"metric": "stutter_share", "stretch": ["Scroll", "scroll"]}],
}


def test_a_profile_gets_a_recommendation_with_reasons(measured):
    made = send(measured, "post", "profiles", PROFILE)
    assert made.status_code == 201
    decision = measured.owner.get(f"/api/studies/{measured.study.pk}/decision").json()
    (advice,) = decision["advice"]
    assert (advice["recommendation"], advice["variants"]) == ("take", [1])
    assert advice["sentence"].startswith("take 4.2: 1.4")
    assert advice["scores"][0]["limits"][0]["state"] == "kept"
    texts = [reason["text"] for reason in advice["reasons"]]
    assert any(re.match(r"for 4.2: open, [34]\d", text) for text in texts), texts
    url = f"profiles/{made.json()['id']}"
    slower = {**PROFILE, "weights": [{"metric": "key_to_picture", "stretch": OPEN, "weight": 1}]}
    send(measured, "put", url, slower)
    decision = measured.owner.get(f"/api/studies/{measured.study.pk}/decision").json()
    assert decision["advice"][0]["recommendation"] == "no recommendation"
    assert "has not been read" in decision["advice"][0]["sentence"]
    assert send(measured, "delete", url).status_code == 204
    assert send(measured, "get", "profiles").json() == []


def test_the_decision_holds_places_costs_and_contributions(measured):
    decision = measured.owner.get(f"/api/studies/{measured.study.pk}/decision").json()
    assert decision["rounds"] == 4
    opened = next(p for p in decision["places"] if p["label"] == "open")
    assert opened["places"] == [2, 1]
    points = [standing["points"] for standing in decision["standings"]]
    assert points[1] < points[0]
    whole = next(b for b in decision["breakdowns"] if b["metric"] == "step_time")
    assert sum(part["change"] for part in whole["parts"]) == pytest.approx(whole["change"])
    trade = next(t for t in decision["trade_offs"] if t["stretch"] == OPEN)
    assert trade["gained_s"] == pytest.approx(0.6, abs=0.05)


def test_two_studies_of_the_same_variants_are_taken_together(measured):
    listed = measured.owner.post(
        "/api/studies",
        {"like": measured.study.pk, "question": "And again?"},
        content_type="application/json",
    )
    assert listed.status_code == 201
    second = measured.workspace.studies.get(pk=listed.json()["id"])
    assert [p.variant.name for p in second.variants] == ["4.1", "4.2"]
    assert second.plan.rounds == 4
    second.add_rounds(4)
    measure_all(measured, {0: 2.0, 1: 1.0})
    decision = measured.owner.get(f"/api/studies/{measured.study.pk}/decision").json()
    (over,) = decision["over_sessions"]
    assert [session["question"] for session in over["sessions"]] == ["Is it faster?", "And again?"]
    assert "× as good" in over["these"]
    assert over["general"] == ""
    ShareLink.objects.create(
        study=measured.study, token_digest=digest("link"), by="x", expires="2999-01-01T00:00Z"
    )
    guest = Client()
    guest.get("/shared/link")
    shared = guest.get(f"/api/studies/{measured.study.pk}/decision")
    assert shared.json()["over_sessions"] == []
    assert "And again?" not in shared.content.decode()


def test_a_study_without_runs_has_a_decision_that_says_so(world):
    decision = world.owner.get(f"/api/studies/{world.study.pk}/decision").json()
    assert decision["rounds"] == 0
    assert decision["places"] == decision["unsettled"] == decision["over_sessions"] == []


def test_one_run_a_side_says_plainly_that_nothing_is_shown(world):
    world.study.add_rounds(1)
    measure_all(world, {0: 2.0, 1: 1.4})
    notes = texts(board_of(world)["notes"])
    assert any("4.2 has one warm run: a single run has no interval" in note for note in notes)
    assert row_of(board_of(world))["differences"][1]["verdict"] == "open"


def test_steps_for_some_variants_are_played_by_those_and_flagged_as_unequal(world):
    text = world.study.script.text + '\nstep "Soft" if variant has "soft weave"\n  start\n'
    assert send(world, "put", "script", {"text": text}).status_code == 200
    body = send(world, "put", "variants/1", {"tags": ["soft weave", "soft weave"]}).json()
    assert [v["tags"] for v in body["variants"]] == [[], ["soft weave"]]
    assert body["script"]["only_some"] == {"Soft": "only if the variant has “soft weave”"}
    assert "“Soft” (0 inputs, 0 waits) is played only by 4.2" in texts(board_of(world)["notes"])[0]
    world.study.add_rounds(1)
    given = [world.rig.post("/api/agent/runs/take").json()["tags"] for _ in range(2)]
    assert given == [[], ["soft weave"]]
    assert send(world, "put", "variants/9", {"tags": []}).status_code == 404


def test_what_decides_is_named_answers_everywhere_and_is_said_when_named_late(measured):
    place = {"metric": "duration", "stretch": OPEN}
    url = f"/api/studies/{measured.study.pk}"
    before = measured.owner.get(url).json()["answers"]
    assert [(one["candidate"], one["stretch"]) for one in before] == [(1, OPEN)]  # the first timing
    rate = {"metric": "average_rate", "stretch": ["Scroll", "scroll"]}
    board = send(measured, "put", "terms", {**rate, "decides": True}).json()
    (row,) = [row for row in board["rows"] if row["deciding"]]
    assert row["metric"] == "average_rate"
    (answer,) = measured.owner.get(url).json()["answers"]
    assert answer["text"].startswith("average frame rate in Scroll is ")
    assert any("was named as what decides by" in note for note in texts(board["notes"]))
    (home,) = [s for s in measured.owner.get("/api/studies").json() if s["id"] == measured.study.pk]
    assert home["answers"][0]["gain_low"] <= home["answers"][0]["gain"]
    families = {one["family"]: one for one in home["families"]}
    assert families["frames"]["ahead"] + families["frames"]["level"] > 0
    aside = send(measured, "put", "terms", {**rate, "counts": False}).json()
    assert not any(row["deciding"] for row in aside["rows"])
    send(measured, "put", "terms", {**rate, "counts": True, "decides": False})
    board = send(measured, "put", "terms", {**place, "decides": True}).json()
    assert [row["stretch"] for row in board["rows"] if row["deciding"]] == [OPEN]


def test_another_form_of_a_fact_leads_or_is_counted_as_well(measured):
    scroll = {"stretch": ["Scroll", "scroll"]}

    def counted(standing, metric):
        board = send(
            measured, "put", "terms", {**scroll, "metric": metric, "family_role": standing}
        )
        rows = [row for row in board.json()["rows"] if row["stretch"] == scroll["stretch"]]
        return {row["metric"]: row["echo_of"] for row in rows}, texts(board.json()["notes"])

    echoes, notes = counted("lead", "p99_frame")
    assert echoes["p99_frame"] == ""
    assert echoes["one_percent_low"] == echoes["p99_rate"] == "p99_frame"
    assert any("was chosen to be counted in place of the others" in note for note in notes)
    echoes, notes = counted("lead", "p99_rate")
    assert echoes["p99_frame"] == echoes["one_percent_low"] == "p99_rate"
    assert [term.metric for term in measured.study.materiality_rules.all()] == ["p99_rate"]
    echoes, notes = counted("apart", "p99_rate")
    assert (echoes["p99_rate"], echoes["p99_frame"]) == ("", "one_percent_low")
    assert any("counted beside the others that say the same" in note for note in notes)
    echoes, notes = counted("", "p99_rate")
    assert (echoes["one_percent_low"], echoes["p99_frame"]) == ("", "one_percent_low")
    assert measured.study.materiality_rules.count() == 0
    bad = send(measured, "put", "terms", {**scroll, "metric": "p99_rate", "family_role": "first"})
    assert bad.status_code == 400


def test_what_decides_may_be_named_before_anything_is_measured(world):
    place = {"metric": "duration", "stretch": OPEN}
    assert send(world, "put", "terms", {**place, "decides": True}).status_code == 200
    study = world.owner.get(f"/api/studies/{world.study.pk}").json()
    assert study["deciding"] == [{**place, "name": "duration"}]
    assert study["answers"] == []
    assert not any(
        "named as what decides" in note
        for note in texts(world.owner.get(f"/api/studies/{world.study.pk}/board").json()["notes"])
    )
