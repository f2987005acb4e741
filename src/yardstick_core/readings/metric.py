"""What a metric is, and the list of all of them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from yardstick_core.streams.counters import HIGHER, LOWER


@dataclass(frozen=True, slots=True)
class Metric:
    """A quantity read from a run: unit, which way is better, and how much matters.

    `material_share` is the smallest relative difference that matters; `material_amount`, in the
    metric's own unit, is the smallest one that anyone would notice. Metrics compared on their raw
    values (`on_logs` false: shares, counts) use only the amount. Metrics that say something about
    the machine and not about the subject are shown but not `judged`. A `primary` metric is one that
    answers by itself; the others explain it. `bound` is the value that a run shows in which
    nothing happened: no stutter, all of the time on target.
    """

    key: str
    name: str
    unit: str
    higher_is_better: bool
    definition: str
    material_share: float = 0.03
    material_amount: float = 0.0
    on_logs: bool = True
    minimum: str = ""
    judged: bool = True
    primary: bool = False
    bound: float = 0.0

    @property
    def is_count(self) -> bool:
        """Whether its readings are whole by nature: processes, spikes, open handles."""
        return not self.unit and not self.on_logs and self.material_amount >= 1


REPORTED_PREFIX = "said"
OWN_COUNTER = "counted"
#: Which way of a counter that a rig's owner has named is better; where none is, it is not judged.
NEITHER = "neither"
#: Heads of the keys of what a frame stretch shows at the rate that its script names.
ON_RATE, DROPPED_AT = "on_rate", "dropped_at"
ENGINE_BUSY = "engine_busy"


class _Metrics(dict[str, Metric]):
    """All metrics by key; those of a unit or a rate of a script's own are made when asked for."""

    def __missing__(self, key: str) -> Metric:
        head, _, rest = key.partition(".")
        if head in (ON_RATE, DROPPED_AT):
            return _at_rate(key, head, rest)
        if head == ENGINE_BUSY and rest:
            return Metric(
                key, f"graphics engine “{rest}” busy", "%", False,
                "share of the time in which this engine of the graphics processor worked for the "
                "subject and its children, as the driver counts it",
                material_amount=1, on_logs=False,
            )  # fmt: skip
        sense, _, unit = rest.partition(".")
        if head == OWN_COUNTER and sense in (HIGHER, LOWER, NEITHER):
            return Metric(
                key, "Counter of the rig", unit, sense == HIGHER,
                "mean over the stretch of a counter that the owner of the rig has named: a number "
                "of a file or a command, which holds until the next",
                judged=sense != NEITHER,
            )  # fmt: skip
        if head != REPORTED_PREFIX or sense not in ("higher", "lower") or not unit:
            raise KeyError(key)
        return Metric(
            key, "Said by the program", unit, sense == "higher",
            "A number the program under test says itself, taken from its log or a file it wrote.",
            primary=True,
        )  # fmt: skip

    def __contains__(self, key: object) -> bool:
        try:
            self[str(key)]
        except KeyError:
            return False
        return True


def _at_rate(key: str, head: str, rate: str) -> Metric:
    if not _is_rate(rate):
        raise KeyError(key)
    if head == ON_RATE:
        return Metric(
            key, f"on {rate} Hz", "%", True,
            f"share of the time in frames no longer than 1.05 × 1/{rate} s, the rate that the "
            "script names for this stretch",
            material_amount=2, on_logs=False, primary=True, bound=100,
        )  # fmt: skip
    return Metric(
        key, f"pictures dropped at {rate} Hz", "", False,
        f"refreshes at {rate} Hz, the rate that the script names, counted from the start of the "
        "stretch, to which no new picture came",
        material_amount=2, on_logs=False,
    )  # fmt: skip


def _is_rate(text: str) -> bool:
    try:
        return math.isfinite(float(text)) and float(text) > 0 and f"{float(text):g}" == text
    except ValueError:
        return False


METRICS: dict[str, Metric] = _Metrics()


def reported_metric_key(unit: str, *, higher_is_better: bool) -> str:
    """Key of the metric of a number with that unit that a program says itself."""
    return f"{REPORTED_PREFIX}.{'higher' if higher_is_better else 'lower'}.{unit}"


def own_counter_key(unit: str, better: str = "") -> str:
    """Key of the metric of a rig's own counter; `better`: higher, lower, or nothing.

    >>> own_counter_key("rpm"), METRICS[own_counter_key("kg", "lower")].unit
    ('counted.neither.rpm', 'kg')
    """
    return f"{OWN_COUNTER}.{better if better in (HIGHER, LOWER) else NEITHER}.{unit}"


def named_by_stretch(key: str) -> bool:
    """Whether a metric of this key is called by its stretch: what a program says, or a rig counts.

    >>> named_by_stretch("said.lower.ms"), named_by_stretch("duration")
    (True, False)
    """
    return key.partition(".")[0] in (REPORTED_PREFIX, OWN_COUNTER)


def at_rate(head: str, hertz: float) -> str:
    """Key of what a frame stretch shows at a rate of its own; `head`: ON_RATE or DROPPED_AT.

    >>> at_rate("on_rate", 59.94), rate_of(at_rate("on_rate", 59.94))
    ('on_rate.59.94', 59.94)
    """
    return f"{head}.{hertz:g}"


def engine_busy(engine: str) -> str:
    """Key of the busy share of an engine of the graphics processor, by the driver's name of it."""
    return f"{ENGINE_BUSY}.{engine}"


def rate_of(key: str) -> float | None:
    """The rate that a metric of this key is about; None for one of no rate of a script's own."""
    head, _, rate = key.partition(".")
    return float(rate) if head in (ON_RATE, DROPPED_AT) and _is_rate(rate) else None


def define(
    key: str,
    name: str,
    unit: str,
    better: str,
    definition: str,
    *,
    material_amount: float = 0.0,
    on_logs: bool = True,
    minimum: str = "",
    judged: bool = True,
    primary: bool = False,
    bound: float = 0.0,
) -> Metric:
    """Register a metric; `better` is "higher" or "lower"."""
    metric = Metric(
        key, name, unit, better == "higher", definition,
        material_amount=material_amount, on_logs=on_logs, minimum=minimum, judged=judged,
        primary=primary, bound=bound,
    )  # fmt: skip
    METRICS[key] = metric
    return metric
