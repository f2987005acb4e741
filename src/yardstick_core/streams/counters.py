"""What a counter is drawn as: seconds used become cores in use, bytes become MiB."""

from __future__ import annotations

import re

import numpy as np

from yardstick_core.streams.chunk import Instants, Values

MIB = 2**20
#: Processor time is counted by the kernel in steps of 10 ms: cores are a mean of this many samples.
SMOOTHED_OVER = 5
_TOTALS = re.compile(r".*_seconds|.*bytes_(?:read|written)")
_AMOUNTS = re.compile(r".*\.(?:resident|unique|proportional|memory_used)")


def cumulative(name: str) -> bool:
    """Whether a counter only counts on, so that a stretch is known from its two ends."""
    return _TOTALS.fullmatch(name) is not None


def drawn_name(name: str) -> str:
    """What the series drawn from a counter is called: `subject.processor_seconds` shows
    `subject.processor`."""
    return name.removesuffix("_seconds")


def drawn_unit(name: str) -> str:
    """Unit of the series drawn from a counter."""
    if name.endswith("_seconds"):
        return "cores"
    if cumulative(name):
        return "MiB/s"
    return "MiB" if _AMOUNTS.fullmatch(name) else ""


def drawn(name: str, instants_ns: Instants, values: Values) -> tuple[Instants, Values]:
    """The series to draw from a counter's samples, arrays of shape (n,); a rate has one less."""
    if not cumulative(name):
        return instants_ns, values / MIB if _AMOUNTS.fullmatch(name) else values
    if len(instants_ns) < 2:
        return instants_ns[:0], values[:0]
    rate = np.diff(values) / np.maximum(np.diff(instants_ns) / 1e9, 1e-9)
    if name.endswith("_seconds"):
        return instants_ns[1:], smooth(rate, SMOOTHED_OVER)
    return instants_ns[1:], rate / MIB


def smooth(values: Values, over: int) -> Values:
    """Mean of an odd number of neighbours; fewer at the ends."""
    if not len(values):
        return values
    kernel = np.ones(min(over, len(values) - 1 + len(values) % 2))
    return np.convolve(values, kernel, "same") / np.convolve(np.ones(len(values)), kernel, "same")
