"""A script drafted from what a person did: readable, valid, and the same work again."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yardstick_core.script import formatted, parse, schedule
from yardstick_core.script.draft import Heard, draft
from yardstick_core.script.keys import MODIFIERS, NAMED, character_keysym

MS = 1_000_000
CTRL, SHIFT = MODIFIERS["Ctrl"], MODIFIERS["Shift"]


class Person:
    """Builds what would be heard of somebody at work."""

    def __init__(self):
        self.at, self.events = 1000 * MS, []

    def hear(self, kind, code=0, down=True, **more):
        self.events.append(Heard(kind, self.at, code, down, **more))
        return self

    def wait(self, ms):
        self.at += ms * MS
        return self

    def press(self, code, *held):
        for one in held:
            self.hear("key", one)
        self.hear("key", code).hear("key", code, False)
        for one in held:
            self.hear("key", one, False)
        return self.wait(30)

    def type(self, text):
        for character in text:
            self.press(character_keysym(character)).wait(100)
        return self

    def click(self, x, y, button=1, **more):
        self.hear("button", button, x=x, y=y, **more).wait(60)
        return self.hear("button", button, False, x=x, y=y, **more)

    def notch(self, button, x=300, y=200):
        return self.hear("button", button, x=x, y=y).hear("button", button, False, x=x, y=y)

    def script(self, **more):
        text = draft(self.events, "My work", "Weftwright", **more)
        parse(text)
        assert formatted(text) == text
        return text


def test_a_file_whose_name_comes_to_stand_in_a_title_has_been_opened():
    someone = Person().hear("titled", title="Weftwright").wait(10)
    someone.press(character_keysym("o"), CTRL).wait(200).hear("shown", title="Open").wait(900)
    someone.type("small.weft").wait(400).press(NAMED["Enter"])
    someone.wait(100).hear("gone", title="Open").wait(300)
    someone.hear("titled", title="small.weft - Weftwright").wait(4000)
    someone.type("x").wait(100).hear("titled", title="small.weft* - Weftwright").wait(900)
    text = someone.script(files=["small.weft"])
    assert text.count("until window") == 3
    assert (
        """\
  time small opened
    press Enter
    until window "{small}" is shown
"""
        in text
    )


def test_a_whole_piece_of_work_reads_as_one_would_write_it():
    someone = Person()
    someone.press(character_keysym("o"), CTRL).wait(200).hear("shown", title="Open").wait(900)
    someone.type("small.weft").wait(400).press(NAMED["Enter"])
    someone.wait(100).hear("gone", title="Open").wait(300)
    someone.hear("log", title="draft read: 240 ends").wait(300).hear("picture").wait(4000)
    for _ in range(12):
        someone.notch(5).wait(12).notch(5).wait(188).hear("picture")
    someone.wait(3000).press(character_keysym("q"), CTRL).wait(200).hear("exited")
    assert (
        someone.script(files=["small.weft"])
        == """\
session "My work"
  fixture small = "small.weft"

step "Launch"
  time launch
    start
    until window "Weftwright" is steady for 400ms, within 30s

step "Press Ctrl+O"
  time open shown
    press Ctrl+O
    until window "Open" is shown

step "Type"
  type "{small}"
  # the log said: draft read: 240 ends
  time open gone
    press Enter
    until window "Open" is gone

step "Scroll down"
  frames scroll down
    repeat 12 every 200ms
      scroll down 2 at 300,200

step "Press Ctrl+Q"
  press Ctrl+Q

step "End"
  until exited, within 10s
"""
    )


def lines_of(someone):
    body = someone.script().split("steady for 400ms, within 30s\n")[1]
    return [line.strip() for line in body.split('step "End"')[0].splitlines() if line.strip()]


def test_shifted_keys_are_text_and_chords_are_chords():
    someone = Person()
    someone.press(character_keysym("A"), SHIFT).type("b c!").wait(3000)
    someone.press(character_keysym("s"), CTRL, SHIFT).wait(50).press(NAMED["F4"])
    assert 'type "Ab c!"' in lines_of(someone)
    assert "press Ctrl+Shift+S" in lines_of(someone)
    assert "press F4" in lines_of(someone)


def test_clicks_double_clicks_drags_and_other_windows():
    someone = Person().click(10, 20).wait(1000).click(30, 40).wait(100).click(30, 40)
    someone.wait(1000).click(5, 6, 3, title='Save "as"').wait(1000)
    someone.hear("button", 1, x=10, y=10).wait(500).hear("button", 1, False, x=200, y=90)
    found = lines_of(someone)
    assert "click at 10,20" in found
    assert "click double at 30,40" in found
    assert 'click right at 5,6 in "Save \\"as\\""' in found
    assert "drag 10,10 to 200,90 over 500ms" in found


def test_a_picture_that_went_on_changing_is_waited_for():
    someone = Person().press(NAMED["F5"])
    for _ in range(10):
        someone.wait(100).hear("picture")
    found = lines_of(someone.wait(1000).press(NAMED["F6"]))
    assert found[1:4] == ["time after f5", "press F5", "until picture is steady for 400ms"]


def playing(someone, ms):
    for _ in range(ms // 40):
        someone.hear("picture").wait(40)
    return someone


def test_what_draws_by_itself_is_measured_and_not_waited_for():
    someone = playing(Person().hear("shown", title="Weftwright"), 4000)
    playing(someone.press(character_keysym("f")), 600)
    playing(someone.press(NAMED["Enter"]), 3000)
    assert (
        someone.script()
        == """\
session "My work"

step "Launch"
  time launch
    start
    until window "Weftwright" is shown, within 30s

step "Play"
  frames playing
    wait 4s

step "Type"
  type "f"
  press Enter
  frames after press enter
    wait 3s

step "End"
  stop
  until exited, within 10s
"""
    )


def test_a_program_that_answers_for_long_and_then_rests_does_not_draw_by_itself():
    someone = Person().hear("shown", title="Weftwright").hear("picture").wait(2000)
    playing(someone.press(NAMED["Enter"]), 1500).wait(3000)
    text = someone.press(NAMED["Enter"]).hear("picture").script()
    assert "is steady" in text
    assert "frames" not in text


def test_two_turns_are_no_series_and_an_uneven_pace_takes_its_median():
    someone = Person().press(NAMED["Down"]).wait(200).press(NAMED["Down"])
    assert "repeat" not in " ".join(lines_of(someone))
    for gap in (100, 120, 300, 110):
        someone.wait(gap).press(NAMED["Down"])
    assert "repeat 6 every 150ms" in lines_of(someone)


def test_a_program_left_open_is_stopped_at_the_end():
    assert (
        Person()
        .press(NAMED["F5"])
        .script()
        .endswith('step "End"\n  stop\n  until exited, within 10s\n')
    )


def test_a_window_that_comes_in_between_parts_what_is_typed():
    someone = Person().type("a").hear("shown", title="Save as").wait(200).type("b")
    found = lines_of(someone)
    assert 'until window "Save as" is shown' in found
    assert [line for line in found if line.startswith("type")] == ['type "a"', 'type "b"']


def test_braces_typed_are_no_values():
    assert 'type "ab"' in lines_of(Person().type("{a}b"))


def test_a_chord_with_a_quote_is_named_and_timed():
    text = Person().press(ord('"'), CTRL).hear("shown", title="Quotes").script()
    assert 'step "Press Ctrl+\\""' in text
    assert "time quotes shown" in text


@pytest.mark.parametrize(("title", "name"), [("0S", ""), ("3D 2 Cloth 5s", "2 cloth shown")])
def test_a_title_gives_only_what_a_name_may_hold(title, name):
    events = [
        Heard("key", 0, NAMED["Enter"], True),
        Heard("shown", 100 * MS, title=title),
    ]
    text = draft(events, "My work", "Weftwright")
    parse(text)
    assert (f"time {name}\n" in text) == bool(name)


codes = st.sampled_from(
    [*NAMED.values(), *MODIFIERS.values(), *map(ord, 'ab"\\{}+-, #/ß'), 0x0100263A, 0xFE03, 0xFFFF]
)
heard = st.builds(
    Heard,
    st.sampled_from(
        ["key", "key", "button", "shown", "gone", "titled", "picture", "log", "exited"]
    ),
    st.integers(0, 20_000).map(lambda ms: ms * MS),
    st.one_of(codes, st.integers(1, 9)),
    st.booleans(),
    st.integers(-50, 900),
    st.integers(-50, 900),
    st.text(max_size=6).map(lambda text: text.replace("\n", " ")),
)


@settings(max_examples=300)
@given(st.lists(heard, max_size=40))
def test_whatever_is_heard_the_draft_can_be_read(events):
    text = draft(events, "My work", "Weftwright")
    parse(text)
    assert formatted(text) == text


@pytest.mark.parametrize("count", [3, 30])
def test_a_series_does_the_same_number_of_inputs(count):
    someone = Person()
    for _ in range(count):
        someone.press(NAMED["Right"]).wait(70)
    operations = schedule(parse(someone.script())).operations
    assert sum(str(o.statement).startswith("Press") for o in operations) == count
