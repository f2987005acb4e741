"""What a study says when it is time to decide: recommendations, places, costs, what is open."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.compare.composite import Part, together
from yardstick_core.compare.contributions import Breakdown, breakdowns
from yardstick_core.compare.estimate import NO_EVENTS, Estimate
from yardstick_core.compare.profiles import Advice, Profile, advise
from yardstick_core.compare.ranking import Ranking, ranking
from yardstick_core.compare.rows import Row
from yardstick_core.compare.study import Judgement, is_withheld
from yardstick_core.compare.tradeoff import TradeOff, trade_offs
from yardstick_core.compare.verdict import OPEN


@dataclass(frozen=True, slots=True)
class Unsettled:
    """An open difference of a main metric, and how many rounds in all should decide it.

    No number of rounds decides one that is held back, and for some nobody can say how many it
    takes; `undecided` is why it is open, as a code of `Difference`.
    """

    row: Row
    candidate: int
    rounds: int | None
    verdict_withheld: bool
    undecided: str


@dataclass(frozen=True, slots=True)
class Decision:
    """Everything the Decide notch shows; `main` are the rows that places are given for."""

    advice: tuple[Advice, ...]
    main: tuple[Row, ...]
    ranking: Ranking
    #: For each variant the mean gain over the main metrics against the baseline; None where a
    #: verdict on one of them is held back.
    together: tuple[Estimate | None, ...]
    breakdowns: tuple[Breakdown, ...]
    trade_offs: tuple[TradeOff, ...]
    unsettled: tuple[Unsettled, ...]


def decide_study(
    judgement: Judgement, variants: list[str], baseline: int, profiles: Sequence[Profile]
) -> Decision:
    """Draw together what was judged; `variants` are names, `baseline` the index of one."""
    judgement = judgement.at_look()
    rows = judgement.rows
    main = tuple(row for row in rows if row.metric.primary and row.metric.judged)
    candidates = [index for index in range(len(variants)) if index != baseline]
    full = [Part(row) for row in main if all(row.samples)]
    gains: list[Estimate | None] = [None] * len(variants)
    for index in candidates:
        if not any(is_withheld(part.row, index) for part in full):
            gains[index] = together(
                full, baseline, index, in_rounds=judgement.in_rounds, alpha=judgement.alpha
            )
    return Decision(
        tuple(advise(profile, judgement, variants, baseline) for profile in profiles),
        main,
        ranking(
            main,
            len(variants),
            baseline,
            in_rounds=judgement.in_rounds,
            alpha=judgement.alpha,
        ),
        tuple(gains),
        tuple(
            b for index in candidates for b in breakdowns(rows, baseline, index, judgement.alpha)
        ),
        tuple(
            t
            for index in candidates
            for t in trade_offs(rows, variants, baseline, index, judgement.alpha)
        ),
        tuple(
            Unsettled(
                row,
                index,
                difference.runs_to_decide,
                difference.verdict_withheld,
                difference.undecided,
            )
            for row in main
            for index, difference in enumerate(row.differences)
            if difference is not None
            and difference.verdict == OPEN
            and difference.undecided != NO_EVENTS
        ),
    )
