"""A program that works while it draws nothing is waited for; the instants stay those of changes."""

import pytest
from scenes import MS, QUIET, at_ms, scene, window
from sessions import played

from yardstick_agent.playing.at_work import CORES, PATIENCE, AtWork
from yardstick_agent.playing.conditions import PictureSteady, WindowSteady
from yardstick_agent.playing.scene import Since

FAR = 60_000 * MS


def worked(monkeypatch, seconds_at):
    """A still window whose program has taken so many seconds at an instant; and polls it."""
    still = scene([window(changed=500)], last_change=500)
    now = [0]
    monkeypatch.setattr(
        type(still), "processor_seconds", lambda self, of: seconds_at(now[0] / MS / 1000)
    )

    def polled(condition, since, until_ms, step_ms=20):
        for at in range(0, until_ms + 1, step_ms):
            now[0] = at * MS
            found = condition.check(still, since, now[0])
            if found is not None:
                return at, at_ms(found)
        return None

    return still, polled


@pytest.mark.parametrize("condition", [WindowSteady, PictureSteady])
def test_quiet_counts_once_the_program_is_done_working(monkeypatch, condition):
    made = condition("Weft", QUIET) if condition is WindowSteady else condition(QUIET)
    still, polled = worked(monkeypatch, lambda s: min(s, 1.2))  # it works on until 1.2 s
    noticed, at = polled(made, Since(0, 0, FAR), 9000)
    assert at == 500
    assert 1200 < noticed < 1450
    assert not still.always_at_work


def test_a_program_at_rest_is_not_waited_for(monkeypatch):
    _, polled = worked(monkeypatch, lambda s: CORES * 0.9 * s)
    assert polled(WindowSteady("Weft", QUIET), Since(0, 0, FAR), 9000) == (900, 500)


def test_what_always_works_is_waited_for_once(monkeypatch):
    still, polled = worked(monkeypatch, lambda s: 2 * s)
    noticed, at = polled(WindowSteady("Weft", QUIET), Since(0, 0, FAR), 9000)
    assert (noticed, at) == (500 + (1 + PATIENCE) * QUIET / MS, 500)
    assert still.always_at_work
    assert polled(WindowSteady("Weft", QUIET), Since(0, 0, FAR), 9000) == (900, 500)


def test_it_is_not_waited_for_beyond_the_limit_of_the_session(monkeypatch):
    still, polled = worked(monkeypatch, lambda s: s)
    assert polled(WindowSteady("Weft", QUIET), Since(0, 0, 1500 * MS), 9000) == (1500, 500)
    assert not still.always_at_work


def test_work_is_told_of_the_last_moments_only():
    seconds = [0.0]
    work = AtWork(lambda: seconds[0])
    assert work.cores is None
    for at in range(0, 1000, 10):
        seconds[0] = min(at, 500) / 1000
        work.look(at * MS)
        if at == 150:
            assert work.may_go_on  # nothing is known yet
        if at == 480:
            assert work.cores == pytest.approx(1)
    assert work.cores == 0
    work.forget()
    assert work.cores is None


READING = """
import time, tkinter
root = tkinter.Tk()
root.geometry("400x200")
text = tkinter.Label(root, text="reading", bg="white")
text.place(x=0, y=0, width=400, height=200)
root.update()
print("reading", flush=True)
until = time.monotonic() + 0.8
while time.monotonic() < until:
    pass
text.configure(text="ready", bg="black")
root.update()
print("ready", flush=True)
root.mainloop()
"""


@pytest.mark.screen
def test_a_window_that_pauses_while_its_program_reads_is_not_ready_yet(tmp_path):
    session = """session "S"

step "Launch"
  time launch
    start
    until window is steady for 400ms, within 20s
  time said
    until log "ready"
  stop
"""
    run = played(tmp_path, session, ["/usr/bin/python3", "-c", READING], log="output.txt")
    assert run.outcome == "finished", run.detail
    ready = next(s for s in run.stretches if s.path[-1] == "launch")
    assert ready.end_ns - run.stretches[0].start_ns > 800_000_000
