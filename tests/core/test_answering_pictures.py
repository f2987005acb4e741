"""Pictures that answer inputs: key to rest, carets left out, and rates of a script's own."""

import numpy as np
import pytest

from core.studies import judged
from core.test_ladders import LEVELS, ladder_runs
from core.test_script import problems
from yardstick_core.compare.answer import answers
from yardstick_core.compare.ladder_text import ladder_readings
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.readings import METRICS, Reading, derive
from yardstick_core.readings.latency import ONLY_ANSWERS, only_answers, rests_ms, without_blinks
from yardstick_core.readings.metric import DROPPED_AT, ON_RATE, at_rate, rate_of
from yardstick_core.record import InputRecord, RunRecord, StretchRecord
from yardstick_core.script import parse

MS, S = 1_000_000, 1_000_000_000
PAGES = np.arange(1, 41) * 250 * MS
LOOK = ("Page", "paging")


def paged(*offsets_ms):
    """Pictures so many ms after each of forty inputs, four of them a second."""
    return np.sort(np.concatenate([PAGES + round(ms * MS) for ms in offsets_ms]))


def run_of(frames, inputs=PAGES, hertz=None):
    end = int(PAGES[-1]) + S // 4
    look = StretchRecord("frames", LOOK, 0, end, hertz=hertz)
    return RunRecord(
        (StretchRecord("step", ("Page",), 0, end), look),
        tuple(InputRecord(int(at), 0, "press Page_Down") for at in inputs), (), frames, {},
        "finished", "", (),
    )  # fmt: skip


def read(run):
    return {one.metric: one for one in derive(run) if one.stretch == LOOK}


def test_key_to_rest_is_the_last_change_before_quiet_or_the_next_input():
    rests, cut_short = rests_ms(PAGES, paged(10, 45, 80), int(PAGES[-1]) + S)
    assert rests == pytest.approx(np.full(40, 80.0))
    assert not cut_short.any()
    far = np.array([S, 5 * S])
    rests, _ = rests_ms(far, np.array([S + 20 * MS, S + 100 * MS, 4 * S, 5 * S + 7 * MS]), 9 * S)
    assert rests == pytest.approx([100, 7])


def test_an_input_without_a_picture_has_no_rest_and_pictures_without_end_are_cut_short():
    rests, cut_short = rests_ms(np.array([S, 3 * S]), np.array([S + 5 * MS]), 4 * S)
    assert rests[0] == pytest.approx(5)
    assert np.isnan(rests[1])
    running = np.arange(0, 11 * S, 16 * MS)
    _, cut_short = rests_ms(PAGES, running, 11 * S)
    assert cut_short[:-1].all()


@pytest.mark.parametrize("phase", [90, 180, 240])
def test_a_caret_that_blinks_through_is_left_out(phase):
    """A page changes 40 ms after its key, once every 3 s; a caret blinks every 530 ms all along."""
    keys = np.arange(1, 12) * 3 * S + np.arange(11) * 71 * MS
    caret = np.arange(phase * MS, 37 * S, 530 * MS)
    apart = np.abs(caret[:, None] - (keys + 40 * MS)).min(axis=1) > 60 * MS
    frames = np.sort(np.r_[keys + 40 * MS, caret[apart]])
    rests, _ = rests_ms(keys, frames, 37 * S)
    assert rests == pytest.approx(np.full(11, 40), abs=1)
    assert len(without_blinks(frames, keys)) < len(frames) / 2


def test_pages_that_rest_are_not_taken_for_a_caret():
    frames = np.arange(1, 30) * 700 * MS + np.tile([0, 260], 15)[:29] * MS
    assert len(without_blinks(frames, PAGES[:0])) == len(frames)
    assert len(without_blinks(frames[:2], PAGES[:0])) == 2


def test_where_pictures_only_follow_inputs_rates_are_not_judged_and_rest_leads():
    quick, slow = read(run_of(paged(20, 60))), read(run_of(paged(20, 110)))
    assert quick["key_to_rest"].value == pytest.approx(60)
    assert quick["average_rate"].warning == ONLY_ANSWERS
    sides = [quick, slow]
    runs = [
        JudgedRun(
            2 * turn + side, side, turn, False, "finished",
            tuple(
                Reading(LOOK, key, one.value * (1 + 0.001 * turn), warning=one.warning)
                for key, one in sides[side].items()
            ),
        )
        for turn in range(6) for side in (0, 1)
    ]  # fmt: skip
    judgement = judge(runs, ["A", "B"])
    rows = {row.metric.key: row for row in judgement.rows if row.stretch == LOOK}
    assert rows["average_rate"].not_judged == ONLY_ANSWERS
    assert rows["average_rate"].differences[1] is None
    assert not any(row.counted for row in rows.values() if row.family == "frames")
    (answer,) = answers(judgement)
    assert (answer.metric, answer.verdict) == ("key_to_rest", "behind")


def test_moving_pictures_and_slow_ones_keep_their_rates():
    smooth = np.arange(0, 11 * S, 16 * MS)
    assert not only_answers(PAGES, smooth, 0, 11 * S)
    late = PAGES + 230 * MS  # always busy: each picture comes just before the next input
    assert not only_answers(PAGES, late, 0, 11 * S)
    assert only_answers(PAGES, paged(30), 0, 11 * S)
    assert read(run_of(smooth))["average_rate"].warning != ONLY_ANSWERS
    assert "key_to_rest" not in read(run_of(smooth))


def test_a_rate_of_the_scripts_own_is_read_and_counted_in_place_of_60_hz():
    times = np.tile(np.r_[np.full(9, 1000 / 59.94), 2000 / 59.94], 56)
    frames = np.cumsum(times * MS).astype(np.int64)
    found = read(run_of(frames, hertz=59.94))
    on, dropped = at_rate(ON_RATE, 59.94), at_rate(DROPPED_AT, 59.94)
    assert found[on].value == pytest.approx(100 * 9 / 11, abs=0.5)
    assert found[dropped].value == pytest.approx(55, abs=2)
    assert "on_rate.59.94" not in read(run_of(frames))
    side = {
        (LOOK, key): [found[key].value] * 3
        for key in (on, dropped, "on_target_60", "on_target_120", "drops_60")
    }
    rows = {row.metric.key: row.echo_of for row in judged([side, side]).rows}
    assert rows == {on: "", **{key: on for _, key in side if key != on}}
    assert METRICS[on].name == "on 59.94 Hz"
    assert rate_of("on_rate.sixty") is None
    assert "on_rate.060" not in METRICS


@pytest.mark.parametrize(
    ("line", "name", "hertz"),
    [
        ("frames scroll at 59.94 Hz", "scroll", 59.94),
        ("frames scroll", "scroll", None),
        ("frames look at it", "look at it", None),
        ("frames look at 3", "look at 3", None),
    ],
)
def test_a_frame_stretch_may_name_its_rate(line, name, hertz):
    script = parse(f'session "x"\n\nstep "One"\n  start\n  {line}\n    wait 1s\n')
    frames = script.steps[0].body[1]
    assert (frames.name, frames.hertz) == (name, hertz)


@pytest.mark.parametrize("rate", ["0", "0.5", "1001", "99999999999"])
def test_a_rate_beyond_reason_is_refused_with_the_bounds(rate):
    problem, *_ = problems(f'session "x"\n\nstep "One"\n  frames a at {rate} Hz\n    wait 1s\n')
    assert "a rate from 1 to 1000 Hz" in problem


def test_a_ladder_is_fluid_up_to_the_rate_that_its_script_names():
    runs = [
        JudgedRun(
            run.run, run.variant, run.round, False, "finished",
            (*run.readings, Reading(("Scroll", "scroll"), at_rate(ON_RATE, 90), 50.0)), "loft",
            level=run.level,
        )
        for run in ladder_runs([1.0], rates=[lambda level: 90 / 1.05 * 300 / level])
    ]  # fmt: skip
    capacity = next(one for one in ladder_readings(runs, ["4.1"], 0) if one.kind == "capacity")
    assert capacity.line == pytest.approx(90 / 1.05)
    assert "at 90 pictures a second" in capacity.sentences[0]
    assert LEVELS[0] < 300 < LEVELS[-1]
    slow = [run for run in runs if run.level == f"ends {LEVELS[-1]}"]
    slow += [run for run in runs if run.level == f"ends {LEVELS[-2]}"]
    below = next(one for one in ladder_readings(slow, ["4.1"], 0) if one.kind == "capacity")
    assert "does not hold 90" in below.sentences[0]
