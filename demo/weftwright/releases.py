"""What each release of the editor is made of."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
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


def _with_cells(name: str, read: Callable[[str], Draft]) -> Release:
    """A release that draws every cell anew and weaves on one core, as all up to 4.1 do."""
    from weftwright.drawing.cells import CellRenderer
    from weftwright.weaving import one_core

    return Release(name, read, one_core.weave, CellRenderer, _defaults())


def _up_to_3_8(name: str) -> Release:
    from weftwright.reading import checked

    return _with_cells(name, checked.read)


def _up_to_4_1(name: str) -> Release:
    from weftwright.reading import by_character

    return _with_cells(name, by_character.read)


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


CHECKED = ("3.6", "3.7", "3.7.1", "3.8")
BY_CHARACTER = ("3.8.1", "3.9", "3.9.1", "4.0", "4.0.1", "4.0.2", "4.1")
_CELLS = ("drawing/cells.py", "reading/by_character.py", "weaving/one_core.py")
#: Modules that a release has and others do not.
_OWN = {
    **dict.fromkeys(CHECKED, (*_CELLS, "reading/checked.py")),
    **dict.fromkeys(BY_CHARACTER, _CELLS),
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


#: Each release by its name, oldest first; 4.0 and 3.8.1 changed nothing of what is slow or fast.
RELEASES: dict[str, Callable[[], Release]] = {
    **{name: partial(_up_to_3_8, name) for name in CHECKED},
    **{name: partial(_up_to_4_1, name) for name in BY_CHARACTER},
    "4.2": release_4_2,
    "5.0-rc1": release_5_0_rc1,
}
