"""Reads what stands in a picture through Debian's tesseract, a process with limits of its own."""

from __future__ import annotations

import io
import os
import shutil
import subprocess

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from yardstick_core.readings.shown import (
    HEIGHTS,
    MARGIN,
    MOST_PIXELS,
    Guess,
    Look,
    made_readable,
    marks_in,
)

PROGRAM = "tesseract"
#: One line of text; what may stand where a number stands alone.
ONE_LINE, NUMBERS_ONLY = "7", "0123456789.,-+"
WITHIN_S = 20
MOST_MEMORY = 1 << 30
MOST_OUTPUT = 64 * 1024
WHITE = 255


class NoReader(RuntimeError):
    """There is no program here that reads pictures."""


def look_at(data: bytes, count: int, *, numbers_only: bool) -> Look:
    """What stands in a picture (an image file) that was seen so often, read once at each height.

    Nothing where it is no picture, or an empty one. Raises NoReader.
    """
    program = shutil.which(PROGRAM)
    if program is None:
        raise NoReader("no program that reads pictures is installed on the server (tesseract-ocr)")
    grey = _grey(data)
    if grey is None:
        return Look(count, ())
    found: list[Guess] = []
    marks = None
    for height in HEIGHTS:
        made = made_readable(grey, height)
        if made is None:
            return Look(count, ())
        letters, factor = made
        marks = marks_in(letters) if numbers_only else None
        image = Image.fromarray(letters)
        size = max(1, round(letters.shape[1] * factor)), height
        image = ImageOps.expand(image.resize(size, Image.Resampling.LANCZOS), MARGIN, WHITE)
        found.append(_read(program, image, numbers_only))
    return Look(count, tuple(found), marks)


def _grey(data: bytes) -> np.ndarray[tuple[int, int], np.dtype[np.uint8]] | None:
    try:
        with Image.open(io.BytesIO(data)) as image:
            if image.width * image.height > MOST_PIXELS:
                return None
            return np.asarray(ImageOps.grayscale(image.convert("RGB")), np.uint8)
    except (OSError, UnidentifiedImageError, ValueError, SyntaxError):
        return None


def _read(program: str, image: Image.Image, numbers_only: bool) -> Guess:
    file = io.BytesIO()
    image.save(file, "PNG")
    command = ["prlimit", f"--as={MOST_MEMORY}", f"--cpu={WITHIN_S}", "--", program]
    command += ["-", "-", "--psm", ONE_LINE]
    if numbers_only:
        command += ["-c", f"tessedit_char_whitelist={NUMBERS_ONLY}"]
    try:
        done = subprocess.run(
            [*command, "tsv"], input=file.getvalue(), capture_output=True, timeout=WITHIN_S,
            env={**os.environ, "OMP_THREAD_LIMIT": "1"},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return Guess("", 0.0)
    words, least = [], 100.0
    for line in done.stdout[:MOST_OUTPUT].decode(errors="replace").splitlines()[1:]:
        fields = line.split("\t")
        if len(fields) == 12 and fields[11].strip():
            words.append(fields[11].strip())
            least = min(least, float(fields[10]))
    return Guess(" ".join(words), least if words else 0.0)
