"""The rows of a study: what was read of each metric of each stretch, and what counts by itself."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from math import isfinite
from operator import attrgetter

from yardstick_core.compare import text
from yardstick_core.compare.difference import Difference
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.materiality import APART, LEAD, MaterialityRules, MetricOfStretch
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.families import (
    FAMILIES,
    FRAMES,
    facts,
    family_of,
    lead_of,
    leads_by_itself,
)
from yardstick_core.readings.latency import ONLY_ANSWERS
from yardstick_core.readings.metric import Metric
from yardstick_core.record import FINISHED

NO_NUMBER = "a reading that is no number is left out"

#: Stands between a stretch and the level of a ladder that it was measured at.
LEVEL_MARK = " · "


@dataclass(frozen=True, slots=True)
class Row:
    """One metric of one stretch: samples per variant in the order taken, and the differences.

    `cold` and `left_out` hold, per variant, the readings of runs that are shown and not compared.
    """

    stretch: tuple[str, ...]
    metric: Metric
    samples: tuple[tuple[Sample, ...], ...]
    medians: tuple[float | None, ...]
    differences: tuple[Difference | None, ...]
    sentence: str
    warnings: tuple[str, ...] = ()
    cold: tuple[tuple[Sample, ...], ...] = ()
    left_out: tuple[tuple[Sample, ...], ...] = ()
    #: For each variant, whether the median is only known to be exceeded.
    longer: tuple[bool, ...] = ()
    #: The metric of the same stretch that this one follows from by definition; it is counted there.
    echo_of: str = ""
    #: Whether the study's question is about it: tested first, at the whole level.
    deciding: bool = False
    #: Why it is not judged here though it is elsewhere.
    not_judged: str = ""

    @property
    def family(self) -> str:
        return family_of(self.metric.key)

    @property
    def counted(self) -> bool:
        """Whether it counts in what a variant is ahead or behind on."""
        return self.metric.judged and not self.echo_of


def label(row: Row) -> str:
    """What a row is called by itself: `open` for a timing, `1 % low` for other metrics."""
    return text.label(row.metric, row.stretch)


def qualified_label(row: Row) -> str:
    """What a row is called among those of other steps: `1 % low in Scroll cloth`."""
    return text.qualified_label(label(row), row.stretch)


def with_family_roles(
    rows: list[Row], terms: MaterialityRules, deciding: Collection[MetricOfStretch]
) -> list[Row]:
    """The rows with what decides and what echoes another marked.

    Of the metrics that say one fact in several forms, one is the lead: the first by definition, or
    the one that a person chose. The others echo it; what decides, and what a person wants counted
    apart, stand by themselves.
    """
    there = {
        (row.metric.key, row.stretch) for row in rows if row.metric.judged and any(row.samples)
    }
    wanted = set(deciding) & there
    chosen: dict[MetricOfStretch, str] = {}
    for row in rows:
        key = row.metric.key
        if (key, row.stretch) in there and terms.family_role(key, row.stretch) == LEAD:
            chosen.setdefault((lead_of(key) or key, row.stretch), key)
    for key, stretch in there:
        if leads_by_itself(key):
            chosen.setdefault((lead_of(key), stretch), key)
    found = []
    for row in rows:
        key, place = row.metric.key, (row.metric.key, row.stretch)
        lead = chosen.get((lead_of(key) or key, row.stretch), lead_of(key))
        stands = place in wanted or terms.family_role(*place) == APART or lead == key
        echo = lead if (lead, row.stretch) in there and not stands else ""
        decides = place in wanted
        found.append(replace(row, echo_of=echo, deciding=decides) if echo or decides else row)
    return found


def at_level(stretch: tuple[str, ...], level: str) -> tuple[str, ...]:
    """What a stretch is called at a level of a ladder: `Open draft · ends 400`."""
    return (f"{stretch[0]}{LEVEL_MARK}{level}", *stretch[1:]) if level else stretch


def facts_by_family(rows: Sequence[Row]) -> dict[str, list[tuple[Row, list[Row]]]]:
    """What the rows say, by family in the order in which they are read: each fact with its echoes.

    Each row stands once. What decides stands before all families, under an empty name.
    """
    found = facts([(row.metric.key, row.stretch) for row in rows], [row.echo_of for row in rows])
    grouped: dict[str, list[tuple[Row, list[Row]]]] = {"": []}
    for lead, echoes in found:
        row = rows[lead]
        family = "" if row.deciding else row.family
        grouped.setdefault(family, []).append((row, [rows[place] for place in echoes]))
    return {family: grouped[family] for family in ("", *FAMILIES) if grouped.get(family)}


#: How a run counts: compared, cold, or left out by a person.
PARTS = WARM, COLD, LEFT_OUT = range(3)


class _Gathered:
    """What was read of one metric of one stretch, by how its runs count and by variant."""

    __slots__ = ("parts", "warnings")

    def __init__(self, variants: int) -> None:
        self.parts: list[list[list[Sample]]] = [[[] for _ in range(variants)] for _ in PARTS]
        self.warnings: dict[str, None] = {}


def gather_rows(runs: list[JudgedRun], variants: int, terms: MaterialityRules) -> list[Row]:
    """What was read, by stretch in the order of the session, then by metric; nothing compared."""
    found: dict[tuple[str, ...], dict[str, _Gathered]] = {}
    new = tuple.__new__
    for run in runs:
        number, turn, rig, variant = run.run, run.round, run.rig, run.variant
        part = LEFT_OUT if run.left_out else COLD if run.cold else WARM
        finished, by_hand, level = run.outcome == FINISHED, run.by_hand, run.level
        stretch, metrics = None, {}
        for reading in run.readings:
            if reading.stretch is not stretch:
                stretch = reading.stretch
                metrics = found.setdefault(at_level(stretch, level) if level else stretch, {})
            gathered = metrics.get(reading.metric)
            if gathered is None:
                gathered = metrics[reading.metric] = _Gathered(variants)
            value, longer = reading.value, reading.right_censored
            if not isfinite(value):
                gathered.warnings.setdefault(NO_NUMBER)
            elif finished or longer:
                reaction_half_width = reading.plus_minus if by_hand else 0.0
                # tuple.__new__ makes the same Sample, and there may be very many
                sample = new(Sample, (number, turn, value, longer, rig, reaction_half_width))
                gathered.parts[part][variant].append(sample)
                if reading.warning:
                    gathered.warnings.setdefault(reading.warning)
    for stretch in [stretch for stretch in found if stretch[0].startswith(WHOLE)]:
        found[stretch] = found.pop(stretch)
    return [
        _row(terms.metric(key, stretch), stretch, gathered)
        for stretch, metrics in found.items()
        for key, gathered in metrics.items()
    ]


def _row(metric: Metric, stretch: tuple[str, ...], gathered: _Gathered) -> Row:
    warm, cold, left_out = gathered.parts
    answers = ONLY_ANSWERS in gathered.warnings and family_of(metric.key) == FRAMES
    if answers:
        # in one of the variants at least: then the others are no more comparable
        metric = replace(metric, judged=False)
        del gathered.warnings[ONLY_ANSWERS]
    medians = [median(side) for side in warm]
    return Row(
        stretch,
        metric,
        _frozen(warm),
        tuple(value for value, _ in medians),
        (None,) * len(warm),
        "",
        tuple(gathered.warnings),
        _frozen(cold),
        _frozen(left_out),
        tuple(longer for _, longer in medians),
        not_judged=ONLY_ANSWERS if answers else "",
    )


def _frozen(sides: list[list[Sample]]) -> tuple[tuple[Sample, ...], ...]:
    return tuple(tuple(side) for side in sides)


VALUE, LONGER_THAN = attrgetter("value"), attrgetter("right_censored")


def median(side: Sequence[Sample]) -> tuple[float | None, bool]:
    """Median of a side, and whether all that is known of it is that it is longer than that."""
    if not side:
        return None, False
    if not any(map(LONGER_THAN, side)):
        values = sorted(map(VALUE, side))
        middle = len(values) // 2
        if len(values) % 2:
            return values[middle], False
        return (values[middle - 1] + values[middle]) / 2, False
    ordered = sorted(side, key=lambda sample: (sample.right_censored, sample.value))
    middle = len(ordered) // 2
    if len(ordered) % 2:
        return ordered[middle].value, ordered[middle].right_censored
    left, right = ordered[middle - 1], ordered[middle]
    return (left.value + right.value) / 2, right.right_censored
