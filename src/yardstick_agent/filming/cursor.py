"""The pointer, which the display leaves out of the pictures it gives."""

from __future__ import annotations

from typing import Any

import numpy as np
import xcffib.xfixes

from yardstick_agent.display.connection import GONE, Connection
from yardstick_agent.display.picture import Pixels


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

    def drawn_on(self, raw: Pixels) -> Pixels:
        """A picture with the pointer on it; the picture itself stays as it is."""
        if self._image is None:
            return raw
        left, top, _ = self._state
        height, width = raw.shape[:2]
        tall, wide = self._image.shape[:2]
        x0, y0, x1, y1 = max(0, left), max(0, top), min(width, left + wide), min(height, top + tall)
        if x0 >= x1 or y0 >= y1:
            return raw
        shown = raw.copy()
        part = self._image[y0 - top : y1 - top, x0 - left : x1 - left].astype(np.uint16)
        below = shown[y0:y1, x0:x1].astype(np.uint16)
        # its colours come multiplied by how opaque they are
        mixed = part[:, :, :3] + below[:, :, :3] * (255 - part[:, :, 3:]) // 255
        shown[y0:y1, x0:x1, :3] = np.minimum(mixed, 255).astype(np.uint8)
        return shown
