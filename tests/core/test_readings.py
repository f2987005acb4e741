"""Readings of streams whose truth is known."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.ndimage import median_filter

from yardstick_core.readings import METRICS, derive
from yardstick_core.readings.derive import WHOLE, stretch_readings, worked_frames
from yardstick_core.readings.frames import (
    all_frame_readings,
    average_rate,
    busy_and_quiet,
    drops,
    on_target,
    one_percent_low,
    percentiles,
    spike_mask,
)
from yardstick_core.readings.idle import cut_idle, frame_times
from yardstick_core.readings.latency import latencies_ms
from yardstick_core.readings.memory import memory_readings
from yardstick_core.readings.processor import seconds_between, to_the_end
from yardstick_core.record import InputRecord, RunRecord, StretchRecord

S = 1_000_000_000
MS = 1_000_000


def instants(times_ms: list[float] | np.ndarray, start: int = 0) -> np.ndarray:
    return start + np.r_[0, np.cumsum(np.asarray(times_ms) * MS)].astype(np.int64)


def test_average_rate_is_frames_over_time_not_the_mean_of_rates():
    times = np.array([10.0, 30.0])
    assert average_rate(times) == 50
    assert average_rate(times) != np.mean(1000 / times)


def test_one_percent_low_is_the_rate_of_the_mean_of_the_slowest_hundredth():
    times = np.full(1000, 10.0)
    times[:10] = [20, 30, 40, 50, 60, 70, 80, 90, 100, 60]
    assert one_percent_low(times) == pytest.approx(1000 / 60)


def test_percentiles_are_exact():
    found = all_frame_readings(np.arange(1, 1002, dtype=float))
    assert found["median_frame"] == 501
    assert found["p99_frame"] == 991
    assert found["p99_rate"] == pytest.approx(1000 / 991)


@pytest.mark.parametrize("size", [1, 2, 3, 10, 999, 5000])
@pytest.mark.parametrize("kind", [np.float32, np.float64])
def test_percentiles_are_those_of_numpy(size, kind):
    values = np.random.default_rng(size).gamma(3, 3, size).astype(kind)
    shares = (0.0, 0.1, 0.5, 0.95, 0.99, 0.999, 1.0)
    ours = percentiles(values, shares)
    assert ours == pytest.approx(np.quantile(values.astype(float), shares).tolist(), rel=1e-6)
    assert np.array_equal(values, np.random.default_rng(size).gamma(3, 3, size).astype(kind))


def test_a_spike_stands_out_from_its_neighbours_not_from_the_whole():
    slow_half = np.r_[np.full(200, 5.0), np.full(200, 20.0)]
    assert not spike_mask(slow_half).any()
    slow_half[100] = 14
    slow_half[300] = 40
    assert np.flatnonzero(spike_mask(slow_half)).tolist() == [100]
    slow_half[300] = 60
    assert np.flatnonzero(spike_mask(slow_half)).tolist() == [100, 300]


def test_share_of_time_on_target_weighs_time_not_frames():
    times = np.array([10.0] * 50 + [500.0])
    assert on_target(times, 60) == pytest.approx(50)


def test_a_stretch_holds_the_frames_that_end_in_it_the_first_from_its_start():
    ends, times = frame_times(instants([10, 10, 10, 10]), 15 * MS, 35 * MS)
    assert ends.tolist() == [20 * MS, 30 * MS]
    assert times.tolist() == [5, 10]


NO_INPUT = np.array([], np.int64)


def test_a_gap_in_which_nothing_was_asked_for_is_idle():
    found = cut_idle(*frame_times(instants([10, 10, 2000, 10]), 0, 3 * S), NO_INPUT)
    assert found.times_ms.tolist() == [10, 10, 10]
    assert found.idle_s == 2
    assert found.idle_ns.tolist() == [[20 * MS, 2020 * MS]]
    assert len(found.ends_ns) == 3


def test_a_slow_answer_to_an_input_is_no_idle_time():
    asked = np.array([20 * MS + 500 * MS])
    found = cut_idle(*frame_times(instants([10, 10, 2000, 10]), 0, 3 * S), asked)
    assert found.times_ms.tolist() == [10, 10, 1500, 10]
    assert found.idle_ns.tolist() == [[20 * MS, 520 * MS]]


def test_no_gap_is_idle_where_pictures_are_wanted_all_the_time():
    times = frame_times(instants([10, 10, 2000, 10]), 0, 3 * S)
    assert cut_idle(*times, NO_INPUT, [(0, 3 * S)]).times_ms.tolist() == [10, 10, 2000, 10]
    assert cut_idle(*times, NO_INPUT, [(2100 * MS, 3 * S)]).idle_s == 2
    begun = cut_idle(*times, NO_INPUT, [(1900 * MS, 3 * S)])
    assert begun.times_ms.tolist() == [10, 10, 120, 10]
    assert begun.idle_ns.tolist() == [[20 * MS, 1900 * MS]]


def test_a_short_gap_is_never_idle():
    found = cut_idle(*frame_times(instants([10, 240, 10]), 0, S), NO_INPUT)
    assert len(found.times_ms) == 3


def spikes_by_definition(values):
    """Frames far above the median of 19 neighbours, or of 121 wherever these are."""
    local = median_filter(values, 19, mode="nearest")
    found = (values > 2.5 * local) & (values > local + 4)
    window = min(121, len(values))
    for place, value in enumerate(values):
        first = min(max(0, place - window // 2), len(values) - window)
        usual = sorted(values[first : first + window])[window // 2]
        found[place] |= value > 2.5 * usual and value > usual + 4
    return found.tolist()


@given(
    st.lists(st.floats(0.05, 400), min_size=1, max_size=400),
    st.lists(st.integers(0, 399), max_size=12),
)
def test_spikes_are_those_of_the_definition(times, places):
    values = np.array(times)
    values[[p for p in places if p < len(values)]] *= 6
    assert spike_mask(values).tolist() == spikes_by_definition(values)
    even = np.full(1000, 8.0)
    even[places] = 40
    assert spike_mask(even).tolist() == spikes_by_definition(even)


def test_ten_slow_frames_on_end_are_all_stutter():
    times = np.r_[np.full(200, 10.0), np.full(10, 80.0), np.full(200, 10.0)]
    assert spike_mask(times).sum() == 10


FROZEN = RunRecord(
    stretches=(StretchRecord("frames", ("Scroll", "scroll"), 0, 4 * S),),
    frames_ns=np.arange(16 * MS, S, 16 * MS),
)


def read(run):
    return {reading.metric: reading for reading in derive(run)}


def test_a_freeze_at_the_end_of_a_stretch_is_its_last_frame():
    found = read(FROZEN)
    assert found["average_rate"].value == pytest.approx(62 / 3.984)
    assert found["stutter_share"].value == pytest.approx(75, abs=1)
    assert "no picture came any more" in found["average_rate"].warning


def test_a_stretch_that_ends_soon_after_its_last_picture_is_no_freeze():
    run = RunRecord(
        stretches=(StretchRecord("frames", ("Scroll", "scroll"), 0, S + 60 * MS),),
        frames_ns=FROZEN.frames_ns,
    )
    assert read(run)["average_rate"].value == pytest.approx(62.5)


@pytest.mark.parametrize(("pictures", "rate"), [([], 0.25), ([3 * S], 0.5)])
def test_a_stretch_of_hardly_a_picture_says_what_is_known(pictures, rate):
    stretch = StretchRecord("frames", ("Scroll", "scroll"), S, 5 * S)
    shown = np.array([S // 2, *pictures], np.int64)
    found = read(RunRecord(stretches=(stretch,), frames_ns=shown))
    assert found["average_rate"].value == pytest.approx(rate)
    assert "fewer than 3 pictures" in found["average_rate"].warning


def test_a_run_whose_pictures_were_not_recorded_froze_nowhere():
    assert read(RunRecord(stretches=FROZEN.stretches)) == {}


@pytest.mark.parametrize("ms", [24.9, 25.1])
def test_pictures_dropped_do_not_jump_with_a_little_of_frame_time(ms):
    refreshes = 1000 * ms * 60 / 1000
    assert drops(np.full(1000, ms)) == pytest.approx(refreshes - 1000, abs=2)


def test_a_screen_in_step_drops_nothing_though_pictures_come_a_little_off():
    rng = np.random.default_rng(1)
    ends = np.arange(1, 601) * 1000 / 60 + rng.uniform(-3, 3, 600)
    assert drops(np.diff(ends, prepend=0)) == 0


def answered_run(delays_ms):
    """Inputs every 2 s, each answered after some ms, or not at all."""
    inputs = [InputRecord(n * 2 * S, 0, "press x") for n in range(len(delays_ms))]
    pictures = [n * 2 * S + int(ms * MS) for n, ms in enumerate(delays_ms) if ms is not None]
    return RunRecord(
        stretches=(StretchRecord("frames", ("Type", "type"), -MS, 2 * len(inputs) * S),),
        inputs=tuple(inputs),
        frames_ns=np.array(pictures, np.int64),
    )


def test_inputs_without_a_picture_count_as_longer_than_the_limit():
    found = read(answered_run([20.0] * 18 + [None] * 2))
    assert found["key_to_picture"].value == pytest.approx(20)
    assert not found["key_to_picture"].right_censored
    slowest = found["key_to_picture_p95"]
    assert (slowest.right_censored, slowest.value) == (True, 1000)
    assert "2 of 20 inputs" in slowest.warning


def lap(number, seconds, *, ended=True):
    start = 10 * number * S
    return StretchRecord(
        "lap", ("Open and close",), start, start + int(seconds * S), right_censored=not ended
    )


def test_a_turn_that_never_ended_counts_as_longer_than_all():
    turns = [lap(n, 2) for n in range(3)] + [lap(n, 5, ended=False) for n in range(3, 7)]
    run = RunRecord(stretches=tuple(turns))
    found = read(run)["lap_time"]
    assert (found.value, found.right_censored) == (5, True)
    assert "4 of 7" in found.warning


def test_a_hang_after_the_first_picture_of_a_timing_is_no_rest():
    pictures = np.array([10 * MS, 20 * MS, 3020 * MS, 3030 * MS, 8 * S], np.int64)
    run = RunRecord(
        stretches=(StretchRecord("time", ("Open", "open"), 0, 3030 * MS),),
        inputs=(InputRecord(0, 0, "press Enter"),),
        frames_ns=pictures,
    )
    worked = worked_frames(run, 0, 9 * S)
    assert worked.times_ms.max() == pytest.approx(3000)
    assert worked.idle_ns.tolist() == [[3030 * MS, 8 * S]]


@given(st.lists(st.integers(0, 5_000), max_size=40), st.integers(1, 60))
def test_a_frame_is_busy_within_half_a_second_of_an_input(inputs, step):
    asked = np.sort(np.array(inputs, np.int64)) * MS
    ends = np.arange(step, 5_000, step) * MS
    times = np.full(len(ends), float(step))
    busy = sum(any(0 <= end - at <= S // 2 for at in asked.tolist()) for end in ends.tolist())
    found, quiet = busy_and_quiet(ends, times, asked)
    total = times.sum() / 1000
    assert found == pytest.approx(busy / total)
    assert quiet == pytest.approx((len(ends) - busy) / total)


def test_latency_is_from_input_to_the_next_picture():
    delays = latencies_ms(np.array([0, 15, 5000]) * MS, np.array([4, 20, 25]) * MS)
    assert delays[:2].tolist() == [4, 5]
    assert np.isnan(delays[2])


def test_processor_seconds_are_read_between_samples():
    counter = (np.array([0, 1, 2]) * S, np.array([0.0, 1.0, 1.0]))
    assert seconds_between(counter, S // 2, 3 * S // 2) == pytest.approx(0.5)
    assert seconds_between(counter, S, 5 * S) is None


def spent(seconds, ended, starts=1):
    entry = {"kind": "spent", "at": ended + MS, "processor_s": seconds, "ended": ended}
    return [*[{"kind": "started", "at": 0, "companion": ""}] * starts, entry]


def test_what_a_program_spends_after_its_last_sample_counts_at_its_end():
    counter = np.array([0, 50, 100, 150]) * MS, np.array([0.0, 0.05, 0.10, 0.10])
    whole = to_the_end(counter, spent(0.117, 120 * MS))
    assert seconds_between(whole, 0, 120 * MS) == pytest.approx(0.117)
    assert seconds_between(whole, 0, 100 * MS) == pytest.approx(0.10)
    assert (np.diff(whole[0]) > 0).all()
    assert whole[1].tolist() == [0.0, 0.05, 0.10, 0.117, 0.117]


@pytest.mark.parametrize("journal", [
    [], spent(0.05, 120 * MS), spent(0.2, 120 * MS, starts=2),
    [{"kind": "spent", "at": 200 * MS, "processor_s": 0.2}],
])  # fmt: skip
def test_without_a_single_known_end_samples_stand_as_they_are(journal):
    counter = np.array([0, 50, 100]) * MS, np.array([0.0, 0.05, 0.10])
    assert to_the_end(counter, journal) is counter


def test_peak_and_final_memory():
    at = np.arange(0, 10) * S // 2
    values = np.array([1, 2, 9, 3, 3, 3, 3, 4, 4, 4]) * 1024.0 * 1024
    found = memory_readings((at, values), 0, int(at[-1]))
    assert found == {"peak_memory": 9, "end_memory": 4}


def sample_run(outcome: str = "finished") -> RunRecord:
    frames = instants(np.full(1200, 8.0), 2 * S)
    seconds = np.arange(0, 14 * S, S // 20)
    return RunRecord(
        stretches=(
            StretchRecord("step", ("Open",), 0, 2 * S),
            StretchRecord("time", ("Open", "open"), S // 2, 3 * S // 2, 2 * MS),
            StretchRecord("step", ("Scroll",), 2 * S, 12 * S),
            StretchRecord("frames", ("Scroll", "scroll"), 2 * S, 11 * S),
        ),
        inputs=tuple(InputRecord(2 * S + n * 100 * MS + MS, 0, "scroll") for n in range(80)),
        frames_ns=frames,
        counters={
            "subject.processor_seconds": (seconds, seconds / S * 0.5),
            "subject.resident": (seconds, np.full(len(seconds), 64 * 1024.0 * 1024)),
            "machine.foreign_seconds": (seconds, seconds / S * 0.1),
            "machine.cores": (np.array([0]), np.array([2.0])),
        },
        outcome=outcome,
    )


def value(readings, stretch, metric):
    return next(r for r in readings if r.stretch == stretch and r.metric == metric)


def test_a_run_yields_readings_for_every_stretch_that_has_the_data():
    readings = derive(sample_run())
    opened = value(readings, ("Open", "open"), "duration")
    assert (opened.value, opened.plus_minus) == (1.0, 0.002)
    assert value(readings, ("Open", "open"), "processor_seconds").value == pytest.approx(0.5)
    assert value(readings, ("Scroll", "scroll"), "average_rate").value == pytest.approx(125)
    assert value(readings, ("Scroll", "scroll"), "processor_cores").value == pytest.approx(0.5)
    assert value(readings, ("Scroll", "scroll"), "key_to_picture").value <= 8
    assert value(readings, (WHOLE,), "peak_memory").value == 64
    assert value(readings, (WHOLE,), "background_cpu_share").value == pytest.approx(5, rel=0.01)


def test_few_frames_are_read_with_a_warning():
    run = sample_run()
    few = [r for r in stretch_readings(run, 2 * S, 3 * S) if r.metric == "one_percent_low"]
    assert "fewer than 1,000 frames" in few[0].warning


def test_a_run_that_did_not_finish_yields_nothing_about_the_whole():
    assert not [r for r in derive(sample_run("crashed")) if r.stretch == (WHOLE,)]


def test_a_timing_that_never_ended_is_longer_than():
    run = RunRecord(
        stretches=(StretchRecord("time", ("A", "t"), 0, 5 * S, 0, True),), outcome="cut off"
    )
    (reading,) = derive(run)
    assert reading.right_censored
    assert reading.value == 5


def test_every_metric_defines_itself():
    for metric in METRICS.values():
        assert len(metric.definition) > 15, metric.key
        assert metric.material_share > 0
        assert metric.on_logs or metric.material_amount > 0, metric.key


def test_pictures_dropped_are_those_a_screen_would_show_again():
    assert drops(np.array([16.7, 33.3, 50.0, 8.0])) == 0 + 1 + 2 + 0


def test_the_tenth_percent_low_needs_thirty_thousand_frames():
    times = np.full(30_000, 10.0)
    times[:30] = 100.0
    found = all_frame_readings(times)
    assert found["tenth_percent_low"] == pytest.approx(10)
    assert found["p999_rate"] == pytest.approx(1000 / found["p999_frame"])
    assert "tenth_percent_low" not in all_frame_readings(times[:29_999])
    assert "p999_frame" not in all_frame_readings(times[:999])
