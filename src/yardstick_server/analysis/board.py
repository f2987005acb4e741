"""The board: a judgement as JSON, with every number also in words."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from typing import TypedDict, cast

from yardstick_core.compare import text
from yardstick_core.compare.answer import answers
from yardstick_core.compare.difference import Difference
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.growing import growing
from yardstick_core.compare.rows import Row, label, qualified_label
from yardstick_core.compare.study import Judgement, standout
from yardstick_core.compare.verdict import AHEAD, BEHIND, LEVEL, OPEN
from yardstick_core.match.caveats import Waivable
from yardstick_core.readings import METRICS
from yardstick_core.readings.families import FAMILIES, lead_of
from yardstick_server import contracts


class JudgedBoard(contracts.Board):
    """The board, and what is said of it where studies are listed."""

    counts: Sequence[dict[str, int]]
    standouts: Sequence[contracts.Standout]


class KeptBoard(JudgedBoard):
    """What is kept of a judgement: its board, and how alike its runs were."""

    match: contracts.ParityStatus


def board_of(
    judgement: Judgement, names: list[str], baseline: int = 0, machine: float | None = None
) -> JudgedBoard:
    """A judgement as JSON, with every number also in words."""
    return {
        "headline": judgement.headline,
        "variants": names,
        "baseline": baseline,
        "counts": judgement.counts,
        "answers": [
            cast(contracts.Answer, {**asdict(answer), "text": answer.text})
            for answer in answers(judgement, baseline)
        ],
        "families": _families(judgement, baseline),
        "standouts": _standouts(judgement, baseline),
        "level": text.level(judgement.alpha),
        "notes": sentences(judgement.notes),
        "growing": [
            {"stretch": one.stretch, "variant": one.variant, "kind": one.kind, "text": one.text}
            for one in growing(judgement.at_look().rows, names, machine)
        ],
        "ladders": [
            cast(contracts.LadderReading, asdict(reading)) for reading in judgement.ladders
        ],
        "rows": [_row(row, baseline) for row in judgement.rows],
    }


class Interval(TypedDict):
    """Where a difference lies on the rule."""

    gain: float | None
    gain_low: float | None
    gain_high: float | None
    band: float | None


class AnswerWithInterval(contracts.Answer, Interval):
    """An answer with its place on the rule."""


class BoardInShort(TypedDict):
    """What of a board stands where many studies are shown."""

    headline: str
    level: str
    families: Sequence[contracts.FamilyCount]
    match: contracts.ParityStatus
    standouts: Sequence[contracts.Standout]
    answers: Sequence[AnswerWithInterval]
    ticks: Sequence[contracts.Tick]


def in_short(board: KeptBoard) -> BoardInShort:
    """What of a board stands where many studies are shown: answers, families, a tick a metric."""
    return {
        "headline": board["headline"],
        "level": board["level"],
        "families": board["families"],
        "match": board["match"],
        "standouts": board["standouts"],
        "answers": [
            {**answer, **_interval_of(answer, board["rows"])} for answer in board["answers"]
        ],
        "ticks": [
            {
                "variant": index,
                "label": row["label"],
                "gain": difference["gain"],
                "band": difference["band"],
                "verdict": difference["verdict"],
            }
            for row in board["rows"]
            for index, difference in enumerate(row["differences"])
            if row["counted"] and difference
            if difference["gain"] is not None and difference["band"] is not None
        ],
    }


def _interval_of(answer: contracts.Answer, rows: Sequence[contracts.Row]) -> Interval:
    """Where the difference that an answer rests on lies on the rule; None without an interval."""
    difference = next(
        row["differences"][answer["candidate"]]
        for row in rows
        if row["metric"] == answer["metric"] and list(row["stretch"]) == list(answer["stretch"])
    )
    if difference is None:
        return {"gain": None, "gain_low": None, "gain_high": None, "band": None}
    return {
        "gain": difference["gain"],
        "gain_low": difference["gain_low"],
        "gain_high": difference["gain_high"],
        "band": difference["band"],
    }


def _families(judgement: Judgement, baseline: int) -> list[contracts.FamilyCount]:
    """How many metrics of each family got each verdict, by candidate; echoes are not counted."""
    found: list[contracts.FamilyCount] = []
    for index in range(len(judgement.counts)):
        if index == baseline:
            continue
        for family in FAMILIES:
            verdicts = Counter(
                difference.verdict
                for row in judgement.rows
                if row.counted
                and row.family == family
                and (difference := row.differences[index]) is not None
            )
            if verdicts:
                found.append(
                    {
                        "variant": index,
                        "family": family,
                        "ahead": verdicts[AHEAD],
                        "behind": verdicts[BEHIND],
                        "level": verdicts[LEVEL],
                        "open": verdicts[OPEN],
                    }
                )
    return found


def _standouts(judgement: Judgement, baseline: int) -> list[contracts.Standout]:
    """Where each candidate is furthest ahead and furthest behind."""
    found: list[contracts.Standout] = []
    for index in range(len(judgement.counts)):
        for verdict in (AHEAD, BEHIND):
            row = standout(list(judgement.rows), index, verdict)
            difference = row.differences[index] if row and index != baseline else None
            if row and difference:
                found.append(
                    {
                        "variant": index,
                        "verdict": verdict,
                        "label": qualified_label(row),
                        "text": _in_short(difference),
                    }
                )
    return found


def _in_short(difference: Difference) -> str:
    """The change, with percent where that is a number people can picture."""
    if 1 / 4 <= difference.ratio <= 4:
        return f"{difference.change_text}, {difference.percent_text}"
    return difference.change_text


def _row(row: Row, baseline: int) -> contracts.Row:
    known = [value for value in (row.medians[baseline], *row.medians) if value is not None]
    factor, unit = text.unit_scale(row.metric, known[0] if known else 1.0)
    return {
        "stretch": row.stretch,
        "label": label(row),
        "metric": row.metric.key,
        "name": text.metric_name(row.metric, row.stretch),
        "definition": row.metric.definition,
        "higher_is_better": row.metric.higher_is_better,
        "judged": row.metric.judged,
        "can_count": METRICS[row.metric.key].judged,
        "primary": row.metric.primary,
        "family": row.family,
        "echo_of": row.echo_of,
        "not_judged": row.not_judged,
        "follows_from": lead_of(row.metric.key),
        "counted": row.counted,
        "deciding": row.deciding,
        "in_percent": row.metric.on_logs,
        "unit": unit,
        "unit_factor": factor,
        "material": material_text(row),
        "material_share": 100 * row.metric.material_share if row.metric.on_logs else None,
        "material_amount": row.metric.material_amount,
        "amount_unit": "pt" if row.metric.unit == "%" else row.metric.unit,
        "medians": [
            None
            if value is None
            else {
                "value": value,
                "text": (">\N{NO-BREAK SPACE}" if longer else "")
                + text.number(row.metric, value * factor),
            }
            for value, longer in zip(row.medians, row.longer, strict=True)
        ],
        "samples": _samples(row.samples),
        "cold": _samples(row.cold),
        "left_out": _samples(row.left_out),
        "differences": [None if d is None else finite(d) for d in row.differences],
        "sentence": row.sentence,
        "warnings": row.warnings,
    }


def _samples(sides: tuple[tuple[Sample, ...], ...]) -> list[list[contracts.Sample]]:
    return [[cast(contracts.Sample, sample._asdict()) for sample in side] for side in sides]


def material_text(row: Row) -> str:
    """The smallest difference of a metric that matters, in words."""
    metric = row.metric
    if not metric.on_logs:
        return text.signed(metric, metric.material_amount).lstrip("+")
    share = f"{100 * metric.material_share:.0f}{text.THIN}%"
    if not metric.material_amount:
        return share
    return f"{share} and {text.quantity(metric, metric.material_amount)}"


def finite(difference: Difference) -> contracts.Difference:
    """A difference as JSON; numbers that JSON cannot say become null."""
    found = {
        key: None if isinstance(value, float) and not math.isfinite(value) else value
        for key, value in asdict(difference).items()
    }
    return cast(contracts.Difference, {**found, "caveats": sentences(difference.caveats)})


def sentence(text: str) -> contracts.Sentence:
    """A sentence beside a verdict, and whether a person may waive what it is about."""
    return {"text": str(text), "waivable": isinstance(text, Waivable)}


def sentences(texts: Iterable[str]) -> list[contracts.Sentence]:
    return [sentence(text) for text in texts]
