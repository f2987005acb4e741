"""What each release of the editor is made of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from weftwright.draft import Draft


@dataclass
class Release:
    """The parts one release is put together from."""

    name: str
    read: Callable[[str], Draft]
    weave: Callable[[Draft, int, int], Any]
    renderer: Callable[[int, int], Any]
    patterns_at_start: bool
    keeps_closed_drafts: bool = False
    closed: list[Any] = field(default_factory=list)


def release_4_1() -> Release:
    from weftwright.drawing.cells import CellRenderer
    from weftwright.reading import by_character
    from weftwright.weaving import one_core

    return Release("4.1", by_character.read, one_core.weave, CellRenderer, True)


def release_4_2() -> Release:
    from weftwright.drawing.tiles import TileRenderer
    from weftwright.reading import by_line
    from weftwright.weaving import one_core

    return Release("4.2", by_line.read, one_core.weave, TileRenderer, True)


def release_5_0_rc1() -> Release:
    from weftwright.drawing.overview import OverviewRenderer
    from weftwright.reading import by_line
    from weftwright.weaving import all_cores

    return Release(
        "5.0-rc1", by_line.read, all_cores.weave, OverviewRenderer, False, keeps_closed_drafts=True
    )


RELEASES = {"4.1": release_4_1, "4.2": release_4_2, "5.0-rc1": release_5_0_rc1}
