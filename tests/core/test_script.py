"""The session script: what it may say, what is said about mistakes, how it is laid out."""

import re
import time

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from yardstick_core.formats.reported import reported_number
from yardstick_core.readings import METRICS, derive
from yardstick_core.record import from_journal
from yardstick_core.script import (
    ScriptError,
    at_every_level,
    formatted,
    grammar,
    head,
    keys,
    outline,
    parse,
    reference,
    schedule,
    unequal_work,
)
from yardstick_core.script import __main__ as command
from yardstick_core.script.condition import CONDITION_WORDS
from yardstick_core.script.model import Expect, Press, Require, Scroll, Type, Until, Wait

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
        (one_step("laps 0 as x", "  press a"), "laps of nothing"),
        (one_step("laps 2 as x", "  laps 2 as y", "    press a"), "laps inside laps"),
        (one_step("laps 2 as x", "  frames f", "    press a"), "`frames` inside laps"),
        (one_step("laps 2 as x", "  press a", "laps 2 as x", "  press a"), "“x” twice"),
        (one_step('expect file "o" equals "r"'), "the file of a `fixture` of the head"),
        (one_step("until cpu is below 5"), "a share of the machine such as 5%"),
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


@settings(max_examples=150)
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


def test_laps_are_stretches_of_their_own_and_unrolled():
    text = one_step("laps 3 as reopen", "  time open", "    press Enter", '    until log "x"')
    operations = schedule(parse(text)).operations
    opened = [o.path for o in operations if o.kind == "open"]
    assert opened.count(("One", "reopen")) == 3
    assert opened.count(("One", "reopen", "open")) == 3
    (stretch,) = outline(parse(text)).stretches
    assert stretch.path == ("One", "reopen", "open")


def test_laps_for_a_time_are_laid_once_and_gone_through_again():
    plan = schedule(parse(one_step("for 2min as soak", "  press a", "  wait 1s"))).operations
    again = next(o for o in plan if o.kind == "again")
    assert (again.due_ns, plan[again.anchor].kind) == (120_000_000_000, "anchor")
    assert sum(o.kind == "open" and o.path[-1] == "soak" for o in plan) == 1
    assert outline(parse(one_step("for 2min as soak", "  press a"))).scheduled_ns == 120 * 10**9


def test_what_is_expected_has_no_time_unless_it_says_so():
    text = one_step('expect log "woven"', 'expect file "o" equals "r.weft", within 3s')
    script = parse(text.replace("step", '  fixture r = "r.weft"\nstep', 1))
    first, second = (s for s in script.steps[0].body if isinstance(s, Expect))
    assert (first.within_ns, second.within_ns) == (0, 3_000_000_000)
    assert str(second.condition) == "file “o” equals “r.weft”"


MESSY = """\
# what a weaver does
session   "Messy"
  fixture a="x.weft"   # a file


step "One"
  start # at once
  press Ctrl+O    3 times
  drag 1,2 to 3,4 over 2s
# the second
step "Two"
  until log /a  b/ ,within 5s

"""


def test_a_script_has_one_layout():
    neat = formatted(MESSY)
    assert (
        neat
        == """\
# what a weaver does
session "Messy"
  fixture a = "x.weft"  # a file

step "One"
  start  # at once
  press Ctrl+O 3 times
  drag 1,2 to 3,4 over 2s

# the second
step "Two"
  until log /a  b/, within 5s
"""
    )
    assert formatted(neat) == neat


def meaning(text):
    """Everything a script says, without the lines it stands on."""
    script = parse(text)
    return re.sub(r"line=\d+", "", repr(script))


words = st.sampled_from(
    ["press a", "press Ctrl+O 2 times", 'type "a  \\"b\\" {v}"', "wait 1.5s", "mark half way",
     "click double at spot", "drag 1,2 to spot over 2s", "scroll down 3", 'until log "a # b"',
     "until picture is steady", 'until window "W" is gone, within 5s', 'expect log /x\\/y/',
     'start "loom" with "a.weft" , "b.weft"', 'click at 3,4 in "Save  as"',
     "until picture except cloth is steady for 20ms", "until picture at cloth is steady",
     'expect file "o.png" looks like "a.weft" within 1.5%, within 2s',
     'until picture at cloth looks like "a.weft"', 'until file "o" equals "a.weft"']
)  # fmt: skip
blocks = st.recursive(
    st.lists(words, min_size=1, max_size=3),
    lambda inner: st.tuples(
        st.sampled_from(["repeat 2", "repeat 3 every 10ms", "laps 2 as lap"]), inner
    ).map(lambda pair: [pair[0], *[f"  {line}" for line in pair[1]]]),
    max_leaves=3,
)


@st.composite
def scripts(draw):
    """Scripts that can be read, written by somebody careless about space and comments."""
    lines = ['session "S"', "  set v = 3", "  place spot = 5,6", "  ladder n = 1 ,2, 3",
             '  fixture a = "a.weft"', '  fixture b = "b.weft"',
             "  place cloth = region 1,2 30x40", "  every run", "    clear cache",
             "    require memory at least 2 GiB", '    confirm "dark  room"']  # fmt: skip
    for number in range(draw(st.integers(1, 3))):
        lines += [f'step "Step {number}"', *(["  start"] if not number else [])]
        lines += [f"  {line}" for line in draw(blocks)]
    messy = []
    for line in lines:
        indent = line[: len(line) - len(line.lstrip())]
        tail = draw(st.sampled_from(["", "", "   ", "  # why not", "#tight"]))
        messy += [indent + line.lstrip() + (" " + tail if tail else ""), *draw(
            st.sampled_from([[], [], [""], ["", ""], ["# alone"], ["      # far in"]])
        )]  # fmt: skip
    return "\n".join(messy)


@settings(max_examples=200)
@given(scripts())
def test_layout_changes_nothing_of_what_is_said(text):
    try:
        before = meaning(text)
    except ScriptError:
        assume(False)
    neat = formatted(text)
    assert meaning(neat).replace(repr(neat), "") == before.replace(repr(text), "")
    assert formatted(neat) == neat


def test_most_of_the_made_up_scripts_can_be_read():
    """The property above would be empty if they could not."""
    read = 0

    @settings(max_examples=60, database=None)
    @given(scripts())
    def count(text):
        nonlocal read
        read += not problems_of(text)

    count()
    assert read > 30


def test_the_command_checks_and_lays_out(tmp_path, capsys, monkeypatch):
    good, bad = tmp_path / "good.session", tmp_path / "bad.session"
    good.write_text(MESSY)
    bad.write_text('session "S"\nstep "A"\n  pres a\n')

    def told(*words):
        monkeypatch.setattr("sys.argv", ["script", *map(str, words)])
        status = command.main()
        said = capsys.readouterr()
        return status, said.out + said.err

    assert told("check", good)[0] == 0
    status, said = told("check", good, bad, tmp_path / "none.session")
    assert status == 1
    assert "bad.session:line 3, column 3: found “pres”" in said
    assert "did you mean “press”?" in said
    assert "none.session: cannot be read" in said
    assert told("format", "--check", good) == (1, f"{good}: would be laid out anew\n")
    assert told("format", good)[0] == 0
    assert told("format", "--check", good) == (0, "")
    bad.write_text('session "S\n')
    assert told("format", bad)[0] == 1
    assert bad.read_text() == 'session "S\n'


SOME = one_step("press a") + 'step "Soft" if variant has "soft weave"\n  press b\n  press c\n'
SOME += 'step "Old" if variant lacks "soft weave"\n  press d\n'


def test_a_step_may_be_for_some_variants_only():
    script = parse(SOME)

    def steps(tags):
        return [o.path[0] for o in schedule(script, tags).operations if o.kind == "open"]

    assert steps(["soft weave"]) == ["One", "Soft"]
    assert steps([]) == ["One", "Old"]
    assert steps(None) == ["One", "Soft", "Old"]


def test_unequal_work_is_named_and_counted():
    variants = {"4.1": frozenset(), "4.2": frozenset({"soft weave"})}
    first, second = unequal_work(parse(SOME), variants)
    assert "step “Soft” (2 inputs, 0 waits) is played only by 4.2" in first
    assert "step “Old” (1 inputs, 0 waits) is played only by 4.1" in second
    assert unequal_work(parse(one_step("press a")), variants) == []


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ('step "B" if variant had "x"', "expected one of has, lacks"),
        ('step "B" if variant has x', "what the variant has or lacks, in quotes"),
        ('step "B" when variant has "x"', "expected the end of the line"),
    ],
)
def test_mistakes_in_what_a_step_is_for(line, says):
    assert says in "\n".join(problems(one_step("press a") + line + "\n  press b\n"))


def test_every_run_may_ask_for_a_quiet_machine_first():
    head = 'session "S"\n  every run\n    settle cpu below 5% for 3s, within 2min\n'
    (wanted,) = parse(head + 'step "A"\n  start\n').before
    assert (wanted.condition.percent, wanted.condition.quiet_ns) == (5, 3_000_000_000)
    assert wanted.within_ns == 120_000_000_000
    bare = 'session "S"\n  every run\nstep "A"\n  start\n'
    assert "`every run` with nothing in it" in "\n".join(problems(bare))
    wrong = 'session "S"\n  every run\n    settel cpu below 5%\nstep "A"\n  start\n'
    assert "did you mean “settle”?" in "\n".join(problems(wrong))


HEAD = """\
session "Weave at every width"
  ladder ends = 100, 200, 400
  fixture draft = "carpet-{ends}.weft"
  fixture wanted = "cloth.png"
  place cloth = region 10,20 200x100
  place name = 30,40 in "Save as"
  every run
    clear cache
    require network off
    require memory at least 2 GiB
    require display 1280x800
    confirm "display scaling is 100 %"
    settle cpu below 5% for 2s, within 60s
"""


def with_head(*lines: str) -> str:
    return HEAD + 'step "One"\n  start\n' + "".join(f"  {line}\n" for line in lines)


def test_a_ladder_is_played_once_a_level_with_its_own_fixture():
    levels = at_every_level(with_head("press a"))
    assert [script.fixtures[0].file for script in levels] == [
        "carpet-100.weft", "carpet-200.weft", "carpet-400.weft",
    ]  # fmt: skip
    assert levels[0].ladder.levels == ("100", "200", "400")
    assert [script.values["ends"] for script in levels] == ["100", "200", "400"]
    assert len(at_every_level(WHOLE)) == 1


def test_what_every_run_needs_is_kept_in_order():
    before = parse(with_head("press a")).before
    assert [type(wanted).__name__ for wanted in before] == [
        "ClearCache", "Require", "Require", "Require", "Confirm", "Until",
    ]  # fmt: skip
    assert [str(wanted) for wanted in before if isinstance(wanted, Require)] == [
        "network off", "memory at least 2 GiB", "display 1280x800",
    ]  # fmt: skip
    assert before[4].text == "display scaling is 100 %"


def test_a_number_is_taken_from_what_the_program_says():
    line = "take picks woven from log /woven (\\d+) picks/ as count, higher is better"
    _, taken = parse(with_head(line)).steps[0].body
    assert (taken.name, taken.unit, taken.higher_is_better) == ("picks woven", "count", True)
    assert taken.source == "log"
    line = 'take load time from file "log.txt" /(\\d+) ms/ as ms, lower is better, within 5s'
    taken = parse(with_head(line)).steps[0].body[1]
    assert (taken.source, taken.within_ns) == ("file “log.txt”", 5_000_000_000)


def test_pictures_are_waited_for_whole_in_part_and_compared():
    script = parse(
        with_head(
            "until picture at cloth is steady for 200ms",
            "until picture except cloth is steady",
            'expect picture at cloth looks like "cloth.png" within 1%, within 2s',
            'expect file "out.png" looks like "cloth.png" within 0.5%',
        )
    )
    conditions = [statement.condition for statement in script.steps[0].body[1:]]
    assert [str(condition) for condition in conditions] == [
        "picture at 10,20 200x100 is steady for 200 ms",
        "picture except 10,20 200x100 is steady for 400 ms",
        "picture at 10,20 200x100 looks like “cloth.png” within 1 %",
        "file “out.png” looks like “cloth.png” within 0.5 %",
    ]
    assert script.steps[0].body[3].within_ns == 2_000_000_000


def test_companions_are_started_named_and_stopped():
    script = parse(
        with_head(
            'start "loom"', 'until log of "loom" "warm"', 'until window "W" of "loom" is shown',
            'until log of "loom" /a+/', 'stop "loom"', 'until exited of "loom"', "click at name",
        )
    )  # fmt: skip
    body = script.steps[0].body
    assert body[1].companion == body[5].companion == "loom"
    assert {statement.condition.of for statement in body if isinstance(statement, Until)} == {
        "loom"
    }
    assert body[7].place.window == "Save as"


def test_a_program_may_be_started_with_fixtures_only():
    start = parse(with_head().replace("  start\n", '  start with "cloth.png"\n')).steps[0].body[0]
    assert start.files == ("cloth.png",)
    wrong = problems(with_head().replace("  start\n", '  start with "/etc/passwd"\n'))
    assert "expected the file of a `fixture` of the head" in wrong[0]


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("take x from log /woven/ as count, higher is better", "one group in brackets"),
        ("take x from log /(\\d+)/ as count", "“, higher is better” or"),
        ("take x from screen /(\\d+)/ as count, higher is better", "one of log, file"),
        ("until picture at name is steady", "a region of the head"),
        ('until picture looks like "other.png"', "the file of a `fixture`"),
        ('until exited of "loom"', "“loom” has not been started"),
        ('start "loom" with "other.weft"', "the file of a `fixture`"),
        ("laps 2 as a\n    take x from log /(1)/ as n, lower is better", "`take` inside laps"),
    ],
)
def test_mistakes_in_the_newer_text(line, says):
    assert says in problems(with_head(line))[0]


@pytest.mark.parametrize(
    ("head", "says"),
    [
        ("ladder ends = 100", "2 to 50 levels"),
        ("ladder ends = 100, 100", "not in the ladder yet"),
        ("ladder ends = 100, 2s", "another number"),
        ("ladder a = 1, 2\n  ladder b = 1, 2", "one ladder at most"),
        ("every run\n    require network of", "did you mean “off”"),
        ("every run\n    require memory at least 2 MiB", "“GiB”"),
        ("every run\n    requir network off", "did you mean “require”"),
        ("every run\n    confirm", "in quotes"),
    ],
)
def test_mistakes_in_the_newer_words_of_the_head(head, says):
    text = f'session "S"\n  {head}\nstep "One"\n  start\n'
    assert says in " ".join(problems(text))


@pytest.mark.parametrize(
    ("text", "number"),
    [("1,234", 1234), ("1,234.5", 1234.5), ("3,5", 3.5), ("12 345", 12345), ("−7", -7),
     ("1e6", 1e6), ("nan", None), ("1/2", None), ("", None), ("inf", None)],
)  # fmt: skip
def test_numbers_are_read_as_programs_say_them(text, number):
    assert reported_number(text) == number


def test_a_number_said_is_a_reading_under_its_own_name():
    entry = {"kind": "taken", "path": ["Weave", "picks"], "unit": "count", "at": 1}
    journal = [
        {**entry, "value": 1200.0, "higher_is_better": True},
        {**entry, "value": None, "higher_is_better": True},
    ]
    (reading,) = derive(from_journal(journal))
    assert (reading.stretch, reading.metric) == (("Weave", "picks"), "said.higher.count")
    metric = METRICS[reading.metric]
    assert metric.higher_is_better
    assert (metric.unit, metric.primary) == ("count", True)
    assert "said.sideways.count" not in METRICS


def test_every_word_that_may_open_a_line_has_its_help_and_no_other_has():
    def words(listed):
        return sorted(entry.word for entry in listed)

    assert words(reference.HEAD) == sorted(head.HEAD_OPENERS)
    assert words(reference.EVERY_RUN) == sorted(head.BEFORE_WORDS)
    assert words(reference.CONDITIONS) == sorted(CONDITION_WORDS)
    assert set(words(reference.STATEMENTS)) == set(grammar.STEP_WORDS) - {"if"}
    for key in reference.KEYS:
        keys.chord_keysyms(key)


def started(line):
    script = parse(f'session "Many"\nstep "Start"\n  start\n  {line}\n')
    return script.steps[0].body[1]


def test_several_companions_and_copies_are_started_by_one_line():
    several = started('start "mail", "notes", "chat"')
    assert several.names == ("mail", "notes", "chat")
    copies = started('start "mail" 30 times every 500ms')
    assert (copies.names, copies.copies, copies.every_ns) == (("mail",), 30, 500_000_000)
    assert started('start "mail" 3 times').every_ns == 0


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ('start "mail", "mail"', "already started"),
        ('start "mail" 0 times', "at least 1"),
        ('start "mail" 5000 times', "200"),
        ('start "mail" 5', "times"),
        ('start "mail",', "name"),
    ],
)
def test_what_cannot_be_started_together_is_refused(line, why):
    with pytest.raises(ScriptError) as error:
        started(line)
    assert why in str(error.value)
