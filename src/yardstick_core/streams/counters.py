"""What a counter is drawn as: seconds used become cores in use, bytes become MiB."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from yardstick_core.streams.chunk import Instants, Values

MIB = 2**20
#: What the streams of counters begin with that a rig's owner has named.
OWN_PREFIX = "own."
#: Which way of such a counter is better.
HIGHER, LOWER = "higher", "lower"
#: Processor time is counted by the kernel in steps of 10 ms: cores are a mean of this many samples.
SMOOTHED_OVER = 5
_AMOUNTS = re.compile(
    r".*\.(?:resident|unique|proportional|memory_used|graphics_dedicated|graphics_shared)"
)
_ENGINE = re.compile(r"subject\.graphics\.(.+)_seconds")


@dataclass(frozen=True, slots=True)
class _Drawing:
    """How a counter is drawn: what its name loses, its unit, what its values are multiplied by.

    Of a counter that only counts on the rate is drawn.
    """

    ending: str
    unit: str
    factor: float = 1.0
    counts_on: bool = False
    smoothed: bool = False


_ENGINE_USE = _Drawing("_seconds", "%", 100.0, counts_on=True, smoothed=True)
_AMOUNT = _Drawing("", "MiB", 1 / MIB)
_PLAIN = _Drawing("", "")
#: By how the name of a counter ends.
_BY_ENDING = (
    _Drawing("_seconds", "cores", counts_on=True, smoothed=True),
    _Drawing("_joules", "W", counts_on=True),
    _Drawing("_celsius", "°C"),
    _Drawing("_mhz", "MHz"),
    _Drawing("_percent", "%"),
)
_BYTES = ("bytes_read", "bytes_written", "bytes_sent", "bytes_received")
_TRAFFIC = _Drawing("", "MiB/s", 1 / MIB, counts_on=True)


def _drawing(name: str) -> _Drawing:
    if _ENGINE.fullmatch(name):
        return _ENGINE_USE
    if name.endswith(_BYTES):
        return _TRAFFIC
    if _AMOUNTS.fullmatch(name):
        return _AMOUNT
    return next((one for one in _BY_ENDING if name.endswith(one.ending)), _PLAIN)


def engine_of(name: str) -> str:
    """The graphics engine whose time for the subject a counter tells; empty for any other."""
    match = _ENGINE.fullmatch(name)
    return match[1] if match else ""


def companion_stream(name: str) -> str:
    """What the counters of a companion begin with.

    >>> companion_stream("mail client")
    'companion.mail_client'
    """
    return "companion." + (re.sub(r"[^A-Za-z0-9_]+", "_", name).strip("_")[:30] or "program")


def cumulative(name: str) -> bool:
    """Whether a counter only counts on, so that a stretch is known from its two ends."""
    return _drawing(name).counts_on


def drawn_name(name: str) -> str:
    """What the series drawn from a counter is called: `subject.processor_seconds` shows
    `subject.processor`."""
    return name.removesuffix(_drawing(name).ending)


def drawn_unit(name: str) -> str:
    """Unit of the series drawn from a counter."""
    return _drawing(name).unit


def drawn(name: str, instants_ns: Instants, values: Values) -> tuple[Instants, Values]:
    """The series to draw from a counter's samples, arrays of shape (n,); a rate has one less."""
    drawing = _drawing(name)
    if not drawing.counts_on:
        return instants_ns, values * drawing.factor
    if len(instants_ns) < 2:
        return instants_ns[:0], values[:0]
    rate = np.diff(values) / np.maximum(np.diff(instants_ns) / 1e9, 1e-9) * drawing.factor
    return instants_ns[1:], smooth(rate, SMOOTHED_OVER) if drawing.smoothed else rate


def smooth(values: Values, over: int) -> Values:
    """Mean of an odd number of neighbours; fewer at the ends."""
    if not len(values):
        return values
    kernel = np.ones(min(over, len(values) - 1 + len(values) % 2))
    return np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same")
