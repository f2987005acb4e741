"""Growth, settled values and the counters' readings: known lines, known noise, known levels."""

import math
import re

import numpy as np
import pytest

from core.studies import judged
from yardstick_core.compare.growing import growing, outlook_text
from yardstick_core.compare.text import MINUS, THIN
from yardstick_core.readings import derive, growth, processor
from yardstick_core.readings.laps import outlook
from yardstick_core.readings.settled import settled_value
from yardstick_core.record import InputRecord, RunRecord, StretchRecord

MIB, S = 2.0**20, 1_000_000_000


def hanging_together(rng, count, spread, memory=0.8):
    """Noise in which each value stays near the one before."""
    noise = np.empty(count)
    noise[0] = rng.normal(0, spread)
    for place in range(1, count):
        noise[place] = memory * noise[place - 1] + rng.normal(0, spread * math.sqrt(1 - memory**2))
    return noise


def test_a_straight_line_has_its_slope_and_level():
    seconds = np.arange(0, 100, 0.5)
    found = growth.slope(seconds, 50 + 0.2 * seconds)
    assert found.slope == pytest.approx(0.2)
    assert found.level == pytest.approx(50 + 0.2 * seconds[-1])
    assert found.high - found.low < 1e-6


def test_the_error_allows_for_samples_that_hang_together():
    rng = np.random.default_rng(1)
    seconds = np.arange(0, 200, 0.5)
    honest = naive = 0
    for _ in range(300):
        values = 100 + 0.05 * seconds + hanging_together(rng, len(seconds), 2)
        found = growth.slope(seconds, values)
        honest += found.low <= 0.05 <= found.high
        centred = seconds - seconds.mean()
        fit = np.polyfit(seconds, values, 1)
        rest = values - np.polyval(fit, seconds)
        error = math.sqrt(rest @ rest / (len(seconds) - 2) / (centred @ centred))
        naive += abs(fit[0] - 0.05) <= 1.97 * error
    assert 0.92 <= honest / 300 <= 0.995
    assert naive / 300 < 0.75


@pytest.mark.parametrize(
    ("shape", "kind"),
    [
        (lambda t: 0 * t, growth.NO_GROWTH),
        (lambda t: 0.5 * t, growth.GROWS),
        (lambda t: 60 * (1 - np.exp(-t / 25)), growth.LEVELS_OFF),
        (lambda t: 8 * (t > 70), growth.STEP),
    ],
)
def test_growth_gets_its_class(shape, kind):
    seconds = np.arange(0, 200, 0.5)
    rng = np.random.default_rng(2)
    values = 100 + shape(seconds) + rng.normal(0, 0.5, len(seconds))
    assert growth.growth_class(seconds, values) == kind


@pytest.mark.parametrize("seconds", [90, 300])
def test_memory_that_wanders_slowly_is_not_said_to_grow(seconds):
    """Noise that stays for 20 s, sampled ten times a second, and single steps."""
    rng, grown = np.random.default_rng(4), 0
    at = np.arange(0, seconds, 0.1)
    for _ in range(60):
        slow = 100 + hanging_together(rng, len(at), 2, math.exp(-0.1 / 20))
        step = 100 + 8 * (at > rng.uniform(0.1, 0.9) * seconds) + rng.normal(0, 0.3, len(at))
        grown += growth.growth_class(at, slow) == growth.GROWS
        grown += growth.growth_class(at, step) == growth.GROWS
    assert grown <= 6


def test_a_short_run_says_nothing_of_growth():
    seconds = np.arange(0, 30, 0.5)
    assert growth.growth_class(seconds, 100 + seconds) == growth.TOO_SHORT


def test_a_saw_tooth_does_not_grow_and_its_troughs_are_compared():
    seconds = np.arange(0, 200, 0.25)
    laps = np.arange(0, 200, 20.0)
    saw = 100 + 2 * (seconds % 20)
    assert growth.troughs(seconds, saw, laps) == pytest.approx([100] * 10)
    leaking = saw + 3 * (seconds // 20)
    found = growth.slope(np.arange(10.0), growth.troughs(seconds, leaking, laps))
    assert found.slope == pytest.approx(3)


def test_a_projection_has_a_range_and_an_end():
    line = growth.Slope(0.01, 0.008, 0.012, 100)
    found = growth.projected(line, 8)
    assert (found.value, found.low, found.high) == pytest.approx((388, 330.4, 445.6))
    soonest, latest = growth.seconds_until(line, 1000)
    assert (soonest, latest) == pytest.approx((75_000, 112_500))
    assert growth.seconds_until(growth.Slope(0.01, -0.001, 0.02, 100), 1000)[1] == math.inf


def climbing(seconds, mib_a_minute, noise=0.2):
    """A run whose memory climbs, sampled twice a second."""
    at = np.arange(0, seconds, 0.5)
    wavering = np.random.default_rng(1).normal(0, noise, len(at))
    used = (100 + at * mib_a_minute / 60 + wavering) * MIB
    return RunRecord(counters={"subject.resident": ((at * S).astype(np.int64), used)})


def test_the_outlook_of_one_run_names_its_rate_what_it_comes_to_and_when_the_machine_is_full():
    found = outlook(climbing(300, 12), 0, 300 * S, machine_mib=8192)
    said = outlook_text(found, 8192).replace(THIN, " ")
    assert said.startswith("grows: +12.0 MiB/min (")
    assert re.search(r"goes on so: 59\d\d MiB \(59\d\d MiB to 59\d\d MiB\) after 8 h", said), said
    assert "; the 8192 MiB of this machine are full after 11.1 h to 11.2 h" in said, said
    assert "machine" not in outlook_text(found, None)


def test_the_outlook_of_a_short_or_level_run_promises_nothing():
    for run, seconds, kind in ((climbing(20, 12), 20, "too short to say"),
                               (climbing(300, 0), 300, "no growth")):  # fmt: skip
        said = outlook_text(outlook(run, 0, seconds * S, machine_mib=8192), 8192)
        assert said.startswith(f"{kind}: ")
        assert "goes on" not in said


def test_slopes_of_several_runs_get_a_t_interval():
    found = growth.mean_slope(np.array([1.0, 1.2, 0.8]))
    assert found.slope == pytest.approx(1)
    assert found.high - found.slope == pytest.approx(4.303 * 0.2 / math.sqrt(3), rel=1e-3)
    alone = growth.mean_slope(np.array([1.0]))
    assert (alone.low, alone.high) == (-math.inf, math.inf)


@pytest.mark.parametrize(
    ("whole", "last", "says"),
    [
        ([3.0, 3.1, 2.9], [3.0, 3.2, 2.8], "4.1: grows, +3.00 MiB/min (+2.75 to +3.25)"),
        ([0.1, -0.2, 0.0], [0.0, 0.1, 0.0], "4.1: no growth shown"),
        ([1.0, 1.1, 0.9], [0.1, 0.0, -0.1], "4.1: levels off"),
        ([3.0], [3.0], "too little to say whether it grows"),
    ],
)
def test_growth_over_runs_is_said_in_text(whole, last, says):
    place = ("Whole session",)
    side = {
        (place, "memory_growth"): whole,
        (place, "memory_growth_first"): [3.0] * len(whole),
        (place, "memory_growth_last"): last,
        (place, "end_memory"): [100.0] * len(whole),
    }
    (found,) = growing(judged([side]).rows, ["4.1"], machine_mib=20_000)
    text = found.text.replace(THIN, " ").replace(MINUS, "-")
    assert says in text
    if found.kind == growth.GROWS:
        assert "1540 MiB (1421 MiB to 1659 MiB) after 8 h" in text
        assert "the 19.5 GiB of this machine are full after 102 h to 121 h" in text
        assert "after 24 h" in text


def test_a_settled_value_is_that_of_the_last_quarter_once_it_stands_still():
    instants = np.arange(0, 20 * S, S // 20)
    values = np.where(instants < 8 * S, instants / S * 10, 80.0)
    assert settled_value(instants, values, 0, 20 * S) == pytest.approx(80)
    assert settled_value(instants, instants / S, 0, 20 * S) is None
    assert settled_value(instants, values, 0, S) is None


def record(seconds=80, slope=0.5, laps=()):
    at = np.arange(0, seconds * S, S // 20)
    core = np.cumsum(np.where(at < seconds * S / 2, 0.05, 0.0))
    stretches = (
        StretchRecord("step", ("Work",), 0, seconds * S),
        StretchRecord("frames", ("Work", "look"), 0, 4 * S),
        *(StretchRecord("lap", ("Work",), lap * S, (lap + 10) * S) for lap in laps),
    )
    frames = np.concatenate([np.arange(1, 200) * S // 100, np.arange(60, 120) * S // 30])
    return RunRecord(
        stretches,
        (InputRecord(0, 0, "press A"), InputRecord(S, 0, "press B")),
        (),
        np.unique(frames),
        {
            "subject.resident": (at, (100 + slope * at / S) * MIB),
            "subject.unique": (at, np.full(len(at), 40 * MIB)),
            "subject.threads": (at, np.where(at < S, 3.0, 5.0)),
            "subject.processes": (at, np.ones(len(at))),
            "subject.bytes_written": (at, at / S * MIB),
            "subject.processor_seconds": (at, at / S),
            "machine.cores": (at[:1], np.array([4.0])),
            "machine.memory_used": (at, (100 + slope * at / S) * MIB + 500 * MIB),
            "machine.foreign_seconds": (at, at / S * 0.1),
            "core.0.busy_seconds": (at, core),
            "core.1.busy_seconds": (at, np.zeros(len(at))),
        },
    )


def readings_of(run):
    return {(reading.stretch, reading.metric): reading for reading in derive(run)}


def test_counters_become_readings_in_their_units():
    found = readings_of(record())
    whole, look = ("Whole session",), ("Work", "look")
    assert found[whole, "memory_growth"].value == pytest.approx(30)
    assert found[whole, "memory_growth_last"].value == pytest.approx(30)
    assert found[whole, "unique_memory"].value == 40
    assert found[whole, "threads"].value == 5
    assert found[whole, "processes"].value == 1
    assert found[whole, "disk_written"].value == pytest.approx(80, abs=0.1)
    assert found[whole, "foreign_memory"].value == pytest.approx(500)
    assert found[look, "processor_cores"].value == pytest.approx(1)
    assert found[look, "processor_share"].value == pytest.approx(25)
    assert found[look, "cores_busy"].value == pytest.approx(1)


def test_growth_is_not_read_from_a_short_run():
    found = readings_of(record(seconds=20))
    assert (("Whole session",), "memory_growth") not in found


def test_laps_are_compared_at_their_troughs():
    found = readings_of(record(laps=range(0, 80, 10)))
    assert found[("Whole session",), "memory_growth_per_lap"].value == pytest.approx(5)


def test_frames_while_busy_and_quiet_add_up_to_the_rate():
    found = readings_of(record())
    look = ("Work", "look")
    rate, busy, quiet = (
        found[look, key].value for key in ("average_rate", "busy_rate", "quiet_rate")
    )
    assert busy + quiet == pytest.approx(rate)
    assert busy > 0
    assert quiet > 0


def test_steps_add_up_to_the_whole():
    found = readings_of(record())
    assert found[("Work",), "step_time"].value == found[("Whole session",), "step_time"].value == 80


def test_cores_need_a_stretch_to_speak_of():
    counter = (np.array([0, S]), np.array([0.0, 1.0]))
    assert processor.cores_busy([counter], 0, S // 10) is None
    assert processor.cores_busy([], 0, S) is None
    assert processor.cores_busy([counter], 0, S) == 1
