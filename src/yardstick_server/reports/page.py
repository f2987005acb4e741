"""A report as HTML: one section for the page that shows it, or a file that needs nothing else."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import nh3
from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe
from markdown_it import MarkdownIt

from yardstick_core.compare import text
from yardstick_core.report.document import Document, Line, Section, extent_in, shown_sections
from yardstick_core.report.references import filled
from yardstick_server.reports import charts
from yardstick_server.reports.svg import (
    DARK,
    LIGHT,
    VARIABLES,
    Palette,
    colour_of,
    drawing,
    mark,
    place_of,
)

_HERE = Path(__file__).parent
_FACES = (
    ("IBM Plex Sans", 400, "ibm-plex-sans-latin-400-normal"),
    ("IBM Plex Sans", 600, "ibm-plex-sans-latin-600-normal"),
    ("IBM Plex Sans Condensed", 600, "ibm-plex-sans-condensed-latin-600-normal"),
    ("IBM Plex Mono", 400, "ibm-plex-mono-latin-400-normal"),
)
#: Around a number within words, while they become HTML: of no text that people write.
_OPEN, _CLOSE = "\ue000", "\ue001"
_TAGS = {
    "a", "blockquote", "br", "code", "em", "h3", "h4", "hr", "li", "ol", "p", "pre", "strong",
    "table", "tbody", "td", "th", "thead", "tr", "ul",
}  # fmt: skip
_WORDS = MarkdownIt("commonmark", {"html": False}).enable("table")
_TONES = {
    "take": "ahead", "borne out": "ahead", "ahead": "ahead", "contradicted": "behind",
    "behind": "behind", "crash": "behind", "wrong result": "behind", "open": "open",
    "not shown": "open",
}  # fmt: skip


def report_html(
    document: Document, heading: Mapping[str, Any] | None = None, *, file: bool = True,
    palette: Palette = VARIABLES,
) -> str:  # fmt: skip
    """A whole report; `heading` is that of an issued one. As a file it carries styles and faces."""
    return render_to_string(
        "reports/report.html",
        {
            "file": file,
            "document": document,
            "head": head_html(document, heading, palette),
            "sections": [
                section_html(section, document, palette) for section in shown_sections(document)
            ],
            "faces": faces() if file else "",
            "style": style() if file else "",
        },
    )


def head_html(
    document: Document, heading: Mapping[str, Any] | None = None, palette: Palette = VARIABLES
) -> SafeString:
    """What stands above the sections: which report it is, the question, what is compared."""
    names, baseline = document["variants"], document["baseline"]
    spans: Line = []
    for index, name in enumerate(names):
        if index != baseline:
            spans += [{"kind": "plain", "text": ", "}] if spans else []
            spans.append({"kind": "variant", "text": name, "variant": index})
    spans.append({"kind": "plain", "text": " against "})
    spans.append({"kind": "variant", "text": names[baseline], "variant": baseline})
    maker = f" by {document['maker']}" if document["maker"] else ""
    factor = f". Meant to differ: the {document['factor']}" if document["factor"] else ""
    where = f" on {document['rig']}" if document["rig"] else ""
    return render_to_string(
        "reports/head.html",
        {
            "document": document,
            "heading": heading and _headed(heading),
            "under": f"{document['subject']}{maker}: " if document["subject"] else "",
            "variants": _spans(spans, document, palette),
            "after": f"{factor} · {extent_in(document)}{where}, {document['measured']}",
            "graduation": _hidden(charts.graduation(palette)),
        },
    )


def _headed(heading: Mapping[str, Any]) -> dict[str, Any]:
    digest = str(heading["digest"])
    return {
        **heading,
        "day": text.day(heading["at"]),
        "withdrawn_day": text.day(heading["withdrawn"]) if heading["withdrawn"] else "",
        "digest_in_short": f"{digest[:4]} {digest[4:8]} {digest[8:12]}",
    }


def section_html(
    section: Section, document: Document, palette: Palette = VARIABLES, links: str = ""
) -> SafeString:
    """One section as it stands in every form of the page; `links` is where its rows are read."""
    blocks = [_block(dict(block), document, palette) for block in section["blocks"]]
    context = {
        "section": section,
        "blocks": blocks,
        "baseline": document["variants"][document["baseline"]],
        "level": document["level"],
        "links": links,
        "paper": palette is not VARIABLES,
    }
    return render_to_string("reports/section.html", context)


def _block(block: dict[str, Any], document: Document, palette: Palette) -> dict[str, Any]:
    """A block with what its template needs: spans with their marks, charts drawn."""
    kind = block["kind"]
    if kind == "text":
        return {**block, "spans": _spans(block["spans"], document, palette)}
    if kind == "words":
        return {**block, "html": words_html(block["markdown"], block["numbers"])}
    if kind == "table":
        return _table(block, document, palette)
    if kind == "rules":
        return _rules(block, document, palette)
    if kind == "curves":
        runs = " and ".join(dict.fromkeys(f"{curve['runs']} runs" for curve in block["curves"]))
        about = f"{block['stretch'][-1]}; mean of {runs} a variant; the mark stands at 1 in 100"
        drawn = charts.curves(block, document, palette)  # type: ignore[arg-type]
        return {**block, "title": "How rare slow frames are", "about": about, "svg": drawn}
    if kind == "lanes":
        runs = ", ".join(f"run {lane['run']}" for lane in block["lanes"])
        dots = (
            "; dots: frames that stutter" if any(lane["spikes"] for lane in block["lanes"]) else ""
        )
        about = f"{block['unit']}; the middle run of each variant ({runs}){dots}"
        drawn = charts.lanes(block, document, palette)  # type: ignore[arg-type]
        title = f"{block['name']} along {block['stretch'][-1]}"
        return {**block, "title": title, "about": about, "svg": drawn}
    if kind == "ladder":
        drawn = charts.ladder(block, document, palette)  # type: ignore[arg-type]
        title = f"{block['stretch'][-1]} over {block['ladder']}"
        return {**block, "title": title, "about": "median of each level", "svg": drawn}
    return block


def _table(block: dict[str, Any], document: Document, palette: Palette) -> dict[str, Any]:
    rows = [
        [
            {"align": letter, "spans": _spans(cell, document, palette)}
            for letter, cell in zip(block["align"], row, strict=True)
        ]
        for row in block["rows"]
    ]
    head = [
        {"align": letter, "text": name}
        for letter, name in zip(block["align"], block["columns"], strict=True)
    ]
    return {**block, "rows": rows, "head": head, "headed": any(block["columns"])}


def _rules(block: dict[str, Any], document: Document, palette: Palette) -> dict[str, Any]:
    reach = charts.rules_reach(block)  # type: ignore[arg-type]
    groups = []
    for group in block["groups"]:
        lines = []
        for place, one in enumerate(group["lines"]):
            who: Line = [{"kind": "variant", "text": one["name"], "variant": one["variant"]}]
            drawn = charts.rule_line(group, place, reach, document, palette)
            tone = one["verdict"] if one["verdict"] in ("ahead", "behind") else ""
            lines.append({**one, "who": _spans(who, document, palette), "svg": drawn, "tone": tone})
        row = "~".join([group["metric"], *group["stretch"]])
        groups.append({**group, "lines": lines, "row": row})
    return {**block, "groups": groups, "head": charts.rule_head(reach, palette)}


def _spans(line: Line, document: Document, palette: Palette) -> list[dict[str, Any]]:
    return [_span(dict(span), document, palette) for span in line]


def _span(span: dict[str, Any], document: Document, palette: Palette) -> dict[str, Any]:
    if span["kind"] == "variant":
        place = place_of(span["variant"], document["baseline"])
        colour = colour_of(palette, span["variant"], document["baseline"])
        drawn = drawing(10, 10, span["text"], mark(place, 5, 5, 8, colour))
        return {**span, "place": place % 8, "mark": _hidden(drawn)}
    if span["kind"] == "verdict":
        words = span["text"].split()
        return {**span, "tone": _TONES.get(span["text"], _TONES.get(words[0], "") if words else "")}
    return span


def _hidden(drawn: SafeString) -> SafeString:
    """A mark beside the name it stands for: no reader need say it twice."""
    bare = drawn.replace(' role="img"', ' aria-hidden="true"', 1)
    return mark_safe(bare)  # noqa: S308 # one attribute for another


def words_html(markdown: str, numbers: Mapping[str, str]) -> SafeString:
    """Words of a person as HTML that can do no harm, with their numbers marked."""
    bare = markdown.replace(_OPEN, "").replace(_CLOSE, "")
    html = _WORDS.render(filled(bare, numbers, _OPEN, _CLOSE))
    clean = nh3.clean(
        html, tags=_TAGS, attributes={"a": {"href"}}, url_schemes={"http", "https", "mailto"}
    )
    marked = clean.replace(_OPEN, '<b class="number">').replace(_CLOSE, "</b>")
    return mark_safe(marked)  # noqa: S308 # cleaned, and numbers are escaped as text of the words


@cache
def faces() -> SafeString:
    """The typefaces, within the file."""
    found = []
    for family, weight, name in _FACES:
        data = base64.b64encode((_HERE / "fonts" / f"{name}.woff2").read_bytes()).decode()
        found.append(
            f'@font-face{{font-family:"{family}";font-weight:{weight};'
            f"src:url(data:font/woff2;base64,{data})format('woff2')}}"
        )
    return mark_safe("".join(found))  # noqa: S308 # our own files


def variables(palette: Palette) -> str:
    return "".join(f"--{name}:{colour};" for name, colour in palette.items())


@cache
def fragment_style() -> str:
    """How a report is set within a page that has the colours already."""
    return (_HERE / "report.css").read_text()


@cache
def style() -> SafeString:
    """Colours, light and dark, and how the report is set."""
    dark = f"@media screen and (prefers-color-scheme:dark){{:root{{{variables(DARK)}}}}}"
    page = "body{margin:0;background:var(--paper)}"
    return mark_safe(f":root{{{variables(LIGHT)}}}{dark}{page}{fragment_style()}")  # noqa: S308 # our own files
