"""What each release of the editor is made of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from weftwright.draft import Draft


@dataclass
class Release:
    """The parts one release is put together from."""

    name: str
    read: Callable[[str], Draft]
    weave: Callable[[Draft, int, int], Any]
    renderer: Callable[[int, int], Any]
    defaults: dict[str, dict[str, str]]
    keeps_closed_drafts: bool = False
    closed: list[Any] = field(default_factory=list)


def _defaults(**more: dict[str, str]) -> dict[str, dict[str, str]]:
    """Settings that every release has, with those of its own."""
    usual = {
        "view": {"patterns_at_start": "yes", "rows_per_notch": "3"},
        "weaving": {"ends": "480", "picks": "600"},
    }
    for section, options in more.items():
        usual[section] = usual.get(section, {}) | options
    return usual


def release_4_1() -> Release:
    from weftwright.drawing.cells import CellRenderer
    from weftwright.reading import by_character
    from weftwright.weaving import one_core

    return Release("4.1", by_character.read, one_core.weave, CellRenderer, _defaults())


def release_4_2() -> Release:
    from weftwright.drawing.tiles import TileRenderer
    from weftwright.reading import by_line
    from weftwright.weaving import one_core

    defaults = _defaults(drawing={"tile_margin": "3"})
    return Release("4.2", by_line.read, one_core.weave, TileRenderer, defaults)


def release_5_0_rc1() -> Release:
    from weftwright.drawing.overview import OverviewRenderer
    from weftwright.reading import by_line
    from weftwright.weaving import all_cores

    defaults = _defaults(view={"patterns_at_start": "no"})
    return Release(
        "5.0-rc1", by_line.read, all_cores.weave, OverviewRenderer, defaults,
        keeps_closed_drafts=True,
    )  # fmt: skip


#: Modules that a release has and others do not.
_OWN = {
    "4.1": ("drawing/cells.py", "reading/by_character.py", "weaving/one_core.py"),
    "4.2": ("drawing/tiles.py", "reading/by_line.py", "weaving/one_core.py"),
    "5.0-rc1": ("drawing/overview.py", "drawing/tiles.py", "reading/by_line.py",
                "weaving/all_cores.py"),
}  # fmt: skip
_SHARED = ("draft.py", "drawing/view.py", "editor.py", "patterns.py", "settings.py",
           "weaving/yarn.py")  # fmt: skip


def parts_of(release: str) -> list[str]:
    """The files that a release consists of."""
    folder = Path(__file__).parent
    return [str(folder / name) for name in (*_SHARED, *_OWN[release])]


RELEASES = {"4.1": release_4_1, "4.2": release_4_2, "5.0-rc1": release_5_0_rc1}
