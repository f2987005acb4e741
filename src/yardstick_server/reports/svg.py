"""Pieces of SVG: elements, palettes, and the rule of differences."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

#: The colours of the interface, light and dark; a page takes them as variables, a file as they are.
LIGHT = {
    "paper": "#f5f3ec", "card": "#fcfbf7", "ink": "#1b2430", "ink-2": "#566072",
    "ink-3": "#5f6675", "line": "#dcd7c9", "line-2": "#eae6db", "brass": "#8a5f0e",
    "brass-soft": "#f2e8cf", "brass-from": "#ebd9ae", "brass-to": "#dfc992",
    "brass-ink": "#4a3407", "ahead": "#0c6f68", "ahead-ground": "#d5eae5", "behind": "#ae3a1c",
    "behind-ground": "#f5ddd3", "level": "#5a616e", "level-ground": "#e7e6e1", "band": "#d9d5c6",
    "c0": "#1b2430", "c1": "#2453c4", "c2": "#8c2f86", "c3": "#b07a00", "c4": "#1f7fa8",
    "c5": "#5b6b1e", "c6": "#a34b63", "c7": "#4d4fa8",
}  # fmt: skip
DARK = {
    "paper": "#171c24", "card": "#1e242e", "ink": "#ece9df", "ink-2": "#b0b6c2",
    "ink-3": "#979fad", "line": "#363d49", "line-2": "#2a303b", "brass": "#d9a93f",
    "brass-soft": "#37301d", "brass-from": "#4a3c1a", "brass-to": "#3c3116",
    "brass-ink": "#f1ddab", "ahead": "#5cc9bb", "ahead-ground": "#12403b", "behind": "#f0906f",
    "behind-ground": "#4d2418", "level": "#b3b8c2", "level-ground": "#343a44", "band": "#3a3f48",
    "c0": "#ece9df", "c1": "#7ea2ff", "c2": "#d78ad1", "c3": "#e0b04a", "c4": "#6cc0e4",
    "c5": "#b3c76a", "c6": "#e394a8", "c7": "#a3a5f0",
}  # fmt: skip
VARIABLES = {name: f"var(--{name})" for name in LIGHT}

Palette = Mapping[str, str]
COLOURS = 8


def element(name: str, *children: str, **attributes: object) -> SafeString:
    """An element; `_` in names of attributes stands for `-`. Texts among children are escaped."""
    text = "".join(
        f' {key.rstrip("_").replace("_", "-")}="{escape(_number(value))}"'
        for key, value in attributes.items()
        if value is not None
    )
    inside = "".join(
        child if isinstance(child, SafeString) else escape(child) for child in children
    )
    return mark_safe(f"<{name}{text}>{inside}</{name}>")  # noqa: S308 # every part is escaped above


def _number(value: object) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".") if isinstance(value, float) else str(value)


def drawing(width: float, height: float, label: str, *children: SafeString) -> SafeString:
    """A picture of its own that grows with the page; `label` says what it shows."""
    return element(
        "svg", element("title", label), *children, xmlns="http://www.w3.org/2000/svg",
        viewBox=f"0 0 {_number(float(width))} {_number(float(height))}", role="img",
        width=width, height=height,
    )  # fmt: skip


def line(
    x1: float, y1: float, x2: float, y2: float, colour: str, width: float = 1, **more: object
) -> SafeString:
    return element("line", x1=x1, y1=y1, x2=x2, y2=y2, stroke=colour, stroke_width=width, **more)


def rect(
    x: float, y: float, width: float, height: float, colour: str, **more: object
) -> SafeString:
    return element("rect", x=x, y=y, width=max(0.0, width), height=height, fill=colour, **more)


def text(
    x: float, y: float, said: str, colour: str, size: float = 11, anchor: str = "start",
    weight: int = 400, **more: object,
) -> SafeString:  # fmt: skip
    return element(
        "text", said, x=x, y=y, fill=colour, font_size=size, text_anchor=anchor,
        font_weight=weight, font_family="IBM Plex Sans, sans-serif", **more,
    )  # fmt: skip


def path(points: Sequence[tuple[float, float]], colour: str, width: float = 1.5) -> SafeString:
    d = " ".join(f"{'M' if not n else 'L'}{x:.1f} {y:.1f}" for n, (x, y) in enumerate(points))
    return element("path", d=d, fill="none", stroke=colour, stroke_width=width)


def colour_of(palette: Palette, variant: int, baseline: int) -> str:
    """A variant's colour as the interface has it: the baseline is ink, whichever it is."""
    return palette[f"c{place_of(variant, baseline) % COLOURS}"]


def place_of(variant: int, baseline: int) -> int:
    """Which colour and mark a variant has: 0 is the baseline's."""
    if variant == baseline:
        return 0
    return variant + 1 if variant < baseline else variant


_CORNERS: dict[int, list[tuple[float, float]]] = {
    0: [(-1, -1), (1, -1), (1, 1), (-1, 1)],
    2: [(0, -1.1), (1.15, 0.95), (-1.15, 0.95)],
    3: [(0, -1.25), (1.25, 0), (0, 1.25), (-1.25, 0)],
    4: [(-0.45, -1.2), (0.45, -1.2), (0.45, 1.2), (-0.45, 1.2)],
    5: [(-1.1, -0.75), (-0.75, -1.1), (0, -0.35), (0.75, -1.1), (1.1, -0.75), (0.35, 0),
        (1.1, 0.75), (0.75, 1.1), (0, 0.35), (-0.75, 1.1), (-1.1, 0.75), (-0.35, 0)],
    6: [(-1.15, -0.95), (1.15, -0.95), (0, 1.1)],
    7: [(-1.2, -0.45), (1.2, -0.45), (1.2, 0.45), (-1.2, 0.45)],
}  # fmt: skip


def corners_of(place: int) -> list[tuple[float, float]] | None:
    """Corners of a variant's mark around 0, for a mark that reaches to 1; None for a round one."""
    return _CORNERS.get(place % COLOURS)


def mark(place: int, x: float, y: float, size: float, colour: str, **more: object) -> SafeString:
    """The mark of a variant as the interface draws it, so that nothing is said by colour alone."""
    half = size / 2
    shape = corners_of(place)
    if shape is None:
        return element("circle", cx=x, cy=y, r=half * 1.05, fill=colour, **more)
    points = " ".join(f"{x + a * half:.2f},{y + b * half:.2f}" for a, b in shape)
    return element("polygon", points=points, fill=colour, **more)


# -- the rule of differences -----------------------------------------------------------------

_REACHES = (0.16, 0.28, 0.5, 0.75, 1.2, 1.9, 3.0)
_LABELS: tuple[tuple[float, tuple[tuple[float, str, str], ...]], ...] = (
    (1.5, ((3, "⅓", "3 ×"), (10, "a tenth", "10 ×"))),
    (0.8, ((1.5, "⅔", "1.5 ×"), (2, "half", "2 ×"), (3, "⅓", "3 ×"))),
    (0.4, ((1.25, "⅘", "1.25 ×"), (1.5, "⅔", "1.5 ×"))),
    (0.0, ((1.1, "0.91 ×", "1.1 ×"),)),
)


@dataclass(frozen=True, slots=True)
class Rule:
    """A logarithmic scale of gains over a width: the baseline in the middle, better to the right;
    what lies beyond `reach` stands at its end."""

    reach: float
    left: float
    width: float

    def x(self, gain: float) -> float:
        held = max(-self.reach, min(self.reach, gain))
        return self.left + self.width / 2 * (1 + held / self.reach)

    @property
    def labels(self) -> list[tuple[float, str]]:
        """Gains worth a word, with the word."""
        factors = next(found for least, found in _LABELS if self.reach > least)
        return [
            pair
            for factor, worse, better in factors
            if math.log(factor) < self.reach
            for pair in ((-math.log(factor), worse), (math.log(factor), better))
        ]

    @property
    def ticks(self) -> list[tuple[float, bool]]:
        """Gains that the edge is graduated at, and whether the tick is a long one."""
        base = 1.5 if self.reach > 1.5 else 1.25 if self.reach > 0.8 else 1.1
        step = math.log(base)
        count = int(self.reach / step)
        return [(n * step, n % 3 == 0) for n in range(-count, count + 1)]


def reach_for(gains: Sequence[float | None]) -> float:
    """The smallest of a few reaches that holds nearly all gains."""
    sizes = sorted(abs(gain) for gain in gains if gain is not None)
    wanted = sizes[min(len(sizes) - 1, int(len(sizes) * 0.92))] if sizes else 0.0
    return next((reach for reach in _REACHES if reach >= wanted * 1.05), _REACHES[-1])


def rule_ground(
    rule: Rule, top: float, height: float, band: float | None, palette: Palette, width: float = 1.5
) -> list[SafeString]:
    found = [
        line(rule.x(gain), top, rule.x(gain), top + height, palette["line"], stroke_dasharray="1 3")
        for gain, _ in rule.labels
    ]
    if band is not None:
        left, right = rule.x(-band), rule.x(band)
        found.append(rect(left, top, right - left, height, palette["band"], fill_opacity=0.75))
    middle = rule.x(0)
    return [*found, line(middle, top, middle, top + height, palette["ink-2"], width)]


def gain_mark(
    rule: Rule, y: float, gain: float, low: float | None, high: float | None, colour: str,
    open_: bool, size: float = 6,
) -> list[SafeString]:  # fmt: skip
    """An interval as a bar, hollow where it is open, and the estimate as a notch."""
    left = rule.x(-math.inf if low is None else low)
    right = rule.x(math.inf if high is None else high)
    how: dict[str, object] = (
        {"fill": "none", "stroke": colour, "stroke_dasharray": "3 2"}
        if open_
        else {"fill": colour, "fill_opacity": 0.3}
    )
    bar = element(
        "rect", x=left, y=y - size / 2, width=max(2.0, right - left), height=size, rx=1, **how
    )
    if abs(gain) > rule.reach:
        way = 1 if gain > 0 else -1
        tip = rule.x(gain)
        points = f"{tip},{y} {tip - way * size:.1f},{y - size} {tip - way * size:.1f},{y + size}"
        return [bar, element("polygon", points=points, fill=colour)]
    return [bar, rect(rule.x(gain) - size / 5, y - size, size / 2.5, 2 * size, colour)]


# -- axes ------------------------------------------------------------------------------------


def nice_ticks(top: float, most: int = 6) -> list[float]:
    """Round numbers from 0 on, at most so many, the last at or above `top`."""
    if top <= 0:
        return [0.0, 1.0]
    rough = top / most
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(n * power for n in (1, 2, 2.5, 5, 10) if n * power >= rough * 0.999)
    return [n * step for n in range(math.ceil(top / step - 1e-9) + 1)]


def log_ticks(low: float, high: float) -> list[float]:
    """1, 2, 5, 10 … within two numbers; each double where these are fewer than three."""
    found = [
        n * 10.0**power
        for power in range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
        for n in (1, 2, 5)
        if low <= n * 10.0**power <= high
    ]
    return found or [low, high]


def log_scale(low: float, high: float, start: float, end: float) -> Callable[[float], float]:
    """Places numbers between `low` and `high` on a logarithmic axis from `start` to `end`."""
    span = math.log(high / low) or 1.0
    return lambda value: start + (end - start) * math.log(max(value, low) / low) / span


def plain_number(value: float) -> str:
    return f"{value:g}"
