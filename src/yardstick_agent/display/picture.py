"""What the screen shows, as a PNG file."""

from __future__ import annotations

import struct
import zlib

import numpy as np
import xcffib.xproto

from yardstick_agent.display.connection import Connection

ALL_PLANES = 0xFFFFFFFF
QUICK = 1


def screen_picture(connection: Connection) -> bytes:
    """The whole screen as it stands, as PNG."""
    screen = connection.screen
    width, height = screen.width_in_pixels, screen.height_in_pixels
    reply = connection.core.GetImage(
        xcffib.xproto.ImageFormat.ZPixmap, connection.root, 0, 0, width, height, ALL_PLANES
    ).reply()
    pixels = np.frombuffer(bytes(reply.data.buf()), np.uint8).reshape(height, width, 4)
    return png(pixels[:, :, 2::-1])


def png(rgb: np.ndarray[tuple[int, int, int], np.dtype[np.uint8]]) -> bytes:
    """Pixels of shape (height, width, 3) as a PNG file."""
    height, width, _ = rgb.shape
    rows = np.zeros((height, 1 + 3 * width), np.uint8)
    rows[:, 1:] = rgb.reshape(height, 3 * width)
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = zlib.compress(rows.tobytes(), QUICK)
    parts = ((b"IHDR", head), (b"IDAT", body), (b"IEND", b""))
    return b"\x89PNG\r\n\x1a\n" + b"".join(_chunk(kind, data) for kind, data in parts)


def _chunk(kind: bytes, data: bytes) -> bytes:
    checksum = struct.pack(">I", zlib.crc32(kind + data))
    return struct.pack(">I", len(data)) + kind + data + checksum
