"""What other programs are told when a plan has ended, or a build at the gate is decided."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from yardstick_core.compare.answer import answers
from yardstick_core.compare.study import Judgement
from yardstick_server.gates.models import Gate
from yardstick_server.studies.models import Study
from yardstick_server.webhooks.sending import GATE_DECIDED, PLAN_ENDED, tell


def announce_end(study: Study, judgement: Judgement, *, plan: bool, gate: bool) -> None:
    """Tell the addresses of a study's workspace what has come to its end, if anything."""
    about: dict[str, Any] = {
        "study": study.pk,
        "question": study.question,
        "link": f"{settings.WEB_ORIGIN}/studies/{study.pk}/say",
    }
    names = [part.variant.name for part in study.variants] if plan or gate else []
    if plan:
        said = [
            {"variant": names[one.candidate], "verdict": one.verdict, "text": one.text}
            for one in answers(judgement, study.baseline)
        ]
        ended = {"reason": study.plan.reason, "headline": judgement.headline, "answers": said}
        tell(study.workspace, PLAN_ENDED, about | ended)
    if gate:
        found = Gate.objects.get(study=study)
        decided = {"build": found.build, "outcome": found.outcome, "why": found.why}
        tell(study.workspace, GATE_DECIDED, about | decided)
