"""What counts in a study: which metrics are judged, and how much of each matters."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from yardstick_core.readings.metric import METRICS, Metric

#: A metric of one stretch.
MetricOfStretch = tuple[str, tuple[str, ...]]
#: How a person has a metric stand among those that say one fact: as their lead, or by itself.
LEAD, APART = "lead", "apart"
FAMILY_ROLES = (LEAD, APART)


@dataclass(frozen=True, slots=True)
class MaterialityRule:
    """A study's own word on one metric: of one stretch, or of all where `stretch` is empty.

    `share` (of 1) and `amount` (in the metric's unit) take the place of the metric's own
    materiality; None leaves it. What does not `count` is shown and not judged. `family_role` is one
    of `FAMILY_ROLES`, or empty for what follows from the definitions.
    """

    metric: str
    stretch: tuple[str, ...] = ()
    share: float | None = None
    amount: float | None = None
    counts: bool = True
    family_role: str = ""


class MaterialityRules:
    """The terms of a study; those of one stretch stand above those of all."""

    def __init__(self, terms: Iterable[MaterialityRule] = ()) -> None:
        self._terms = {(term.metric, term.stretch): term for term in terms}
        self._known: dict[tuple[str, tuple[str, ...]], Metric] = {}

    def metric(self, key: str, stretch: tuple[str, ...]) -> Metric:
        """The metric as this study sees it. Raises KeyError where there is no such metric."""
        place = (key, stretch)
        if place not in self._known:
            self._known[place] = self._worked_out(key, stretch)
        return self._known[place]

    def family_role(self, key: str, stretch: tuple[str, ...]) -> str:
        """How a metric stands among those that say the same fact, where a person has said so."""
        found = (self._terms.get(place) for place in ((key, stretch), (key, ())))
        return next((term.family_role for term in found if term and term.family_role), "")

    def _worked_out(self, key: str, stretch: tuple[str, ...]) -> Metric:
        metric = METRICS[key]
        for place in ((key, ()), (key, stretch)):
            term = self._terms.get(place)
            if term is not None:
                share = metric.material_share if term.share is None else term.share
                if term.share is None and term.amount is not None and not metric.on_logs:
                    share = 0.0  # the amount that was said, and no share of large readings
                metric = replace(
                    metric,
                    material_share=share,
                    material_amount=metric.material_amount if term.amount is None else term.amount,
                    judged=METRICS[key].judged and term.counts,
                )
        return metric
