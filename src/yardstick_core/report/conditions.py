"""How what a report tells was measured: session, machine, what was not equal, runs, certainty."""

from __future__ import annotations

from collections.abc import Sequence

from yardstick_core.match.facts import HARMLESS
from yardstick_core.report import method
from yardstick_core.report.content import Content
from yardstick_core.report.document import (
    Block,
    Line,
    TableBlock,
    count,
    faint,
    plain,
    table,
    text_block,
)
from yardstick_core.report.references import main_rows, row_label


def facts_table(rows: Sequence[tuple[str, str]]) -> TableBlock:
    return table(["", ""], "ll", [[[faint(name)], [plain(value)]] for name, value in rows])


def session(content: Content) -> tuple[str, str, list[Block]]:
    work = content["work"]
    if work["elsewhere"]:
        said = [("measured elsewhere", "what was done is as those say who measured it")]
        said += [
            (f"from {name}", f"sha256 {sha[:12]}" if sha else "") for name, sha in work["files"]
        ]
        return "", count(len(work["files"]), "file"), [facts_table(said)]
    rows = [
        ("session", f"{work['title']}, version {work['version']} ({work['sha256'][:12]})"),
        ("steps", ", ".join(work["steps"])),
        *work["facts"],
        *((f"file {name}", sha[:12]) for name, sha in work["files"]),
    ]
    found: list[Block] = [facts_table([row for row in rows if row[1]])]
    brief = ", ".join(f"{name} {value}" for name, value in work["facts"][:2])
    return "", brief or count(len(work["steps"]), "step"), found


def script(content: Content) -> tuple[str, str, list[Block]]:
    text = content["work"]["text"]
    if not text:
        return "", "none was played", []
    found: list[Block] = [{"kind": "code", "text": text}]
    return "", count(len(text.splitlines()), "line"), found


def machine(content: Content) -> tuple[str, str, list[Block]]:
    rows = content["machine"]
    preconditions = content["match"]["preconditions"]
    found: list[Block] = [facts_table(rows)] if rows else []
    if not rows:
        nothing = "No machine told of itself: the runs were brought in or timed by hand."
        found.append(text_block(plain(nothing)))
    for one in preconditions:
        how = [f"{word} in {one[word]}" for word in ("passed", "ticked", "failed") if one[word]]
        found.append(text_block(plain(f"Asked for: {one['what']}: "), faint(", ".join(how))))
    unknown = content["match"]["unknown"]
    if unknown and rows:
        found.append(text_block(faint(f"Not known: {', '.join(unknown)}."), style="faint"))
    return "", content["rig"], found


def unequal(content: Content) -> tuple[str, str, list[Block]]:
    rows: list[list[Line]] = []
    waived = 0
    for part in content["match"]["mismatches"]:
        settled = part["waived"]
        waived += settled is not None
        if settled is not None:
            word = f"waived by {settled['by']}: {settled['reason']}"
        else:
            word = "not settled"
            if part["is_factor"] or part["grade"] == HARMLESS:
                word = "meant to differ" if part["is_factor"] else ""
        rows.append([[plain(part["text"])], [faint(part["grade"])], [plain(word)]])
    found: list[Block] = []
    if rows:
        found.append(table(["what was not alike", "how grave", "what was said of it"], "lll", rows))
    elif content["match"]["status"]["runs"]:
        found.append(text_block(plain("Nothing was found that was not alike in the runs.")))
    return "", f"{len(rows)} found, {waived} waived", found


def runs(content: Content) -> tuple[str, str, list[Block]]:
    runs = content["runs"]
    names = content["board"]["variants"]
    per = ", ".join(f"{n} of {name}" for name, n in zip(names, runs["counted"], strict=True))
    elsewhere = content["work"]["elsewhere"]
    rows = [("runs that count" if elsewhere else "warm runs that count", per)]
    more = (
        ("cold runs, kept apart", runs["cold"]),
        ("control runs, without sampling", runs["control"]),
        ("brought in from elsewhere", runs["brought_in"]),
        ("timed by hand", runs["by_hand"]),
    )
    rows += [(name, str(value)) for name, value in more if value]
    rows.append(("left out by a person", "; ".join(runs["left_out"]) or "none"))
    rows.append(("did not finish", "; ".join(runs["failed"]) or "none"))
    apart = _excluded_runs(content)
    if apart:
        rows.append(("set apart by the judgement", "; ".join(apart)))
    return "", count(sum(runs["counted"]), "run"), [facts_table(rows)]


def _excluded_runs(content: Content) -> list[str]:
    """Runs that an estimate does not rest on, and why, over all metrics that are shown."""
    found: dict[str, list[str]] = {}
    for row in main_rows(content["board"]):
        for difference in row["differences"]:
            for run, why in difference["excluded_runs"] if difference else ():
                labels = found.setdefault(f"run {run} ({why})", [])
                if row_label(row) not in labels:
                    labels.append(row_label(row))
    return [f"{run}: {', '.join(labels)}" for run, labels in found.items()]


def sure(content: Content) -> tuple[str, str, list[Block]]:
    found: list[Block] = [text_block(plain(text)) for text in method.how_sure(content)]
    return "", "method", found


def untested(content: Content) -> tuple[str, str, list[Block]]:
    found: list[Block] = [text_block(plain(text)) for text in method.not_tested(content)]
    return "", f"{count(len(found), 'limit')}", found
