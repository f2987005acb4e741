"""Claims of a study, judged by what has been measured so far."""

from __future__ import annotations

from dataclasses import asdict
from typing import cast

from yardstick_core.compare import claims as core
from yardstick_core.compare import text
from yardstick_core.compare.rows import Row
from yardstick_core.compare.study import Judgement
from yardstick_core.readings import METRICS
from yardstick_core.readings.expected import expected
from yardstick_core.script import outline, parse
from yardstick_server import contracts
from yardstick_server.analysis.board import sentence
from yardstick_server.analysis.judging import names_of, verdicts_of
from yardstick_server.studies.models import Study


def _row(found: tuple[Row, ...], metric: str, stretch: list[str]) -> Row | None:
    path = tuple(stretch)
    return next((r for r in found if r.metric.key == metric and r.stretch == path), None)


def claimable(study: Study, rows: tuple[Row, ...]) -> list[contracts.Claimable]:
    """What was read of a study; before the first run, what its session is expected to yield."""
    read = [(row.stretch, row.metric) for row in rows if row.metric.judged]
    return [
        {
            "stretch": list(stretch),
            "metric": metric.key,
            "name": text.metric_name(metric, stretch),
            "unit": metric.unit,
            "in_percent": metric.on_logs,
        }
        for stretch, metric in read or expected(outline(parse(study.script.text)).stretches)
    ]


def judged_claims(study: Study, judgement: Judgement | None = None) -> list[contracts.Claim]:
    """Every claim of a study with its judgement by what has been measured so far."""
    kept = list(study.claims.select_related("variant").order_by("id"))
    if not kept:
        return []
    judgement = judgement or verdicts_of(study)
    found, names = judgement.rows, names_of(study)
    result: list[contracts.Claim] = []
    for claim in kept:
        row = _row(found, claim.metric, claim.stretch)
        asked = core.Claim(
            claim.variant.position, tuple(claim.stretch), claim.metric, claim.side, claim.amount
        )
        if row is None:
            said = _unread(asked, names, study.baseline)
            judged = core.JudgedClaim(core.NOT_SHOWN, said, "no run has a reading of this")
        else:
            judged = core.judge_claim(asked, row, names, study.baseline, judgement.alpha)
        after = study.runs.filter(state="read", ended__lt=claim.created).count()
        said_of = {
            **asdict(asked), **asdict(judged), "because": sentence(judged.because),
            "id": claim.pk, "source": claim.source, "after": after,
        }  # fmt: skip
        result.append(cast(contracts.Claim, said_of))
    return result


def _unread(claim: core.Claim, names: list[str], baseline: int) -> str:
    """The statement of a claim that no run says anything of."""
    if claim.metric not in METRICS or not claim.stretch:
        return f"{claim.metric} of {' / '.join(claim.stretch)}"
    row = Row(claim.stretch, METRICS[claim.metric], (), (), (), "")
    return core.statement(claim, row, names, baseline)
