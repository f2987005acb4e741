"""Figures to show: one difference, table or chart as a picture for a slide, a film or a page.

A figure says its title, unit, n, interval and where it was measured within itself, for it will be
shown without us. It is readable at a third of its size.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import takewhile
from typing import Any

from django.utils.safestring import SafeString

from yardstick_core.compare.text import THIN
from yardstick_core.report.document import Block, Document, RuleGroup, extent_in, line_text
from yardstick_server.reports import charts
from yardstick_server.reports.page import faces
from yardstick_server.reports.svg import (
    DARK,
    LIGHT,
    Palette,
    Rule,
    colour_of,
    drawing,
    element,
    gain_mark,
    line,
    mark,
    nice_ticks,
    place_of,
    plain_number,
    reach_for,
    rect,
    rule_ground,
    text,
)

SHAPES = {"wide": (1920, 1080), "square": (1080, 1080)}
THEMES: dict[str, Palette] = {"light": LIGHT, "dark": DARK}
MARGIN, EDGE = 96.0, 46.0
#: Of the width of a letter to its height, in our face, bold letters somewhat more.
_LETTER = 0.54
#: The smallest letters of a figure that are read at a third of its size.
LEAST_SIZE = 20.0
#: A chart says at most so many sentences: more would leave it no room.
MOST_SENTENCES = 2
_CHARTS = ("curves", "lanes", "ladder")


@dataclass(frozen=True, slots=True)
class Figure:
    """Something that can be shown by itself; `key` names it in addresses."""

    key: str
    title: str


def figures_of(document: Document) -> list[Figure]:
    """All that a report holds and that can be shown by itself."""
    found = []
    names = document["variants"]
    for section in document["sections"]:
        for place, block in enumerate(section["blocks"]):
            if block["kind"] == "rules":
                found.append(Figure("matters", "what matters, all of it"))
                for group in block["groups"]:
                    for one in group["lines"]:
                        key = "~".join((str(one["variant"]), group["metric"], *group["stretch"]))
                        found.append(Figure(key, f"{group['label']}, {names[one['variant']]}"))
            elif block["kind"] in _CHARTS:
                found.append(Figure(f"chart~{section['key']}~{place}", _chart_title(dict(block))))
    return found


def _chart_title(block: Mapping[str, Any]) -> str:
    if block["kind"] == "curves":
        return f"how rare slow frames are in {block['stretch'][-1]}"
    if block["kind"] == "lanes":
        return f"{block['name'].lower()} along {charts.along(block['stretch'])}"
    return f"{block['stretch'][-1]} over {block['ladder']}"


def figure(
    document: Document, results: Mapping[str, Any], key: str, shape: str = "wide",
    theme: str = "light", number: int | None = None,
) -> SafeString:  # fmt: skip
    """A figure as SVG; `number` is that of the issued report it is from. Raises KeyError for a key
    that names nothing."""
    width, height = SHAPES[shape]
    paper = _Paper(document, THEMES[theme], float(width), float(height), number)
    if key.startswith("chart~"):
        section, _, nth = key.removeprefix("chart~").partition("~")
        return paper.chart(section, int(nth) if nth.isdecimal() else -1)
    groups = _groups(document)
    if key == "matters":
        return paper.matters(groups)
    variant, _, row = key.partition("~")
    for group in groups:
        if "~".join((group["metric"], *group["stretch"])) == row:
            for place, one in enumerate(group["lines"]):
                if str(one["variant"]) == variant:
                    return paper.difference(group, place, _metric(results, group))
    raise KeyError(key)


def _groups(document: Document) -> list[RuleGroup]:
    for section in document["sections"]:
        for block in section["blocks"]:
            if block["kind"] == "rules":
                return block["groups"]
    raise KeyError("matters")


def _metric(results: Mapping[str, Any], group: RuleGroup) -> Mapping[str, Any]:
    return next(
        metric
        for metric in results["metrics"]
        if metric["metric"] == group["metric"] and list(metric["stretch"]) == group["stretch"]
    )


def fitted(words: str, size: float, width: float, least: float = LEAST_SIZE) -> float:
    """The largest size up to `size` at which words fit a width."""
    return max(least, min(size, width / max(1.0, len(words) * _LETTER)))


@dataclass(frozen=True, slots=True)
class _Paper:
    """The sheet a figure is drawn on: its edge, title, foot, and what stands between."""

    document: Document
    palette: Palette
    width: float
    height: float
    number: int | None

    @property
    def inside(self) -> float:
        return self.width - 2 * MARGIN

    @property
    def wide(self) -> bool:
        return self.width > self.height

    # -- what every figure has ------------------------------------------------------------------

    def sheet(self, title: str, under: str, notes: Sequence[str], *drawn: SafeString) -> SafeString:
        ink, palette = self.palette["ink"], self.palette
        ground = [
            rect(0, 0, self.width, self.height, palette["paper"]),
            rect(0, 0, self.width, EDGE, palette["brass-from"]),
            line(0, EDGE, self.width, EDGE, palette["brass"], 2),
        ]
        ground += [
            line(x, EDGE, x, EDGE - (30 if n % 5 == 0 else 15), palette["brass"], 2)
            for n in range(int(self.width / 24) + 1)
            for x in (24.0 * n + 1,)
        ]
        size = fitted(title, 78, self.inside, 40)
        head = [
            text(MARGIN, EDGE + 40 + size, title, ink, size, weight=600),
            text(
                MARGIN, EDGE + 88 + size, under, palette["ink-2"], fitted(under, 38, self.inside),
            ),
        ]  # fmt: skip
        where = f" on {self.document['rig']}" if self.document["rig"] else ""
        report = f" · report no. {self.number}" if self.number else ""
        measured = f"Measured with Noble Yardstick{where}, {self.document['measured']}{report}"
        foot = [*notes, measured]
        top = self.height - 46 - 46 * (len(foot) - 1)
        lines = [line(MARGIN, top - 58, self.width - MARGIN, top - 58, palette["line"], 2)]
        for place, words in enumerate(foot):
            colour = palette["ink-2"] if place == len(foot) - 1 else ink
            at = fitted(words, 34, self.inside)
            lines.append(text(MARGIN, top + 46 * place, words, colour, at))
        face = element("style", faces())
        return drawing(
            self.width, self.height, f"{title}. {under}", face, *ground, *head, *drawn, *lines
        )

    def against(self) -> str:
        names = self.document["variants"]
        return names[self.document["baseline"]]

    def rounds(self) -> str:
        if self.document["rounds"]:
            return f"n = {self.document['rounds']} rounds, taking turns"
        return extent_in(self.document)

    # -- one difference -------------------------------------------------------------------------

    def difference(self, group: RuleGroup, place: int, metric: Mapping[str, Any]) -> SafeString:
        one = group["lines"][place]
        baseline, variant = self.document["baseline"], one["variant"]
        own = metric["differences"][variant]
        found = one["percent"] or one["change"]
        heads = {
            "open": f"{group['label']}: not known yet",
            "level": f"{group['label']}: no difference that anyone would notice",
        }
        held = one["gain"] is None
        title = heads.get(one["verdict"], f"{group['label']}: {found}")
        if held:
            title = f"{group['label']}: no verdict"
        subject = f"{self.document['subject']} " if self.document["subject"] else ""
        definition = str(metric["definition"]).partition(";")[0]
        under = f"{subject}{one['name']} against {self.against()}: {definition}"
        notes = [self.rounds()]
        if cost := self._cost(group, one["name"]):
            notes[0] += f" · {cost}"
        if one["caveats"]:
            notes.append(f"Touched by: {'; '.join(one['caveats'])}")
        return self.sheet(
            title, under, notes,
            *self._rods(group, metric, baseline, variant, one["change"]),
            *self._rule(group, place, "" if held else own["factor_text"] or own["change_text"]),
        )  # fmt: skip

    def _cost(self, group: RuleGroup, name: str) -> str:
        """What the difference is paid with, where the report says so."""
        for section in self.document["sections"]:
            if section["key"] != "costs":
                continue
            for block in section["blocks"]:
                words = line_text(block["spans"]) if block["kind"] == "text" else ""
                if words.startswith(f"{name} ") and f"{group['stretch'][-1]} (" in words:
                    return words.rstrip(".")
        return ""

    def _rods(
        self, group: RuleGroup, metric: Mapping[str, Any], baseline: int, variant: int, change: str
    ) -> list[SafeString]:
        """Both readings as rods on one rule, each run a mark, the change as a dimension line."""
        left = MARGIN + (560.0 if self.wide else 0.0)
        right = self.width - MARGIN
        top, deep, pitch = (278.0, 70.0, 122.0) if self.wide else (300.0, 56.0, 124.0)
        factor = _factor(metric)
        sides = [
            (which, [sample["value"] * factor for sample in metric["samples"][which]])
            for which in (baseline, variant)
        ]
        medians = {which: metric["medians"][which]["value"] * factor for which, _ in sides}
        least = min((min(values) for _, values in sides if values), default=0.0)
        ticks = nice_ticks(max(max(values) for _, values in sides if values))
        low = 0.0 if least >= 0 else -ticks[-1]
        scale = (right - left) / (ticks[-1] - low)

        def x(value: float) -> float:
            return left + (value - low) * scale

        drawn = []
        for row, (which, values) in enumerate(sides):
            y = top + row * pitch
            colour = colour_of(self.palette, which, baseline)
            name = self.document["variants"][which]
            shown = f"{metric['medians'][which]['text']}{THIN}{group['unit']}".strip()
            if self.wide:
                drawn += [
                    mark(place_of(which, baseline), MARGIN + 20, y + deep / 2, 40, colour),
                    text(MARGIN + 66, y + deep / 2 + 18, name, colour,
                         fitted(name, 54, 250, 26), weight=600),
                    text(left - 36, y + deep / 2 + 18, shown, self.palette["ink"],
                         fitted(shown, 54, 236, 26), "end", 600),
                ]  # fmt: skip
            else:
                drawn += [
                    mark(place_of(which, baseline), MARGIN + 14, y - 18, 28, colour),
                    text(MARGIN + 44, y - 6, name, colour, fitted(name, 42, 500, 26), weight=600),
                    text(right, y - 6, shown, self.palette["ink"], 42, "end", 600),
                ]
            start = x(max(low, 0.0))
            drawn.append(rect(start, y, x(medians[which]) - start, deep, colour, fill_opacity=0.18))
            drawn.append(rect(x(medians[which]) - 3, y - 8, 6, deep + 16, colour))
            for n, value in enumerate(values):
                at = y + deep * (0.14 + 0.72 * (n * 0.618 % 1))
                drawn.append(
                    mark(
                        place_of(which, baseline), x(value), at, 15, colour, fill_opacity=0.85,
                        stroke=self.palette["paper"], stroke_width=1,
                    )
                )  # fmt: skip
        drawn += self._dimension(x, medians[baseline], medians[variant], top + deep, pitch, change)
        floor = top + pitch + deep + 26
        drawn += self._axis(x, ticks, floor, group["unit"])
        return drawn

    def _dimension(
        self, x: Any, base: float, other: float, under: float, pitch: float, change: str
    ) -> list[SafeString]:
        """The change between the two rods, as on a drawing of a workshop."""
        if not self.wide:
            return []
        ink = self.palette["ink"]
        y = under + (pitch - 70) / 2
        first, second = sorted((x(base), x(other)))
        middle = (first + second) / 2
        half = len(change) * 40 * _LETTER / 2 + 16
        drawn = [line(at, y - 18, at, y + 18, ink, 3) for at in (first, second)]
        if second - first > 2 * half + 20:
            drawn += [
                line(first, y, middle - half, y, ink, 3),
                line(middle + half, y, second, y, ink, 3),
                text(middle, y + 14, change, ink, 40, "middle", 600),
            ]
        else:
            drawn += [
                line(first, y, second, y, ink, 3),
                text(second + 18, y + 14, change, ink, 40, weight=600),
            ]
        return drawn

    def _axis(self, x: Any, ticks: list[float], floor: float, unit: str) -> list[SafeString]:
        step = ticks[1] - ticks[0]
        drawn = [line(x(ticks[0]), floor, x(ticks[-1]), floor, self.palette["brass"], 2)]
        for n in range(5 * (len(ticks) - 1) + 1):
            at = x(ticks[0] + n * step / 5)
            long = n % 5 == 0
            drawn.append(
                line(at, floor, at, floor + (24 if long else 12), self.palette["brass"], 2)
            )
        for place, tick in enumerate(ticks):
            last = place == len(ticks) - 1
            words = f"{plain_number(tick)} {unit}".strip() if last else plain_number(tick)
            anchor = "end" if last else "middle" if place else "start"
            drawn.append(text(x(tick), floor + 62, words, self.palette["ink-2"], 34, anchor))
        return drawn

    def _rule(self, group: RuleGroup, place: int, factor: str) -> list[SafeString]:
        """The verdict, and the difference with its interval on the rule of differences."""
        one = group["lines"][place]
        palette = self.palette
        left = MARGIN + (560.0 if self.wide else 0.0)
        width = self.width - MARGIN - left
        floor, high = (self.height - 300, 112.0) if self.wide else (self.height - 262, 84.0)
        tone = {"ahead": "ahead", "behind": "behind"}.get(one["verdict"], "ink-2")
        verdict = one["verdict"]
        size = fitted(factor, 40, 430, 24)
        if self.wide:
            drawn = [
                text(MARGIN, floor - 44, verdict, palette[tone], 58, weight=600),
                text(MARGIN, floor + 8, factor, palette["ink"], size),
            ]
        else:
            drawn = [
                text(MARGIN, floor - 172, verdict, palette[tone], 52, weight=600),
                text(left + width, floor - 172, factor, palette["ink"], size, "end"),
            ]
        if one["gain"] is None:
            return drawn
        rule = Rule(reach_for([one["gain"], one["low"], one["high"]]), left, width)
        top = floor - high
        drawn += rule_ground(rule, top, high, group["band"], palette, 5)
        colour = colour_of(palette, one["variant"], self.document["baseline"])
        drawn += gain_mark(
            rule, floor - high / 2, one["gain"], one["low"], one["high"], colour,
            one["verdict"] == "open", high * 0.32,
        )  # fmt: skip
        drawn.append(line(left, floor, left + width, floor, palette["brass"], 3))
        for gain, long in rule.ticks:
            at = rule.x(gain)
            drawn.append(line(at, floor, at, floor - (24 if long else 12), palette["brass"], 2))
        for gain, words in rule.labels:
            drawn.append(text(rule.x(gain), floor + 42, words, palette["ink-2"], 32, "middle"))
        drawn.append(text(rule.x(0), floor + 42, self.against(), palette["ink"], 34, "middle", 600))
        interval = f"{one['interval']} ({self.document['level']} interval)"
        drawn.append(text(left + width, top - 18, interval, palette["ink"], 34, "end"))
        if self.wide:
            drawn.append(text(left, top - 18, "grey: too small to matter", palette["ink-2"], 30))
        return drawn

    # -- all that matters -----------------------------------------------------------------------

    def matters(self, groups: Sequence[RuleGroup]) -> SafeString:
        """The deciding and main metrics, a line a candidate, all on one rule."""
        palette, baseline = self.palette, self.document["baseline"]
        top, foot = 330.0, self.height - 190
        per = max(1, len(self.document["variants"]) - 1)
        shown = list(groups)[: max(1, int((foot - top) / (34 * per)))]
        pitch = min(110.0, (foot - top) / max(1, len(shown)))
        left = MARGIN + (620.0 if self.wide else 330.0)
        right = self.width - MARGIN - (330.0 if self.wide else 210.0)
        gains = [one["gain"] for group in shown for one in group["lines"]]
        rule = Rule(reach_for(gains), left, right - left)
        size = min(34.0, pitch / per * 0.62)
        drawn = [
            text(rule.x(gain), top - 22, words, palette["ink-2"], 28, "middle")
            for gain, words in rule.labels
        ]
        drawn.append(text(rule.x(0), top - 22, self.against(), palette["ink"], 30, "middle", 600))
        for row, group in enumerate(shown):
            y = top + row * pitch
            drawn.append(line(MARGIN, y, self.width - MARGIN, y, palette["line"], 1.5))
            drawn += rule_ground(rule, y, pitch, group["band"], palette, 4)
            weight = 600 if group["deciding"] else 400
            room = left - MARGIN - 24
            label = fitted(group["label"], min(34.0, pitch * 0.38), room, 16)
            under = f"{group['baseline']} in {self.against()}"
            small = fitted(under, min(26.0, pitch * 0.3), room, 14)
            drawn.append(
                text(MARGIN, y + pitch * 0.45, group["label"], palette["ink"], label, weight=weight)
            )
            drawn.append(text(MARGIN, y + pitch * 0.83, under, palette["ink-2"], small))
            for n, one in enumerate(group["lines"]):
                middle = y + pitch * (n + 0.5) / per
                colour = colour_of(palette, one["variant"], baseline)
                if one["gain"] is not None:
                    drawn += gain_mark(
                        rule, middle, one["gain"], one["low"], one["high"], colour,
                        one["verdict"] == "open", size * 0.5,
                    )  # fmt: skip
                place = place_of(one["variant"], baseline)
                drawn.append(mark(place, right + 34, middle, size * 0.6, colour))
                tone = {"ahead": "ahead", "behind": "behind"}.get(one["verdict"], "ink-2")
                words = one["verdict"] if one["gain"] is None else one["change"]
                drawn.append(
                    text(self.width - MARGIN, middle + size * 0.35, words, palette[tone],
                         fitted(words, size, self.width - MARGIN - right - 60, 16), "end", 600)
                )  # fmt: skip
        names = [n for i, n in enumerate(self.document["variants"]) if i != baseline]
        under = f"{', '.join(names)} against {self.against()}: better to the right, {self._level()}"
        left_out = len(groups) - len(shown)
        note = f"{self.rounds()}; grey: too small to matter, dashed: not known yet"
        notes = [f"{note}; {left_out} more in the report" if left_out else note]
        return self.sheet(self.document["title"], under, notes, *drawn, *self._key())

    def _level(self) -> str:
        return f"{self.document['level']} intervals"

    def _key(self) -> list[SafeString]:
        """Which mark is which variant, at the right of the line below the title."""
        drawn: list[SafeString] = []
        x = self.width - MARGIN
        baseline = self.document["baseline"]
        for which, name in reversed(list(enumerate(self.document["variants"]))):
            if which == baseline:
                continue
            colour = colour_of(self.palette, which, baseline)
            drawn.append(text(x, 268, name, colour, 32, "end", 600))
            x -= len(name) * 32 * _LETTER + 34
            drawn.append(mark(place_of(which, baseline), x, 257, 22, colour))
            x -= 34
        return drawn

    # -- charts of the report -----------------------------------------------------------------

    def chart(self, section: str, place: int) -> SafeString:
        """A chart as the report has it, as large as the sheet allows."""
        blocks = next(
            (one["blocks"] for one in self.document["sections"] if one["key"] == section), []
        )
        block = blocks[place] if 0 <= place < len(blocks) else None
        if block is None or block["kind"] not in _CHARTS:
            raise KeyError(section)
        drawn, about = {
            "curves": (charts.curves, "one frame in so many takes longer; mean of the runs"),
            "lanes": (charts.lanes, f"{block.get('unit', '')}; the middle run of each variant"),
            "ladder": (charts.ladder, "median of each level; both axes logarithmic"),
        }[block["kind"]]
        made = drawn(block, self.document, self.palette)  # type: ignore[operator]
        high = float(made.split('viewBox="0 0 ', 1)[1].split('"', 1)[0].split()[1])
        said = [_short(words, self.inside) for words in _captions(blocks, place)]
        room = self.height - 330 - 200 - 46 * len(said)
        scale = min(self.inside / charts.WIDTH, room / high)
        top = 300 + max(0.0, (room - high * scale) / 2)
        moved = f"translate({MARGIN} {top:.0f}) scale({scale:.4f})"
        title = _chart_title(dict(block))
        names = ", ".join(self.document["variants"])
        return self.sheet(
            title[:1].upper() + title[1:], f"{self.document['subject']} {names}: {about}".strip(),
            [*said, self.rounds()], element("g", made, transform=moved),
        )  # fmt: skip


def _captions(blocks: Sequence[Block], place: int) -> list[str]:
    """The sentences that a chart of growth shows: before lanes, behind a ladder; a few of them."""
    if blocks[place]["kind"] == "lanes":
        near = list(takewhile(_is_sentence, reversed(blocks[:place])))[::-1]
    else:
        near = list(takewhile(_is_sentence, blocks[place + 1 :]))
    return [line_text(one["spans"]) for one in near if one["kind"] == "text"][:MOST_SENTENCES]


def _short(words: str, width: float) -> str:
    """The first sentence alone where all of them would not be readable."""
    if len(words) * LEAST_SIZE * _LETTER <= width:
        return words
    return f"{words.partition('. ')[0].rstrip('.')}."


def _is_sentence(block: Block) -> bool:
    return block["kind"] == "text" and block["style"] == "plain"


def _factor(metric: Mapping[str, Any]) -> float:
    """What turns a metric's own unit into the one that is shown."""
    pairs = {("s", "ms"): 1000.0, ("s", "min"): 1 / 60, ("MiB", "GiB"): 1 / 1024}
    return pairs.get((metric["unit"], metric["shown_unit"]), 1.0)
