"""Which studies work with what: a subject, a variant, a fixture."""

from __future__ import annotations

from typing import Any

from yardstick_server import contracts
from yardstick_server.accounts.models import Workspace
from yardstick_server.inventory.models import Fixture, Subject, Variant
from yardstick_server.studies.models import ScriptVersion, Study, fixture_files


def used_by(found: Any) -> list[str]:
    """Questions that something is part of, and that would lose it."""
    studies = Study.objects.filter(deleted_at=None)
    if isinstance(found, Subject):
        studies = studies.filter(subject=found)
    elif isinstance(found, Variant):
        studies = studies.filter(study_variants__variant=found)
    elif isinstance(found, Fixture):
        return [user["question"] for user in users_of(found.workspace).get(found.name, [])]
    else:
        return []
    return list(studies.order_by("id").values_list("question", flat=True))


def users_of(workspace: Workspace) -> dict[str, list[contracts.UserOfFixture]]:
    """For each fixture name, the studies whose script works on it."""

    newest = ScriptVersion.objects.filter(
        study__workspace=workspace, study__deleted_at=None
    ).order_by("study", "-number")
    found: dict[str, list[contracts.UserOfFixture]] = {}
    for script in newest.distinct("study").select_related("study"):
        for name in fixture_files(script.text):
            user: contracts.UserOfFixture = {
                "study": script.study_id,
                "question": script.study.question,
            }
            found.setdefault(name, []).append(user)
    return found
