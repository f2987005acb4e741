"""What carries the answer of a report: curves, growth, parts, costs, and findings as seen."""

from __future__ import annotations

from yardstick_core.compare.text import THIN
from yardstick_core.report.content import Content
from yardstick_core.report.document import (
    Block,
    ClipBlock,
    LadderBlock,
    Line,
    count,
    faint,
    number,
    plain,
    table,
    text_block,
    variant_span,
    verdict_span,
)

#: Clips beyond so many characters stay with their runs: a report can be sent by mail.
MOST_OF_CLIPS = 16_000_000


def frames(content: Content) -> tuple[str, str, list[Block]]:
    lanes = [lane for lane in content["lanes"] if lane["unit"] == "ms"]
    found: list[Block] = [*content["curves"], *lanes]
    return "", count(len(content["curves"]), "stretch") + ", with curves", found


def growth(content: Content) -> tuple[str, str, list[Block]]:
    board = content["board"]
    found: list[Block] = [text_block(plain(f"{one['text']}.")) for one in board["growing"]]
    found += [lane for lane in content["lanes"] if lane["unit"] != "ms"]
    for reading in board["ladders"]:
        ladder: LadderBlock = {
            "kind": "ladder",
            "stretch": list(reading["stretch"]),
            "ladder": reading["ladder"],
            "unit": "s" if reading["kind"] == "growth" else "fps",
            "levels": list(reading["levels"]),
            "medians": [list(side) for side in reading["medians"]],
            "line": reading["line"],
        }
        found.append(ladder)
        found += [text_block(plain(f"{text.rstrip('.')}.")) for text in reading["sentences"]]
    laddered = ", ".join(dict.fromkeys(reading["ladder"] for reading in board["ladders"]))
    return "", f"over {laddered}" if laddered else "memory" if found else "nothing grows", found


def parts(content: Content) -> tuple[str, str, list[Block]]:
    names = content["decision"]["variants"]
    found: list[Block] = []
    for breakdown in content["decision"]["breakdowns"]:
        parts = [part for part in breakdown["parts"] if part["change"] or part["only_in"]]
        if len(parts) < 2:
            continue
        line: Line = [
            variant_span(names, breakdown["candidate"]),
            plain(f": {breakdown['label']} "),
            number(breakdown["text"]),
            plain(", of which"),
        ]
        rows: list[list[Line]] = [
            [[plain(part["label"])], [number(part["text"])], [plain(part["interval"])],
             [faint(f"only in {part['only_in']}" if part["only_in"] else "")]]
            for part in parts
        ]  # fmt: skip
        found += [text_block(*line), table(["part", "change", "interval", ""], "lrrl", rows)]
    return "", count(len(found) // 2, "change") + " taken apart", found


def costs(content: Content) -> tuple[str, str, list[Block]]:
    found: list[Block] = [
        text_block(plain(f"{trade['sentence']}.")) for trade in content["decision"]["trade_offs"]
    ]
    return "", "processor, memory", found


def findings(content: Content) -> tuple[str, str, list[Block]]:
    names = content["board"]["variants"]
    found: list[Block] = []
    pictures = clips = clip_bytes = 0
    for one in content["findings"]:
        where = f", run {one['run']} at {one['at']}, noted by {one['by']}"
        found.append(
            text_block(
                verdict_span(one["kind"]), plain(f" {one['text']} "), faint("("),
                variant_span(names, one["variant"]), faint(f"{where})"),
            )
        )  # fmt: skip
        caption = f"{names[one['variant']]}, run {one['run']} at {one['at']}: {one['text']}"
        clip_bytes += len(one["clip"])
        if one["clip"] and clip_bytes <= MOST_OF_CLIPS:
            clips += 1
            took = f"{caption} (a clip of {one['clip_s']:.1f}{THIN}s from its film)"
            block: ClipBlock = {
                "kind": "clip", "data": one["clip"], "still": one["picture"], "caption": took,
            }  # fmt: skip
            found.append(block)
        elif one["picture"]:
            pictures += 1
            found.append({"kind": "picture", "data": one["picture"], "caption": caption})
    shown = [count(pictures, "picture")] if pictures or not clips else []
    shown += [count(clips, "clip")] if clips else []
    brief = ", ".join([str(len(content["findings"])), *shown]) if found else "none"
    return "", brief, found
