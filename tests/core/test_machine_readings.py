"""Readings of graphics, energy, heat, network and a rig's own counters, worked out by hand."""

import numpy as np
import pytest

from yardstick_core.readings import METRICS, derive
from yardstick_core.readings.companions import each_companion
from yardstick_core.readings.energy import energy_readings
from yardstick_core.readings.families import family_of
from yardstick_core.readings.graphics import graphics_readings
from yardstick_core.readings.heat import heat_readings
from yardstick_core.readings.metric import engine_busy, own_counter_key
from yardstick_core.readings.own_counters import own_counter_readings
from yardstick_core.record import FINISHED, RunRecord, StretchRecord
from yardstick_core.streams.counters import drawn, drawn_name, drawn_unit, engine_of

S = 1_000_000_000
MIB = 2**20


def counter(*pairs):
    """Samples of a counter, seconds and values."""
    instants = np.array([int(at * S) for at, _ in pairs], np.int64)
    return instants, np.array([value for _, value in pairs], float)


def test_engines_are_busy_for_the_share_of_the_time_in_which_they_worked():
    counters = {
        "subject.graphics.gfx_seconds": counter((0, 1.0), (10, 6.0)),
        "subject.graphics.dec_seconds": counter((0, 0.0), (10, 0.5)),
        "subject.graphics_dedicated": counter((0, 10 * MIB), (4, 30 * MIB), (10, 20 * MIB)),
        "graphics.busy_percent": counter((1, 10), (3, 30), (12, 100)),
    }
    assert graphics_readings(counters, 2 * S, 6 * S) == {
        engine_busy("gfx"): pytest.approx(50),
        engine_busy("dec"): pytest.approx(5),
        "graphics_seconds": pytest.approx(2.2),
        "graphics_memory": pytest.approx(30),
        "card_busy": pytest.approx(30),
    }
    assert graphics_readings({}, 0, S) == {}


def test_energy_is_that_of_processor_and_memory_and_power_is_its_rate():
    counters = {
        "energy.processor_joules": counter((0, 0), (10, 200)),
        "energy.memory_joules": counter((0, 0), (10, 50)),
        "energy.battery_joules": counter((0, 0), (10, 400)),
    }
    assert energy_readings(counters, S, 5 * S) == {
        "energy": pytest.approx(100),
        "power": pytest.approx(25),
        "battery_energy": pytest.approx(160),
    }
    alone = {"energy.memory_joules": counters["energy.memory_joules"]}
    assert energy_readings(alone, S, 5 * S) == {}


def test_a_meter_that_stopped_before_the_end_gives_no_reading():
    counters = {"energy.processor_joules": counter((0, 0), (3, 60))}
    assert energy_readings(counters, S, 5 * S) == {}


def test_heat_is_the_hottest_and_throttling_counts_what_the_samples_around_hold():
    counters = {
        "heat.processor_celsius": counter((0, 90), (2, 61), (3, 74), (9, 95)),
        "clock.mean_mhz": counter((2, 3000), (4, 2000)),
        "heat.throttled_count": counter((0, 5), (1, 5), (2, 7), (3, 8), (4, 8)),
    }
    assert heat_readings(counters, int(1.5 * S), int(3.2 * S)) == {
        "hottest": 74, "mean_clock": 3000, "throttled": 3,
    }  # fmt: skip


def test_an_own_counter_holds_until_the_next_and_is_weighed_by_time():
    journal = [
        {"kind": "counter", "at": 0, "stream": "own.queue", "name": "queue", "unit": "jobs",
         "better": "lower"},
        {"kind": "counter", "at": 0, "stream": "own.gone", "name": "gone", "unit": ""},
    ]  # fmt: skip
    counters = {"own.queue": counter((0, 4), (3, 8), (20, 100))}
    found = own_counter_readings(journal, counters, 1 * S, 5 * S)
    assert found == [("queue", "counted.lower.jobs", pytest.approx(6.0))]
    assert own_counter_readings(journal, counters, 30 * S, 31 * S)[0][2] == 100
    assert METRICS[own_counter_key("jobs", "lower")].judged
    assert not METRICS[own_counter_key("jobs")].judged


def record(sensors, **more):
    counters = {
        "energy.processor_joules": counter(*((at / 10, at * 2.0) for at in range(101))),
        "own.fan": counter((0, 1200)),
    }
    steps = [
        StretchRecord("step", ("One",), 1 * S, 3 * S),
        StretchRecord("step", ("Two",), 3 * S, 7 * S),
    ]
    journal = [
        {"kind": "facts", "at": 0, "facts": {"sensors": sensors}},
        {"kind": "counter", "at": 0, "stream": "own.fan", "name": "fan", "unit": "rpm"},
    ]
    return RunRecord(steps, [], counters=counters, journal=journal, outcome=FINISHED, **more)


def test_steps_add_up_to_the_energy_of_the_session_and_a_stand_in_is_named():
    readings = {(r.stretch, r.metric): r for r in derive(record("simulated: energy"))}
    one, two = readings[("One",), "step_energy"], readings[("Two",), "step_energy"]
    assert (one.value, two.value) == (pytest.approx(40), pytest.approx(80))
    whole = readings[("Whole session",), "energy"]
    assert whole.value == pytest.approx(one.value + two.value)
    assert {one.warning, whole.warning} == {"simulated"}
    assert readings[("Whole session", "fan"), "counted.neither.rpm"].value == 1200
    real = {(r.stretch, r.metric): r for r in derive(record("energy"))}
    assert real[("Whole session",), "energy"].warning == ""


@pytest.mark.parametrize(
    ("name", "series", "unit"),
    [
        ("subject.graphics.gfx_seconds", "subject.graphics.gfx", "%"),
        ("subject.processor_seconds", "subject.processor", "cores"),
        ("energy.processor_joules", "energy.processor", "W"),
        ("heat.processor_celsius", "heat.processor", "°C"),
        ("clock.mean_mhz", "clock.mean", "MHz"),
        ("graphics.busy_percent", "graphics.busy", "%"),
        ("subject.bytes_sent", "subject.bytes_sent", "MiB/s"),
        ("subject.graphics_dedicated", "subject.graphics_dedicated", "MiB"),
        ("own.queue", "own.queue", ""),
    ],
)
def test_counters_are_drawn_in_a_unit_of_their_own(name, series, unit):
    assert (drawn_name(name), drawn_unit(name)) == (series, unit)


def test_joules_are_drawn_as_watts_and_engine_seconds_as_percent():
    at, watts = drawn("energy.processor_joules", *counter((0, 0), (1, 20), (3, 80)))
    assert watts.tolist() == [20, 30]
    assert at.tolist() == [S, 3 * S]
    _, busy = drawn("subject.graphics.gfx_seconds", *counter((0, 0), (1, 0.25)))
    assert busy.tolist() == [25]
    assert engine_of("subject.graphics.gfx_seconds") == "gfx"
    assert engine_of("subject.processor_seconds") == ""


def test_every_new_metric_has_a_family():
    assert family_of(engine_busy("gfx")) == "graphics"
    assert family_of("energy") == "energy"
    assert family_of("network_sent") == "size"
    assert family_of(own_counter_key("rpm")) == "reported"


def copies_started(*starts):
    """How many copies run over twenty seconds, sampled five times a second."""
    return counter(*((n / 5, sum(at <= n / 5 for at in starts)) for n in range(101)))


def test_each_further_copy_takes_the_slope_over_how_many_run():
    copies = copies_started(1, 5, 9, 13)
    sampled = [(float(at), int(copies[1][at * 5])) for at in range(21)]
    used = np.cumsum(np.append(0, 0.1 * copies[1][:-1] * 0.2))
    counters = {
        "companion.loom.copies": copies,
        "companion.loom.proportional": counter(*((at, (30 + 12 * n) * MIB) for at, n in sampled)),
        "companion.loom.processor_seconds": (copies[0], used),
        "companion.loom.resident": counter((2, 40 * MIB), (14, 90 * MIB)),
    }
    journal = [{"kind": "companion", "at": 0, "name": "loom", "stream": "companion.loom"}]
    found = {key: value for _, key, value in each_companion(journal, counters, 0, 20 * S)}
    assert found["memory_per_copy"] == pytest.approx(12)
    assert found["processor_per_copy"] == pytest.approx(0.1, rel=0.02)
    assert found["companion_memory"] == pytest.approx(90)
    assert found["companion_processor"] == pytest.approx(used[-1])


def test_two_numbers_of_copies_make_no_slope():
    counters = {
        "companion.loom.copies": copies_started(1, 8),
        "companion.loom.proportional": counter(*((at, at * MIB) for at in range(20))),
    }
    journal = [{"kind": "companion", "at": 0, "name": "loom", "stream": "companion.loom"}]
    assert each_companion(journal, counters, 0, 20 * S) == []


@pytest.mark.parametrize(("redraws", "warned"), [(20, True), (2, False), (None, False)])
def test_pictures_that_draw_one_area_many_times_are_warned_of(redraws, warned):
    at = (S + np.arange(200) * (S / 30)).astype(np.int64)
    told = {"kind": "observer", "at": 0, "told_by": "beginning"}
    run = RunRecord(
        [StretchRecord("frames", ("Scroll", "scroll"), S, int(at[-1]))], [], frames_ns=at,
        journal=[told if redraws is None else told | {"redraws": redraws}], outcome=FINISHED,
    )  # fmt: skip
    warnings = {one.metric: one.warning for one in derive(run)}
    assert ("draws the same area 20 times" in warnings["average_rate"]) is warned


@pytest.mark.parametrize(("trusted_hz", "warned"), [(330.0, True), (500.0, False), (None, False)])
def test_rates_near_what_is_told_apart_are_warned_of(trusted_hz, warned):
    at = (S + np.arange(2000) * (S / 300)).astype(np.int64)
    run = RunRecord(
        [StretchRecord("frames", ("Scroll", "scroll"), S, int(at[-1]))], [], frames_ns=at,
        journal=[{"kind": "observer", "at": 0, "trusted_hz": trusted_hz}], outcome=FINISHED,
    )  # fmt: skip
    warnings = {one.metric: one.warning for one in derive(run)}
    assert ("told apart up to about 330 a second" in warnings["average_rate"]) is warned
