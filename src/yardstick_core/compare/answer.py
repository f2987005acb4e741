"""The answer to a study's question: what decides, candidate by candidate, in a sentence."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from yardstick_core.compare import text
from yardstick_core.compare.difference import FUTILITY, NO_INTERVAL, Difference
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.compare.study import Judgement
from yardstick_core.compare.verdict import LEVEL, OPEN
from yardstick_core.readings.families import TIMES

NOT_KNOWN, PERHAPS_TOO_LITTLE, UNNOTICED, WITHHELD = (
    "Not known yet: ", "Perhaps too little to matter: ",
    "No difference that anyone would notice: ", "No verdict: ",
)  # fmt: skip
#: Beyond these a factor is easier to picture than a percentage.
SMALLEST_PERCENT, LARGEST_PERCENT = 1 / 4, 2.0
#: Metrics that may decide where a study names none, of the first stretch that has one.
ANSWERING = ("duration", "lap_time", "average_rate", "key_to_rest")
#: What decides of a stretch of each kind that a script has.
_OF_KIND = {"time": "duration", "laps": "lap_time", "frames": "average_rate"}
#: What starting a program is called, as a step or a timing: it decides where nothing follows.
_LAUNCHES = ("launch", "start", "start up", "start-up", "startup")


@dataclass(frozen=True, slots=True)
class Answer:
    """What one deciding metric says of one candidate.

    `lead` says how sure it is, empty for a clear difference; `subject` what is spoken of, `change`
    the amount, `detail` percent or factor with the interval; `why` stands where there is no number.
    """

    candidate: int
    metric: str
    stretch: tuple[str, ...]
    verdict: str
    lead: str
    subject: str
    change: str = ""
    detail: str = ""
    why: str = ""
    #: About how many rounds in all would decide it; None where it is decided or that is not known.
    rounds_to_decide: int | None = None
    #: Why no sensible number of rounds would decide it; empty where one would, or nobody can know.
    futility: str = ""

    @property
    def text(self) -> str:
        """The whole sentence, without the candidate's name and a full stop."""
        if self.why:
            return f"{self.lead}{self.subject}: {self.why}"
        between = " " if self.detail.startswith("(") else ", "
        return f"{self.lead}{self.subject} {self.change}{between}{self.detail}".rstrip()


def answers(judgement: Judgement, baseline: int = 0) -> list[Answer]:
    """An answer for each candidate and deciding metric, in the order of the session."""
    rows = deciding_rows(judgement.rows)
    count = len(rows[0].differences) if rows else 0
    return [
        _answer(row, index, judgement.unfinished[index] or judgement.unfinished[baseline])
        for index in range(count)
        if index != baseline
        for row in rows
    ]


def deciding_rows(rows: Sequence[Row]) -> list[Row]:
    """The rows that decide; where none is named, the first timing or frame stretch there is.

    A session that does more than launch a program is about what follows.
    """
    named = [row for row in rows if row.deciding]
    if named:
        return named
    may = [row for row in rows if row.counted and row.metric.key in ANSWERING and any(row.samples)]
    return sorted(may, key=lambda row: _is_launch(row.stretch))[:1]


def proposed_of_script(
    stretches: Iterable[tuple[str, Sequence[str]]],
) -> tuple[str, tuple[str, ...]] | None:
    """Metric and stretch that decide where a study names none, by the kinds and paths of its
    script's stretches, before anything is measured; None where it times nothing.
    """
    may = [(_OF_KIND[kind], tuple(path)) for kind, path in stretches if kind in _OF_KIND]
    return next(iter(sorted(may, key=lambda one: _is_launch(one[1]))), None)


def _is_launch(stretch: Sequence[str]) -> bool:
    return any(name.lower() in _LAUNCHES for name in stretch)


def _answer(row: Row, candidate: int, unfinished: str) -> Answer:
    difference = row.differences[candidate]
    place = candidate, row.metric.key, row.stretch
    if difference is None and unfinished:
        return Answer(*place, OPEN, WITHHELD, qualified_label(row), why=unfinished)
    if difference is None:
        why = "not both sides have been judged"
        return Answer(*place, OPEN, NOT_KNOWN, qualified_label(row), why=why)
    if difference.method == NO_INTERVAL:
        lead = UNNOTICED if difference.verdict == LEVEL else NOT_KNOWN
        why = difference.caveats[-1]
        return Answer(*place, difference.verdict, lead, qualified_label(row), why=why)
    if difference.verdict_withheld:
        why = difference.caveats[0]
        return Answer(*place, difference.verdict, WITHHELD, qualified_label(row), why=why)
    lead = {OPEN: NOT_KNOWN, LEVEL: UNNOTICED}.get(difference.verdict, "")
    if difference.perhaps_immaterial:
        lead = PERHAPS_TOO_LITTLE
    verb = "takes" if row.family == TIMES and row.metric.unit == "s" else "is"
    change = _change(row, difference)
    detail = _detail(difference) if row.metric.on_logs else _own_limits(row, difference)
    if math.isinf(difference.change_low) or math.isinf(difference.change_high):
        change, detail = _at_least(row, difference)
    return Answer(
        *place, difference.verdict, lead, f"{qualified_label(row)} {verb}", change, detail,
        rounds_to_decide=difference.runs_to_decide if difference.verdict == OPEN else None,
        futility=FUTILITY.get(difference.undecided, "") if difference.verdict == OPEN else "",
    )  # fmt: skip


def _change(row: Row, difference: Difference) -> str:
    """The amount with its way, without a sign: `413 ms less`."""
    size = difference.change_text.lstrip(f"+{text.MINUS}")
    if size.partition(text.THIN)[0] == "0":
        return "the same"
    return f"{size} {'less' if difference.change < 0 else 'more'}"


def _at_least(row: Row, difference: Difference) -> tuple[str, str]:
    """Amount and detail where some readings have no end, so that one limit is all that is known:
    `at least 8.7 s more`, `(9.7 × or more)`; `anything from 8 ms less upwards`, `(0.8 % less)`.
    """
    more = math.isinf(difference.change_high)
    limit = difference.change_low if more else difference.change_high
    size = f"{text.amount(row.metric, abs(limit))} {'less' if limit < 0 else 'more'}"
    ratio = difference.ratio_low if more else difference.ratio_high
    beyond = not SMALLEST_PERCENT <= ratio <= LARGEST_PERCENT
    factor = f"{text.significant(ratio, 2)}{text.THIN}×"
    if (limit > 0) != more:
        detail = f"({factor if beyond else text.percent(ratio)})" if ratio == ratio else ""
        return f"anything from {size} upwards" if more else f"anything up to {size}", detail
    share = text.percent(ratio).rpartition(" ")[0]
    told = f"({factor} or {'more' if more else 'less'})" if beyond else f"({share} or more)"
    return f"at least {size}", told if ratio == ratio else ""


def _detail(difference: Difference) -> str:
    """Percent or factor, with its interval: `58 % less (51 to 64)`, `3.0 × (2.2 to 4.1)`."""
    ratio, low, high = difference.ratio, difference.ratio_low, difference.ratio_high
    if ratio != ratio:
        return difference.interval_text
    if not SMALLEST_PERCENT <= ratio <= LARGEST_PERCENT:
        return text.factor(ratio, low, high)
    near, far = (low, high) if ratio >= 1 else (high, low)
    if (near - 1) * (far - 1) > 0:
        return f"{text.percent(ratio)} ({text.percent_limits(near, far)})"
    first, second = (text.percent(limit).replace(f"{text.THIN}%", "") for limit in (low, high))
    return f"{text.percent(ratio)} ({first} to {second})"


def _own_limits(row: Row, difference: Difference) -> str:
    """The limits of a change that has no ratio."""
    return f"({text.change_limits(row.metric, difference.change_low, difference.change_high)})"
