"""What a report says of several sessions together, of two crossed factors, and of whole jobs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from yardstick_core.report.content import Content
from yardstick_core.report.document import (
    Block,
    Line,
    faint,
    number,
    plain,
    table,
    text_block,
    variant_span,
    verdict_span,
)


def sessions(content: Content) -> tuple[str, str, list[Block]]:
    """The sessions of the set beside each other, by what decides each, and their means."""
    found = content["session_table"]
    if found is None or len(found["sessions"]) < 2:
        return "", "one session", []
    names, baseline = found["variants"], found["baseline"]
    rows: list[list[Line]] = []
    for one in found["sessions"]:
        for index, difference in enumerate(one["differences"]):
            if index == baseline:
                continue
            place = str(one["places"][index]) if one["places"] else ""
            rows.append(
                [
                    [plain(one["title"])], [faint(one["label"])], [variant_span(names, index)],
                    [verdict_span(difference["verdict"])], [plain(one["readings"][index])],
                    [plain(difference["text"])], [plain(place)],
                ]
            )  # fmt: skip
    blocks: list[Block] = [
        text_block(plain(found["headline"])),
        table(["session", "metric", "", "", "reading", "change", "place"], "llllrrr", rows),
    ]
    means = [line for mean in found["means"] for line in _means(mean, names)]
    if means:
        blocks.append(table(["over all sessions", "", "", "", ""], "lllll", means))
    return f"against {names[baseline]}", f"{len(found['sessions'])} sessions", blocks


def _means(mean: Mapping[str, Any], names: list[str]) -> list[list[Line]]:
    return [
        [
            [plain(mean["name"])], [faint(mean["about"])], [variant_span(names, one["candidate"])],
            [verdict_span(one["verdict"])] if one["verdict"] else [],
            [number(one["text"])] if one["text"] else [faint(one["why"])],
        ]
        for one in mean["candidates"]
    ]  # fmt: skip


def factors(content: Content) -> tuple[str, str, list[Block]]:
    """What each step of the second factor does, and what works with what."""
    found = content["crossing"]
    if found is None or not found["rows"]:
        return "", "one factor", []
    blocks: list[Block] = []
    chosen = found["chosen"]
    if chosen is not None:
        readings = {(one["row"], one["column"]): one["text"] for one in chosen["readings"]}
        blocks += [text_block(plain(step["sentence"])) for step in chosen["steps"]]
        head = ["", *(f"{chosen['label']}, {name}" for name in found["columns"])]
        cells: list[list[Line]] = [
            [
                [plain(name)],
                *([plain(readings.get((row, column), "–"))]
                  for column in range(len(found["columns"]))),
            ]
            for row, name in enumerate(found["rows"])
        ]  # fmt: skip
        blocks.append(table(head, "l" + "r" * len(found["columns"]), cells))
        blocks += [_interactions(found, chosen)] if _crossing(chosen) else []
    works: list[list[Line]] = [
        [[plain(name)], *(_works(found, row, column) for column in range(len(found["columns"])))]
        for row, name in enumerate(found["rows"])
    ]
    head = ["what works with what", *found["columns"]]
    blocks.append(table(head, "l" * len(head), works))
    for cell in found["cells"]:
        data = content["works_pictures"].get(cell["position"])
        if data and cell["picture"]:
            caption = f"{cell['variant']} {cell['state']}: {cell['note']}".removesuffix(": ")
            blocks.append({"kind": "picture", "data": data, "caption": caption})
    size = f"{len(found['rows'])} × {len(found['columns'])} cells"
    return f"{found['factor']} × {found['second_factor']}", size, blocks


def _crossing(chosen: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    return [one for step in chosen["steps"] for one in step["interactions"]]


def _interactions(found: Mapping[str, Any], chosen: Mapping[str, Any]) -> Block:
    rows: list[list[Line]] = [
        [
            [plain(f"{found['columns'][one['column']]} in {found['rows'][one['row']]}, against "
                   f"the same in {found['rows'][one['base_row']]}")],
            [verdict_span(one["verdict"])],
            [number(one["text"])],
        ]
        for one in _crossing(chosen)
    ]  # fmt: skip
    return table(["interaction", "", "ratio of ratios"], "llr", rows)


def _works(found: Mapping[str, Any], row: int, column: int) -> Line:
    cell = next(one for one in found["cells"] if (one["row"], one["column"]) == (row, column))
    note = f": {cell['note']}" if cell["note"] else ""
    by = f" (says {cell['by']})" if cell["by"] else ""
    return [plain(f"{cell['state']}{note}"), faint(by)] if by else [plain(f"{cell['state']}{note}")]


def jobs(content: Content) -> tuple[str, str, list[Block]]:
    """What the difference comes to over the work that persons described, with what is assumed."""
    found = content["jobs"]
    blocks: list[Block] = []
    for one in found:
        answer = one["answer"]
        if answer is None:
            about = f"A job of {one['job']['period']} that {one['by']} kept"
            blocks.append(text_block(plain(f"{about} cannot be worked out: {one['problem']}.")))
            continue
        blocks.append(text_block(plain(answer["sentence"])))
        granted = "; ".join(answer["assumptions"])
        said = f"{one['job']['period'].capitalize()} as {one['by']} described it: {granted}."
        blocks.append(text_block(faint(said), style="faint"))
    brief = f"{len(found)} job{'' if len(found) == 1 else 's'}" if found else "none kept"
    return "", brief, blocks
