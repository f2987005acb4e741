"""When the picture last really changed, told from pictures taken while a condition waits.

Drawing the same pixels again is no change. A small area that only goes back and forth between
pictures already seen, a caret or the colon of a clock, is none either. Both take comparing, which
is done only while a condition waits for the picture to be steady.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

#: A picture as 32-bit pixels, shape (height, width).
View = np.ndarray[tuple[int, int], np.dtype[np.uint32]]
#: Red, green and blue of some pixels, in whichever order the display keeps them.
Channels = np.ndarray[tuple[int, int], np.dtype[np.uint8]]
Indices = np.ndarray[Any, np.dtype[np.intp]]

#: A change of no more pixels than this may be one of an area that goes back and forth.
SMALL_PIXELS = 1_500
#: One of no more than this may be a caret that will be back: it is waited for, for so long.
CARET_PIXELS, CARET_BACK_NS = 600, 1_200_000_000
#: What has more states than this is at work, a spinner perhaps; two carets have four.
MOST_STATES = 4
#: What changes in no more columns than this is a caret; one that fades has many states between two.
CARET_WIDTH = 4
#: While much is drawn, pictures are compared no more often than this.
BUSY_GAP_NS = 60_000_000


@dataclass(slots=True)
class _State:
    """A picture since the last large change: where it differs from that one, and how.

    `began_ns` is when it was first seen, `root_ns` when the last real change before it was. States
    of one `group` differ from one another in no more columns than a caret has.
    """

    key: tuple[bytes, bytes]
    differs: Indices
    began_ns: int
    root_ns: int
    group: int = 0


@dataclass(slots=True)
class VisibleChanges:
    """Follows one view of the screen from the first asking on.

    `take` gives the view as it stands now, or None where there is nothing to look at; `clock` is
    that of the instants. After `look`,
    `changed_ns` is when it last really changed, known to ± `spread_ns` beyond what a change is
    known to anyhow, and `unsettled_ns` is the change that may yet turn out to be a caret's, else 0.
    """

    take: Callable[[], View | None]
    changed_ns: int = 0
    spread_ns: int = 0
    unsettled_ns: int = 0
    clock: Callable[[], int] = time.monotonic_ns
    _base: View | None = None
    _states: list[_State] = field(default_factory=list)
    _now: int = 0
    _drawn_ns: int = 0
    _looked_ns: int = 0
    _taken_ns: int = 0
    _busy: bool = False
    _redraws: bool = False

    def look(self, drawn_ns: int, first_drawn: Callable[[int], int], now_ns: int) -> None:
        """Take in what was drawn until `drawn_ns`.

        `first_drawn` says when something was first drawn after an instant.
        """
        if drawn_ns <= self._drawn_ns and self._base is not None:
            return
        if self._busy and now_ns - self._looked_ns < BUSY_GAP_NS:
            self.changed_ns, self.unsettled_ns = drawn_ns, 0  # not quiet, whatever it shows
            return
        view = self.take()
        if view is None:
            self.changed_ns = drawn_ns
            return
        before, self._drawn_ns, self._looked_ns = self._drawn_ns, drawn_ns, now_ns
        taken, self._taken_ns = self._taken_ns, self.clock()
        if self._base is None or view.shape != self._base.shape:
            self._begin(view, drawn_ns)
            return
        differs = np.flatnonzero(view != self._base)
        spread = drawn_ns - first_drawn(before) if self._redraws else 0
        if differs.size > SMALL_PIXELS:
            self._busy = True
            self._begin(view, drawn_ns)
            self.spread_ns = spread
            return
        self._busy = False
        key = (differs.tobytes(), view.ravel()[differs].tobytes())
        if key == self._states[self._now].key:
            self._same(drawn_ns, taken)
        else:
            self._small(key, differs, drawn_ns, spread)

    def _begin(self, view: View, at_ns: int) -> None:
        """A picture that has nothing to do with those before it."""
        self._base, self._now = view, 0
        nothing = np.empty(0, np.intp)
        self._states = [_State((b"", b""), nothing, at_ns, at_ns)]
        self.changed_ns, self.spread_ns, self.unsettled_ns = at_ns, 0, 0

    def _same(self, at_ns: int, taken_ns: int) -> None:
        """The same pixels again: drawn anew, or seen already before it was told that they were."""
        state = self._states[self._now]
        if at_ns > taken_ns:
            self._redraws = True
        elif state.root_ns == state.began_ns:
            state.root_ns = state.began_ns = at_ns
        self.changed_ns = state.root_ns

    def _small(
        self, key: tuple[bytes, bytes], differs: Indices, at_ns: int, spread_ns: int
    ) -> None:
        for place, state in enumerate(self._states):
            if state.key == key:
                self._back(place, at_ns)
                return
        now = self._states[self._now]
        made = _State(key, differs, at_ns, at_ns)
        alike = [state for state in self._states if state.group == now.group]
        narrow, between = self._compared(made, now, alike)
        if narrow and between:
            self._as_one(alike)
            return
        made.group = now.group if narrow else len(self._states)
        apart = np.setxor1d(differs, now.differs).size
        self._states.append(made)
        self._now = len(self._states) - 1
        self.changed_ns, self.spread_ns = at_ns, spread_ns
        self.unsettled_ns = at_ns if apart <= CARET_PIXELS else 0

    def _compared(self, made: _State, now: _State, alike: list[_State]) -> tuple[bool, bool]:
        """Whether only a caret's columns changed, and all to something between pictures seen."""
        if self._base is None:
            return False, False
        where = np.unique(np.concatenate([made.differs, *(state.differs for state in alike)]))
        flat = self._base.ravel()

        def pixels(state: _State) -> Channels:
            values = flat[where].copy()
            values[np.searchsorted(where, state.differs)] = np.frombuffer(state.key[1], np.uint32)
            return values.view(np.uint8).reshape(-1, 4)[:, :3]

        new, seen = pixels(made), np.stack([pixels(state) for state in alike])
        columns = where[np.any(new != pixels(now), axis=1)] % self._base.shape[1]
        narrow = int(np.ptp(columns)) < CARET_WIDTH
        return narrow, bool(np.all((seen.min(axis=0) <= new) & (new <= seen.max(axis=0))))

    def _as_one(self, states: list[_State]) -> None:
        """States that only follow one another as a caret comes and goes: none was a real change."""
        root = min(state.root_ns for state in states)
        for state in states:
            state.root_ns = root
        self.changed_ns, self.spread_ns, self.unsettled_ns = root, 0, 0

    def _back(self, place: int, at_ns: int) -> None:
        """A picture that was seen before: all since then only went back and forth."""
        low, high = sorted((place, self._now))
        between = self._states[low : high + 1]
        groups = {state.group for state in between}
        if len(between) > MOST_STATES and len(groups) > 1:
            self._states = [*self._states[:place], *self._states[place + 1 :], self._states[place]]
            self._now = len(self._states) - 1
            self._states[-1].began_ns = self._states[-1].root_ns = at_ns
            self.changed_ns, self.unsettled_ns = at_ns, 0
            return
        self._now = place
        self._as_one(between)

    def quiet_since(self, now_ns: int) -> int:
        """From when on it may be counted as quiet: later where a caret may yet come back."""
        if self.unsettled_ns and now_ns - self.unsettled_ns < CARET_BACK_NS:
            return now_ns
        return self.changed_ns
