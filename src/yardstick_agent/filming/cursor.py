"""The pointer, which the display leaves out of the pictures it gives."""

from __future__ import annotations

from typing import Any

import numpy as np
import xcffib.xfixes

from yardstick_agent.display.connection import GONE, Connection
from yardstick_agent.display.picture import Pixels

#: A rectangle of the screen: left, top, right, bottom, in pixels.
Area = tuple[int, int, int, int]


class Cursor:
    """Where the pointer is and what it looks like, asked for when it is looked for."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self._fixes = connection.extension(xcffib.xfixes.key)
        self._fixes.QueryVersion(5, 0).reply()
        self._state: tuple[int, int, int] = (-1, -1, 0)
        self._image: Any = None

    def moved(self) -> bool:
        """Whether it is elsewhere, or looks otherwise, than when this was last asked."""
        try:
            reply = self._fixes.GetCursorImage().reply()
        except GONE:
            return False
        state = (reply.x - reply.xhot, reply.y - reply.yhot, reply.cursor_serial)
        if state == self._state:
            return False
        if state[2] != self._state[2] or self._image is None:
            pixels = np.array(list(reply.cursor_image), np.uint32)
            self._image = pixels.view(np.uint8).reshape(reply.height, reply.width, 4)
        self._state = state
        return True

    @property
    def area(self) -> Area:
        """What it covers: left, top, right, bottom, in pixels; nothing before it was looked for."""
        if self._image is None:
            return 0, 0, 0, 0
        left, top, _ = self._state
        return left, top, left + self._image.shape[1], top + self._image.shape[0]

    def draw_on(self, part: Pixels, x: int, y: int) -> None:
        """Draw it into a part of the screen that lies at (x, y), as far as it lies in there."""
        left, top, right, bottom = self.area
        height, width = part.shape[:2]
        x0, y0 = max(0, left - x), max(0, top - y)
        x1, y1 = min(width, right - x), min(height, bottom - y)
        if x0 >= x1 or y0 >= y1:
            return
        rows, columns = slice(y0 + y - top, y1 + y - top), slice(x0 + x - left, x1 + x - left)
        over = self._image[rows, columns].astype(np.uint16)
        below = part[y0:y1, x0:x1].astype(np.uint16)
        # its colours come multiplied by how opaque they are
        mixed = over[:, :, :3] + below[:, :, :3] * (255 - over[:, :, 3:]) // 255
        part[y0:y1, x0:x1, :3] = np.minimum(mixed, 255).astype(np.uint8)
