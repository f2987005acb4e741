"""What is told of a run while it is measured."""

import json
import threading
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from yardstick_agent.playing.live import BEAT_NS, LiveBeats, read_live
from yardstick_agent.spool.writer import SpoolWriter

ORIGIN = 5_000_000_000


@given(st.lists(st.integers(1, 90_000_000), min_size=2, max_size=60), st.integers(1, 59))
def test_beats_are_the_same_told_in_parts_or_at_once(steps, cut):
    instants = [ORIGIN + sum(steps[: n + 1]) for n in range(len(steps))]
    whole, parts = LiveBeats(ORIGIN), LiveBeats(ORIGIN)
    whole.add(instants)
    parts.add(instants[:cut])
    parts.add(instants[cut:])
    now = instants[-1] + BEAT_NS
    told = whole.whole(now)
    assert parts.whole(now) == told
    reach = now - 3_000_000_000
    ended = [at for at in instants[1:] if (at - ORIGIN) // BEAT_NS >= (reach - ORIGIN) // BEAT_NS]
    assert sum(many for _, many, _ in told) == len(ended)
    gaps = [(at - before) / 1e6 for before, at in pairwise(instants)]
    assert all(round(longest, 2) in {round(gap, 2) for gap in gaps} for _, _, longest in told)


def test_a_beat_that_is_not_over_is_not_told():
    beats = LiveBeats(ORIGIN)
    beats.add([ORIGIN + 1, ORIGIN + 20_000_000, ORIGIN + 60_000_000])
    assert beats.whole(ORIGIN + 70_000_000) == [[0, 1, 20.0]]
    assert beats.whole(ORIGIN + 4 * 10**9) == []


def test_what_is_written_over_is_read_whole(tmp_path):
    """A shorter state leaves nothing of a longer one behind it."""
    assert read_live(tmp_path) == {}
    spool = SpoolWriter(tmp_path, 0)
    assert read_live(tmp_path) == {}
    spool.live({"step": "Weave the whole draft", "beats": [[1, 2, 3.5]] * 50})
    spool.live({"step": "Save", "beats": []})
    assert read_live(tmp_path) == {"step": "Save", "beats": []}
    spool.close()


def test_a_reader_never_finds_less_than_one_state(tmp_path):
    spool, states = SpoolWriter(tmp_path, 0), [{"step": "x" * n} for n in (3, 3000, 40)]
    spool.live(states[0])
    done = threading.Event()

    def write() -> None:
        for n in range(3000):
            spool.live(states[n % 3])
        done.set()

    writer = threading.Thread(target=write)
    writer.start()
    found = [read_live(tmp_path)]
    while not done.is_set():
        found.append(read_live(tmp_path))
    writer.join()
    spool.close()
    assert all(state in states for state in found if state)
    assert sum(not state for state in found) < len(found) / 2
    assert json.loads((tmp_path / "live.json").read_text()) == states[2]
