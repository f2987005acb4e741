"""A moment of a race as a picture: what a still shows, and each picture of a film taken along."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PIL import Image, ImageDraw, ImageFont

from yardstick_core.compare.text import MINUS, THIN
from yardstick_core.race import Racer, RaceTiming
from yardstick_server.races.gathering import StudyRace
from yardstick_server.reports import page
from yardstick_server.reports.svg import LIGHT, colour_of, corners_of, nice_ticks, place_of

WIDTH, HEIGHT, MARGIN = 1920, 1080, 60
STAGE_TOP, GAP, MOST_STAGE = 122, 24, 540
RULE_HEIGHT, ROW = 44, 34
_FONTS = Path(page.__file__).parent / "fonts"
_REGULAR, _BOLD, _MONO = (
    "ibm-plex-sans-latin-400-normal", "ibm-plex-sans-latin-600-normal",
    "ibm-plex-mono-latin-400-normal",
)  # fmt: skip
#: Room for names before their bars, px, and the widest that a name may be.
LEAST_GUTTER, MOST_NAME = 150, 340
#: A lead below this is said to be none.
LEVEL_S = 0.005


@dataclass(frozen=True, slots=True)
class Result:
    """What all rounds of the study say: variant's name and sentence each, and how many rounds."""

    answers: tuple[tuple[str, str], ...]
    rounds: int


@cache
def _font(name: str, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(_FONTS / f"{name}.woff2"), size)


def plain(text: str) -> str:
    """A text with the spaces that our faces have."""
    return text.replace(THIN, " ")


def fitting(text: str, most: float, face: ImageFont.FreeTypeFont) -> str:
    """Text that is at most so wide, px: what is too long ends in an ellipsis."""
    if face.getlength(text) <= most:
        return text
    fits = (text[:end] + "…" for end in range(len(text), 0, -1))
    return next((one for one in fits if face.getlength(one) <= most), "…")


def seconds(lead: float) -> str:
    """A lead as it is said: `+0.84 s`.

    >>> seconds(-0.84)
    '−0.84 s'
    """
    return f"{MINUS if lead < 0 else '+'}{abs(lead):.2f} s"


def timed_text(timing: RaceTiming) -> str:
    """What a timing took, as it is said: `launch took 0.57 s`."""
    longer = "longer than " if timing.right_censored else ""
    return f"{timing.name} took {longer}{(timing.end_ns - timing.start_ns) / 1e9:.2f} s"


class RaceDrawing:
    """Draws a race at any instant; what stays the same is drawn once."""

    def __init__(self, found: StudyRace, result: Result) -> None:
        self.found, self.race, self.result = found, found.race, result
        count = len(found.runs)
        self.stage_width = (WIDTH - 2 * MARGIN - GAP * (count - 1)) // count
        self.stage_height = min(MOST_STAGE, self.stage_width * 5 // 8)
        self.names = [str(run.variant.variant.name) for run in found.runs]
        baseline = found.runs[found.race.baseline].variant.position
        self.places = [place_of(run.variant.position, baseline) for run in found.runs]
        self.colours = [colour_of(LIGHT, run.variant.position, baseline) for run in found.runs]
        self.end_s = self.race.end_ns / 1e9
        self.reach = self.race.reach_s
        self.below = STAGE_TOP + self.stage_height
        self.rule_top = max(self.below + 190, 770)
        #: Names beside their bars, and how much room the longest takes.
        self.shown = [fitting(name, MOST_NAME, _font(_BOLD, 22)) for name in self.names]
        widest = max(_font(_BOLD, 22).getlength(name) for name in self.shown)
        self.gutter = max(LEAST_GUTTER, round(widest) + 50)
        self._ground = self._drawn_ground()

    def stage(self, racer: int) -> tuple[int, int, int, int]:
        """Where a racer's picture is: left, top, width, height."""
        left = MARGIN + racer * (self.stage_width + GAP)
        return left, STAGE_TOP, self.stage_width, self.stage_height

    def at(self, at_s: float, pictures: Sequence[Image.Image | None]) -> Image.Image:
        """The race at an instant, s; `pictures` are what the films show then."""
        image = self._ground.copy()
        draw = ImageDraw.Draw(image)
        at_ns = round(at_s * 1e9)
        for number, picture in enumerate(pictures):
            self._stage(image, draw, number, at_s, picture)
        self._leads(draw, at_ns)
        self._playhead(draw, at_s)
        return image

    def result_card(self) -> Image.Image:
        """What stands at the end: what all rounds say, and how many there were."""
        image = Image.new("RGB", (WIDTH, HEIGHT), LIGHT["paper"])
        draw = ImageDraw.Draw(image)
        self._head(draw)
        y = 190
        rounds = self.result.rounds
        if self.result.answers and rounds:
            said = f"What {rounds} rounds of each say" if rounds > 1 else "What one round says"
        else:
            said = "One run of each was shown; no verdict rests on so few"
        draw.text((MARGIN, y), said, LIGHT["brass"], _font(_BOLD, 34))
        y += 70
        for name, sentence in self.result.answers:
            for row, part in enumerate(textwrap.wrap(f"{name}: {plain(sentence)}.", 88)):
                face = _font(_BOLD if row == 0 else _REGULAR, 38)
                draw.text((MARGIN, y), part, LIGHT["ink"], face)
                y += 52
            y += 18
        y += 20
        for number, racer in enumerate(self.race.racers):
            lead = self.race.lead_ns(number, self.race.end_ns) / 1e9
            took = (racer.end_ns - racer.zero_ns) / 1e9
            self._mark(draw, number, MARGIN + 12, y + 22, 11)
            beside = "" if number == self.race.baseline or abs(lead) < LEVEL_S else seconds(lead)
            text = f"{self.names[number]}   {took:.2f} s in the run shown   {beside}"
            draw.text((MARGIN + 40, y), text, LIGHT["ink-2"], _font(_REGULAR, 30))
            y += 50
        return image

    def _drawn_ground(self) -> Image.Image:
        image = Image.new("RGB", (WIDTH, HEIGHT), LIGHT["paper"])
        draw = ImageDraw.Draw(image)
        self._head(draw)
        top = self.rule_top
        for row in range(RULE_HEIGHT):
            share = row / RULE_HEIGHT
            draw.line((MARGIN, top + row, WIDTH - MARGIN, top + row), _mixed(share))
        step = nice_ticks(self.reach, 4)[1]
        for tick in range(-20, 21):
            value = tick * step / 5
            if abs(value) > self.reach:
                continue
            x = self._lead_x(value)
            whole = tick % 5 == 0
            draw.line((x, top, x, top + (18 if whole else 9)), LIGHT["brass"], 2)
            if whole and tick:
                said = f"{MINUS if value < 0 else '+'}{abs(value):g} s"
                draw.text((x, top + 30), said, LIGHT["brass-ink"], _font(_REGULAR, 19), "mm")
        self._course(draw)
        return image

    def _head(self, draw: ImageDraw.ImageDraw) -> None:
        draw.rectangle((0, 0, WIDTH, 84), LIGHT["c0"])
        question = str(self.found.study.question)
        subject = str(self.found.study.subject.name)
        draw.text((MARGIN, 42), question[:84], LIGHT["paper"], _font(_BOLD, 34), "lm")
        draw.text(
            (WIDTH - MARGIN, 42), f"{subject} · Measured with Noble Yardstick"[-60:],
            LIGHT["band"], _font(_REGULAR, 21), "rm",
        )  # fmt: skip

    def _mark(self, draw: ImageDraw.ImageDraw, racer: int, x: float, y: float, size: float) -> None:
        corners = corners_of(self.places[racer])
        if corners is None:
            draw.ellipse((x - size, y - size, x + size, y + size), self.colours[racer])
        else:
            draw.polygon([(x + size * a, y + size * b) for a, b in corners], self.colours[racer])

    def _stage(
        self, image: Image.Image, draw: ImageDraw.ImageDraw, number: int, at_s: float,
        picture: Image.Image | None,
    ) -> None:  # fmt: skip
        left, top, width, height = self.stage(number)
        racer = self.race.racers[number]
        end_s = (racer.end_ns - racer.zero_ns) / 1e9
        done = at_s >= end_s
        step = self.race.step_of(number, round(at_s * 1e9))
        said = "has not begun" if step is None else racer.steps[step].name
        draw.rectangle((left, top, left + width - 1, top + height - 1), LIGHT["c0"])
        if picture is not None:
            x, y = left + (width - picture.width) // 2, top + (height - picture.height) // 2
            image.paste(picture, (x, y))
        else:
            middle = (left + width / 2, top + height / 2)
            draw.text(middle, f"no film · {said}", LIGHT["band"], _font(_REGULAR, 26), "mm")
        if done:
            box = (left, top, left + width, top + height)
            shade = Image.new("RGB", (width, height), LIGHT["c0"])
            image.paste(Image.blend(image.crop(box), shade, 0.62), box[:2])
            middle = (left + width / 2, top + height / 2)
            draw.text(
                middle, f"finished after {end_s:.2f} s", LIGHT["paper"], _font(_BOLD, 34), "mm"
            )
        y = top + height + 34
        self._mark(draw, number, left + 12, y, 11)
        draw.text((left + 36, y), self.names[number], self.colours[number], _font(_BOLD, 34), "lm")
        clock = f"{min(at_s, end_s):6.2f} s"
        draw.text((left + width, y), clock, LIGHT["ink"], _font(_MONO, 36), "rm")
        of_all = "" if step is None or done else f", step {step + 1} of {len(racer.steps)}"
        timing = None if done else self.race.timing_of(number, round(at_s * 1e9))
        timed = "" if timing is None else f"; {timed_text(timing)}"
        face = _font(_REGULAR, 25)
        line = fitting(f"{said}{of_all}{timed}", width, face)
        draw.text((left, y + 48), line, LIGHT["ink-2"], face, "lm")

    def _lead_x(self, lead_s: float) -> float:
        return WIDTH / 2 + lead_s / self.reach * (WIDTH / 2 - MARGIN - 40)

    def _leads(self, draw: ImageDraw.ImageDraw, at_ns: int) -> None:
        base = self.race.baseline
        top = self.rule_top
        taken: list[tuple[float, float, int]] = []
        numbers = sorted(range(len(self.race.racers)), key=lambda n: n != base)
        leads = {number: self.race.lead_ns(number, at_ns) / 1e9 for number in numbers}
        pins = {n: self._lead_x(max(-self.reach, min(self.reach, leads[n]))) for n in numbers}
        for number in numbers:
            lead, x = leads[number], pins[number]
            name = self.names[number]
            said = f"{name} is here" if number == base else f"{name} {seconds(lead)}"
            steps = self.race.steps_ahead(number, at_ns)
            if number != base and steps:
                way = "on" if steps > 0 else "back"
                said += f", {abs(steps)} {'step' if abs(steps) == 1 else 'steps'} {way}"
            face = _font(_BOLD, 28)
            width = face.getlength(said) + 24
            left_of = lead < 0
            if number == base:  # it makes room for who trails by little
                others = [pins[other] - x for other in numbers if other != base]
                near = [other for other in others if abs(other) < width + 30]
                left_of = not any(other < 0 for other in near) or any(other > 0 for other in near)
            spans = [(x - 18 - width, x - 18), (x + 18, x + 18 + width)]
            span = spans[0 if left_of else 1]
            high = 0
            while any(a < span[1] and span[0] < b and high == row for a, b, row in taken):
                high += 1
            taken.append((*span, high))
            y = top - 26 - 36 * high
            draw.line((x, y, x, top + RULE_HEIGHT), self.colours[number], 5)
            self._mark(draw, number, x, y, 10)
            draw.text(
                (span[1] if left_of else span[0], y), said, self.colours[number], face,
                "rm" if left_of else "lm",
            )  # fmt: skip

    def _x(self, at_s: float) -> float:
        left, right = MARGIN + self.gutter, WIDTH - MARGIN - 100
        return left + (right - left) * at_s / self.end_s

    def _course(self, draw: ImageDraw.ImageDraw) -> None:
        for number, racer in enumerate(self.race.racers):
            y = self._row_y(number)
            self._mark(draw, number, MARGIN + 12, y + 13, 8)
            name = self.shown[number]
            draw.text((MARGIN + 30, y + 13), name, self.colours[number], _font(_BOLD, 22), "lm")
            self._bars(draw, number, racer, y)

    def _row_y(self, number: int) -> int:
        return HEIGHT - 40 - (len(self.race.racers) - number) * (ROW + 4)

    def _bars(self, draw: ImageDraw.ImageDraw, number: int, racer: Racer, y: int) -> None:
        face = _font(_REGULAR, 18)
        for step in racer.steps:
            if step.end_ns <= racer.zero_ns:
                continue
            x0 = self._x(max(0, step.start_ns - racer.zero_ns) / 1e9)
            x1 = max(x0 + 2, self._x((step.end_ns - racer.zero_ns) / 1e9) - 2)
            pale = LIGHT["band"] if step.match is not None else LIGHT["behind-ground"]
            draw.rectangle((x0, y, x1, y + 26), pale)
            draw.line((x0, y, x0, y + 26), self.colours[number], 3)
            took = f"{step.name} {(step.end_ns - step.start_ns) / 1e9:.2f} s"
            for said in (took, step.name):
                if face.getlength(said) < x1 - x0 - 14:
                    draw.text((x0 + 8, y + 11), said, LIGHT["ink"], face, "lm")
                    break
        for timing in racer.timings:
            if timing.end_ns > racer.zero_ns:
                x0 = self._x(max(0, timing.start_ns - racer.zero_ns) / 1e9)
                x1 = max(x0 + 2, self._x((timing.end_ns - racer.zero_ns) / 1e9))
                draw.rectangle((x0, y + 22, x1, y + 26), self.colours[number])
        end = self._x((racer.end_ns - racer.zero_ns) / 1e9)
        took = f"{(racer.end_ns - racer.zero_ns) / 1e9:.2f} s"
        draw.text((end + 8, y + 13), took, LIGHT["ink-2"], face, "lm")

    def _playhead(self, draw: ImageDraw.ImageDraw, at_s: float) -> None:
        x = self._x(min(at_s, self.end_s))
        top = self._row_y(0) - 12
        draw.line((x, top, x, HEIGHT - 36), LIGHT["brass"], 4)
        draw.polygon([(x - 10, top - 4), (x + 10, top - 4), (x, top + 10)], LIGHT["brass"])


def _mixed(share: float) -> tuple[int, ...]:
    """A colour of the brass rule, from its upper edge, 0, to its lower, 1."""
    ends = [
        [int(LIGHT[name][n : n + 2], 16) for n in (1, 3, 5)] for name in ("brass-from", "brass-to")
    ]
    return tuple(round(a + (b - a) * share) for a, b in zip(*ends, strict=True))
