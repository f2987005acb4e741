"""Work that moved from the processor to the graphics processor, or back: said, for it hides."""

from __future__ import annotations

from collections.abc import Sequence

from yardstick_core.compare.rows import Row
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.readings.graphics import GRAPHICS_SECONDS
from yardstick_core.readings.processor import PROCESSOR_SECONDS


def moved_work(rows: Sequence[Row], variants: Sequence[str], baseline: int) -> list[str]:
    """Sentences, one a stretch and candidate, where one kind of time fell as the other rose.

    Both differences must stand by themselves: neither is inferred from the other.
    """
    graphics = {row.stretch: row for row in rows if row.metric.key == GRAPHICS_SECONDS.key}
    found = []
    for row in rows:
        other = graphics.get(row.stretch)
        if row.metric.key != PROCESSOR_SECONDS.key or other is None:
            continue
        for index, name in enumerate(variants):
            mine, theirs = row.differences[index], other.differences[index]
            if index == baseline or mine is None or theirs is None:
                continue
            if {mine.verdict, theirs.verdict} != {AHEAD, BEHIND}:
                continue
            places = ("the processor", "the graphics processor")
            source, target = places if mine.verdict == AHEAD else places[::-1]
            found.append(
                f"In {' / '.join(row.stretch)}, work of {name} moved from {source} to {target}: "
                f"processor time {mine.change_text}, graphics time {theirs.change_text}."
            )
    return found
