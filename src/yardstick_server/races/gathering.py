"""The runs of a race, put on one clock by the core."""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.race import START, Race, alignments, instant_of, race
from yardstick_core.record import FILMED, FINISHED, ROUND, RunRecord
from yardstick_server.analysis.records import journal_of
from yardstick_server.films.models import Film
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

MOST_RACERS = 4


class NoRace(ValueError):
    """These runs cannot race; the message says why."""


@dataclass(frozen=True, slots=True)
class StudyRace:
    """Runs of a study in the order they are shown, with their records, on one clock."""

    study: Study
    runs: tuple[Run, ...]
    records: tuple[RunRecord, ...]
    race: Race
    alignment: str

    @property
    def alignments(self) -> list[tuple[str, str]]:
        return alignments(self.records)

    def film(self, racer: int) -> Film | None:
        """The film of a racer, where it has one that plays."""
        film = getattr(self.runs[racer], "film", None)
        return film if film is not None and film.state == "ready" else None


def race_of(study: Study, numbers: Sequence[int] = (), alignment: str = START) -> StudyRace:
    """The race of some runs, or of one run of each variant. Raises NoRace."""
    runs = _asked(study, numbers) if numbers else usual_runs(study)
    if len(runs) < 2:
        raise NoRace("a race takes runs of two variants at least: measure them first")
    records = [journal_of(run) for run in runs]
    for run, record in zip(runs, records, strict=True):
        if not any(one.kind == "step" for one in record.stretches):
            raise NoRace(f"run {run.pk} has no steps: it cannot be laid beside others")
    zeros = [instant_of(record, alignment) for record in records]
    known = [zero for zero in zeros if zero is not None]
    if len(known) < len(zeros):
        raise NoRace("not all of these runs have what they are to be aligned at")
    positions = [run.variant.position for run in runs]
    base = positions.index(study.baseline) if study.baseline in positions else 0
    return StudyRace(study, tuple(runs), tuple(records), race(records, base, known), alignment)


def _asked(study: Study, numbers: Sequence[int]) -> list[Run]:
    if not 2 <= len(set(numbers)) == len(numbers) <= MOST_RACERS:
        raise NoRace(f"two to {MOST_RACERS} different runs race")
    found = {run.pk: run for run in _runs(study).filter(pk__in=numbers)}
    absent = [str(number) for number in numbers if number not in found]
    if absent:
        raise NoRace(f"this study has no run {absent[0]} with a record")
    return [found[number] for number in numbers]


def _runs(study: Study):  # type: ignore[no-untyped-def]
    """Runs that can be looked at: their record is whole."""
    sealed = study.runs.filter(state__in=("measured", "read"))
    return sealed.select_related("variant__variant", "study", "film")


def usual_runs(study: Study) -> list[Run]:
    """Of each variant, baseline first, its newest filmed run; else the most usual of its runs."""
    variants = sorted(study.variants, key=lambda v: (v.position != study.baseline, v.position))
    found = []
    for variant in variants:
        of_variant = _runs(study).filter(variant=variant, outcome=FINISHED)
        filmed = of_variant.filter(purpose=FILMED, film__state="ready").order_by("-pk").first()
        run = filmed or _most_usual(of_variant.filter(purpose=ROUND, cold=False, left_out=""))
        if run is not None:
            found.append(run)
    return found[:MOST_RACERS]


def _most_usual(runs) -> Run | None:  # type: ignore[no-untyped-def]
    """The run whose session took what the middle one took."""
    timed = [(session_s(journal_of(run)), run) for run in runs.order_by("pk")]
    if not timed:
        return None
    middle = statistics.median(seconds for seconds, _ in timed)
    return min(timed, key=lambda one: abs(one[0] - middle))[1]


def session_s(record: RunRecord) -> float:
    """From the start of the first step to the end of the last, seconds."""
    steps = [one for one in record.stretches if one.kind == "step"]
    if not steps:
        return 0.0
    return (max(s.end_ns for s in steps) - min(s.start_ns for s in steps)) / 1e9


def filming_cost(found: StudyRace) -> list[tuple[str, float, float, float, int]]:
    """Of each filmed racer: its variant, how long its session took, and the shortest, longest and
    number of its warm runs without a film, seconds.
    """
    rows = []
    for run, record in zip(found.runs, found.records, strict=True):
        if run.purpose != FILMED:
            continue
        others = _runs(found.study).filter(
            variant=run.variant, purpose=ROUND, cold=False, outcome=FINISHED, left_out="",
            level=run.level,
        )  # fmt: skip
        seconds = [session_s(journal_of(other)) for other in others]
        if seconds:
            name = str(run.variant.variant.name)
            rows.append((name, session_s(record), min(seconds), max(seconds), len(seconds)))
    return rows
