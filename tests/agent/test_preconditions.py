"""What a run needs before it starts: met, or refused with what was found."""

import pytest
from sessions import played

from yardstick_agent.playing.player import SessionEnded
from yardstick_agent.playing.preconditions import FINDERS, prepare_rig
from yardstick_agent.sampling.surroundings import network, power
from yardstick_core.script import parse
from yardstick_core.script.model import REQUIRED

DISPLAY = {"width": 1280, "height": 800}


def prepare(tmp_path, *lines, caches=(), confirmed=()):
    noted = []
    head = "".join(f"    {line}\n" for line in lines)
    text = f'session "S"\n  every run\n{head}step "A"\n  start\n'
    try:
        prepare_rig(
            parse(text).before, caches, confirmed, DISPLAY, tmp_path, lambda **w: noted.append(w)
        )
    except SessionEnded:
        assert noted == [] or noted[-1]["state"] == "failed"
        raise
    return noted


def refusal(tmp_path, *lines, **more):
    with pytest.raises(SessionEnded) as caught:
        prepare(tmp_path, *lines, **more)
    assert caught.value.outcome == "refused"
    return caught.value.detail


def test_a_rig_that_is_as_required_passes(tmp_path):
    noted = prepare(
        tmp_path,
        "require display 1280x800", "require cores at least 1", "require memory at least 0.1 GiB",
        "require disk at least 0.001 GiB", "keep cache",
    )  # fmt: skip
    assert [one["state"] for one in noted] == ["passed"] * 4
    assert noted[0] == {"what": "display 1280x800", "state": "passed", "found": "1280x800"}


def test_what_is_missing_is_named_with_what_was_found(tmp_path):
    detail = refusal(tmp_path, "require display 1920x1080")
    assert detail == ("not started: line 3: display 1920x1080 is required, and here it is 1280x800")
    assert "cores at least 900 is required" in refusal(tmp_path, "require cores at least 900")


def test_everything_that_may_be_required_can_be_found_out(tmp_path):
    assert set(FINDERS) == set(REQUIRED)
    for find in FINDERS.values():
        assert find(DISPLAY, tmp_path)


def test_a_network_is_on_as_soon_as_one_of_its_ends_is_up(tmp_path):
    for name, state in (("lo", "unknown"), ("eth0", "down")):
        (tmp_path / name).mkdir()
        (tmp_path / name / "operstate").write_text(state + "\n")
    assert network(tmp_path) == "off"
    (tmp_path / "eth0" / "operstate").write_text("up\n")
    assert network(tmp_path) == "on"


def test_power_comes_from_the_mains_unless_a_battery_is_being_emptied(tmp_path):
    assert power(tmp_path) == "mains"
    (tmp_path / "BAT0").mkdir()
    (tmp_path / "BAT0" / "status").write_text("Charging\n")
    assert power(tmp_path) == "mains"
    (tmp_path / "BAT0" / "status").write_text("Discharging\n")
    assert power(tmp_path) == "battery"


def test_a_person_must_have_confirmed(tmp_path):
    line = 'confirm "scaling is 100 %"'
    assert "nobody has confirmed for this rig that “scaling is 100 %”" in refusal(tmp_path, line)
    by = {"text": "scaling is 100 %", "by": "ida", "at": "2026-11-02T09:00:00Z"}
    (noted,) = prepare(tmp_path, line, confirmed=[by])
    assert noted["state"] == "ticked"
    assert (noted["by"], noted["since"]) == ("ida", by["at"])


def test_caches_are_emptied_where_the_rig_says_they_are(tmp_path):
    cache, kept = tmp_path / "cache", tmp_path / "kept"
    (cache / "deep").mkdir(parents=True)
    (cache / "deep" / "a").write_text("a")
    kept.write_text("precious")
    (cache / "link").symlink_to(kept)
    one = tmp_path / "one.cache"
    one.write_text("b")
    prepare(tmp_path, "clear cache", caches=[cache, one, tmp_path / "none"])
    assert list(cache.iterdir()) == []
    assert not one.exists()
    assert kept.read_text() == "precious"
    assert "this rig does not say where the caches are" in refusal(tmp_path, "clear cache")


@pytest.mark.screen
def test_a_refused_run_starts_nothing(tmp_path):
    text = 'session "S"\n  every run\n    require cores at least 900\nstep "A"\n  start\n'
    run = played(tmp_path, text, ["touch", "was-started"])
    assert run.outcome == "refused"
    assert not (tmp_path / "run/work/was-started").exists()


def test_what_cannot_be_read_is_not_taken_for_off_or_for_mains(tmp_path):
    assert network(tmp_path / "nowhere") == "unknown"
    assert power(tmp_path / "nowhere") == "unknown"
