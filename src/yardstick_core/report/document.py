"""What a report consists of: sections of blocks, every number of them in words already.

A document is JSON: it is kept as it was issued, and every form (page, HTML, PDF, Markdown) is
written from it, so that none says another number than the others.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, Literal, NotRequired, TypedDict

#: Version of the shape of a document; older ones that were issued are still read.
SCHEMA = 1


class Span(TypedDict):
    """A piece of a line. `variant` is the position of the one it names or speaks of."""

    kind: Literal["plain", "number", "variant", "verdict", "code", "faint"]
    text: str
    variant: NotRequired[int]


#: A line of text.
Line = list[Span]


class TextBlock(TypedDict):
    kind: Literal["text"]
    style: Literal["answer", "plain", "caveat", "faint"]
    spans: Line


class WordsBlock(TypedDict):
    """Words of a person, in Markdown; `numbers` are what its references say now."""

    kind: Literal["words"]
    markdown: str
    numbers: dict[str, str]
    by: str


class TableBlock(TypedDict):
    """`align` has a letter a column: l, r. Cells are lines."""

    kind: Literal["table"]
    columns: list[str]
    align: str
    rows: list[list[Line]]


class RuleLine(TypedDict):
    """One candidate's difference on the rule; gains are natural logs, better above 0."""

    variant: int
    name: str
    verdict: str
    gain: float | None
    low: float | None
    high: float | None
    reading: str
    change: str
    percent: str
    interval: str
    caveats: list[str]


class RuleGroup(TypedDict):
    metric: str
    stretch: list[str]
    label: str
    unit: str
    baseline: str
    deciding: bool
    material: str
    band: float | None
    lines: list[RuleLine]


class RulesBlock(TypedDict):
    kind: Literal["rules"]
    groups: list[RuleGroup]


class Curve(TypedDict):
    """Frame times, ms, that one frame in `Curves.one_in[n]` is longer than; mean over runs."""

    variant: int
    runs: int
    ms: list[float | None]


class CurvesBlock(TypedDict):
    kind: Literal["curves"]
    stretch: list[str]
    one_in: list[float]
    curves: list[Curve]


class Lane(TypedDict):
    """What one run did: instants in s since the stretch began, with least and greatest value."""

    variant: int
    run: int
    at: list[float]
    low: list[float]
    high: list[float]
    spikes: list[tuple[float, float]]


class LanesBlock(TypedDict):
    kind: Literal["lanes"]
    stretch: list[str]
    name: str
    unit: str
    seconds: float
    lanes: list[Lane]


class LadderBlock(TypedDict):
    """Medians of a stretch over the levels of a ladder, by variant; `unit` is s or fps."""

    kind: Literal["ladder"]
    stretch: list[str]
    ladder: str
    unit: str
    levels: list[float]
    medians: list[list[float | None]]
    line: float | None


class PictureBlock(TypedDict):
    """A PNG, as base64."""

    kind: Literal["picture"]
    data: str
    caption: str


class ClipBlock(TypedDict):
    """Some seconds of a film: an MP4 as base64, and a PNG of it, which stands where none plays."""

    kind: Literal["clip"]
    data: str
    still: str
    caption: str


class CodeBlock(TypedDict):
    kind: Literal["code"]
    text: str


Block = (
    TextBlock
    | WordsBlock
    | TableBlock
    | RulesBlock
    | CurvesBlock
    | LanesBlock
    | LadderBlock
    | PictureBlock
    | ClipBlock
    | CodeBlock
)


class Section(TypedDict):
    """`fixed` ones are always in the report; `on` says whether this one is; `brief` says what is
    in it, for a list of sections."""

    key: str
    title: str
    note: str
    brief: str
    fixed: bool
    on: bool
    blocks: list[Block]


class Document(TypedDict):
    schema: int
    core_version: str
    title: str
    subject: str
    maker: str
    factor: str
    variants: list[str]
    baseline: int
    level: str
    rounds: int
    #: What the numbers rest on, in words; documents of before have only the rounds.
    extent: NotRequired[str]
    measured: str
    rig: str
    demonstration: bool
    sections: list[Section]


def extent_in(document: Document) -> str:
    """What the numbers of a document rest on, in words."""
    return document.get("extent") or f"{document['rounds']} warm rounds"


def plain(text: str) -> Span:
    return {"kind": "plain", "text": text}


def number(text: str) -> Span:
    return {"kind": "number", "text": text}


def variant_span(names: Sequence[str], index: int) -> Span:
    return {"kind": "variant", "text": names[index], "variant": index}


def verdict_span(verdict: str) -> Span:
    return {"kind": "verdict", "text": verdict}


def faint(text: str) -> Span:
    return {"kind": "faint", "text": text}


def text_block(*spans: Span, style: Any = "plain") -> TextBlock:
    return {"kind": "text", "style": style, "spans": [span for span in spans if span["text"]]}


def table(columns: list[str], align: str, rows: list[list[Line]]) -> TableBlock:
    return {"kind": "table", "columns": columns, "align": align, "rows": rows}


def line_text(line: Line) -> str:
    """A line without its marks."""
    return "".join(span["text"] for span in line)


def shown_sections(document: Document) -> Iterator[Section]:
    """The sections that go out, in order."""
    return (section for section in document["sections"] if section["on"] and section["blocks"])


def count(number_of: int, one: str) -> str:
    """`1 run`, `8 runs`."""
    return f"{number_of} {one}{'' if number_of == 1 else 's'}"
