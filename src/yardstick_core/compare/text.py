"""Numbers and differences in words, written once for every screen and report."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import date
from functools import lru_cache

from yardstick_core.readings.companions import OF_A_COMPANION
from yardstick_core.readings.families import MEMORY, PROCESSOR, SIZE, family_of
from yardstick_core.readings.metric import Metric, named_by_stretch

#: A space that no line breaks at, so that a number and its unit stay together. In our faces it is
#: hardly wider than a thin one; the narrow one without breaks is too narrow there.
THIN, MINUS = "\u00a0", "\u2212"


def significant(value: float, digits: int = 3) -> str:
    """`digits` significant digits with a true minus sign: 0.0712, 6.84, 1310.

    >>> significant(0.0123456), significant(1234.5)
    ('0.0123', '1234')
    """
    if not math.isfinite(value):
        return ("" if value > 0 else MINUS) + "∞"
    if value == 0:
        return "0"
    places = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{abs(value):.{places}f}"
    if float(text) >= 10 ** (digits - places) and places:
        text = f"{abs(value):.{places - 1}f}"
    return (MINUS if value < 0 else "") + text


def number(metric: Metric, value: float, digits: int = 3) -> str:
    """A value of a metric without its unit; counts are whole."""
    if not metric.unit and value == round(value):
        return (MINUS if value < 0 else "") + str(abs(round(value)))
    return significant(value, digits)


def unit_scale(metric: Metric, size: float) -> tuple[float, str]:
    """Factor and unit that show `size` best: s become ms below 1 s and min above 10 min, MiB become
    GiB."""
    if metric.unit == "MiB" and abs(size) >= 10_000:
        return 1 / 1024, "GiB"
    if metric.unit != "s":
        return 1.0, metric.unit
    if abs(size) < 1:
        return 1000.0, "ms"
    if abs(size) >= 600:
        return 1 / 60, "min"
    return 1.0, "s"


def quantity(metric: Metric, value: float, digits: int = 3) -> str:
    """A reading with its unit: `6.84 s`, `71.0 fps`."""
    factor, unit = unit_scale(metric, value)
    return number(metric, value * factor, digits) + (THIN + unit if unit else "")


def signed(metric: Metric, value: float, digits: int = 3) -> str:
    """A change in the metric's own unit, with its sign; a share changes by points."""
    factor, unit = unit_scale(metric, value)
    unit = "pt" if unit == "%" else unit
    text = number(metric, value * factor, digits)
    plus = "" if text.startswith(MINUS) or text == "0" else "+"
    return plus + text + (THIN + unit if unit else "")


#: A change by less than this share of what is changed is said as none.
NOTHING_SHARE = 1e-4
#: So is one by less than this share of what anyone may notice of the metric.
NOTHING_OF_MATERIAL = 1e-3


def change(metric: Metric, value: float, level: float) -> str:
    """A change of readings that lie around a level, in no finer steps than matter there: nobody
    reads `+0.0000361 fps` of 2 fps, nor `+0.00827 MiB` of 20 MiB.
    """
    smallest = max(NOTHING_SHARE * abs(level), NOTHING_OF_MATERIAL * metric.material_amount)
    if abs(value) < smallest or value == 0:
        return signed(metric, 0.0)
    steps = 3 if smallest == 0 else math.floor(math.log10(abs(value) / smallest)) + 1
    return signed(metric, value, min(3, steps))


def amount(metric: Metric, size: float) -> str:
    """The size of a change with its unit, without a sign: `413 ms`, `2.5 pt`."""
    return signed(metric, size).lstrip("+")


def percent_limits(near: float, far: float) -> str:
    """How many percent two ratios on one side of 1 are off it: `51 to 64`, `16.9 to 17.2`.

    Limits that differ are told with as many decimals as show it, two at most.
    """
    first, second = _told_apart(abs(100 * (near - 1)), abs(100 * (far - 1)))
    return f"{first} to {second}"


def factor(ratio: float, low: float, high: float) -> str:
    """A factor and its limits, with as many digits as tell these apart, four at most.

    >>> [factor(*it).replace(THIN, " ") for it in ((3.0, 2.2, 4.1), (2.025, 2.02, 2.03))]
    ['3.0 × (2.2 to 4.1)', '2.02 × (2.02 to 2.03)']
    """
    for digits in (2, 3, 4):
        told = [significant(one, digits) for one in (ratio, low, high)]
        if told[1] != told[2]:
            break
    return f"{told[0]}{THIN}× ({told[1]} to {told[2]})"


def percent(ratio: float) -> str:
    """A ratio candidate/baseline as percent of the baseline, in words: `25 % less`.

    >>> percent(0.69).replace(THIN, " ")
    '31 % less'
    """
    change = 100 * (ratio - 1)
    size = abs(change)
    text = f"{size:.0f}" if size >= 9.5 else f"{size:.1f}"
    return f"{text}{THIN}% {'less' if change < 0 else 'more'}"


def percent_noun(metric: Metric, ratio: float) -> str:
    """Percent with what there is less or more of: `31 % less time`."""
    return f"{percent(ratio)} {_noun(metric.key, metric.unit)}".strip()


@lru_cache(maxsize=512)
def _noun(key: str, unit: str) -> str:
    if key == "evenness":
        return "unevenness"
    if family_of(key) == SIZE:
        return "on disk" if unit == "MiB" else ""
    if family_of(key) == PROCESSOR and unit == "s":
        return "processor time"
    return {"s": "time", "MiB": "memory"}.get(unit, "")


def percent_range(metric: Metric, low: float, high: float) -> str:
    """Limits of a ratio in words, on one side of 1 or on both: `25 to 49 % less time`."""
    noun = _noun(metric.key, metric.unit)
    if (low - 1) * (high - 1) <= 0:
        if not math.isfinite(high):
            return f"from {percent(low)} {noun}".strip() + " upwards"
        return f"{percent(low)} to {percent(high)} {noun}".strip()
    near, far = (1 - high, 1 - low) if high < 1 else (low - 1, high - 1)
    way = "less" if high < 1 else "more"
    if not math.isfinite(far):
        return f"at least {_plain_percent(100 * near)}{THIN}% {way} {noun}".strip()
    limits = " to ".join(_told_apart(100 * near, 100 * far))
    return f"{limits}{THIN}% {way} {noun}".strip()


def _plain_percent(change: float, more_decimals: int = 0) -> str:
    if not math.isfinite(change):
        return "∞"
    return f"{change:.{(0 if change >= 9.5 else 1) + more_decimals}f}"


def _told_apart(first: float, second: float) -> tuple[str, str]:
    """Two amounts of percent with the fewest decimals by which they differ, if they do."""
    found = _plain_percent(first), _plain_percent(second)
    for more in (1, 2):
        if found[0] != found[1]:
            break
        finer = _plain_percent(first, more), _plain_percent(second, more)
        found = finer if finer[0] != finer[1] else found
    return found


def ratio_with_limits(metric: Metric, ratio: float, low: float, high: float) -> str:
    """A ratio and its limits in words: `10 % more time (8.2 to 12)`, `2.6 × as long (2.5 to 2.7)`.

    Beyond half and double factors are told, for nobody can picture 400 % more.
    """
    if not 0.5 <= ratio <= 2:
        words = {"s": "as long", "ms": "as long", "fps": "the rate"}.get(metric.unit, "as much")
        return f"{significant(ratio)}{THIN}× {words} ({significant(low)} to {significant(high)})"
    if (low - 1) * (high - 1) <= 0:
        return f"{percent_noun(metric, ratio)} ({interval_text(metric, low, high)})"
    near, far = sorted((low, high), key=lambda limit: abs(limit - 1))
    return f"{percent_noun(metric, ratio)} ({percent_limits(near, far)})"


def times_as(metric: Metric, ratio: float) -> str:
    """The factor, worded for its kind: × as fast, × the rate, × as much."""
    noun = _factor_noun(metric.key, metric.unit)
    size = 1 / ratio if noun == "× as fast" else ratio
    return f"{significant(size)}{THIN}{noun}"


@lru_cache(maxsize=512)
def _factor_noun(key: str, unit: str) -> str:
    family = family_of(key)
    if key in _TIMES:
        return _TIMES[key]
    if unit == "fps":
        return "× the rate"
    if family == MEMORY:
        return "× as much memory"
    if family == PROCESSOR and unit in ("s", "cores"):
        return "× as much processor time"
    return "× as fast" if unit in ("s", "ms") else "× as much"


#: What some metrics are more or less of: without it nobody knows which way is better.
_TIMES = {"evenness": "× as uneven", "steadiness": "× as steady"}


def interval_text(metric: Metric, low: float, high: float) -> str:
    """The interval of a change, smaller limit first, in percent or in the own unit."""
    if metric.on_logs:
        first, second = (100 * (limit - 1) for limit in (low, high))
        sizes = _plain_percent(abs(first)), _plain_percent(abs(second))
        if first * second > 0:
            sizes = _told_apart(abs(first), abs(second))
        told = (_with_sign(*one) for one in zip((first, second), sizes, strict=True))
        return f"{' to '.join(told)}{THIN}%"
    return change_limits(metric, low, high)


def change_limits(metric: Metric, low: float, high: float) -> str:
    """The limits of a change in the metric's own unit: `−8 ms to +22 ms`."""
    return f"{signed(metric, low)} to {signed(metric, high)}"


def _with_sign(change: float, size: str) -> str:
    if not math.isfinite(change):
        return "∞"
    if float(size) == 0:
        return "0"
    return (MINUS if change < 0 else "+") + size


def level(alpha: float) -> str:
    """How sure an interval of this level is, in percent: `95 %`, `98.4 %`.

    >>> level(0.05).replace(THIN, " ")
    '95 %'
    """
    return f"{100 * (1 - alpha):.3g}{THIN}%"


def day(when: date) -> str:
    """A day as people write it.

    >>> day(date(2026, 11, 23))
    '23 Nov 2026'
    """
    return f"{when.day} {when:%b %Y}"


def metric_name(metric: Metric, stretch: Sequence[str]) -> str:
    """Name of a metric, or what a script or a rig called the number where that is its name.

    Those of a companion say whose they are: `peak memory of viewer`.
    """
    if stretch and named_by_stretch(metric.key):
        return stretch[-1]
    return f"{metric.name} of {stretch[-1]}" if metric.key in OF_A_COMPANION else metric.name


def label(metric: Metric, stretch: Sequence[str]) -> str:
    """What a metric of a stretch is called by itself: `open` for a timing, else its name.

    Processor time is read of every timing: it is called by it, `processor time of open`.
    """
    if metric.key == "duration" or named_by_stretch(metric.key):
        return stretch[-1]
    if metric.key in OF_A_COMPANION:
        return metric_name(metric, stretch)
    of_timing = metric.key == "processor_seconds" and stretch[-1].lower() != stretch[0].lower()
    return f"{metric.name} of {stretch[-1]}" if of_timing else metric.name


def qualified_label(name: str, stretch: Sequence[str]) -> str:
    """A name with the step it is from: `1 % low in Scroll cloth`, `open in Open draft`.

    What is of the whole session has no step, and `launch` in the step Launch needs none.
    """
    step, *inner = stretch
    return f"{name} in {step}" if inner and step.lower() != name.lower() else name
