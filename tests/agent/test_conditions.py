"""End conditions by themselves: the instant is when it became true, not when it was noticed."""

import re

import pytest
from scenes import MS, QUIET, at_ms, scene, since, window

from yardstick_agent.files import FileState
from yardstick_agent.playing.conditions import (
    Exited,
    FileEquals,
    FileWritten,
    LogSays,
    PictureSteady,
    WindowGone,
    WindowShown,
    WindowSteady,
    end_condition,
)
from yardstick_core.script.model import Condition


def test_a_window_is_shown_from_the_moment_it_was_mapped():
    assert at_ms(WindowShown("Weft").check(scene([window()]), since(), 900 * MS)) == 100
    assert WindowShown("Loom").check(scene([window()]), since(), 900 * MS) is None
    assert WindowShown("").check(scene([window(gone=200)]), since(), 900 * MS) is None


def test_a_window_shown_before_the_wait_counts_from_the_wait_and_answers_nothing():
    before = WindowShown("Weft").check(scene([window()]), since(300), 900 * MS)
    assert (at_ms(before), before.followed) == (300, False)
    assert WindowShown("Weft").check(scene([window()]), since(), 900 * MS).followed
    assert not WindowGone("Loom").check(scene([window()]), since(300), 900 * MS).followed


def test_a_window_is_gone_when_it_was_unmapped():
    gone = window(gone=250)
    assert at_ms(WindowGone("Weft").check(scene([gone]), since(), 900 * MS)) == 250
    assert WindowGone("Weft").check(scene([gone, window()]), since(), 900 * MS) is None


def renamed(*titles, **more):
    """A window that was shown as “Weftwright” and given other titles, a second after another."""
    found = window(**more)
    for place, title in enumerate(titles, 1):
        found.rename(title, 1000 * place * MS)
    return found


def test_a_window_that_is_renamed_is_shown_from_when_it_was_called_so():
    opened = renamed("harbour - Weftwright", "harbour* - Weftwright")
    assert at_ms(WindowShown("harbour").check(scene([opened]), since(), 9000 * MS)) == 1000
    assert at_ms(WindowShown("harbour*").check(scene([opened]), since(), 9000 * MS)) == 2000
    assert at_ms(WindowShown("Weft").check(scene([opened]), since(), 9000 * MS)) == 100
    again = renamed("harbour - Weftwright", "Weftwright", "harbour - Weftwright")
    assert at_ms(WindowShown("harbour").check(scene([again]), since(), 9000 * MS)) == 3000


def test_a_window_that_is_renamed_is_gone_from_when_it_was_called_otherwise():
    ready = renamed("reading", "reading on", "ready")
    assert at_ms(WindowGone("reading").check(scene([ready]), since(), 9000 * MS)) == 3000
    assert WindowGone("ready").check(scene([ready]), since(), 9000 * MS) is None
    closed = renamed("reading", "ready", gone=1500)
    assert at_ms(WindowGone("reading").check(scene([closed]), since(), 9000 * MS)) == 1500
    assert at_ms(WindowGone("loom").check(scene([ready]), since(300), 9000 * MS)) == 300


def test_a_window_is_not_steady_before_it_is_called_so():
    condition = WindowSteady("harbour", QUIET)
    opened = scene([renamed("harbour - Weftwright", changed=500)])
    assert condition.check(opened, since(), 1399 * MS) is None
    assert at_ms(condition.check(opened, since(), 1400 * MS)) == 1000


def test_steady_is_the_last_change_not_the_end_of_the_quiet():
    condition = WindowSteady("Weft", QUIET)
    steady = scene([window(changed=500)])
    assert condition.check(steady, since(), 899 * MS) is None
    assert at_ms(condition.check(steady, since(), 900 * MS)) == 500
    assert at_ms(condition.check(steady, since(), 5000 * MS)) == 500


def test_a_window_that_never_drew_is_steady_from_when_it_was_shown():
    assert at_ms(WindowSteady("", QUIET).check(scene([window()]), since(), 900 * MS)) == 100


def test_quiet_before_the_wait_does_not_count():
    condition = PictureSteady(QUIET)
    quiet = scene(last_change=500)
    assert condition.check(quiet, since(1000), 1399 * MS) is None
    assert at_ms(condition.check(quiet, since(1000), 1400 * MS)) == 1000


def test_no_window_is_never_steady():
    assert WindowSteady("Weft", QUIET).check(scene(), since(), 9000 * MS) is None


def test_a_file_is_written_at_its_last_change_once_it_is_closed_and_stays_so():
    condition = FileWritten("out.png")

    def with_file(closed, changed=300):
        return scene(files={"out.png": FileState(changed * MS, 2 * MS, closed)})

    assert condition.check(with_file(False), since(), 9000 * MS) is None
    assert condition.check(with_file(True), since(), 540 * MS) is None
    assert at_ms(condition.check(with_file(True), since(), 550 * MS)) == 300
    assert condition.check(with_file(True), since(400), 9000 * MS) is None
    assert condition.check(scene(), since(), 9000 * MS) is None


def test_a_file_is_equal_from_its_last_write_not_from_when_it_is_looked_for(tmp_path):
    (tmp_path / "wanted").write_bytes(b"cloth")
    written = scene(files={"out": FileState(700 * MS, 2 * MS, True)})
    written.folder.folder = tmp_path
    condition = FileEquals("out", "wanted")
    assert condition.check(written, since(), 800 * MS) is None
    (tmp_path / "out").write_bytes(b"clo")
    assert condition.check(written, since(), 800 * MS) is None
    (tmp_path / "out").write_bytes(b"cloth")
    found = condition.check(written, since(100), 900 * MS)
    assert (at_ms(found), found.plus_minus_ns, found.followed) == (700, 2 * MS, True)
    early = condition.check(written, since(800), 900 * MS)
    assert (at_ms(early), early.followed) == (800, False)


def test_a_log_line_counts_once_and_in_order():
    said = scene(lines=[(100, "draft read"), (200, "draft read"), (300, "cloth shown")])
    says = LogSays(re.compile("draft read"))
    assert at_ms(says.check(said, since(), 900 * MS)) == 100
    assert at_ms(says.check(said, since(), 900 * MS)) == 200
    assert says.check(said, since(), 900 * MS) is None
    assert at_ms(LogSays(re.compile("shown$")).check(said, since(), 900 * MS)) == 300


def test_a_line_from_before_the_last_input_does_not_count():
    said = scene(lines=[(100, "draft read")])
    assert LogSays(re.compile("read")).check(said, since(150), 900 * MS) is None


def test_a_line_between_input_and_wait_counts_from_the_wait():
    said = scene(lines=[(100, "ready")])
    found = LogSays(re.compile("ready")).check(said, since(180, inputs=50), 900 * MS)
    assert at_ms(found) == 180


def test_exit_is_when_the_process_ended():
    assert Exited().check(scene(), since(), 900 * MS) is None
    assert Exited().check(scene(exited=0), since(), 900 * MS) is None
    assert at_ms(Exited().check(scene(exited=444), since(), 900 * MS)) == 444


@pytest.mark.parametrize(
    ("kind", "made"),
    [
        ("window shown", WindowShown),
        ("window gone", WindowGone),
        ("window steady", WindowSteady),
        ("picture steady", PictureSteady),
        ("file written", FileWritten),
        ("log text", LogSays),
        ("log regex", LogSays),
        ("exited", Exited),
    ],
)
def test_every_condition_of_the_language_has_its_class(kind, made):
    assert isinstance(end_condition(Condition(kind, "x", QUIET)), made)
    assert str(Condition(kind, "x", QUIET))


def test_a_text_in_the_log_is_taken_literally():
    condition = end_condition(Condition("log text", "a.b (c)"))
    assert condition.check(scene(lines=[(1, "axb c")]), since(), MS) is None
    assert condition.check(scene(lines=[(1, "so: a.b (c)!")]), since(), MS) is not None


def test_a_condition_nobody_knows_is_an_error():
    with pytest.raises(ValueError, match="no end condition"):
        end_condition(Condition("moon full"))
