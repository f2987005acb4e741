"""What one looks at in a run: spikes with their moment, laps, stretches side by side."""

import math

import numpy as np
import pytest

from yardstick_core.compare.stretches import change, histogram, quantile_curve, side_by_side
from yardstick_core.compare.text import THIN
from yardstick_core.readings import METRICS
from yardstick_core.readings.drawn import drawn_series
from yardstick_core.readings.growth import GROWS, NO_GROWTH, TOO_SHORT
from yardstick_core.readings.laps import POINTS, laps, outlook
from yardstick_core.readings.spikes import explained
from yardstick_core.record import InputRecord, RunRecord, StretchRecord

S, MS = 1_000_000_000, 1_000_000
MIB = 2.0**20


def frames(gaps_ms: list[float]) -> np.ndarray:
    return np.r_[0, np.cumsum(np.array(gaps_ms) * MS)].astype(np.int64)


def test_a_spike_says_its_step_and_the_input_before_it():
    run = RunRecord(
        stretches=(
            StretchRecord("step", ("Open",), 0, S),
            StretchRecord("step", ("Go",), S, 3 * S),
        ),
        inputs=(InputRecord(1950 * MS, 0, "scroll down"),),
    )
    near, far = explained(run, np.array([2 * S, 4 * S]), np.array([40.0, 50.0]))
    assert (near.step, near.after, near.since_ms) == ("Go", "scroll down", 50)
    assert (far.step, far.after, far.since_ms) == ("", "", 0)


def test_a_spike_says_what_others_took_and_what_was_written_just_then():
    at = np.arange(0, 5 * S, S // 10)
    others = np.where(at >= 2 * S, np.minimum(at - 2 * S, S // 2) / S, 0.0)
    written = np.where(at >= 2 * S, 5 * MIB, 0.0)
    run = RunRecord(
        counters={
            "machine.foreign_seconds": (at, others),
            "subject.bytes_written": (at, written),
        }
    )
    hit, calm = explained(run, np.array([2200 * MS, 4 * S]), np.array([100.0, 100.0]))
    assert 0.5 < hit.foreign_cores <= 1
    assert hit.disk_mib == pytest.approx(5)
    assert (calm.foreign_cores, calm.disk_mib) == (0, 0)


def test_drawn_frames_leave_idle_time_out_and_say_where_it_was():
    run = RunRecord(
        frames_ns=frames([10] * 30 + [2000] + [10] * 30 + [60] + [10] * 30),
        inputs=(InputRecord(100 * MS, 0, "press x"),),
        counters={"subject.processor_seconds": (np.array([0, S, 2 * S]), np.array([0.0, 1, 1]))},
    )
    found = drawn_series(run)
    assert found["frames"].high.max() == 60
    assert found["idle"].high.tolist() == [2000]
    assert found["spikes"].high.tolist() == [60]
    assert found["key_to_picture"].high.tolist() == [10]
    assert found["subject.processor"].high.tolist() == [1, 0]


def sawtooth(laps_: int, grows_mib: float, seconds: float = 10) -> RunRecord:
    """Laps in which memory climbs by 40 MiB and falls back, with some MiB kept of each."""
    at = np.arange(0, laps_ * seconds, 0.05)
    phase = (at % seconds) / seconds
    base = 100 + grows_mib * np.floor(at / seconds + 1e-9)
    used = base + 40 * np.minimum(phase / 0.8, (1 - phase) / 0.2)
    stretches = tuple(
        StretchRecord("lap", ("Loop", "lap"), int(n * seconds * S), int((n + 1) * seconds * S))
        for n in range(laps_)
    )
    return RunRecord(stretches, counters={"subject.resident": ((at * S).astype(int), used * MIB)})


def test_laps_have_crest_and_trough_and_a_curve_from_their_start():
    found = laps(sawtooth(6, 5))
    assert len(found) == 6
    assert [lap.trough_mib for lap in found] == pytest.approx([100 + 5 * n for n in range(6)])
    assert [lap.crest_mib for lap in found] == pytest.approx([140 + 5 * n for n in range(6)], abs=1)
    assert len(found[0].curve_mib) == POINTS
    assert found[2].seconds == pytest.approx(10)


def test_memory_that_grows_is_projected_with_a_range_to_the_machines_limit():
    found = outlook(sawtooth(30, 5), 0, 300 * S, machine_mib=1000)
    assert found.kind == GROWS
    assert found.low < 30 < found.high
    eight, day = found.after
    assert eight.low < eight.value < eight.high < day.value
    assert eight.value == pytest.approx(250 + 30 * 480, rel=0.1)
    soonest, latest = found.full_after_h
    assert soonest < 750 / 30 / 60 < latest


def test_memory_that_stands_still_is_not_projected():
    found = outlook(sawtooth(30, 0), 0, 300 * S, machine_mib=1000)
    assert found.kind == NO_GROWTH
    assert found.after == ()
    assert found.full_after_h is None


def test_a_few_seconds_are_too_short_to_say():
    assert outlook(sawtooth(3, 5), 0, 30 * S).kind == TOO_SHORT
    assert outlook(RunRecord(), 0, S) is None
    assert laps(RunRecord()) == []


def test_a_change_is_in_the_own_unit_in_percent_and_as_factor():
    found = change(METRICS["duration"], 2.0, 1.5)
    assert found.own == f"−500{THIN}ms"
    assert found.percent == f"25{THIN}% less"
    assert found.times == f"1.33{THIN}× as fast"
    assert found.better is True
    assert change(METRICS["duration"], None, 1.0) is None
    assert change(METRICS["on_target_60"], 100.0, 100 - 1e-12).own == f"0{THIN}pt"
    share = change(METRICS["stutter_share"], 1.0, 3.0)
    assert (share.own, share.percent, share.better) == (f"+2.00{THIN}pt", "", False)


def test_side_by_side_has_a_line_for_every_metric_of_any():
    lines = side_by_side([{"duration": 2.0}, {"duration": 1.0, "spikes": 3.0}])
    by_metric = {line["metric"]: line for line in lines}
    assert by_metric["duration"]["values"] == [2, 1]
    assert by_metric["spikes"]["values"] == [None, 3]
    assert by_metric["spikes"]["changes"] == [None, None]
    assert by_metric["spikes"]["text"][0] == ""


def test_a_histogram_weighs_time_and_holds_all_of_it():
    even, mixed = np.full(100, 10.0), np.r_[np.full(100, 5.0), np.full(1, 500.0)]
    found = histogram([even, mixed, np.empty(0)])
    assert len(found.shares) == 3
    assert found.shares[0].sum() == pytest.approx(1)
    assert found.shares[1].sum() == pytest.approx(1)
    assert found.shares[1][-1] == pytest.approx(0.5)
    assert found.shares[2].sum() == 0


def test_a_quantile_curve_climbs_to_the_slowest_ten_thousandth():
    curve = quantile_curve(np.arange(1, 100_001, dtype=float))
    assert curve == sorted(curve)
    assert curve[0] == 1
    assert curve[-1] == pytest.approx(99_990, rel=1e-4)
    assert quantile_curve(np.ones(2)) == []
    assert all(math.isfinite(value) for value in curve)
