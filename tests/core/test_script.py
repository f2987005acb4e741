"""The session script: what it may say, what is said about mistakes, how it is laid out."""

import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yardstick_core.script import ScriptError, outline, parse, schedule
from yardstick_core.script.model import Press, Scroll, Type, Until, Wait

WHOLE = """\
# A comment
session "Open and scroll"
  fixture draft = "small.weft"
  set gap = 50ms
  set turns = 4
  place cloth = region 10,20 200x100
  fact picks = 2000

step "Launch"
  time launch
    start
    until window "Weftwright" is steady for 400ms, within 20s

step "Open"
  press Ctrl+O
  type "{draft}"
  time open
    press Enter
    time read file
      until log "draft read"
    time first picture
      until picture is steady for 300ms

step "Scroll"
  frames scroll
    repeat {turns} every {gap}
      scroll down 2 at cloth
  mark half way
  drag cloth to 30,40 over 200ms
  click right at 5,6
  wait 1.5s
  press Tab 3 times

step "Close"
  until log /closed \\d+/
  until file "out.png" is written, within 2min
  stop
  until exited
"""


def one_step(*lines: str) -> str:
    body = "".join(f"  {line}\n" for line in lines)
    return f'session "S"\nstep "One"\n  start\n{body}'


def problems(text: str) -> list[str]:
    with pytest.raises(ScriptError) as caught:
        parse(text)
    return [str(problem) for problem in caught.value.problems]


def test_whole_script_is_read_with_its_values_put_in():
    script = parse(WHOLE)
    assert script.title == "Open and scroll"
    assert [step.name for step in script.steps] == ["Launch", "Open", "Scroll", "Close"]
    assert script.fixtures[0].file == "small.weft"
    assert script.facts == {"picks": "2000"}
    kinds = [operation.statement for operation in schedule(script).operations]
    assert Type(line=16, text="small.weft") in kinds
    assert sum(isinstance(statement, Scroll) for statement in kinds) == 4
    assert sum(isinstance(s, Press) and s.chord == "Tab" for s in kinds) == 3
    assert any(isinstance(s, Wait) and s.duration_ns == 1_500_000_000 for s in kinds)


def test_values_can_be_overridden_from_outside():
    operations = schedule(parse(WHOLE, {"turns": "9"})).operations
    assert sum(isinstance(operation.statement, Scroll) for operation in operations) == 9


def test_scheduled_inputs_are_due_at_even_moments():
    due = [o.due_ns for o in schedule(parse(WHOLE)).operations if o.kind == "due"]
    assert due == [0, 50_000_000, 100_000_000, 150_000_000]


def test_a_repeat_within_a_repeat_keeps_its_own_schedule():
    text = one_step("repeat 2 every 1s", "  repeat 3 every 100ms", "    press a")
    operations = schedule(parse(text)).operations
    due = [(o.due_ns, o.anchor) for o in operations if o.kind == "due"]
    anchors = {anchor for _, anchor in due}
    assert len(anchors) == 3
    assert [when for when, _ in due] == [0, 0, 10**8, 2 * 10**8, 10**9, 0, 10**8, 2 * 10**8]


def test_same_text_gives_the_same_session_and_a_change_another():
    first = schedule(parse(WHOLE)).digest
    assert schedule(parse(WHOLE)).digest == first
    assert schedule(parse(WHOLE.replace("press Enter", "press Space"))).digest != first


def test_conditions_say_how_long_they_may_take():
    limits = {
        o.statement.condition.kind: o.statement.within_ns / 1e9
        for o in schedule(parse(WHOLE)).operations
        if isinstance(o.statement, Until)
    }
    assert limits["window steady"] == 20
    assert limits["file written"] == 120
    assert limits["exited"] == 30


def test_outline_names_what_is_timed_and_what_ends_it():
    plan = outline(parse(WHOLE))
    assert [stretch.path[1:] for stretch in plan.stretches] == [
        ("launch",),
        ("open",),
        ("open", "read file"),
        ("open", "first picture"),
        ("scroll",),
    ]
    assert plan.stretches[2].ends_with == "log “draft read”"
    assert plan.stretches[4].inputs == 4
    assert plan.stretches[4].scheduled_ns == 200_000_000


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("pres Enter", ["line 4, column 3", "found “pres”", "did you mean “press”"]),
        ("press Ctrl+Entr", ["line 4, column 14", "no key called “Entr”", "mean “Enter”"]),
        ("until windo is shown", ["found “windo”", "mean “window”"]),
        ("until log draft", ['expected "text" or /pattern/']),
        ("until log /(/", ["a pattern that can be read"]),
        ("until picture is steady for 4", ["expected a duration"]),
        ("wait 2", ["expected a duration such as 400ms"]),
        ("scroll sideways 2", ["expected one of up, down, left, right"]),
        ("scroll down 1.5", ["a whole number", "how many notches"]),
        ("click at cloht", ["a place from the head"]),
        ("type hello", ["the text to type, in quotes"]),
        ('type "{nam}"', ["nothing is called {nam}"]),
        ('type "open', ["no closing quote"]),
        ("press Enter now", ["found “now”"]),
        ("repeat 0 every 1s", ["nothing in it"]),
        ("stop now", ["the end of the line"]),
        ("wait 1s ;", ["the sign ';' means nothing here"]),
    ],
)
def test_a_mistake_is_shown_with_its_place_and_what_was_meant(line, says):
    text = "\n".join(problems(one_step(line)))
    missing = [part for part in says if part not in text]
    if says == ["a whole number", "how many notches"]:
        missing = [] if "how many notches" in text else missing
    assert not missing, text


def test_every_mistake_of_a_text_is_reported_at_once():
    found = problems(one_step("pres a", "wait 5", "until exited", "scroll down"))
    assert [text.split(",")[0] for text in found] == ["line 4", "line 5", "line 7"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "the script is empty"),
        ('step "A"\n  start\n', "has no title"),
        ('session "S"\n', "has no step"),
        ('session "S"\nstep "A"\n  press a\n', "nothing is running"),
        ('session "S"\nstep "A"\n  start\n  start\n', "already started"),
        ('session "S"\nstep "A"\n  start\nstep "A"\n  stop\n', "a second step “A”"),
        (one_step("time t", "  press a"), "nothing says when “t” ends"),
        (one_step("time t", "  until exited", "time t", "  until exited"), "“t” twice"),
        (one_step("repeat 2", "  time t", "    until exited"), "a timing inside `repeat`"),
        (one_step("repeat 999999", "  press a"), "operations"),
        ('session "S"\nstep "A"\n   start\n', "indented by 3 spaces"),
        ('session "S"\nstep "A"\n\tstart\n', "a tab indents this line"),
        ('session "S"\n  fixture f = "../secret"\nstep "A"\n  start\n', "a plain file name"),
        ("start\n", "expected `session` or `step`"),
        ('session "S"\nsession "T"\nstep "A"\n  start\n', "a second `session`"),
    ],
)
def test_mistakes_of_the_whole_are_found(text, says):
    assert says in "\n".join(problems(text))


def test_checking_500_lines_is_quick_compared_with_compiling_python():
    """A ratio within one run, for the machine's speed is not known."""
    lines = [f'press a\n  until log "line {n}"' for n in range(250)]
    text = one_step(*lines)
    python = "\n".join(f"press('a')\nuntil(log('line {n}'), within=30)" for n in range(250))
    ours = min(timed(lambda: parse(text)) for _ in range(5))
    theirs = min(timed(lambda: compile(python, "x", "exec")) for _ in range(5))
    assert ours < 12 * theirs


def timed(work) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


@settings(max_examples=150, deadline=None)
@given(st.text(alphabet='session tepimruntlog{}"/,=#\n 0123456789+', max_size=200))
def test_no_text_makes_the_reader_fail_otherwise(text):
    for problem in problems_of(text):
        assert problem.line >= 1
        assert problem.column >= 1
        assert problem.found


def problems_of(text: str):
    """Problems of a text, none where it can be read; any other error is one of ours."""
    try:
        parse(text)
    except ScriptError as error:
        return error.problems or pytest.fail("an error without a problem")
    return []
