"""A report as Markdown, for a merge request or a page of notes."""

from __future__ import annotations

import re
from collections.abc import Iterable

from yardstick_core.report.document import (
    Block,
    Document,
    Line,
    RuleGroup,
    Section,
    Span,
    extent_in,
    shown_sections,
)
from yardstick_core.report.references import filled

#: What would be taken for markup within a line.
_MARKUP = re.compile(r"([\\`*_\[\]<>|#])")


def markdown(document: Document, title: str = "", foot: str = "") -> str:
    """The whole report; `title` is said above it, such as its number, `foot` at its end."""
    names = document["variants"]
    candidates = [name for n, name in enumerate(names) if n != document["baseline"]]
    lines = [f"# {escaped(document['title'])}", ""]
    of = f"{document['subject']}: " if document["subject"] else ""
    against = f"{of}{', '.join(candidates)} against {names[document['baseline']]}"
    how = extent_in(document)
    where = f" on {document['rig']}" if document["rig"] else ""
    lines += [f"{escaped(against)} · {how}{escaped(where)}, {document['measured']}", ""]
    if title:
        lines += [f"*{escaped(title)}*", ""]
    for section in shown_sections(document):
        lines += _section(section, names[document["baseline"]])
    if foot:
        lines += ["---", "", escaped(foot), ""]
    return "\n".join(lines)


def escaped(text: str) -> str:
    """Text that no reader of Markdown takes for markup."""
    return _MARKUP.sub(r"\\\1", text).replace("\n", " ")


def _section(section: Section, baseline: str) -> list[str]:
    lines = []
    if section["key"] != "answer":
        note = f" ({escaped(section['note'])})" if section["note"] else ""
        lines += [f"## {escaped(section['title'])}{note}", ""]
    for block in section["blocks"]:
        lines += [*_block(block, baseline), ""]
    return lines


def _block(block: Block, baseline: str) -> list[str]:
    if block["kind"] == "text":
        text = _line(block["spans"])
        return [f"> **{text}**" if block["style"] == "caveat" else text]
    if block["kind"] == "words":
        words = filled(block["markdown"].replace("<", "&lt;"), block["numbers"], "**", "**")
        return [words, "", f"— {escaped(block['by'])}"]
    if block["kind"] == "table":
        head = [escaped(name) for name in block["columns"]]
        aligned = ["--:" if letter == "r" else "---" for letter in block["align"]]
        return _table(head, aligned, ([_line(cell) for cell in row] for row in block["rows"]))
    if block["kind"] == "rules":
        head = ["metric", escaped(baseline), "", "verdict", "reading", "change", "interval"]
        aligned = ["---", "--:", "---", "---", "--:", "--:", "--:"]
        return _table(head, aligned, (row for group in block["groups"] for row in _group(group)))
    if block["kind"] == "picture":
        return [f"*Picture: {escaped(block['caption'])}*"]
    if block["kind"] == "clip":
        return [f"*Clip, in the report: {escaped(block['caption'])}*"]
    if block["kind"] == "code":
        fence = "`" * max(3, *(len(run) + 1 for run in re.findall(r"`+", block["text"]) or [""]))
        return [fence, block["text"].rstrip("\n"), fence]
    if block["kind"] == "ladder":
        head = [escaped(block["ladder"]), *(f"{level:g}" for level in block["levels"])]
        return [f"{escaped(' / '.join(block['stretch']))} over {' · '.join(head)}: see the page"]
    drawn = "How rare slow frames are" if block["kind"] == "curves" else escaped(block["name"])
    return [f"*{drawn}, {escaped(block['stretch'][-1])}: drawn in the report.*"]


def _group(group: RuleGroup) -> Iterable[list[str]]:
    for place, line in enumerate(group["lines"]):
        label = f"**{escaped(group['label'])}**" if group["deciding"] else escaped(group["label"])
        mark = " ⚠" if line["caveats"] else ""
        yield [
            "" if place else label,
            "" if place else group["baseline"],
            escaped(line["name"]),
            line["verdict"] + mark,
            f"{line['reading']} {group['unit']}".strip(),
            line["change"],
            line["interval"],
        ]


def _table(head: list[str], aligned: list[str], rows: Iterable[list[str]]) -> list[str]:
    return [
        f"| {' | '.join(head)} |",
        f"| {' | '.join(aligned)} |",
        *(f"| {' | '.join(row)} |" for row in rows),
    ]


def _line(line: Line) -> str:
    return "".join(map(_span, line)).strip()


def _span(span: Span) -> str:
    text = escaped(span["text"])
    if span["kind"] in ("number", "variant") and text.strip():
        return f"**{text}**"
    return f"`{span['text']}`" if span["kind"] == "code" else text
