"""Writes a report from what is known of a study: a section each, in the order of reading."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from yardstick_core import CORE_VERSION
from yardstick_core.compare.text import THIN
from yardstick_core.report import conditions, evidence, many
from yardstick_core.report.content import Content
from yardstick_core.report.document import (
    SCHEMA,
    Block,
    Document,
    Line,
    RuleGroup,
    Section,
    WordsBlock,
    count,
    faint,
    number,
    plain,
    table,
    text_block,
    variant_span,
    verdict_span,
)
from yardstick_core.report.references import main_rows, numbers_in, row_label

ANSWER, CAVEATS, OWN = "answer", "caveats", "own"


@dataclass(frozen=True, slots=True)
class Arrangement:
    """How a person arranged a report: sections in order, those left out, own words by section.

    Sections it does not name stand where they stand by themselves. Words are Markdown and who
    wrote them.
    """

    order: tuple[str, ...] = ()
    on: frozenset[str] = frozenset()
    off: frozenset[str] = frozenset()
    words: Mapping[str, tuple[str, str]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Kind:
    """A section: its title, what it is made of, and whether it is in a report by itself."""

    key: str
    title: str
    write: Callable[[Content], tuple[str, str, list[Block]]]
    usual: bool = True
    fixed: bool = False


def written(content: Content, arrangement: Arrangement) -> Document:
    """The report of a study as it would go out now."""
    board = content["board"]
    return {
        "schema": SCHEMA,
        "core_version": CORE_VERSION,
        "title": content["question"],
        "subject": content["subject"],
        "maker": content["maker"],
        "factor": content["factor"],
        "variants": list(board["variants"]),
        "baseline": board["baseline"],
        "level": board["level"],
        "rounds": content["rounds"],
        "extent": content["extent"],
        "measured": content["measured"],
        "rig": content["rig"],
        "demonstration": content["demonstration"],
        "sections": [_section(kind, content, arrangement) for kind in _in_order(arrangement.order)],
    }


def _in_order(order: Sequence[str]) -> list[Kind]:
    """All kinds: those named first in their order, each other behind the one it usually follows."""
    kinds = {kind.key: kind for kind in KINDS}
    found = [key for key in dict.fromkeys(order) if key in kinds]
    usual = [kind.key for kind in KINDS]
    for place, key in enumerate(usual):
        if key not in found:
            before = [found.index(one) for one in usual[:place] if one in found]
            found.insert(before[-1] + 1 if before else 0, key)
    return [kinds[key] for key in found]


def _section(kind: Kind, content: Content, arrangement: Arrangement) -> Section:
    note, brief, blocks = kind.write(content)
    markdown, by = arrangement.words.get(kind.key, ("", ""))
    if markdown.strip():
        numbers = numbers_in(markdown, content["board"])
        words: WordsBlock = {"kind": "words", "markdown": markdown, "numbers": numbers, "by": by}
        blocks = [words, *blocks]
    wanted = kind.key in arrangement.on or (kind.usual and kind.key not in arrangement.off)
    return {
        "key": kind.key,
        "title": kind.title,
        "note": note,
        "brief": brief,
        "fixed": kind.fixed,
        "on": kind.fixed or wanted,
        "blocks": blocks,
    }


# -- the answer and what touches it ---------------------------------------------------------


def _answer(content: Content) -> tuple[str, str, list[Block]]:
    board = content["board"]
    names = board["variants"]
    found: list[Block] = []
    for index in sorted({answer["candidate"] for answer in board["answers"]}):
        spans: Line = [variant_span(names, index), plain(": ")]
        own = [answer for answer in board["answers"] if answer["candidate"] == index]
        for place, answer in enumerate(own):
            spans += [plain("; ")] if place else []
            spans += _answered(answer)
        found.append(text_block(*spans, plain("."), style="answer"))
    if not found and board["headline"]:
        found.append(text_block(plain(f"{board['headline']}."), style="answer"))
    if not found:
        nothing = "Nothing can be said yet: no warm round has been measured."
        found.append(text_block(plain(nothing), style="answer"))
    elif board["headline"] and board["answers"]:
        found.append(text_block(faint(f"Over all metrics: {board['headline']}."), style="faint"))
    brief = count(len(board["answers"]), "sentence") if board["answers"] else "nothing yet"
    return "", brief, found


def _answered(answer: Mapping[str, Any]) -> Line:
    """An answer's sentence with its numbers marked; its lead begins in lower case within a line."""
    lead = str(answer["lead"])
    lead = lead[:1].lower() + lead[1:]
    if answer["why"]:
        return [plain(f"{lead}{answer['subject']}: {answer['why']}")]
    between = " " if answer["detail"].startswith("(") else ", "
    return [
        plain(f"{lead}{answer['subject']} "),
        number(answer["change"]),
        plain(f"{between}{answer['detail']}"),
    ]


def answer_caveats(board: Mapping[str, Any]) -> list[str]:
    """What touches the answer and is not settled: notes, and caveats of what decides."""
    deciding = {(answer["metric"], tuple(answer["stretch"])) for answer in board["answers"]}
    found: dict[str, list[str]] = {note["text"]: [] for note in board["notes"]}
    for row in board["rows"]:
        if (row["metric"], tuple(row["stretch"])) not in deciding:
            continue
        for index, difference in enumerate(row["differences"]):
            for caveat in difference["caveats"] if difference else ():
                whom = found.setdefault(caveat["text"], [])
                what = f"{row_label(row)} in {board['variants'][index]}"
                if what not in whom:
                    whom.append(what)
    return [_caveat_sentence(text, whom) for text, whom in found.items()]


def _caveat_sentence(text: str, whom: Sequence[str]) -> str:
    stop = "" if text.endswith(".") else "."
    return f"Touches {', '.join(whom)}: {text}{stop}" if whom else f"{text}{stop}"


def _caveats(content: Content) -> tuple[str, str, list[Block]]:
    found: list[Block] = [
        text_block(plain(text), style="caveat") for text in answer_caveats(content["board"])
    ]
    return "", count(len(found), "caveat") if found else "nothing", found


def _own(content: Content) -> tuple[str, str, list[Block]]:
    return "", "Markdown", []


# -- what was asked, for whom, what matters --------------------------------------------------


def _asked(content: Content) -> tuple[str, str, list[Block]]:
    claims = content["decision"]["claims"]
    found: list[Block] = []
    if content["why"].strip():
        found.append(text_block(plain(content["why"].strip())))
    if claims:
        rows = [
            [
                [verdict_span(claim["judgement"])],
                [plain(claim["statement"])],
                [plain(claim["because"]["text"])],
                [faint(_claimed(claim))],
            ]
            for claim in claims
        ]
        columns = ["", "expected", "found", "by whom"]
        found.append(table(columns, "llll", rows))
    return f"asked on {content['asked_on']}", count(len(claims), "claim"), found


def _claimed(claim: Mapping[str, Any]) -> str:
    after = f", put up after {count(claim['after'], 'run')}" if claim["after"] else ""
    return f"{claim['source'] or 'nobody is named'}{after}"


def _whom(content: Content) -> tuple[str, str, list[Block]]:
    advice = content["decision"]["advice"]
    rows: list[list[Line]] = [
        [
            [plain(one["profile"])],
            [verdict_span(one["sentence"].split(":")[0])],
            [plain(one["sentence"].partition(": ")[2] or one["about"])],
        ]
        for one in advice
    ]
    found: list[Block] = [table(["user", "advice", "because"], "lll", rows)] if rows else []
    return "", count(len(advice), "profile"), found


def rule_group(row: Mapping[str, Any], board: Mapping[str, Any]) -> RuleGroup:
    """A row of the board as it stands on the rule."""
    names, baseline = board["variants"], board["baseline"]
    base = row["medians"][baseline]
    lines = []
    bands = []
    for index, difference in enumerate(row["differences"]):
        if difference is None:
            continue
        median = row["medians"][index]
        withheld = difference["verdict_withheld"]
        bands.append(difference["band"])
        lines.append(
            {
                "variant": index,
                "name": names[index],
                "verdict": difference["verdict"],
                "gain": None if withheld else difference["gain"],
                "low": None if withheld else difference["gain_low"],
                "high": None if withheld else difference["gain_high"],
                "reading": median["text"] if median else "",
                "change": "held back" if withheld else difference["change_text"],
                "percent": "" if withheld else difference["percent_text"],
                "interval": "" if withheld else difference["interval_text"],
                "caveats": [caveat["text"] for caveat in difference["caveats"]],
            }
        )
    return {
        "metric": row["metric"],
        "stretch": list(row["stretch"]),
        "label": row_label(row),
        "unit": row["unit"],
        "baseline": f"{base['text']}{THIN}{row['unit']}".strip() if base else "",
        "deciding": row["deciding"],
        "material": row["material"],
        "band": next((band for band in bands if band is not None), None),
        "lines": lines,  # type: ignore[typeddict-item]
    }


def _matters(content: Content) -> tuple[str, str, list[Block]]:
    board = content["board"]
    groups = [rule_group(row, board) for row in main_rows(board)]
    note = f"better to the right of the baseline; grey: too small to matter; {board['level']} "
    note += f"intervals of {content['extent']}"
    found: list[Block] = [{"kind": "rules", "groups": groups}] if groups else []
    return note, f"{count(len(groups), 'metric')}, with rules", found


def _all(content: Content) -> tuple[str, str, list[Block]]:
    """Every metric in a table, for whoever wants to look further than what matters."""
    board = content["board"]
    names = board["variants"]
    rows: list[list[Line]] = []
    for row in board["rows"]:
        base = row["medians"][board["baseline"]]
        for index, difference in enumerate(row["differences"]):
            if difference is None or not row["judged"]:
                continue
            median = row["medians"][index]
            rows.append(
                [
                    [plain(row_label(row))],
                    [plain(f"{base['text']} {row['unit']}".strip() if base else "")],
                    [variant_span(names, index)],
                    [verdict_span(difference["verdict"])],
                    [plain(f"{median['text']} {row['unit']}".strip() if median else "")],
                    [plain(difference["change_text"])],
                    [plain(difference["interval_text"])],
                ]
            )
    columns = ["metric", names[board["baseline"]], "", "", "reading", "change", "interval"]
    found: list[Block] = [table(columns, "lrllrrr", rows)] if rows else []
    return "", count(len(rows), "line"), found


#: In the order of reading. What a reader must know before they believe it cannot be left out.
KINDS = (
    Kind(ANSWER, "The answer", _answer, fixed=True),
    Kind(CAVEATS, "What touches it", _caveats, fixed=True),
    Kind(OWN, "In our words", _own),
    Kind("whom", "For whom", _whom),
    Kind("matters", "What matters", _matters),
    Kind("sessions", "Over all sessions", many.sessions),
    Kind("factors", "Two factors", many.factors),
    Kind("job", "What it comes to", many.jobs),
    Kind("asked", "Asked and expected", _asked),
    Kind("frames", "Frame times", evidence.frames),
    Kind("growth", "Growth", evidence.growth),
    Kind("costs", "What it costs", evidence.costs),
    Kind("parts", "Where the time goes", evidence.parts, usual=False),
    Kind("findings", "Findings", evidence.findings),
    Kind("session", "The session and its work", conditions.session),
    Kind("script", "The script in full", conditions.script, usual=False),
    Kind("machine", "Machine and conditions", conditions.machine),
    Kind("unequal", "What was not equal", conditions.unequal),
    Kind("runs", "Runs counted", conditions.runs),
    Kind("sure", "How sure", conditions.sure),
    Kind("untested", "What was not tested", conditions.untested),
    Kind("all", "Every metric", _all, usual=False),
)
