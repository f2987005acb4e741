"""Keeps how a report is arranged, issues it, and withdraws what was issued."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from yardstick_core.report.changes import Change, changes, gist
from yardstick_core.report.content import Content
from yardstick_core.report.document import Document
from yardstick_core.report.results import results
from yardstick_core.report.sections import KINDS, written
from yardstick_server.reports.gathering import content_of, rests_on
from yardstick_server.reports.models import IssuedReport, ReportDraft
from yardstick_server.studies.models import Study

SECTIONS = [kind.key for kind in KINDS]


class Outdated(RuntimeError):
    """Somebody else changed the report, or the study changed under it, since it was looked at."""


def draft_of(study: Study) -> ReportDraft:
    """How the report of a study is arranged; one nobody arranged is not kept."""
    return ReportDraft.objects.filter(study=study).first() or ReportDraft(study=study)


def document_of(study: Study, content: Content | None = None) -> Document:
    """The report as it would go out now."""
    return written(content or content_of(study), draft_of(study).arrangement)


def arrange(study: Study, values: Mapping[str, Any], by: str) -> ReportDraft:
    """Keep an arrangement that was made from a revision. Raises Outdated for an older one.

    `values` are revision, order, on, off, and the words of sections; who wrote words stays with
    them for as long as they stay as they are.
    """
    with transaction.atomic():
        Study.objects.select_for_update().get(pk=study.pk)
        draft = draft_of(study)
        if draft.revision != values["revision"]:
            raise Outdated(
                "somebody else changed this report meanwhile; nothing was kept, look at it again"
            )
        before = draft.words
        draft.words = {
            key: before[key]
            if key in before and before[key]["text"] == text
            else {"text": text, "by": by}
            for key, text in values["words"].items()
            if text.strip()
        }
        draft.order, draft.on, draft.off = values["order"], values["on"], values["off"]
        draft.revision += 1
        draft.save()
    return draft


def issue(study: Study, seen: str, by: str) -> IssuedReport:
    """Freeze the report with the next number. Raises Outdated where what it rests on is not what
    was `seen`: nobody issues what they have not read.
    """
    with transaction.atomic():
        Study.objects.select_for_update().get(pk=study.pk)
        content = content_of(study)
        digest = rests_on(study, content)
        if digest != seen:
            raise Outdated("the study changed since this was shown; nothing was issued, read again")
        last = study.issued_reports.aggregate(last=Max("number"))["last"] or 0
        made: IssuedReport = study.issued_reports.create(
            number=last + 1,
            by=by,
            document=written(content, draft_of(study).arrangement),
            results=results(content["board"], study.question),
            gist=gist(content),
            digest=digest,
        )
    return made


def withdraw(report: IssuedReport, reason: str, by: str) -> None:
    """Withdraw a report: it stays readable under its number, with the reason on top."""
    report.withdrawn, report.withdrawn_by = timezone.now(), by
    report.withdrawn_reason = reason
    report.save(update_fields=["withdrawn", "withdrawn_by", "withdrawn_reason"])


def changes_since(report: IssuedReport, content: Content) -> list[Change]:
    """What the study says now that the report did not."""
    return changes(report.gist, gist(content))
