"""Pictures: read, compared, marked where they differ."""

import io

import numpy as np
import pytest
from PIL import Image

from yardstick_agent.display.connection import Connection
from yardstick_agent.display.picture import (
    DIFFERS,
    Screen,
    cut,
    difference_picture,
    png,
    read_picture,
    share_differing,
)
from yardstick_agent.display.virtual import VirtualDisplay

GREY = np.full((20, 30, 3), 120, np.uint8)


def test_a_share_counts_pixels_that_differ_noticeably():
    other = GREY.copy()
    other[:2] += 40
    other[2:4] += 10  # too little for anyone to notice
    assert share_differing(GREY, other) == pytest.approx(10)
    assert share_differing(GREY, GREY) == 0


def test_pictures_of_two_sizes_differ_altogether():
    assert share_differing(GREY, GREY[:, :29]) == 100
    assert difference_picture(GREY, GREY[:, :29]).shape == (20, 30, 3)


def test_every_pixel_that_differs_is_marked_and_no_other():
    other = GREY.copy()
    other[5, 7] = (0, 0, 0)
    marked = (difference_picture(other, GREY) == DIFFERS).all(axis=2)
    assert marked.sum() == 1
    assert marked[5, 7]


def test_a_part_is_cut_off_at_the_edges():
    assert cut(GREY, 20, -5, 100, 10).shape == (5, 10, 3)


def test_what_is_no_picture_is_read_as_none(tmp_path):
    whole = png(GREY)
    (tmp_path / "half.png").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "text.png").write_text("no picture")
    (tmp_path / "whole.png").write_bytes(whole)
    assert read_picture((tmp_path / "half.png").read_bytes()) is None
    assert read_picture((tmp_path / "text.png").read_bytes()) is None
    assert read_picture(None) is None
    assert np.array_equal(read_picture((tmp_path / "whole.png").read_bytes()), GREY)


@pytest.mark.screen
def test_shared_memory_shows_the_same_as_the_connection():
    with VirtualDisplay(320, 200) as display:
        connection = Connection(display.name)
        screen = Screen(connection)
        assert screen._segment
        pixels = screen.take()
        assert pixels.shape == (200, 320, 3)
        assert np.array_equal(pixels, screen._sent(0, 0, 320, 200)[:, :, 2::-1])
        assert Image.open(io.BytesIO(png(pixels))).size == (320, 200)
        connection.close()
