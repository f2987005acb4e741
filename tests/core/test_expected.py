"""What a session is expected to yield, held against what a run of it really yields."""

from yardstick_core.readings.expected import OF_FRAMES, OF_THE_WHOLE, OF_TIMINGS, expected
from yardstick_core.script import outline, parse

TEXT = """\
session "Weave"

step "Launch"
  start

step "Open"
  time open
    press Ctrl+O
    time read
      until log "read"
    time draw
      until picture is steady for 300ms

step "Scroll"
  frames scroll
    repeat 3 every 100ms
      scroll down 1
"""


def test_timings_frames_and_the_whole_are_expected_of_a_session():
    found = expected(outline(parse(TEXT)).stretches)
    by_stretch = {}
    for stretch, metric in found:
        by_stretch.setdefault(stretch, []).append(metric)
    assert by_stretch == {
        ("Open", "open"): list(OF_TIMINGS),
        ("Open", "open", "read"): list(OF_TIMINGS),
        ("Open", "open", "draw"): list(OF_TIMINGS),
        ("Scroll", "scroll"): list(OF_FRAMES),
        ("Whole session",): list(OF_THE_WHOLE),
    }


def test_whatever_is_expected_is_judged():
    assert all(metric.judged for metric in (*OF_TIMINGS, *OF_FRAMES, *OF_THE_WHOLE))
