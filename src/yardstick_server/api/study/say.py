"""The report of a study: as it would go out, arranged, issued, withdrawn, and taken as a file."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import APIException, NotFound, ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_core.compare import text
from yardstick_core.report.changes import in_short
from yardstick_core.report.document import Document
from yardstick_core.report.markdown import markdown
from yardstick_core.report.references import FORMS, reference, row_label, unknown_in
from yardstick_core.report.results import results, results_csv
from yardstick_server import contracts
from yardstick_server.accounts.visitors import without_names
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView
from yardstick_server.notify import notify
from yardstick_server.reports import issuing, page, paper
from yardstick_server.reports.figure import SHAPES, THEMES, figure, figures_of
from yardstick_server.reports.gathering import content_of, rests_on
from yardstick_server.reports.models import Heading, IssuedReport
from yardstick_server.studies.models import Study

LONGEST_WORDS = 8000
#: What a drawing may do that somebody opens by itself: bring its own faces, and nothing else.
PICTURE_POLICY = "default-src 'none'; style-src 'unsafe-inline'; font-src data:"
KINDS = {
    "html": ("html", "text/html; charset=utf-8"),
    "pdf": ("pdf", "application/pdf"),
    "markdown": ("md", "text/markdown; charset=utf-8"),
    "csv": ("csv", "text/csv; charset=utf-8"),
    "json": ("json", "application/json"),
}


class SectionKey(serializers.CharField):
    """The key of a section of reports."""

    def to_internal_value(self, data: Any) -> str:
        key: str = super().to_internal_value(data)
        if key not in issuing.SECTIONS:
            raise ValidationError(f"no section is called {key[:40]}")
        return key


class ArrangementSerializer(serializers.Serializer):
    """How the report is arranged; what it was made from is named by its revision."""

    revision = serializers.IntegerField(min_value=0)
    order = serializers.ListField(child=SectionKey(), max_length=40)
    on = serializers.ListField(
        child=SectionKey(), max_length=40,
        help_text="sections that are usually left out",
    )  # fmt: skip
    off = serializers.ListField(
        child=SectionKey(), max_length=40,
        help_text="sections that are usually in; what touches the answer cannot be left out",
    )  # fmt: skip
    words = serializers.DictField(
        child=serializers.CharField(max_length=LONGEST_WORDS, allow_blank=True),
        help_text="by section, words of one's own in Markdown",
    )

    def validate_words(self, words: dict[str, str]) -> dict[str, str]:
        unknown = words.keys() - set(issuing.SECTIONS)
        if unknown:
            raise ValidationError(f"no section is called {', '.join(sorted(unknown))}")
        return words


class IssueSerializer(serializers.Serializer):
    rests_on = serializers.RegexField(
        r"^[0-9a-f]{64}$", help_text="digest of what was shown: it is issued as it was read"
    )


class WithdrawSerializer(serializers.Serializer):
    reason = serializers.CharField(max_length=400)


class IssuedReportSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    digest = serializers.CharField()
    rounds = serializers.IntegerField()
    withdrawn = serializers.DateTimeField(allow_null=True)
    withdrawn_by = serializers.CharField()
    withdrawn_reason = serializers.CharField()


class ReportWordsSerializer(serializers.Serializer):
    text = serializers.CharField()
    by = serializers.CharField()


class ReportSectionSerializer(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()
    brief = serializers.CharField()
    fixed = serializers.BooleanField(help_text="cannot be left out")
    usual = serializers.BooleanField(help_text="in a report that nobody arranged")
    on = serializers.BooleanField()
    words = ReportWordsSerializer(allow_null=True)
    unknown = serializers.ListField(
        child=serializers.CharField(), help_text="references in its words that name no number"
    )
    html = serializers.CharField()


class ReportChangeSerializer(serializers.Serializer):
    what = serializers.CharField()
    before = serializers.CharField()
    now = serializers.CharField()


class SinceSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    text = serializers.CharField()
    changes = ReportChangeSerializer(many=True)


class ReferenceSerializer(serializers.Serializer):
    """A number that may be set into words."""

    label = serializers.CharField()
    variant = serializers.IntegerField()
    forms = serializers.DictField(
        child=serializers.CharField(), help_text="what each form says, by what is written for it"
    )


class FigureSerializer(serializers.Serializer):
    key = serializers.CharField()
    title = serializers.CharField()


class ReportSerializer(serializers.Serializer):
    revision = serializers.IntegerField()
    rests_on = serializers.CharField()
    style = serializers.CharField(help_text="how the HTML of its sections is set")
    head = serializers.CharField(help_text="what stands above the sections, as HTML")
    sections = ReportSectionSerializer(many=True)
    numbers = ReferenceSerializer(many=True)
    figures = FigureSerializer(many=True, help_text="what can be shown by itself")
    issued = IssuedReportSerializer(many=True, help_text="newest first")
    since = SinceSerializer(allow_null=True, help_text="against the newest that was issued")


class IssuedPageSerializer(serializers.Serializer):
    report = IssuedReportSerializer()
    html = serializers.CharField()
    style = serializers.CharField()


class Conflict(APIException):
    status_code = 409


class ReportBase(StudyView):
    def asked(self, request: Request, study: Study) -> IssuedReport | None:
        number = request.query_params.get("number")
        if number is None:
            return None
        if not number.isdecimal() or len(number) > 9:
            raise ValidationError("`number` is that of a report that was issued")
        found: IssuedReport = get_object_or_404(study.issued_reports, number=int(number))
        return found

    def shown(self, document: Document) -> Document:
        """A document as whoever asks may see it."""
        if getattr(self.request.user, "sees_names", True):
            return document
        shown: Document = without_names(document, self._names())
        return shown

    def made_of(self, study: Study, report: IssuedReport | None) -> tuple[Document, dict[str, Any]]:
        """The document and the numbers of an issued report, or of the study as it is now."""
        if report is not None:
            return self.shown(report.document), report.results
        content = content_of(study)
        document = self.shown(issuing.document_of(study, content))
        return document, results(content["board"], study.question)

    def heading(self, report: IssuedReport) -> Heading:
        found = report.heading
        if getattr(self.request.user, "sees_names", True):
            return found
        hidden: Heading = without_names(found, self._names())
        if found["withdrawn_by"]:
            hidden["withdrawn_by"] = "a member"
        return hidden

    def _names(self) -> set[str]:
        return set(self.workspace.members.values_list("user__username", flat=True))

    def issued(self, study: Study) -> list[contracts.IssuedReport]:
        return [
            {**self.heading(report), "rounds": report.gist["rounds"]}
            for report in study.issued_reports.defer("document", "results")
        ]

    def body(self, study: Study) -> contracts.Report:
        """The report as it would go out now, section by section."""
        content = content_of(study)
        draft = issuing.draft_of(study)
        document = self.shown(issuing.document_of(study, content))
        newest = study.issued_reports.filter(withdrawn=None).first()
        changed = issuing.changes_since(newest, content) if newest else []
        usual = {kind.key: kind.usual for kind in issuing.KINDS}
        sees = getattr(self.request.user, "sees_names", True)
        words = draft.words if sees else without_names(draft.words, self._names())
        return {
            "revision": draft.revision,
            "rests_on": rests_on(study, content),
            "style": page.fragment_style(),
            "head": page.head_html(document),
            "sections": [
                {
                    "key": section["key"],
                    "title": section["title"],
                    "brief": section["brief"],
                    "fixed": section["fixed"],
                    "on": section["on"],
                    "usual": usual[section["key"]],
                    "words": words.get(section["key"]),
                    "unknown": unknown_in(
                        draft.words.get(section["key"], {}).get("text", ""), content["board"]
                    ),
                    "html": page.section_html(section, document, links=f"/studies/{study.pk}/read")
                    if section["blocks"]
                    else "",
                }
                for section in document["sections"]
            ],
            "numbers": references(content["board"]),
            "figures": [{"key": one.key, "title": one.title} for one in figures_of(document)],
            "issued": self.issued(study),
            "since": {
                "number": newest.number,
                "text": in_short(changed, newest.number),
                "changes": changed,
            }
            if newest
            else None,
        }


def references(board: Mapping[str, Any]) -> list[contracts.Reference]:
    """Every number that may be set into words, those that decide or are main first."""
    found: list[contracts.Reference] = []
    rows = sorted(board["rows"], key=lambda row: not (row["deciding"] or row["primary"]))
    for row in rows:
        for index, difference in enumerate(row["differences"]):
            if difference is None or difference["verdict_withheld"] or not row["judged"]:
                continue
            median = row["medians"][index]
            label, name = row_label(row), board["variants"][index]
            said = {
                "amount": difference["change_text"],
                "percent": difference["percent_text"],
                "factor": difference["factor_text"],
                "interval": difference["range_text"] or difference["interval_text"],
                "reading": f"{median['text']} {row['unit']}".strip() if median else "",
            }
            forms = {reference(label, name, form): said[form] for form in FORMS if said[form]}
            found.append({"label": label, "variant": index, "forms": forms})
    return found


class ReportView(ReportBase):
    for_guests = True

    @extend_schema(responses=ReportSerializer, summary="The report as it would go out now")
    def get(self, request: Request, study: int) -> Response:
        return Response(ReportSerializer(self.body(self.study(study))).data)

    @extend_schema(
        request=ArrangementSerializer,
        responses=ReportSerializer,
        summary="Arrange the report: order, sections left out, words of one's own",
    )
    def put(self, request: Request, study: int) -> Response:
        found = self.study(study)
        values = validated(ArrangementSerializer, request.data)
        try:
            issuing.arrange(found, values, request.user.get_username())
        except issuing.Outdated as error:
            raise Conflict(str(error)) from error
        notify(self.workspace.pk, "report", study=study)
        return Response(ReportSerializer(self.body(found)).data)


class IssuedReports(ReportBase):
    for_guests = True

    @extend_schema(
        responses=IssuedReportSerializer(many=True),
        summary="Reports that were issued, newest first",
    )
    def get(self, request: Request, study: int) -> Response:
        return Response(IssuedReportSerializer(self.issued(self.study(study)), many=True).data)

    @extend_schema(
        request=IssueSerializer,
        responses={201: ReportSerializer},
        summary="Issue the report: freeze it with a number, a date and a digest",
    )
    def post(self, request: Request, study: int) -> Response:
        found = self.study(study)
        seen = validated(IssueSerializer, request.data)["rests_on"]
        try:
            made = issuing.issue(found, seen, request.user.get_username())
        except issuing.Outdated as error:
            raise Conflict(str(error)) from error
        self.about = {"report": made.number}
        notify(self.workspace.pk, "report", study=study)
        return Response(ReportSerializer(self.body(found)).data, status=201)


class IssuedReportView(ReportBase):
    for_guests = True

    @extend_schema(responses=IssuedPageSerializer, summary="A report as it was issued")
    def get(self, request: Request, study: int, report: int) -> Response:
        issued = get_object_or_404(self.study(study).issued_reports, number=report)
        heading = self.heading(issued)
        return Response(
            {
                "report": {**heading, "rounds": issued.gist["rounds"]},
                "html": page.report_html(self.shown(issued.document), heading, file=False),
                "style": page.fragment_style(),
            }
        )


class WithdrawReport(ReportBase):
    @extend_schema(
        request=WithdrawSerializer,
        responses=ReportSerializer,
        summary="Withdraw a report that was issued; it stays readable, with the reason",
    )
    def post(self, request: Request, study: int, report: int) -> Response:
        found = self.study(study)
        issued = get_object_or_404(found.issued_reports, number=report)
        reason = validated(WithdrawSerializer, request.data)["reason"]
        if issued.withdrawn:
            raise ValidationError("this report was withdrawn before; its reason stays")
        issuing.withdraw(issued, reason, request.user.get_username())
        self.about = {"report": report}
        notify(self.workspace.pk, "report", study=study)
        return Response(ReportSerializer(self.body(found)).data)


NUMBER = OpenApiParameter("number", int, description="of an issued report; else as it is now")


class ReportFile(ReportBase):
    for_guests = True

    @extend_schema(
        parameters=[OpenApiParameter("kind", str, enum=list(KINDS), required=True), NUMBER],
        responses={200: OpenApiTypes.BINARY},
        summary="The report as a file: HTML, PDF, Markdown; all its numbers as CSV or JSON",
    )
    def get(self, request: Request, study: int) -> HttpResponse:
        found = self.study(study)
        kind = request.query_params.get("kind", "")
        if kind not in KINDS:
            raise ValidationError(f"`kind` is one of {', '.join(KINDS)}")
        report = self.asked(request, found)
        ending, media = KINDS[kind]
        answer = HttpResponse(self.written(found, report, kind), content_type=media)
        which = f"report-{report.number}" if report else "report-draft"
        name = f"study-{study}-{which}.{ending}"
        answer.headers["Content-Disposition"] = f'attachment; filename="{name}"'
        return answer

    def written(self, study: Study, report: IssuedReport | None, kind: str) -> bytes | str:
        document, numbers = self.made_of(study, report)
        if kind in ("csv", "json"):
            if kind == "csv":
                return results_csv(numbers)
            return json.dumps(numbers, ensure_ascii=False, indent=1)
        heading = self.heading(report) if report else None
        if kind == "html":
            return page.report_html(document, heading)
        if kind == "pdf":
            return paper.pdf(document, heading)
        title = f"Report no. {report.number}, issued {text.day(report.at)}" if report else "Draft"
        if report and report.withdrawn:
            title += f". Withdrawn: {report.withdrawn_reason}"
        rests = f"Rests on {report.digest}." if report else ""
        return markdown(document, title, f"Measured with Noble Yardstick. {rests}".strip())


class FigureView(ReportBase):
    for_guests = True

    @extend_schema(
        parameters=[
            OpenApiParameter("key", str, required=True, description="of one of its figures"),
            OpenApiParameter("shape", str, enum=list(SHAPES)),
            OpenApiParameter("theme", str, enum=list(THEMES)),
            OpenApiParameter("kind", str, enum=["svg", "png"], required=True),
            NUMBER,
        ],
        responses={200: OpenApiTypes.BINARY},
        summary="A difference, table or chart of the report as a picture to be shown",
    )
    def get(self, request: Request, study: int) -> HttpResponse:
        found = self.study(study)
        report = self.asked(request, found)
        asked = request.query_params
        shape, theme = asked.get("shape", "wide"), asked.get("theme", "light")
        if shape not in SHAPES or theme not in THEMES:
            raise ValidationError("`shape` is wide or square, `theme` light or dark")
        if asked.get("kind") not in ("svg", "png"):
            raise ValidationError("`kind` is svg or png")
        document, numbers = self.made_of(found, report)
        number = report.number if report else None
        try:
            drawn = figure(document, numbers, asked.get("key", ""), shape, theme, number)
        except KeyError as error:
            raise NotFound("the report has no such figure") from error
        name = f"study-{study}-figure-{shape}-{theme}.{asked['kind']}"
        if asked["kind"] == "png":
            answer = HttpResponse(paper.png(drawn, *SHAPES[shape]), content_type="image/png")
        else:
            answer = HttpResponse(drawn, content_type="image/svg+xml")
            answer.headers["Content-Security-Policy"] = PICTURE_POLICY
        answer.headers["Content-Disposition"] = f'inline; filename="{name}"'
        return answer
