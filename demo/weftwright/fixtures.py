"""Generates draft files of several sizes; the same size gives the same file everywhere."""

from __future__ import annotations

import random
from functools import cache
from pathlib import Path

#: Name → (title, ends, picks, shafts, seed).
SIZES = {
    "tea-towel.weft": ("Tea towel", 240, 2_000, 4, 11),
    "harbour-blanket.weft": ("Harbour blanket", 1_600, 240_000, 8, 23),
    "great-hall-carpet.weft": ("Great hall carpet", 2_400, 480_000, 16, 37),
    **{
        f"runner-{picks}.weft": (f"Runner of {picks} picks", 480, picks, 8, 41)
        for picks in (20_000, 60_000, 180_000, 540_000)
    },
}
COLOURS = {
    "madder": "a8402d", "weld": "d9b13b", "indigo": "2f4a78", "woad": "5f86a8",
    "walnut": "5c4330", "wool": "ece4d2", "moss": "66744a", "rose": "c98b86",
}  # fmt: skip


def draft_text(title: str, ends: int, picks: int, shafts: int, seed: int) -> str:
    """A draft as a file holds it."""
    chance = random.Random(seed)
    names = list(COLOURS)
    lines = [f'draft "{title}"', f"shafts {shafts}"]
    lines += [f"colour {name} {code}" for name, code in COLOURS.items()]
    stripe, point, way = chance.choice(names), 1, 1
    for end in range(ends):
        if end % 24 == 0:
            stripe = chance.choice(names)
        lines.append(f"end {point} {stripe}")
        if not 1 <= point + way <= shafts:
            way = -way
        point += way
    band = chance.choice(names)
    for pick in range(picks):
        if pick % 36 == 0:
            band = chance.choice(names)
        over = shafts // 2 if (pick // 48) % 3 else max(1, shafts // 4)
        lines.append(f"pick {band} {_lifted(pick % shafts, over, shafts)}")
    return "\n".join(lines) + "\n"


@cache
def _lifted(first: int, count: int, shafts: int) -> str:
    """Shafts lifted from one on, as a draft names them."""
    return ", ".join(map(str, sorted((first + offset) % shafts + 1 for offset in range(count))))


def write_fixture(name: str, folder: Path) -> Path:
    """Write one fixture into a folder and say where it is."""
    path = folder / name
    path.write_text(draft_text(*SIZES[name]), encoding="utf-8")
    return path
