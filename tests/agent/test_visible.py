"""When a picture really changed: carets, redraws and clocks told from work that is done."""

import numpy as np
import pytest

from yardstick_agent.playing.visible import (
    BUSY_GAP_NS,
    CARET_BACK_NS,
    MOST_STATES,
    VisibleChanges,
)

MS = 1_000_000
WIDTH, HEIGHT = 300, 200
CARET = (slice(20, 36), slice(40, 42))
SPINNER = (slice(50, 66), slice(90, 106))
COLON = (slice(5, 15), slice(250, 253))


class Screen:
    """A picture that is painted at instants, and looked at 5 ms later, as the player does."""

    def __init__(self):
        self.pixels = np.zeros((HEIGHT, WIDTH), np.uint32)
        self.now = 0
        self.seen = VisibleChanges(lambda: self.pixels.copy(), clock=lambda: self.now)
        self.drawn: list[int] = []

    def paint(self, at_ms: float, where=None, colour: int = 1, looked: bool = True):
        at = int(at_ms * MS)
        if where is not None:
            self.pixels[where] = colour
        self.drawn.append(at)
        if looked:
            self.look(at_ms + 5)
        return self

    def look(self, at_ms: float):
        def first_drawn(after: int) -> int:
            return next((at for at in self.drawn if at > after), self.drawn[-1])

        self.now = int(at_ms * MS)
        self.seen.look(self.drawn[-1], first_drawn, self.now)
        return self

    @property
    def changed_ms(self) -> float:
        return self.seen.changed_ns / MS

    def quiet_for(self, now_ms: float) -> float:
        now = int(now_ms * MS)
        return (now - self.seen.quiet_since(now)) / MS


def everything(colour: int):
    return ((slice(0, HEIGHT), slice(0, WIDTH)), colour)


def test_the_same_pixels_again_are_no_change():
    screen = Screen().paint(100, *everything(1))
    for at in range(116, 1000, 16):
        screen.paint(at)
    assert screen.changed_ms == 100
    assert screen.quiet_for(1000) == 900


@pytest.mark.parametrize("every", [150, 500, 600])
def test_a_caret_that_blinks_is_no_change(every):
    screen = Screen().paint(100, *everything(1))
    lit = True
    for at in range(100 + every, 4000, every):
        screen.paint(at, CARET, 7 if lit else 1)
        lit = not lit
    screen.look(4000)
    if screen.seen.unsettled_ns:  # the first half of a blink is not known as one yet
        assert screen.quiet_for(4000) == 0
    else:
        assert screen.changed_ms == 100


def test_a_letter_typed_between_two_blinks_is_a_change():
    screen = Screen().paint(100, *everything(1))
    for at, colour in ((600, 7), (1100, 1), (1600, 7)):
        screen.paint(at, CARET, colour)
    assert screen.changed_ms == 100
    screen.paint(1800, (slice(20, 32), slice(60, 68)), 5)
    assert screen.changed_ms == 1800
    for at, colour in ((2100, 1), (2600, 7), (3100, 1)):
        screen.paint(at, CARET, colour)
    assert screen.changed_ms == 1800


def test_a_small_last_change_is_waited_for_until_no_caret_can_be_back():
    screen = Screen().paint(100, *everything(1)).paint(700, CARET, 7)
    back = CARET_BACK_NS / MS
    assert screen.quiet_for(700 + back - 1) == 0
    assert screen.quiet_for(700 + back) == back
    assert screen.changed_ms == 700


def test_a_caret_and_the_colon_of_a_clock_together_are_no_change():
    screen = Screen().paint(100, *everything(1))
    for at in range(500, 6000, 500):
        screen.paint(at, CARET, 7 if (at // 500) % 2 else 1)
        screen.paint(at + 220, COLON, 7 if (at // 1000) % 2 else 1)
    assert screen.changed_ms == 100


def grey(level: float) -> int:
    value = int(255 * level)
    return value << 16 | value << 8 | value


def test_a_caret_that_fades_is_no_change_once_it_has_been_seen_to_come_and_go():
    """Some toolkits let it fade: hardly a picture comes twice, but all lie between two."""
    screen = Screen().paint(100, *everything(grey(1)))
    at = 100.0
    for cycle in range(4):
        for step in range(40):
            at += 33.7
            level = abs(1 - 2 * ((step * 0.025 + 0.0071 * cycle) % 1))
            screen.paint(at, CARET, grey(level))
    assert screen.changed_ms == 100
    screen.paint(at + 50, (slice(20, 32), slice(60, 68)), 5)
    assert screen.changed_ms == pytest.approx(at + 50)


def test_a_bar_that_grows_is_work_though_it_is_narrow():
    screen = Screen().paint(100, *everything(1))
    for step in range(1, 60):
        screen.paint(200 + 50 * step, (slice(100, 100 + step), slice(10, 13)), 9)
    assert screen.changed_ms == screen.drawn[-1] / MS


def test_a_spinner_is_work_however_small_it_is():
    screen = Screen().paint(100, *everything(1))
    for turn in range(5 * (MOST_STATES + 4)):
        screen.paint(200 + 50 * turn, SPINNER, 10 + turn % (MOST_STATES + 4))
    assert screen.changed_ms == screen.drawn[-1] / MS


def test_a_clock_that_counts_on_is_a_change_each_time():
    screen = Screen().paint(100, *everything(1))
    for second in range(1, 9):
        screen.paint(1000 * second, COLON, 20 + second)
        assert screen.changed_ms == 1000 * second


def test_the_last_picture_of_an_animation_counts_to_the_instant():
    screen = Screen()
    for number in range(30):
        screen.paint(100 + 16 * number, *everything(number + 1))
    screen.look(100 + 16 * 29 + BUSY_GAP_NS / MS + 20)
    assert screen.changed_ms == 100 + 16 * 29
    assert screen.seen.spread_ns == 0


def test_where_pictures_are_drawn_again_the_width_says_which_of_them_it_may_have_been():
    screen = Screen().paint(100, *everything(1))
    screen.paint(116)
    screen.paint(132, (slice(0, 100), slice(0, 100)), 9, looked=False)
    screen.paint(148)
    assert screen.changed_ms == 148
    assert screen.seen.spread_ns == 16 * MS


def test_nothing_to_look_at_counts_by_what_is_drawn():
    seen = VisibleChanges(lambda: None)
    seen.look(5 * MS, lambda _: 0, 10 * MS)
    assert seen.changed_ns == 5 * MS


def test_what_was_seen_before_it_was_told_counts_from_when_it_was_drawn():
    """A picture taken just after a frame is drawn, and before its event has come, shows it."""
    screen = Screen().paint(100, *everything(1))
    screen.pixels[:] = 2
    screen.drawn.append(160 * MS)
    screen.now = 200 * MS
    screen.seen.look(160 * MS, lambda _: 160 * MS, 162 * MS)
    screen.pixels[:] = 3  # drawn at 260, seen by the picture taken at 261 for the frame of 250
    screen.drawn.append(250 * MS)
    screen.now = 261 * MS
    screen.seen.look(250 * MS, lambda _: 250 * MS, 260 * MS)
    assert screen.changed_ms == 250
    screen.now = 330 * MS
    screen.seen.look(260 * MS, lambda _: 260 * MS, 330 * MS)
    assert screen.changed_ms == 260
    screen.now = 400 * MS
    screen.seen.look(390 * MS, lambda _: 390 * MS, 400 * MS)
    assert screen.changed_ms == 260
