"""The charts of a report: the rule of each metric, slow frames, lanes of runs, ladders."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise

from django.utils.safestring import SafeString

from yardstick_core.readings.derive import WHOLE
from yardstick_core.report.document import (
    CurvesBlock,
    Document,
    LadderBlock,
    LanesBlock,
    RuleGroup,
    RulesBlock,
)
from yardstick_server.reports.svg import (
    Palette,
    Rule,
    colour_of,
    drawing,
    element,
    gain_mark,
    line,
    log_scale,
    log_ticks,
    mark,
    nice_ticks,
    path,
    place_of,
    plain_number,
    reach_for,
    rule_ground,
    text,
)

RULE_WIDTH, RULE_HEIGHT = 136, 18
WIDTH = 682.0
#: Size of what stands above the rules, and the name of their middle.
HEAD_SIZE, BASELINE = 9.5, "baseline"
#: Frame times that curves are drawn from and to, ms.
_LEAST_MS, _MOST_MS = 1.0, 5000.0


def graduation(palette: Palette) -> SafeString:
    """The edge of the brass above a report: a tick every 8, a long one every 40."""
    ticks = [
        line(8 * n + 0.5, 12 if n % 5 == 0 else 6, 8 * n + 0.5, 0, palette["brass"], 0.8)
        for n in range(200)
    ]
    turned = element("g", *ticks, transform="matrix(1 0 0 -1 0 12)")
    return drawing(1600, 12, "graduated", turned)


def rules_reach(block: RulesBlock) -> float:
    return reach_for([line["gain"] for group in block["groups"] for line in group["lines"]])


def rule_head(reach: float, palette: Palette) -> SafeString:
    """What the places on the rules below are called."""
    rule = Rule(reach, 4, RULE_WIDTH - 8)
    said = [
        text(rule.x(gain), 12, word, palette["ink-2"], HEAD_SIZE, "middle")
        for gain, word in labels_apart(rule)
    ]
    return drawing(RULE_WIDTH, 16, "scale: worse to the left, better to the right", *said)


def labels_apart(rule: Rule) -> list[tuple[float, str]]:
    """Gain and word of the labels, of which none runs into another; the baseline's among them.

    Where its word would leave no room on either side, the baseline is called by its factor.
    """
    for middle in (BASELINE, "1 ×", "1"):
        found = _labels_around(rule, middle)
        if {gain > 0 for gain, _ in found} == {True, False}:
            break
    return [(0.0, middle), *found]


def _labels_around(rule: Rule, middle: str) -> list[tuple[float, str]]:
    found = []
    for side in (-1, 1):
        taken = _half_width(middle)
        for gain, word in sorted(rule.labels, key=lambda one: abs(one[0])):
            if gain * side <= 0:
                continue
            at, half = abs(rule.x(gain) - rule.x(0)), _half_width(word)
            if at - half >= taken:
                found.append((gain, word))
                taken = at + half
    return found


def _half_width(word: str) -> float:
    return HEAD_SIZE * (0.235 * len(word) + 0.05)


def rule_line(
    group: RuleGroup, place: int, reach: float, document: Document, palette: Palette
) -> SafeString:
    """One candidate's difference on its rule."""
    one = group["lines"][place]
    rule = Rule(reach, 4, RULE_WIDTH - 8)
    drawn = rule_ground(rule, 0, RULE_HEIGHT, group["band"], palette)
    if one["gain"] is not None:
        colour = colour_of(palette, one["variant"], document["baseline"])
        drawn += gain_mark(
            rule, RULE_HEIGHT / 2, one["gain"], one["low"], one["high"], colour,
            one["verdict"] == "open",
        )  # fmt: skip
    label = f"{group['label']}, {one['name']}: {one['verdict']}, {one['change']}"
    return drawing(RULE_WIDTH, RULE_HEIGHT, label, *drawn)


def curves(block: CurvesBlock, document: Document, palette: Palette) -> SafeString:
    """How rare slow frames are: one in how many takes longer than so many milliseconds."""
    height, left, right, bottom = 190.0, 66.0, WIDTH - 70, 160.0
    known = [ms for curve in block["curves"] for ms in curve["ms"] if ms is not None]
    low = max(_LEAST_MS, min(known, default=1) * 0.9)
    high = min(_MOST_MS, max(known, default=100) * 1.15)
    x = log_scale(low, max(high, low * 2), left, right)
    y = log_scale(1, block["one_in"][-1], bottom, 12)
    drawn = []
    for one_in in (1, 10, 100, 1000):
        if one_in > block["one_in"][-1] * 1.01:
            continue
        colour = palette["brass"] if one_in == 100 else palette["line"]
        drawn.append(line(left, y(one_in), right, y(one_in), colour))
        said = "all" if one_in == 1 else f"1 in {one_in}"
        drawn.append(text(left - 8, y(one_in) + 3.5, said, palette["ink-2"], 10, "end"))
    for tick in log_ticks(low, max(high, low * 2)):
        drawn.append(line(x(tick), bottom, x(tick), bottom + 4, palette["ink-2"]))
        drawn.append(text(x(tick), bottom + 16, plain_number(tick), palette["ink-2"], 10, "middle"))
    drawn.append(text(right, bottom + 28, "longer than … ms (log)", palette["ink-2"], 10, "end"))
    baseline = document["baseline"]
    taken: list[float] = []
    for curve in block["curves"]:
        colour = colour_of(palette, curve["variant"], baseline)
        points = [
            (x(ms), y(one_in))
            for one_in, ms in zip(block["one_in"], curve["ms"], strict=True)
            if ms is not None
        ]
        drawn.append(path(points, colour, 1.8))
        at_100 = [(one_in, point) for one_in, point in zip(block["one_in"], points, strict=False)]
        spot = min(at_100, key=lambda one: abs(one[0] - 100))[1]
        drawn.append(mark(place_of(curve["variant"], baseline), *spot, 8, colour))
        end_x, end_y = points[-1]
        while any(abs(end_y - other) < 12 for other in taken):
            end_y += 12
        taken.append(end_y)
        name = document["variants"][curve["variant"]]
        drawn.append(text(min(end_x + 6, right + 6), end_y + 4, name, colour, 11, weight=600))
    label = f"How rare slow frames are in {block['stretch'][-1]}: a curve a variant"
    return drawing(WIDTH, height, label, *drawn)


LANE, LANES_LEFT = 34.0, 116.0


def along(stretch: Sequence[str]) -> str:
    """What something was drawn along, within a sentence."""
    return "the whole session" if list(stretch) == [WHOLE] else stretch[-1]


def lanes(block: LanesBlock, document: Document, palette: Palette) -> SafeString:
    """What the middle run of each variant did along a stretch, all on one scale.

    Frame times have a lane each, for they would hide one another; levels share one field.
    """
    if not any(lane["spikes"] for lane in block["lanes"]) and block["unit"] != "ms":
        return _levels(block, document, palette)
    count = len(block["lanes"])
    height = count * LANE + 34
    right = WIDTH - 10
    seconds = block["seconds"] or 1.0
    top = max(max(lane["high"]) for lane in block["lanes"])
    scale = nice_ticks(top, 2)[-1]
    baseline = document["baseline"]
    drawn = []

    def x(at: float) -> float:
        return LANES_LEFT + (right - LANES_LEFT) * at / seconds

    for place, lane in enumerate(block["lanes"]):
        floor = (place + 1) * LANE
        colour = colour_of(palette, lane["variant"], baseline)
        name = document["variants"][lane["variant"]]
        drawn.append(line(LANES_LEFT, floor, right, floor, palette["line"]))
        drawn.append(mark(place_of(lane["variant"], baseline), 6, floor - 14, 8, colour))
        drawn.append(text(16, floor - 10, name, colour, 11, weight=600))
        drawn.append(
            text(LANES_LEFT - 6, floor - LANE + 14, plain_number(scale), palette["ink-3"], 9, "end")
        )
        drawn.append(_trace(lane["at"], lane["low"], lane["high"], floor, scale, x, colour))
        for at, value in lane["spikes"]:
            y = floor - (LANE - 8) * min(1.0, value / scale)
            drawn.append(element("circle", cx=x(at), cy=y, r=1.8, fill=palette["behind"]))
    floor = count * LANE
    ticks = [tick for tick in nice_ticks(seconds, 8) if tick <= seconds]
    for tick in ticks:
        drawn.append(line(x(tick), floor, x(tick), floor + 6, palette["brass"]))
        drawn.append(text(x(tick), floor + 18, f"{tick:g} s", palette["ink-2"], 10, "middle"))
    drawn.append(text(right, floor + 30, _since(block), palette["ink-2"], 10, "end"))
    return drawing(WIDTH, height, _lanes_label(block), *drawn)


def _levels(block: LanesBlock, document: Document, palette: Palette) -> SafeString:
    """Levels such as memory as one line a variant, from nothing up, in one field."""
    height, left, right, floor = 210.0, 66.0, WIDTH - 84, 172.0
    ticks = nice_ticks(max(max(lane["high"]) for lane in block["lanes"]), 4)
    seconds = block["seconds"] or 1.0

    def x(at: float) -> float:
        return left + (right - left) * at / seconds

    def y(value: float) -> float:
        return floor - (floor - 14) * value / ticks[-1]

    drawn = []
    for tick in ticks:
        drawn.append(line(left, y(tick), right, y(tick), palette["line"]))
        said = f"{plain_number(tick)} {block['unit']}"
        drawn.append(text(left - 8, y(tick) + 3.5, said, palette["ink-2"], 10, "end"))
    for tick in [tick for tick in nice_ticks(seconds, 8) if tick <= seconds]:
        drawn.append(line(x(tick), floor, x(tick), floor + 5, palette["brass"]))
        drawn.append(text(x(tick), floor + 17, f"{tick:g} s", palette["ink-2"], 10, "middle"))
    drawn.append(text(right, floor + 31, _since(block), palette["ink-2"], 10, "end"))
    baseline = document["baseline"]
    ends: list[list[float]] = []
    for lane in block["lanes"]:
        colour = colour_of(palette, lane["variant"], baseline)
        middle = [(low + high) / 2 for low, high in zip(lane["low"], lane["high"], strict=True)]
        points = [(x(at), y(value)) for at, value in zip(lane["at"], middle, strict=True)]
        drawn.append(path(points, colour, 1.8))
        place = place_of(lane["variant"], baseline)
        drawn.append(mark(place, *points[len(points) // 2], 8, colour))
        highest = max(points, key=lambda point: -point[1])
        ends.append([highest[1] + 4, lane["variant"]])
    ends.sort()
    for above, below in pairwise(ends):
        below[0] = max(below[0], above[0] + 13)
    for under, which in ends:
        colour = colour_of(palette, int(which), baseline)
        name = document["variants"][int(which)]
        drawn.append(text(right + 8, under, name, colour, 11, weight=600))
    return drawing(WIDTH, height, _lanes_label(block), *drawn)


def _since(block: LanesBlock) -> str:
    return f"since {along(block['stretch'])} began"


def _lanes_label(block: LanesBlock) -> str:
    return f"{block['name']} along {along(block['stretch'])}, {block['unit']}, one run a variant"


def _trace(
    at: Sequence[float], low: Sequence[float], high: Sequence[float], floor: float, scale: float,
    x: Callable[[float], float], colour: str,
) -> SafeString:  # fmt: skip
    """Least and greatest of every point as one outline: each is as wide as it lasted."""

    def y(value: float) -> float:
        return floor - (LANE - 8) * min(1.0, value / scale)

    begun = [0.0, *at[:-1]]
    upper = [
        (x(when), y(value))
        for first, last, value in zip(begun, at, high, strict=True)
        for when in (first, last)
    ]
    lower = [
        (x(when), y(value))
        for first, last, value in zip(begun, at, low, strict=True)
        for when in (first, last)
    ]
    points = " ".join(f"{a:.1f},{b:.1f}" for a, b in (*upper, *reversed(lower)))
    return element(
        "polygon", points=points, fill=colour, stroke=colour, stroke_width=0.8, fill_opacity=0.5
    )


def ladder(block: LadderBlock, document: Document, palette: Palette) -> SafeString:
    """Medians of a stretch over the levels of a ladder, both axes logarithmic."""
    height, left, right, bottom = 210.0, 66.0, WIDTH - 70, 172.0
    known = [value for side in block["medians"] for value in side if value]
    low, high = min(known, default=1.0) * 0.85, max(known, default=1.0) * 1.15
    levels = block["levels"]
    x = log_scale(levels[0], levels[-1], left, right - 10)
    y = log_scale(low, high, bottom, 14)
    drawn = []
    for tick in log_ticks(low, high):
        drawn.append(line(left, y(tick), right, y(tick), palette["line"]))
        said = f"{tick:g} {block['unit']}"
        drawn.append(text(left - 8, y(tick) + 3.5, said, palette["ink-2"], 10, "end"))
    for level in levels:
        drawn.append(line(x(level), bottom, x(level), bottom + 5, palette["brass"]))
        drawn.append(text(x(level), bottom + 17, f"{level:g}", palette["ink-2"], 10, "middle"))
    drawn.append(text(right, bottom + 31, f"{block['ladder']} (log)", palette["ink-2"], 10, "end"))
    if block["line"] and low < block["line"] < high:
        drawn.append(line(left, y(block["line"]), right, y(block["line"]), palette["brass"]))
    ends: list[list[float]] = []
    for variant, side in enumerate(block["medians"]):
        colour = colour_of(palette, variant, document["baseline"])
        points = [(x(level), y(v)) for level, v in zip(levels, side, strict=True) if v]
        if not points:
            continue
        drawn.append(path(points, colour, 1.8))
        place = place_of(variant, document["baseline"])
        drawn += [mark(place, *point, 7, colour) for point in points]
        ends.append([points[-1][0] + 8, points[-1][1] + 4, variant])
    ends.sort(key=lambda one: one[1])
    for above, below in pairwise(ends):
        below[1] = max(below[1], above[1] + 13)
    for at, under, which in ends:
        colour = colour_of(palette, int(which), document["baseline"])
        drawn.append(text(at, under, document["variants"][int(which)], colour, 11, weight=600))
    label = f"{' / '.join(block['stretch'])} over {block['ladder']}, median of each variant"
    return drawing(WIDTH, height, label, *drawn)
