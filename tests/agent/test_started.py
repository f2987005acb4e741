"""Programs that were started, as whoever tells windows apart sees them."""

import threading
import time
from dataclasses import dataclass

import pytest

from yardstick_agent.started import Started
from yardstick_agent.subject import NotStartedError, _why_not


@dataclass
class Fake:
    """A program whose processes are its own and its child's."""

    pid: int
    exited_ns: int = 0

    def owns(self, pid):
        return pid in (self.pid, self.pid + 1)


def test_a_window_shown_while_its_program_is_being_started_is_known_as_its_own():
    """A quick program shows its window before it is noted that it runs."""
    started, said = Started(), []
    asking = [threading.Thread(target=lambda pid=pid: said.append(started.belongs(pid)))
              for pid in (7, 8, 0)]  # fmt: skip

    def make():
        for one in asking:
            one.start()
        time.sleep(0.1)
        assert said == []
        return Fake(7)

    started.start("", make)
    for one in asking:
        one.join(5)
    assert said == [True, True, True]


def test_windows_belong_to_programs_that_run():
    started = Started()
    assert not started.belongs(0)
    subject = started.start("", lambda: Fake(7))
    started.start("helper", lambda: Fake(20))
    assert started.belongs(21)
    assert not started.belongs(30)
    subject.exited_ns = 1
    assert not started.belongs(7)
    assert started.belongs(0)


def test_the_subject_is_told_from_its_companions():
    started = Started()
    assert not started.subject_alone()
    started.start("", lambda: Fake(7))
    assert started.subject_alone()
    started.start("helper", lambda: Fake(20))
    assert not started.subject_alone()
    assert started.companions() == {20}
    assert [program.pid for program in started] == [7, 20]


def test_what_cannot_be_started_is_not_noted_and_holds_nobody_up():
    started = Started()

    def fails():
        raise NotStartedError("no such program")

    with pytest.raises(NotStartedError):
        started.start("", fails)
    assert list(started) == []
    assert not started.belongs(0)


def test_a_program_that_is_nowhere_is_not_called_forbidden(tmp_path):
    """As a folder of the path that may not be looked into would have it."""
    path, forbidden = str(tmp_path), PermissionError(13, "Permission denied")
    assert _why_not("loom", path, forbidden) == "there is no such program on this machine"
    (tmp_path / "loom").write_text("no program")
    assert _why_not("loom", path, forbidden) == "Permission denied"
