"""Judges studies with the core, and keeps what comes out."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from functools import cached_property
from typing import Any

from django.db import transaction
from django.db.models import QuerySet, TextField
from django.db.models.functions import Cast
from django.utils import timezone

from yardstick_core import CORE_VERSION
from yardstick_core.compare.decision import Decision, decide_study
from yardstick_core.compare.profiles import Profile
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import Judgement, judge
from yardstick_core.compare.text import level
from yardstick_core.match.caveats import ParityCaveat, parity_caveats, withheld_notes
from yardstick_core.match.control_runs import PairedComparison, observer_cost
from yardstick_core.match.drift import Drift, drifts
from yardstick_core.match.sheet import Sheet
from yardstick_core.plan import ONE_LOOK_ALPHA
from yardstick_core.readings import METRICS, Reading
from yardstick_core.record import CONTROL, ROUND
from yardstick_server.analysis.board import AnswerWithInterval, KeptBoard, board_of, in_short
from yardstick_server.analysis.caveats import caveats
from yardstick_server.analysis.deriving import keep_readings
from yardstick_server.analysis.models import RunReading, StudyJudgement
from yardstick_server.analysis.parity import parity_status, sheet_of, waived
from yardstick_server.runs.acceptance import sittings
from yardstick_server.runs.models import BY_HAND, Run
from yardstick_server.runs.rounds import complete_rounds, judged_rounds
from yardstick_server.studies.models import Study
from yardstick_server.traces.lru_cache import SizedLruCache


class StudyAnalysis:
    """What is known of a study, each part read or worked out once, when it is asked for.

    The baseline is the study's own, or the variant at another position.
    """

    def __init__(self, study: Study, baseline: int | None = None) -> None:
        self.study = study
        self.baseline = study.baseline if baseline is None else baseline
        self._decisions: dict[tuple[Profile, ...], Decision] = {}

    @cached_property
    def names(self) -> list[str]:
        return names_of(self.study)

    @cached_property
    def runs(self) -> list[JudgedRun]:
        return judged_runs(self.study)

    @cached_property
    def sheet(self) -> Sheet:
        """What was not alike in the runs that are compared."""
        return sheet_of(self.study, self.baseline)

    @cached_property
    def waived(self) -> set[str]:
        return waived(self.study)

    @cached_property
    def parity_caveats(self) -> list[ParityCaveat]:
        """Which verdicts are touched by what was not alike in the runs and is not waived."""
        return parity_caveats(self.sheet.mismatches, self.waived)

    @cached_property
    def compared(self) -> Judgement:
        """The study judged by its own plan and terms, with the notes of its readings alone.

        What was not alike in its runs, and is not waived, stands beside the verdicts it touches.
        """
        return judge(
            self.runs,
            self.names,
            self.baseline,
            alpha=self.study.plan.core().alpha_after(self.rounds_judged, self.sittings),
            terms=self.study.terms,
            parity_caveats=self.parity_caveats,
            deciding=self.study.deciding,
            compared_rounds=self.judged_rounds,
        )

    @cached_property
    def judged_rounds(self) -> list[int] | None:
        """The rounds that verdicts rest on; None for all."""
        return judged_rounds(self.study)

    @cached_property
    def rounds_judged(self) -> int:
        """How many complete rounds the verdicts rest on."""
        rounds = self.judged_rounds
        return len(complete_rounds(self.study) if rounds is None else rounds)

    @cached_property
    def sittings(self) -> int:
        """How often runs were let in of which a verdict was seen; 1 where rounds are judged."""
        return 1 if self.rounds_judged else sittings(self.study)

    @cached_property
    def judgement(self) -> Judgement:
        """The study judged, with all there is to note about its runs, its work and its day."""
        drifting = [drift.text for drift in self.drifts if drift.drifts]
        watching = [held.text for held in self.observer_overhead if held.matters]
        held = withheld_notes(self.parity_caveats, self.names)
        noted = (
            *self._waiting(),
            *held,
            *caveats(self.study),
            *self.compared.notes,
            *drifting,
            *watching,
        )
        headline = self.compared.headline
        if not headline and self.judged_rounds is not None:
            headline = f"first judged after {self.study.plan.core().looks[0]} rounds"
        return replace(self.compared, headline=headline, notes=noted)

    def _waiting(self) -> list[str]:
        """What verdicts rest on while rounds are under way, or runs come in bit by bit."""
        if self.sittings > 1:
            return [
                f"Runs were let in {self.sittings} times, with a verdict to be seen in between: "
                f"intervals hold at {level(self.compared.alpha)} in place of "
                f"{level(ONE_LOOK_ALPHA)}. Whoever brings in more until the answer pleases is "
                "wrong too often; bring all of it in at once where you can."
            ]
        if self.judged_rounds is None:
            return []
        after = len(self.judged_rounds)
        coming = self.study.plan.core().next_look(after)
        when = f"after {coming}" if coming else "once these are done"
        if not after:
            return [f"No verdict yet: it is first judged {when} rounds, not run by run."]
        return [
            f"Judged after {after} rounds, next {when}. In between nothing is concluded: whoever "
            "stops at the first good moment is wrong too often."
        ]

    def decision(self, profiles: tuple[Profile, ...]) -> Decision:
        """What the judgement says for some profiles, worked out once for the same ones."""
        if profiles not in self._decisions:
            self._decisions = {
                profiles: decide_study(self.judgement, self.names, self.baseline, list(profiles))
            }
        return self._decisions[profiles]

    @cached_property
    def drifts(self) -> list[Drift]:
        return drifts(self.compared.at_look().rows)

    @cached_property
    def observer_overhead(self) -> list[PairedComparison]:
        """What sampling costs, from the study's control runs."""
        return observer_cost(self.runs, judged_runs(self.study, CONTROL), self.names)

    @cached_property
    def board(self) -> KeptBoard:
        machine = machine_mib(self.study)
        return {
            **board_of(self.judgement, self.names, self.baseline, machine),
            "match": parity_status(self.sheet, self.waived),
            "judged_after": None if self.judged_rounds is None else len(self.judged_rounds),
        }


#: Analyses worked out for a page and kept for the next one, of each as it was last judged.
_ANALYSES: SizedLruCache[StudyAnalysis] = SizedLruCache(96 * 2**20)
_READING_BYTES = 400


def kept_analysis(study: Study, baseline: int | None = None) -> StudyAnalysis:
    """A study's analysis as it was last judged, worked out once and kept in memory.

    Whatever bears on a verdict has the study judged anew, which is what ends it: pages that only
    read judge nothing twice, and what they show is one with the board.
    """
    asked = study.baseline if baseline is None else baseline
    return kept_analyses([(study, asked)])[0]


def kept_analyses(asked: Sequence[tuple[Study, int]]) -> list[StudyAnalysis]:
    """The same of several studies, each against the variant at a position."""
    kept = StudyJudgement.objects.filter(
        study__in=[study.pk for study, _ in asked], core_version=CORE_VERSION
    )
    when = dict(kept.values_list("study_id", "made"))
    return [_kept_since(study, baseline, when.get(study.pk)) for study, baseline in asked]


def _kept_since(study: Study, asked: int, judged: datetime | None) -> StudyAnalysis:
    if judged is None:
        return StudyAnalysis(study, asked)

    def make() -> tuple[StudyAnalysis, int]:
        found = StudyAnalysis(study, asked)
        return found, _READING_BYTES * (1 + sum(len(run.readings) for run in found.runs))

    return _ANALYSES.get((study.pk, asked, judged), make)


def judged_runs(study: Study, purpose: str = ROUND) -> list[JudgedRun]:
    """The study's runs of a purpose with their readings, in the order taken."""
    runs = (
        study.runs.filter(state="read", purpose=purpose)
        .select_related("variant", "rig", "facts", "script")
        .order_by("round", "order_in_round")
    )
    readings = readings_of(runs)
    ladders = {version.pk: version.ladder.name for version in study.scripts.all() if version.ladder}
    return [
        JudgedRun(
            run.pk,
            run.variant.position,
            run.round,
            run.cold,
            run.outcome,
            tuple(readings.get(run.pk, ())),
            run.rig.name if run.rig else "",
            str(run.facts.facts.get("boot", "")) if run.facts else "",
            run.left_out,
            f"{ladders[run.script_id]} {run.level}" if run.level else "",
            run.origin == BY_HAND or "film" in run.import_source,
        )
        for run in runs
    ]


def readings_of(runs: QuerySet[Run]) -> dict[int, list[Reading]]:
    """Readings of runs that the core knows, by run.

    There are thousands of them and few stretches, so each stretch is understood once.
    """
    rows = (
        RunReading.objects.filter(run__in=runs.order_by().values("pk"))
        .annotate(path=Cast("stretch", TextField()))
        .order_by("pk")
        .values_list("run_id", "path", "metric", "value", "plus_minus", "right_censored", "warning")
    )
    paths: dict[str, tuple[str, ...]] = {}
    # metrics of a unit or a rate of a script's own are in no list: each key is asked for once
    known: dict[str, bool] = {}
    found: dict[int, list[Reading]] = {}
    for run, path, metric, *reading in rows:
        if metric not in known:
            known[metric] = metric in METRICS
        if not known[metric]:
            continue
        if path not in paths:
            paths[path] = tuple(json.loads(path))
        found.setdefault(run, []).append(Reading(paths[path], metric, *reading))
    return found


def machine_mib(study: Study) -> float | None:
    """Memory of the machine that measured a study, where it is one and known."""
    sizes = {
        run.facts.facts.get("memory_bytes")
        for run in study.runs.filter(facts__isnull=False).select_related("facts")
    }
    size = sizes.pop() if len(sizes) == 1 else None
    return size / 2**20 if isinstance(size, int) else None


def names_of(study: Study) -> list[str]:
    return [part.variant.name for part in study.variants]


def verdicts_of(study: Study, baseline: int | None = None) -> Judgement:
    """A study as last judged, but without notes on its runs, its work and its day."""
    return kept_analysis(study, baseline).compared


def judgement_of(study: Study, baseline: int | None = None) -> Judgement:
    """Judge a study against its own baseline or another variant; worked out, not kept."""
    return StudyAnalysis(study, baseline).judgement


def judge_study(study: Study) -> Judgement:
    """Judge a study and keep its board. Two workers take turns over one study."""
    with transaction.atomic():
        study = Study.objects.select_for_update().get(pk=study.pk)
        analysis = StudyAnalysis(study)
        board = analysis.board
        kept, _ = StudyJudgement.objects.defer("board").get_or_create(
            study=study, defaults={"board": {}, "core_version": CORE_VERSION}
        )
        short = in_short(board)
        _note_changes(kept, short["answers"])
        kept.board, kept.summary, kept.core_version = board, short, CORE_VERSION
        kept.save()
    return analysis.judgement


def read_and_judge(run: Run) -> Judgement:
    """Derive a run's readings and judge its study anew; both are seen at the same moment.

    Else a page asked for in between would hold a verdict of the run beside a board without it. What
    was read is kept even where the study cannot be judged.
    """
    with transaction.atomic():
        keep_readings(run)
        try:
            with transaction.atomic():
                return judge_study(run.study)
        except Exception as error:
            failed = error
    raise failed


def unkept_judgement(study: Study) -> StudyJudgement:
    """What judging a study would keep: for pages that are asked of one that never was judged."""
    board = StudyAnalysis(study).board
    return StudyJudgement(
        study=study, board=board, summary=in_short(board), core_version=CORE_VERSION
    )


def answer_key(answer: Mapping[str, Any]) -> str:
    """Names an answer among those of a study, whenever it was given."""
    return "~".join((str(answer["candidate"]), answer["metric"], *answer["stretch"]))


def _note_changes(kept: StudyJudgement, answers: Sequence[AnswerWithInterval]) -> None:
    """Keep of each answer what it was before it last changed, and when that was."""
    old = {answer_key(one): one["verdict"] for one in kept.summary.get("answers", ())}
    now = timezone.now()
    before = {}
    for answer in answers:
        key = answer_key(answer)
        if old.get(key) != answer["verdict"]:
            before[key] = {"verdict": old.get(key, ""), "until": now.isoformat()}
            kept.verdicts_changed = now
        elif key in kept.verdicts_before:
            before[key] = kept.verdicts_before[key]
    kept.verdicts_before = before
