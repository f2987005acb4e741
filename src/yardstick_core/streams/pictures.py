"""Tells pictures from the rectangles that a program draws, by how it draws: learnt as it goes.

A pause of 2 ms always ends a picture. Programs that draw quicker than that are told by their first
rectangle: most draw each picture in the same order, so that the rectangle each one begins with
comes back once a picture (or a fixed number of times), whatever the time between. Where a program
has no such order, pictures less than 2 ms apart are one, and `trusted_hz` says up to which rate
they are told apart.
"""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

#: Window, left, top, width, height.
Rectangle = tuple[int, int, int, int, int]
Drawing = tuple[int, Rectangle]

PAUSE_NS = 2_000_000
#: What a program sends in one go arrives closer together than this.
SHORT_PAUSE_NS = 400_000
#: A program that is interrupted while it draws a picture goes on with it within this time.
LONGEST_INTERRUPTION_NS = 20_000_000
#: So many pictures must agree on how they begin, and such a share of them.
FEWEST_PICTURES, AGREED = 12, 0.9
#: Pictures told by a short pause must follow one another evenly: pairs of a clearing and a drawing
#: do not.
MOST_UNEVEN = 1.5
MOST_REMEMBERED = 2048
#: What begins a picture has not come for so many of them: the program draws otherwise now.
MOST_WITHOUT_LEADER = 16
FIRST_LOOK, LAST_LOOK = 24, 4096
#: So many bursts are held against what was learnt.
HELD_AGAINST = 16
BY_PAUSES, BY_BEGINNING = "pauses", "beginning"


@dataclass(frozen=True, slots=True)
class Order:
    """How a program draws a picture: what it begins with, how often that comes in one, and in how
    many rectangles it is drawn in all.
    """

    leader: Rectangle
    times: int
    parts: int = 1


def learn(drawn: Sequence[Drawing]) -> Order | None:
    """The order in which a program draws its pictures; None where it has none.

    Looked for between long pauses first, and between short ones where the long ones are too few.
    """
    for pause in (PAUSE_NS, SHORT_PAUSE_NS):
        bursts = _bursts(drawn, pause)[1:-1]  # the first and the last may be cut off
        if len(bursts) < FEWEST_PICTURES:
            continue
        firsts = Counter(burst[0][1] for burst in bursts)
        leader, led = firsts.most_common(1)[0]
        if led < AGREED * len(bursts):
            continue
        counts = Counter(sum(area == leader for _, area in burst) for burst in bursts)
        times, alike = counts.most_common(1)[0]
        even = pause == PAUSE_NS or _evenly([burst[0][0] for burst in bursts])
        if times and alike >= AGREED * len(bursts) and even:
            return Order(leader, times, round(median(map(len, bursts))))
    return None


def _bursts(drawn: Sequence[Drawing], pause_ns: int) -> list[list[Drawing]]:
    bursts: list[list[Drawing]] = []
    last = None
    for one in drawn:
        if last is None or one[0] - last > pause_ns:
            bursts.append([])
        bursts[-1].append(one)
        last = one[0]
    return bursts


def _evenly(starts: list[int]) -> bool:
    """Whether the times between beginnings do not come in pairs of a short and a long one."""
    gaps = [after - before for before, after in pairwise(starts)]
    one, two = median(gaps[::2]), median(gaps[1::2])
    return max(one, two) <= MOST_UNEVEN * max(1, min(one, two))


class Pictures:
    """Takes every rectangle as it is drawn and says which ones begin a picture.

    `keep` is told the instant of each picture, in order.
    """

    def __init__(self, keep: Callable[[int], None]) -> None:
        self.keep = keep
        self.count = 0
        self.order: Order | None = None
        #: Pictures that were told by their beginning alone, less than a pause after another.
        self.parted = 0
        self._recent: deque[Drawing] = deque(maxlen=MOST_REMEMBERED)
        self._burst: list[Drawing] = []
        self._until_look, self._next_look = FIRST_LOOK, FIRST_LOOK
        self._last_ns: int | None = None
        self._led = 0
        self._led_in_burst = 0
        self._parts = 0
        self._held: deque[int] = deque(maxlen=HELD_AGAINST)
        self._since_leader = 0
        #: How long bursts took that were told by pauses alone, for what can be trusted.
        self._spans: deque[int] = deque(maxlen=500)
        self._began_ns = 0

    @property
    def told_by(self) -> str:
        """Whether pictures are told by how they begin, or by pauses alone."""
        return BY_BEGINNING if self.order else BY_PAUSES

    @property
    def redraws(self) -> int:
        """How often a picture draws one and the same area, where it draws nothing else; else 0.

        Toolkits clear before they draw. But a program that shows each of them in one go draws so
        many times as many pictures: from rectangles alone nobody can tell.
        """
        order = self.order
        return order.times if order and 1 < order.times == order.parts else 0

    @property
    def trusted_hz(self) -> float | None:
        """Up to which rate pictures are told apart; None where nothing limits it but the display.

        By pauses alone a picture needs the time it is drawn in and a pause after it.
        """
        if self.order:
            return None
        span = median(self._spans) if self._spans else 0
        return 1e9 / (PAUSE_NS + span)

    def drawn(self, at_ns: int, area: Rectangle) -> bool:
        """Take a rectangle; whether it begins a picture."""
        last, order = self._last_ns, self.order
        paused = last is None or at_ns - last > PAUSE_NS
        if paused:
            if order is not None and area != order.leader and self._goes_on(at_ns, order):
                paused = False
            else:
                self._end_burst()
                order = self.order
        self._last_ns = at_ns
        if order is None:
            if paused:
                self._begin(at_ns)
            self._remember(at_ns, area)
            return paused
        begins = paused
        if area == order.leader:
            self._since_leader = 0
            self._led_in_burst += 1
            if self._led == order.times and not paused:
                begins = True
                self.parted += 1
            self._led = 1 if begins else self._led + 1
        else:
            self._since_leader += 1
            if paused:
                self._led = 0
            if self._since_leader > MOST_WITHOUT_LEADER * order.parts + FIRST_LOOK:
                self._forget()
        self._parts = 1 if begins else self._parts + 1
        if begins:
            self._begin(at_ns)
        return begins

    def _goes_on(self, at_ns: int, order: Order) -> bool:
        """Whether a rectangle after a pause, not what pictures begin with, belongs to the picture
        before it: that lacked parts.
        """
        if not self._led or self._last_ns is None:
            return False
        return self._parts < order.parts and at_ns - self._last_ns < LONGEST_INTERRUPTION_NS

    def _begin(self, at_ns: int) -> None:
        self.count += 1
        self._began_ns = at_ns
        self.keep(at_ns)

    def _end_burst(self) -> None:
        """A pause came: what was drawn since the last is held against what was learnt."""
        if self._last_ns is None:
            return
        if self.order is None:
            self._spans.append(self._last_ns - self._began_ns)
            self._burst = []
            return
        self._held.append(self._led_in_burst)
        self._led_in_burst = 0
        if len(self._held) < HELD_AGAINST:
            return
        counts = Counter(self._held)
        self._held.clear()
        times, alike = counts.most_common(1)[0]
        if times != self.order.times and alike >= AGREED * HELD_AGAINST:
            self._forget()  # another number of times, or never any more: it draws otherwise now

    def _forget(self) -> None:
        self.order = None
        self._recent.clear()
        self._held.clear()
        self._spans.clear()
        self._burst = []
        self._led = self._led_in_burst = self._since_leader = 0
        self._until_look = self._next_look = FIRST_LOOK

    def _remember(self, at_ns: int, area: Rectangle) -> None:
        """Keep what was drawn, and look now and then whether it has an order."""
        self._recent.append((at_ns, area))
        self._burst.append((at_ns, area))
        self._until_look -= 1
        if self._until_look > 0:
            return
        self._next_look = min(2 * self._next_look, LAST_LOOK)
        self._until_look = self._next_look
        self.order = learn(self._recent)
        if self.order is not None:
            self._part_burst(self.order)
            self._recent.clear()
        if len(self._burst) > MOST_REMEMBERED:
            self._burst = self._burst[-MOST_REMEMBERED:]

    def _part_burst(self, order: Order) -> None:
        """The burst under way was taken for one picture: tell those in it apart after all."""
        self._led = self._led_in_burst = 0
        for place, (at_ns, area) in enumerate(self._burst):
            if area != order.leader:
                continue
            self._led_in_burst += 1
            if self._led == order.times and place:
                self._led = 0
                self.parted += 1
                self._begin(at_ns)
            self._led += 1
        self._burst = []
