"""What stands beside a race: the result of all rounds of its study."""

from __future__ import annotations

from yardstick_core.compare.answer import answers
from yardstick_server.analysis.judging import kept_analysis
from yardstick_server.races.drawing import RaceDrawing, Result
from yardstick_server.races.gathering import StudyRace

MOST_ANSWERS = 5


def drawing_of(found: StudyRace) -> RaceDrawing:
    """A race ready to be drawn, with the result of its study for the last card."""
    analysis = kept_analysis(found.study)
    said = answers(analysis.judgement, analysis.baseline)
    racing = {run.variant.position for run in found.runs}
    shown = [
        (analysis.names[answer.candidate], answer.text)
        for answer in said
        if answer.candidate in racing
    ]
    return RaceDrawing(found, Result(tuple(shown[:MOST_ANSWERS]), analysis.rounds_judged))
