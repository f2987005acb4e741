"""The made-up program: its releases read, draw and weave the same, each in its own way."""

import os

os.environ.setdefault("SDL_VIDEODRIVER", "dummy")

import numpy as np
import pygame
import pytest

from weftwright.draft import DraftError
from weftwright.drawing.cells import CellRenderer
from weftwright.drawing.overview import OverviewRenderer
from weftwright.drawing.tiles import TileRenderer
from weftwright.drawing.view import View
from weftwright.fixtures import SIZES, draft_text, write_fixture
from weftwright.reading import by_character, by_line, checked
from weftwright.releases import RELEASES
from weftwright.weaving import all_cores, one_core


@pytest.fixture(scope="module")
def towel(tmp_path_factory):
    return write_fixture("tea-towel.weft", tmp_path_factory.mktemp("drafts"))


@pytest.fixture(scope="module")
def draft(towel):
    draft = by_line.read(str(towel))
    draft.prepare()
    return draft


def test_both_readers_read_the_same_draft(towel):
    slow, quick = by_character.read(str(towel)), by_line.read(str(towel))
    assert slow.name == quick.name == "Tea towel"
    assert (slow.threading, slow.lifts) == (quick.threading, quick.lifts)
    assert (slow.palette, slow.weft_colours) == (quick.palette, quick.weft_colours)
    assert (slow.ends, slow.picks) == (240, 2000)


def test_the_same_size_gives_the_same_file_everywhere():
    assert draft_text(*SIZES["tea-towel.weft"]) == draft_text(*SIZES["tea-towel.weft"])


@pytest.mark.parametrize("reader", [by_character, by_line])
@pytest.mark.parametrize("text", ["", "shafts 4\n", "picture of a cat\n"])
def test_what_is_no_draft_is_refused(tmp_path, reader, text):
    file = tmp_path / "bad.weft"
    file.write_text(text)
    with pytest.raises(DraftError):
        reader.read(str(file))


def test_one_core_and_all_cores_weave_the_same_cloth(draft):
    assert np.array_equal(one_core.weave(draft, 40, 60), all_cores.weave(draft, 40, 60))


def painted(renderer, draft, view) -> np.ndarray:
    renderer.prepare(draft)
    target = pygame.Surface((320, 240))
    renderer.paint(target, view)
    return pygame.surfarray.array3d(target)


def test_old_and_new_renderers_show_the_same_cloth(draft):
    pygame.display.init()
    pygame.display.set_mode((320, 240))
    view = View(x=24, y=200, cell=8)
    cells = painted(CellRenderer(320, 240), draft, view)
    tiles = painted(TileRenderer(320, 240), draft, view)
    overview = painted(OverviewRenderer(320, 240), draft, view)
    assert np.array_equal(tiles[:150], overview[:150])
    inside = (slice(0, 150, 8), slice(0, 240, 8))
    assert np.abs(cells[inside].astype(int) - tiles[inside]).max() <= 2


def test_only_the_second_release_rebuilds_every_tile_at_a_boundary(draft):
    pygame.display.init()
    pygame.display.set_mode((320, 240))
    built = {}
    for kind in (TileRenderer, OverviewRenderer):
        renderer = kind(320, 240)
        renderer.prepare(draft)
        target = pygame.Surface((320, 240))
        renderer.paint(target, View(y=180))
        count = 0
        original = renderer.tile

        def counting(*place, original=original):
            nonlocal count
            count += 1
            return original(*place)

        renderer.tile = counting
        renderer.paint(target, View(y=200))
        built[kind.__name__] = count
    assert built["TileRenderer"] > 40
    assert built["OverviewRenderer"] <= 6


def test_only_the_newest_keeps_closed_drafts():
    made = {name: make() for name, make in RELEASES.items()}
    assert [name for name, one in made.items() if one.keeps_closed_drafts] == ["5.0-rc1"]
    assert [one.name for one in made.values()] == list(RELEASES)


def test_releases_up_to_3_8_go_through_a_file_twice(towel):
    """What the line of releases shows: the same draft, read with one more pass."""
    old, later = RELEASES["3.8"]().read, RELEASES["3.8.1"]().read
    assert old is checked.read
    assert later is by_character.read
    assert old(str(towel)).lifts == later(str(towel)).lifts


def test_a_checked_draft_lifts_no_shaft_that_is_not_there(towel, tmp_path):
    file = tmp_path / "odd.weft"
    file.write_text(towel.read_text() + "pick madder 1, 9\n")
    assert by_character.read(str(file)).shafts == 4
    with pytest.raises(DraftError, match="does not have"):
        checked.read(str(file))


def test_the_program_knows_nothing_of_being_measured():
    from pathlib import Path

    import weftwright

    for file in Path(weftwright.__file__).parent.rglob("*.py"):
        text = file.read_text().lower()
        assert "yardstick" not in text, file
        assert "time.sleep" not in text, file
