"""The plan of a study: in which order variants take turns, how many rounds, when it stops."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from yardstick_core.compare.difference import FUTILITY, Difference
from yardstick_core.compare.estimate import NO_EVENTS
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.compare.verdict import OPEN
from yardstick_core.record import CHECK, FILMED, ROUND

if TYPE_CHECKING:
    from yardstick_core.compare.study import Judgement

LOOKS = (5, 8, 12, 20)
ONE_LOOK_ALPHA = 0.05
#: Pocock 1977: four looks at this level err in 5 of 100 studies overall, and five at the next one
#: (after 20 rounds and a cap of up to 60; simulated with t tests, docs/calibration.md).
LOOK_ALPHA, FIVE_LOOKS_ALPHA = 0.0162, 0.0125
#: A look that the plan does not have, after rounds asked for one by one before its last look or
#: added beyond it, is held to this level: looking after each of 20 rounds errs in 5.3 of 100.
UNPLANNED_LOOK_ALPHA = 0.004
#: Runs that were brought in may be let in at several sittings, each with a verdict to be seen
#: before the next: the second and the third are held to this level, later ones to that of an
#: unplanned look. Four more runs of each side at every sitting err in 5.1 of 100 studies after
#: three of them, in 6 of 100 after eight.
LATER_SITTING_ALPHA, SITTINGS_AT_IT = 0.0125, 3
#: Runs let in within so many seconds of the one before are of the same sitting.
SITTING_S = 600.0
#: Of either side there must be so many runs for a verdict.
FEWEST_RUNS = 2
BALANCED, ALTERNATING = "balanced", "alternating"
ORDERS = (BALANCED, ALTERNATING)
DECIDED, PRECISE, FIXED = "decided", "precise", "fixed"
STOP_RULES = (DECIDED, PRECISE, FIXED)


#: Share of the machine that all others may take while a run is measured, percent: above it frames
#: are merged and split, and every duration is longer.
BACKGROUND_CPU_LIMIT = 5.0
#: On a machine that also serves and shows what it measures, others take twice what they take while
#: it is idle, and some more for handing on the run: allowed is that much, and never everything.
BUSY_FACTOR, BUSY_MORE, MOST_BACKGROUND = 2.0, 3.0, 25.0


def round_name(number: int, cold_rounds: int, purpose: str = ROUND) -> str:
    """What a round is called: cold ones by that word, warm ones counted from 1.

    `number` counts all rounds from 0, the cold ones first; below 0 stand runs of no round.

    >>> [round_name(number, 1) for number in (-1, 0, 1, 2)]
    ['a file', 'cold', '1', '2']
    >>> [round_name(number, 2) for number in (0, 1, 2)]
    ['cold 1', 'cold 2', '1']
    >>> round_name(-3, 1, "check")
    'check'
    """
    if purpose in (CHECK, FILMED):
        return purpose
    if number < 0:
        return "a file"
    if number >= cold_rounds:
        return str(number - cold_rounds + 1)
    return f"cold {number + 1}" if cold_rounds > 1 else "cold"


def round_label(number: int, cold_rounds: int, purpose: str = ROUND) -> str:
    """The same within a sentence.

    >>> [round_label(number, 1) for number in (-1, 0, 1)]
    ['brought in', 'cold round', 'round 1']
    """
    name = round_name(number, cold_rounds, purpose)
    if name.startswith("cold"):
        return name.replace("cold", "cold round")
    apart = {"check": "check", "filmed": "filmed run", "a file": "brought in"}
    return apart.get(name, f"round {name}")


def extent(warm_rounds: int, brought_in: Mapping[str, int]) -> str:
    """What numbers rest on: rounds measured, and runs of variants brought in from elsewhere.

    >>> extent(8, {}), extent(0, {"4.1": 4, "4.2": 4})
    ('8 warm rounds', '4 runs of 4.1 and 4 runs of 4.2 brought in')
    >>> extent(5, {"4.1": 1})
    '5 warm rounds, and 1 run of 4.1 brought in'
    """

    def counted(number: int, what: str) -> str:
        return f"{number} {what}{'' if number == 1 else 's'}"

    brought = " and ".join(f"{counted(runs, 'run')} of {of}" for of, runs in brought_in.items())
    parts = [counted(warm_rounds, "warm round")] if warm_rounds or not brought else []
    return ", and ".join([*parts, *([f"{brought} brought in"] if brought else [])])


def sittings(accepted: Iterable[tuple[float, str]]) -> int:
    """At how many sittings runs were let in of which a verdict could be seen, 1 or more.

    `accepted` says when, s, each run was let in, and of which variant it is. What is let in before
    there are runs enough for a verdict goes with what makes it possible; runs of variants of which
    no verdict was to be seen are no look at the others.

    >>> sittings([(0, "4.1"), (90, "4.2"), (3000, "4.1"), (3010, "4.2")])
    1
    >>> first = [(0, "4.1"), (1, "4.1"), (2, "4.2"), (3, "4.2")]
    >>> sittings([*first, (3000, "4.1"), (9000, "4.2")]), sittings([*first, (3000, "5.0")])
    (3, 1)
    """
    counts: dict[str, int] = {}
    seen: set[str] = set()
    found, last, again = 1, -math.inf, False
    for at, variant in sorted(accepted):
        if at - last > SITTING_S:
            judged = [name for name, count in counts.items() if count >= FEWEST_RUNS]
            seen, again = set(judged if len(judged) > 1 else ()), False
        if variant in seen and not again:
            found, again = found + 1, True
        counts[variant] = counts.get(variant, 0) + 1
        last = at
    return found


def background_cpu_limit(idle_share: float | None) -> float:
    """The limit to propose for a rig of which `idle_share` percent are busy while it is idle."""
    if idle_share is None:
        return BACKGROUND_CPU_LIMIT
    wanted = math.ceil(BUSY_FACTOR * idle_share + BUSY_MORE)
    return float(min(max(BACKGROUND_CPU_LIMIT, wanted), MOST_BACKGROUND))


@dataclass(frozen=True, slots=True)
class Plan:
    """How a study is measured.

    `stop` is "decided" (at a look no main metric is open any more), "precise" (at a look every main
    interval reaches no further than `precision` percent either way) or "fixed" (after `rounds`).
    `cap` is the most warm rounds ever; the first `cold_rounds` rounds are kept apart.
    `added` tells that rounds were asked for by hand after the plan had ended.
    """

    stop: str = DECIDED
    rounds: int = 8
    precision: float = 3.0
    cap: int = 20
    cold_rounds: int = 1
    order: str = BALANCED
    rest_s: float = 0.0
    added: bool = False

    @property
    def alpha(self) -> float:
        """Level of every interval: that of one look of several where there may be several."""
        if self.stop == FIXED:
            return ONE_LOOK_ALPHA
        return LOOK_ALPHA if len(self.looks) <= len(LOOKS) else FIVE_LOOKS_ALPHA

    def alpha_after(self, rounds: int, sittings: int = 1) -> float:
        """Level of every interval that rests on so many rounds; stricter where no look is planned.

        None at all, where all runs were brought in, is one look for each of the sittings.
        """
        if not rounds and sittings > 1:
            return LATER_SITTING_ALPHA if sittings <= SITTINGS_AT_IT else UNPLANNED_LOOK_ALPHA
        if not rounds:
            return ONE_LOOK_ALPHA
        return self.alpha if rounds in self.looks else UNPLANNED_LOOK_ALPHA

    @property
    def looks(self) -> tuple[int, ...]:
        """After how many warm rounds the plan looks whether it may stop; the last one ends it."""
        if self.stop == FIXED:
            return (self.rounds,)
        return (*(look for look in LOOKS if look < self.cap), self.cap)

    def last_look(self, done: int, looked: Iterable[int] = ()) -> int:
        """The rounds that verdicts rest on once `done` are complete and more are under way.

        `looked` are the numbers of rounds at which was looked besides; 0 before the first look.
        Between two looks nothing new is concluded: whoever watches a study round by round and may
        stop at any would be wrong in 12 to 19 of 100.
        """
        return max((n for n in (*self.looks, *looked) if n <= done), default=0)

    def next_look(self, done: int) -> int | None:
        """After how many rounds the plan looks next; None where no look is left."""
        return next((look for look in self.looks if look > done), None)


@dataclass(frozen=True, slots=True)
class Step:
    """What a plan does next: queue `rounds` more warm rounds, or stop with a reason."""

    rounds: int
    reason: str = ""


def round_order(variants: int, number: int, order: str = BALANCED) -> list[int]:
    """Indices of the variants in the order they run in round `number`.

    Balanced after Williams 1949: over a full cycle every variant stands in every place and follows
    every other equally often; two variants simply alternate. Alternating runs forth and back.

    >>> [round_order(2, number, "balanced") for number in range(3)]
    [[0, 1], [1, 0], [0, 1]]
    """
    if not variants:
        return []
    if order == ALTERNATING:
        forth = list(range(variants))
        return forth[::-1] if number % 2 else forth
    base = [0]
    for step in range(1, variants):
        base.append((base[-1] + (step if step % 2 else -step)) % variants)
    turn = number % (variants if variants % 2 == 0 else 2 * variants)
    row = [(index + turn) % variants for index in base]
    return row[::-1] if turn >= variants else row


def turns(order: list[int], levels: Sequence[str], number: int) -> list[tuple[int, str]]:
    """Which variant runs when at which level of a ladder: all variants at one level, then the next.

    Every other round goes down the ladder instead of up, so that a drift over the round does not
    look like a slope.
    """
    climb = levels[::-1] if number % 2 else levels
    return [(index, level) for level in climb for index in order]


def next_step(plan: Plan, done: int, judgement: Judgement) -> Step:
    """What follows after `done` warm rounds, each of which every variant has run."""
    for look in plan.looks:
        if done < look:
            return Step(look - done)
        if done == look:
            reason = _reason(plan, look, judgement)
            if reason:
                return Step(0, reason)
    return Step(0, f"{done} rounds are done, and the plan allows {plan.looks[-1]}")


def _reason(plan: Plan, look: int, judgement: Judgement) -> str:
    """Why the plan stops at this look; empty where it goes on."""
    last = look == plan.looks[-1]
    if plan.stop == FIXED:
        return f"all {plan.rounds} rounds of the plan are done"
    main = _main_differences(judgement)
    if not main:
        return f"no main metric has readings of both sides after {look} rounds" if last else ""
    held = [difference for _, difference in main if difference.verdict_withheld]
    if held:
        return f"no verdict can come of this: {held[0].caveats[0]}"
    if plan.stop == PRECISE:
        reach = math.log1p(plan.precision / 100)
        wide = sum(
            not max(d.gain_high - d.gain, d.gain - d.gain_low) <= reach
            for row, d in main
            if row.metric.on_logs
        )
        if not wide:
            return f"after {look} rounds every main metric is known to ± {plan.precision:g} %"
        left = f"{_main_metrics(wide)} less well known than ± {plan.precision:g} %"
    else:
        unsettled = [d for _, d in main if is_unsettled(d)]
        if not unsettled:
            return f"after {look} rounds every main metric is decided"
        futile = futility([d.undecided for d in unsettled])
        if futile:
            return f"after {look} rounds {_main_metrics(len(unsettled))} open: {futile}"
        names = " and ".join(still_open(judgement)[:_MOST_NAMED])
        left = f"{_main_metrics(len(unsettled))} still open: {names}"
    return f"the cap of {plan.cap} rounds is reached; {left}" if last else ""


def _main_differences(judgement: Judgement) -> list[tuple[Row, Difference]]:
    return [
        (row, difference)
        for row in judgement.rows
        if row.metric.primary and row.metric.judged
        for difference in row.differences
        if difference is not None
    ]


#: More names would hide that the plan has ended.
_MOST_NAMED = 3


def still_open(judgement: Judgement) -> list[str]:
    """Names of the main metrics that are not settled between any two variants."""
    names = (qualified_label(row) for row, d in _main_differences(judgement) if is_unsettled(d))
    return list(dict.fromkeys(names))


def _main_metrics(number: int) -> str:
    return "1 main metric is" if number == 1 else f"{number} main metrics are"


def is_unsettled(difference: Difference) -> bool:
    """Whether more rounds are worth while for it: open, though something was seen to compare."""
    return difference.verdict == OPEN and difference.undecided != NO_EVENTS


def futility(undecided: Sequence[str]) -> str:
    """Why no sensible number of rounds would decide any of these; empty where one would."""
    if not all(code in FUTILITY for code in undecided):
        return ""
    return "; ".join(FUTILITY[code] for code in dict.fromkeys(undecided))
