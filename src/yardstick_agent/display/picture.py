"""What the screen shows: taken quickly through shared memory, kept as PNG, compared."""

from __future__ import annotations

import ctypes
import io
import os
import struct
from typing import Any

import numpy as np
import xcffib
import xcffib.shm
import xcffib.xproto
from PIL import Image, UnidentifiedImageError

from yardstick_agent.display.connection import GONE, Connection

ALL_PLANES = 0xFFFFFFFF
QUICK = 1
#: Two pixels differ where any of red, green and blue is further apart than this, of 255.
NOTICEABLE = 16
DIFFERS = (200, 30, 140)
#: A picture with more pixels than this is not unpacked: a few bytes may claim any size.
MOST_PIXELS = 100_000_000
IPC_PRIVATE, IPC_RMID, IPC_SET, IPC_STAT, OWNER_ONLY = 0, 0, 1, 2, 0o600
#: Of shmid_ds, where the user stands that a segment belongs to, and a size that it never exceeds.
SEGMENT_USER, SEGMENT_STATE_BYTES = 4, 256

Pixels = np.ndarray[tuple[int, int, int], np.dtype[np.uint8]]


class Screen:
    """Takes pictures of a display over a connection that nobody else uses meanwhile.

    On the same machine the picture comes through shared memory, in about a millisecond; else it is
    sent over the connection, which takes a hundred times as long.
    """

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        screen = connection.screen
        self.width, self.height = screen.width_in_pixels, screen.height_in_pixels
        self._shared = _shared(4 * self.width * self.height)
        self._segment = 0
        if self._shared is not None:
            self._attach(self._shared[0])

    def _attach(self, number: int) -> None:
        try:
            extension = self.connection.extension(xcffib.shm.key)
            _give(number, self.connection.server_user())
            segment = self.connection.raw.generate_id()
            extension.AttachChecked(segment, number, False).check()
            self._segment = segment
        except (*GONE, xcffib.XcffibException):
            self._segment = 0
        finally:
            _library().shmctl(number, IPC_RMID, None)

    def take(self) -> Pixels:
        """The whole screen as it stands, shape (height, width, 3): red, green, blue."""
        return rgb(self.raw())

    def raw(self) -> Pixels:
        """The same as the display keeps it, shape (height, width, 4): blue, green, red, nothing."""
        if not self._segment or self._shared is None:
            return self._sent(0, 0, self.width, self.height).copy()
        self.connection.extension(xcffib.shm.key).GetImage(
            self.connection.root, 0, 0, self.width, self.height, ALL_PLANES,
            xcffib.xproto.ImageFormat.ZPixmap, self._segment, 0,
        ).reply()  # fmt: skip
        return self._shared[1].reshape(self.height, self.width, 4).copy()

    def update(self, picture: Pixels, x: int, y: int, width: int, height: int) -> None:
        """Take a part of the screen, in pixels, into a picture that `raw` gave before."""
        left, top = max(0, x), max(0, y)
        width, height = min(x + width, self.width) - left, min(y + height, self.height) - top
        if width <= 0 or height <= 0:
            return
        if self._segment and self._shared is not None:
            self.connection.extension(xcffib.shm.key).GetImage(
                self.connection.root, left, top, width, height, ALL_PLANES,
                xcffib.xproto.ImageFormat.ZPixmap, self._segment, 0,
            ).reply()  # fmt: skip
            part = self._shared[1][: 4 * width * height].reshape(height, width, 4)
        else:
            part = self._sent(left, top, width, height)
        picture[top : top + height, left : left + width] = part

    def _sent(self, x: int, y: int, width: int, height: int) -> Pixels:
        reply = self.connection.core.GetImage(
            xcffib.xproto.ImageFormat.ZPixmap, self.connection.root, x, y, width, height, ALL_PLANES
        ).reply()
        data = np.frombuffer(bytes(reply.data.buf()), np.uint8)
        return data.reshape(height, width, 4)


def _give(number: int, uid: int) -> None:
    """Let the display have the segment, where it runs as another user than this process."""
    if uid == os.geteuid() or os.geteuid() != 0:
        return
    state = ctypes.create_string_buffer(SEGMENT_STATE_BYTES)
    if _library().shmctl(number, IPC_STAT, state) == 0:
        struct.pack_into("=I", state, SEGMENT_USER, uid)
        _library().shmctl(number, IPC_SET, state)


def rgb(raw: Pixels) -> Pixels:
    return raw[:, :, 2::-1]


def _library() -> ctypes.CDLL:
    library = ctypes.CDLL(None, use_errno=True)
    library.shmat.restype = ctypes.c_void_p
    library.shmat.argtypes = (ctypes.c_int, ctypes.c_void_p, ctypes.c_int)
    return library


def _shared(size: int) -> tuple[int, np.ndarray[Any, np.dtype[np.uint8]]] | None:
    """A segment of memory shared with the display, by number; None where there is none.

    It goes away with the last process that has it.
    """
    library = _library()
    number = library.shmget(IPC_PRIVATE, size, OWNER_ONLY)
    if number < 0:
        return None
    address = library.shmat(number, None, 0)
    if address in (None, ctypes.c_void_p(-1).value):
        library.shmctl(number, IPC_RMID, None)
        return None
    memory = (ctypes.c_uint8 * size).from_address(address)
    return number, np.ctypeslib.as_array(memory)


def cut(pixels: Pixels, x: int, y: int, width: int, height: int) -> Pixels:
    """A part of a picture; what lies outside of it is left away."""
    return pixels[max(0, y) : max(0, y + height), max(0, x) : max(0, x + width)]


def png(pixels: Pixels) -> bytes:
    """Pixels of shape (height, width, 3) as a PNG file."""
    file = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(pixels)).save(file, "PNG", compress_level=QUICK)
    return file.getvalue()


def read_picture(data: bytes | None) -> Pixels | None:
    """The pixels of an image file; None where there is no such picture, or not a whole one."""
    if data is None:
        return None
    try:
        with Image.open(io.BytesIO(data)) as image:
            if image.width * image.height > MOST_PIXELS:
                return None
            pixels: Pixels = np.asarray(image.convert("RGB"))
            return pixels
    except (OSError, UnidentifiedImageError, ValueError, struct.error, SyntaxError):
        return None


def share_differing(one: Pixels, other: Pixels) -> float:
    """Share of the pixels that differ noticeably, percent; 100 where the sizes differ."""
    if one.shape != other.shape or not one.size:
        return 100.0
    return 100.0 * float(_differing(one, other).mean())


def _differing(one: Pixels, other: Pixels) -> np.ndarray[Any, np.dtype[np.bool_]]:
    apart = np.abs(one.astype(np.int16) - other.astype(np.int16))
    return np.asarray(apart.max(axis=2) > NOTICEABLE)


def difference_picture(seen: Pixels, wanted: Pixels) -> Pixels:
    """What was seen, pale and grey, with every pixel that differs from what was wanted marked."""
    if seen.shape != wanted.shape:
        height, width = max(seen.shape[0], wanted.shape[0]), max(seen.shape[1], wanted.shape[1])
        seen, wanted = _on_canvas(seen, height, width), _on_canvas(wanted, height, width)
    grey = seen.mean(axis=2, keepdims=True).repeat(3, axis=2)
    pale = (255 - (255 - grey) * 0.4).astype(np.uint8)
    pale[_differing(seen, wanted)] = DIFFERS
    return pale


def _on_canvas(pixels: Pixels, height: int, width: int) -> Pixels:
    canvas = np.zeros((height, width, 3), np.uint8)
    canvas[: pixels.shape[0], : pixels.shape[1]] = pixels
    return canvas
