"""Numbers typed in: readings that are marked, judged where they repeat, single otherwise."""

import pytest

from server.worlds import read_all
from yardstick_server.runs.models import BROUGHT_IN, Run

JSON = "application/json"


@pytest.fixture(autouse=True)
def no_queue(monkeypatch):
    """Jobs are called by the tests themselves."""
    from yardstick_server.api.study import numbers

    monkeypatch.setattr(numbers.read_run, "defer", lambda **_: None)


def type_in(world, values, **changes):
    body = {
        "name": "loom score", "unit": "points", "higher_is_better": True, "source": "a sheet",
        "numbers": [{"variant": variant, "value": value} for variant, value in values], **changes,
    }  # fmt: skip
    return world.tester.post(f"/api/studies/{world.study.pk}/numbers", body, content_type=JSON)


def scored(world):
    board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
    return next(row for row in board["rows"] if row["stretch"][-1] == "loom score"), board


def test_repeats_are_judged_like_other_readings_and_marked(world):
    values = [(0, 1240), (0, 1251), (0, 1236), (1, 2040), (1, 2066), (1, 2051)]
    runs = type_in(world, values).json()["runs"]
    read_all(runs)
    assert set(Run.objects.values_list("origin", flat=True)) == {BROUGHT_IN}
    row, board = scored(world)
    (difference,) = (one for one in row["differences"] if one)
    assert difference["verdict"] == "ahead"
    assert row["warnings"] == ["typed in"]
    told = " ".join(note["text"] for note in board["notes"])
    assert "loom score: 6 numbers typed in by weavers-tester from “a sheet”" in told
    again = type_in(world, [(0, 1244)]).json()["runs"]
    read_all(again)
    assert len(set(Run.objects.values_list("round", flat=True))) == 7, "each of a round of its own"


def test_single_numbers_have_no_interval_and_no_verdict(world):
    read_all(type_in(world, [(0, 1240), (1, 2040)]).json()["runs"])
    row, _ = scored(world)
    (difference,) = (one for one in row["differences"] if one)
    assert difference["verdict"] == "open"
    assert any("one run a side" in one["text"] for one in difference["caveats"])
    table = world.owner.get(
        f"/api/studies/{world.study.pk}/sessions", {"metric": "said.higher.points~loom score"}
    ).json()
    assert table["sessions"][0]["differences"][1]["single"]


@pytest.mark.parametrize(("values", "changes", "why"), [
    ([(9, 1)], {}, "no variant 9"),
    ([], {}, "empty"),
    ([(0, 1)], {"unit": "two words"}, "one word"),
    ([(0, 1)], {"unit": ""}, "blank"),
    ([(0, 1)], {"name": ""}, "blank"),
    ([(0, 1e300)], {}, "less than or equal"),
    ([(0, "nan")], {}, "valid number"),
    ([(0, 1)] * 201, {}, "200"),
])  # fmt: skip
def test_what_cannot_be_kept_is_refused(world, values, changes, why):
    answer = type_in(world, values, **changes)
    assert answer.status_code == 400
    assert why in str(answer.json())
    assert not Run.objects.exists()


def test_readers_and_others_type_nothing_in(world, others):
    url = f"/api/studies/{world.study.pk}/numbers"
    assert world.reader.post(url, {}, content_type=JSON).status_code == 403
    assert others.owner.post(url, {}, content_type=JSON).status_code == 404
