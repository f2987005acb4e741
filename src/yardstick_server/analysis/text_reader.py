"""Reads what stands in a picture through Debian's tesseract, a process with limits of its own."""

from __future__ import annotations

import io
import os
import shutil
import string
import subprocess
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from yardstick_core.readings.shown import (
    HEIGHTS,
    MARGIN,
    MOST_PIXELS,
    Grey,
    Guess,
    Look,
    made_readable,
    marks_in,
    words_of_number,
)

PROGRAM = "tesseract"
#: One line of text; what may stand where a number stands alone.
ONE_LINE, NUMBERS_ONLY = "7", "0123456789.,-+"
#: What a word may hold for its small marks to be told: letters have none but dots above.
_WITHOUT_MARKS = {*NUMBERS_ONLY, *string.ascii_letters}
WITHIN_S = 20
MOST_MEMORY = 1 << 30
MOST_OUTPUT = 64 * 1024
WHITE = 255


class NoReader(RuntimeError):
    """There is no program here that reads pictures."""


@dataclass(frozen=True, slots=True)
class _Word:
    """A word that was read, and where: pixels of the picture that was given to the reader."""

    text: str
    confidence: float
    left: int
    width: int


def look_at(data: bytes, count: int, pattern: str = "") -> Look:
    """What stands in a picture (an image file) that was seen so often, read once at each height.

    With a pattern other text may stand beside the number, else it stands alone. Nothing where it is
    no picture, or an empty one. Raises NoReader.
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
        marks = None if pattern else marks_in(letters)
        image = Image.fromarray(letters)
        size = max(1, round(letters.shape[1] * factor)), height
        image = ImageOps.expand(image.resize(size, Image.Resampling.LANCZOS), MARGIN, WHITE)
        words = _read(program, image, numbers_only=not pattern)
        found.append(_guess(words, letters, factor, pattern))
    return Look(count, tuple(found), marks)


def _grey(data: bytes) -> np.ndarray[tuple[int, int], np.dtype[np.uint8]] | None:
    try:
        with Image.open(io.BytesIO(data)) as image:
            if image.width * image.height > MOST_PIXELS:
                return None
            return np.asarray(ImageOps.grayscale(image.convert("RGB")), np.uint8)
    except (OSError, UnidentifiedImageError, ValueError, SyntaxError):
        return None


def _guess(words: list[_Word], letters: Grey, factor: float, pattern: str) -> Guess:
    """What words amount to; with a pattern also the small marks where its number stands."""
    texts = [word.text for word in words]
    text, least = " ".join(texts), min((word.confidence for word in words), default=0.0)
    held = [words[place] for place in words_of_number(texts, pattern)] if pattern else []
    number = "".join(word.text for word in held)
    if not number or set(number) - _WITHOUT_MARKS:
        return Guess(text, least)
    left = min(word.left for word in held) - MARGIN
    right = max(word.left + word.width for word in held) - MARGIN
    cut = letters[:, max(0, int(left / factor) - 1) : max(1, round(right / factor) + 1)]
    alone = made_readable(cut, HEIGHTS[0])
    return Guess(text, least, number, marks_in(alone[0]) if alone else None)


def _read(program: str, image: Image.Image, *, numbers_only: bool) -> list[_Word]:
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
        return []
    words = []
    for line in done.stdout[:MOST_OUTPUT].decode(errors="replace").splitlines()[1:]:
        fields = line.split("\t")
        if len(fields) == 12 and fields[11].strip():
            text, confidence = fields[11].strip(), float(fields[10])
            words.append(_Word(text, confidence, int(fields[6]), int(fields[8])))
    return words
