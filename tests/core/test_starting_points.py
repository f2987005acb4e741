"""Sessions to begin with: every one can be read, and be taken apart again."""

from itertools import chain, combinations

import pytest

from yardstick_core.script import parse
from yardstick_core.script.check import walk
from yardstick_core.script.layout import formatted
from yardstick_core.script.model import Start
from yardstick_core.script.starting_points import (
    CLOSE,
    COMMAND,
    IDLE,
    LAPS,
    LAUNCH,
    MOVING,
    OPEN,
    PARTS,
    STILL,
    StartingPoint,
    compose,
    taken_apart,
    try_script,
)

CHOICES = [part for part in PARTS if part not in (LAUNCH, CLOSE)]
SUBSETS = list(chain.from_iterable(combinations(CHOICES, n) for n in range(len(CHOICES) + 1)))


@pytest.mark.parametrize("parts", SUBSETS, ids=lambda parts: "+".join(parts) or "launch")
@pytest.mark.parametrize(
    ("file", "by_keys"), [("", False), ('long "one".txt', False), ("notes.txt", True)]
)
@pytest.mark.parametrize("nature", [STILL, MOVING])
def test_every_starting_point_can_be_played_and_is_known_again(parts, file, by_keys, nature):
    point = StartingPoint(parts, file, by_keys, nature)
    text = compose(point)
    script = parse(text)
    assert script.steps[0].name == "Launch"
    assert script.steps[-1].name == "Close"
    assert formatted(text) == text
    again = taken_apart(text)
    assert again is not None
    assert (again.played, again.nature) == (point.played, nature)
    assert ("steady" in text) == (nature == STILL)


@pytest.mark.parametrize("file", ["", "notes.txt"])
def test_a_command_is_timed_until_it_ends(file):
    point = StartingPoint((), file, nature=COMMAND)
    text = compose(point)
    assert [step.name for step in parse(text).steps] == ["Run"]
    assert formatted(text) == text
    again = taken_apart(text)
    assert again is not None
    assert (again.nature, again.file, again.played) == (COMMAND, file, (LAUNCH,))
    assert "until exited" in try_script(text)
    assert (f'"{file}"' in try_script(text)) == bool(file)


def test_a_script_that_somebody_wrote_in_is_no_starting_point_any_more():
    text = compose(StartingPoint())
    assert taken_apart(text.replace("400ms", "300ms")) is None
    assert taken_apart(text + "\n# mine\n") is None
    assert taken_apart("") is None


def test_a_starting_point_of_before_is_known_still():
    text = compose(StartingPoint((IDLE,)))
    before = text.replace("    until window is steady for 400ms, within 60s\n  wait 1s\n",
                          "    until window is steady for 400ms, within 60s\n")  # fmt: skip
    assert before != text
    assert taken_apart(before) == taken_apart(text)


def test_without_a_file_nothing_is_opened():
    assert StartingPoint((OPEN, LAPS)).played == (LAUNCH, CLOSE)
    assert 'start with "a.txt"' in compose(StartingPoint((OPEN,), "a.txt"))
    assert "start with" not in compose(StartingPoint((OPEN,), "a.txt", by_keys=True))


def test_trying_a_program_out_is_a_script_too():
    for text in ("", "no script", compose(StartingPoint()), compose(StartingPoint((), "a", True))):
        script = parse(try_script(text))
        assert (script.title, script.fixtures) == ("Try it", ())


def test_a_program_is_tried_out_with_what_its_session_starts_it_with():
    text = """session "S"
  fixture draft = "a draft.weft"
  fixture other = "other.weft"
  ladder size = 3, 4
  fixture sized = "wide-{size}.weft"
step "A"
  start "loom"
  start with "{draft}", "{sized}"
  stop
  start with "{other}"
"""
    script = parse(try_script(text))
    (started,) = [one for one in walk(script.steps) if isinstance(one, Start)]
    assert started.files == ("a draft.weft", "wide-3.weft")
    assert {one.file for one in script.fixtures} == set(started.files)
    assert formatted(try_script(text)) == try_script(text)
