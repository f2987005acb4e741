"""Changes in words: limits that differ are told apart, however close they are."""

import math

import pytest

from yardstick_core.compare import text
from yardstick_core.readings import METRICS

RATE, TIME = METRICS["average_rate"], METRICS["duration"]


def plain(words):
    return words.replace(text.THIN, " ").replace(text.MINUS, "-")


@pytest.mark.parametrize(("low", "high", "told"), [
    (0.51, 0.75, "-49 to -25 %"),
    (0.831, 0.834, "-16.9 to -16.6 %"),
    (0.8318, 0.8321, "-16.82 to -16.79 %"),
    (0.83, 0.83, "-17 to -17 %"),
    (1.0312, 1.0334, "+3.1 to +3.3 %"),
    (1.0312, 1.0313, "+3.12 to +3.13 %"),
    (0.97, 1.03, "-3.0 to +3.0 %"),
    (1.2, math.inf, "+20 to ∞ %"),
])  # fmt: skip
def test_an_interval_has_the_decimals_by_which_its_limits_differ(low, high, told):
    assert plain(text.interval_text(RATE, low, high)) == told


@pytest.mark.parametrize(("low", "high", "told"), [
    (0.831, 0.834, "16.6 to 16.9 % less"),
    (0.51, 0.75, "25 to 49 % less"),
    (1.12, 1.2, "12 to 20 % more"),
    (1.12, math.inf, "at least 12 % more"),
])  # fmt: skip
def test_a_range_in_words_does_too(low, high, told):
    assert plain(text.percent_range(RATE, low, high)) == told
    said = plain(text.ratio_with_limits(TIME, 0.8325, 0.831, 0.834))
    assert said == "17 % less time (16.6 to 16.9)"


@pytest.mark.parametrize(
    ("metric", "value", "level", "said"),
    [
        ("average_rate", 3.6e-5, 2.0, "0 fps"),
        ("average_rate", -3.6e-3, 2.0, "−0.0036 fps"),
        ("duration", 1e-9, 2.0, "0 ms"),
        ("duration", 0.004, 2.0, "+4.0 ms"),
        ("peak_memory", 0.00827, 20.1, "+0.008 MiB"),
        ("disk_read", 0.000558, 0.0, "0 MiB"),
        ("spikes", 0.02, 0.0, "+0.020"),
    ],
)
def test_a_change_that_nobody_can_read_is_none(metric, value, level, said):
    found = text.change(METRICS[metric], value, level).replace(text.THIN, " ")
    assert found == said
