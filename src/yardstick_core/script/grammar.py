"""Session script grammar: reads lines of tokens into statements, line by line.

Every line is one statement, so a mistake in one line never hides those in the next;
all problems of a text are reported at once.
"""

from __future__ import annotations

from collections.abc import Callable

from yardstick_core.script import keys
from yardstick_core.script.check import check
from yardstick_core.script.condition import companion, condition, file_below, pattern, within
from yardstick_core.script.cursor import Cursor, LineProblem, near_miss, one_of
from yardstick_core.script.head import HEAD_OPENERS, Head
from yardstick_core.script.lexer import Line, split_lines
from yardstick_core.script.model import (
    Click,
    Condition,
    Drag,
    EnoughProblems,
    Expect,
    Frames,
    Laps,
    Mark,
    Move,
    Press,
    Problems,
    Repeat,
    Restart,
    ScreenRegion,
    Script,
    ScriptError,
    ScriptProblem,
    Scroll,
    Start,
    Statement,
    Step,
    Stop,
    Take,
    Timing,
    Type,
    Until,
    Wait,
)
from yardstick_core.script.patterns import compiled

DEFAULT_WITHIN_NS = 30_000_000_000
TAKE_WITHIN_NS = 2_000_000_000
RESTART_WITHIN_NS = 600_000_000_000
STEP_WORDS = (
    *("start", "stop", "press", "type", "click", "move", "drag", "scroll"),
    *("wait", "mark", "until", "expect", "take", "repeat", "laps", "for", "time", "frames"),
    "restart",
)
#: A key pressed, or notches scrolled, by one line: what a hand would do in a minute.
MOST_TIMES, MOST_NOTCHES = 10_000, 1000
#: Copies of one companion that a line may start.
MOST_COPIES = 200
BUTTONS = ("left", "middle", "right", "double")


class _Reader:
    def __init__(self, lines: list[Line], overrides: dict[str, str], problems: Problems) -> None:
        self.lines, self.at = lines, 0
        self.known = Head(overrides)
        self.problems = problems
        self.statements: dict[str, Callable[[Cursor], Statement]] = {
            "start": self.start,
            "stop": lambda c: Stop(c.line.number, _named_program(c)),
            "press": self.press,
            "type": lambda c: Type(c.line.number, c.string("the text to type, in quotes")),
            "click": self.click,
            "move": lambda c: Move(c.line.number, self.place(c, "to")),
            "drag": self.drag,
            "scroll": self.scroll,
            "wait": lambda c: Wait(c.line.number, c.duration()),
            "mark": lambda c: Mark(c.line.number, c.name("a name for the mark")),
            "until": self.until,
            "expect": self.expect,
            "take": self.take,
            "restart": _restart,
        }

    # -- blocks ----------------------------------------------------------------

    def script(self, text: str) -> Script:
        title = ""
        steps: list[Step] = []
        if not self.lines:
            self.problems.append(
                ScriptProblem(1, 1, "the script is empty", 'session "What is done"')
            )
        while self.at < len(self.lines):
            line = self.lines[self.at]
            cursor = Cursor(line, self.known.values)
            self.at += 1
            try:
                if line.level:
                    raise LineProblem(
                        ScriptProblem(
                            line.number,
                            line.tokens[0].column,
                            "this line is indented, but stands in no step",
                            "no indentation, or a `step` above it",
                        )
                    )
                word = cursor.take("word", "`session` or `step`", ("session", "step")).text
                if word == "session":
                    if title or steps:
                        raise LineProblem(
                            ScriptProblem(
                                line.number,
                                line.tokens[0].column,
                                "a second `session`",
                                "one `session`, on the first line",
                            )
                        )
                    title = cursor.string("the session's title, in quotes")
                    cursor.end()
                    self.head()
                else:
                    name = cursor.string("the step's name, in quotes")
                    tag, wanted = self.only_for(cursor)
                    cursor.end()
                    body = self.block(line, 1, "a step")
                    steps.append(Step(line.number, name, body, tag, wanted))
            except LineProblem as error:
                self.problems.append(error.problem)
                self.skip_block(line.level)
        known = self.known
        return Script(
            title, tuple(known.fixtures), dict(known.values), known.places, known.facts,
            tuple(steps), tuple(known.before), known.ladder, text,
        )  # fmt: skip

    def only_for(self, cursor: Cursor) -> tuple[str, bool]:
        """`if variant has TAG` or `lacks TAG`, where a step says so."""
        if not cursor.maybe("if"):
            return "", True
        cursor.words("variant")
        word = cursor.take("word", one_of(("has", "lacks")), ("has", "lacks")).text
        return cursor.string("what the variant has or lacks, in quotes"), word == "has"

    def skip_block(self, level: int) -> None:
        """After a broken opening line, read its block only for further problems."""
        while self.at < len(self.lines) and self.lines[self.at].level > level:
            line = self.lines[self.at]
            if line.level == 1 and line.tokens[0].text in HEAD_OPENERS:
                self.head()
            else:
                self.statement(line.level)

    def head(self) -> None:
        while self.at < len(self.lines) and self.lines[self.at].level >= 1:
            line = self.lines[self.at]
            cursor = Cursor(line, self.known.values)
            self.at += 1
            try:
                word = cursor.take("word", one_of(HEAD_OPENERS), HEAD_OPENERS).text
                if word == "every":
                    cursor.words("run")
                    cursor.end()
                    self.every_run(line)
                    continue
                self.known.line(word, cursor)
            except LineProblem as error:
                self.problems.append(error.problem)

    def every_run(self, opener: Line) -> None:
        """The lines below `every run`: what each run waits for before it starts."""
        lines = 0
        while self.at < len(self.lines) and self.lines[self.at].level >= 2:
            cursor = Cursor(self.lines[self.at], self.known.values)
            self.at += 1
            lines += 1
            try:
                self.known.before_line(cursor)
            except LineProblem as error:
                self.problems.append(error.problem)
        if not lines:
            self.problems.append(
                ScriptProblem(
                    opener.number, opener.tokens[-1].end, "`every run` with nothing in it",
                    "a line such as `settle cpu below 5%`, indented by two more spaces",
                )
            )  # fmt: skip

    def block(self, opener: Line, level: int, what: str) -> tuple[Statement, ...]:
        body: list[Statement] = []
        while self.at < len(self.lines) and self.lines[self.at].level >= level:
            statement = self.statement(level)
            if statement is not None:
                body.append(statement)
        if not body and not any(p.line > opener.number for p in self.problems):
            self.problems.append(
                ScriptProblem(
                    opener.number,
                    opener.tokens[-1].end,
                    f"{what} with nothing in it",
                    "at least one line below, indented by two more spaces",
                )
            )
        return tuple(body)

    def statement(self, level: int) -> Statement | None:
        line = self.lines[self.at]
        cursor = Cursor(line, self.known.values)
        self.at += 1
        try:
            if line.level != level:
                raise LineProblem(
                    ScriptProblem(
                        line.number,
                        line.tokens[0].column,
                        "this line is indented too far",
                        f"{2 * level} spaces",
                    )
                )
            word = cursor.take("word", one_of(STEP_WORDS), STEP_WORDS).text
            if word in ("time", "frames"):
                rate = word == "frames" and cursor.ends_with_rate
                name = cursor.name(f"a name after `{word}`", ("at",) if rate else ())
                hertz = cursor.rate() if rate else None
                cursor.end()
                body = self.block(line, level + 1, f"`{word}`")
                if word == "time":
                    return Timing(line.number, name, body)
                return Frames(line.number, name, body, hertz)
            if word == "repeat":
                count = cursor.whole("how many times, a whole number")
                every = cursor.duration() if cursor.maybe("every") else None
                cursor.end()
                body = self.block(line, level + 1, "`repeat`")
                return Repeat(line.number, count, every, body)
            if word in ("laps", "for"):
                return self.laps(cursor, level, word)
            statement = self.statements[word](cursor)
            cursor.end()
            return statement
        except LineProblem as error:
            self.problems.append(error.problem)
            return None

    def laps(self, cursor: Cursor, level: int, word: str) -> Statement:
        count = cursor.whole("how many laps, a whole number") if word == "laps" else None
        duration = cursor.duration() if word == "for" else None
        cursor.words("as")
        name = cursor.name("a name for the lap")
        cursor.end()
        body = self.block(cursor.line, level + 1, f"`{word}`")
        return Laps(cursor.line.number, name, body, count, duration)

    # -- single statements -------------------------------------------------------

    def press(self, cursor: Cursor) -> Statement:
        token = cursor.token
        if token is None or token.kind not in ("word", "number"):
            cursor.fail("a key or chord such as Enter or Ctrl+O")
        cursor.position += 1
        wrong = keys.unknown_key(token.text)
        if wrong is not None:
            meant = near_miss(wrong, keys.NAMES)
            raise LineProblem(
                ScriptProblem(
                    cursor.line.number,
                    token.column + token.text.find(wrong),
                    f"there is no key called “{wrong}”",
                    "a key or chord such as Enter or Ctrl+O",
                    meant,
                )
            )
        times = 1
        if cursor.token is not None:
            times = cursor.whole("how many times", most=MOST_TIMES)
            cursor.words("times")
        return Press(cursor.line.number, token.text, times)

    def click(self, cursor: Cursor) -> Statement:
        button, double = "left", False
        token = cursor.token
        if token is not None and token.text != "at":
            word = cursor.take("word", "“at”, or a button", BUTTONS).text
            double = word == "double"
            button = "left" if double else word
        return Click(cursor.line.number, self.place(cursor, "at"), button, double)

    def drag(self, cursor: Cursor) -> Statement:
        start = self.place(cursor)
        end = self.place(cursor, "to")
        cursor.words("over")
        return Drag(cursor.line.number, start, end, cursor.duration())

    def scroll(self, cursor: Cursor) -> Statement:
        ways = ("up", "down", "left", "right")
        direction = cursor.take("word", one_of(ways), ways).text
        notches = cursor.whole("how many notches", most=MOST_NOTCHES)
        place = self.place(cursor, "at") if cursor.token is not None else None
        return Scroll(cursor.line.number, direction, notches, place)

    def place(self, cursor: Cursor, lead: str = "") -> ScreenRegion:
        if lead:
            cursor.words(lead)
        token, places = cursor.token, self.known.places
        if token is not None and token.kind == "point":
            cursor.position += 1
            x, y = token.text.split(",")
            window = cursor.string("a window's title, in quotes") if cursor.maybe("in") else ""
            return ScreenRegion(int(x), int(y), window=window)
        if token is None or token.kind != "word" or token.text not in places:
            cursor.fail("a place from the head, or a point such as 120,90", tuple(places))
        cursor.position += 1
        return places[token.text]

    def start(self, cursor: Cursor) -> Statement:
        companion, files = _named_program(cursor), []
        also: list[str] = []
        while companion and cursor.maybe(","):
            also.append(cursor.string("another companion's name, in quotes"))
        if cursor.maybe("with"):
            files.append(cursor.string("a file to open, in quotes"))
            while cursor.maybe(","):
                files.append(cursor.string("another file to open, in quotes"))
        for file in files:
            if file not in self.known.files:
                cursor.position -= 1
                cursor.fail("the file of a `fixture` of the head", self.known.files)
        copies, every = 1, 0
        if companion and cursor.token is not None and cursor.token.kind == "number":
            copies = cursor.whole("how many copies", MOST_COPIES)
            cursor.words("times")
            every = cursor.duration() if cursor.maybe("every") else 0
        return Start(cursor.line.number, companion, tuple(files), tuple(also), copies, every)

    def take(self, cursor: Cursor) -> Statement:
        name = cursor.name("a name for the number", before=("from",))
        cursor.words("from")
        sources = ("log", "file", "picture")
        source = cursor.take("word", one_of(sources), sources).text
        region = self.region(cursor) if source == "picture" else None
        file = file_below(cursor) if source == "file" else ""
        of = companion(cursor) if source == "log" else ""
        text = pattern(cursor) if region is None or cursor.maybe("like") else ""
        if text and compiled(text).groups != 1:
            cursor.position -= 1
            cursor.fail("a pattern with one group in brackets: the number to take")
        cursor.words("as")
        unit = cursor.name("the number's unit, such as count or ms")
        cursor.take("sign", "“, higher is better” or “, lower is better”", (",",))
        senses = ("higher", "lower")
        higher = cursor.take("word", one_of(senses), senses).text == "higher"
        cursor.words("is", "better")
        return Take(
            cursor.line.number, name, text, unit, higher, file, of,
            within(cursor, TAKE_WITHIN_NS), region,
        )  # fmt: skip

    def region(self, cursor: Cursor) -> ScreenRegion:
        """A place of the head that has a size: what a picture is taken of."""
        place = self.place(cursor, "at")
        if not place.width or not place.height:
            cursor.position -= 1
            cursor.fail(
                "a place of the head with a size, such as `place score = region 120,90 80x24`"
            )
        return place

    def condition(self, cursor: Cursor) -> Condition:
        return condition(cursor, self.known.files, self.known.places)

    def until(self, cursor: Cursor) -> Statement:
        condition = self.condition(cursor)
        return Until(cursor.line.number, condition, within(cursor, DEFAULT_WITHIN_NS))

    def expect(self, cursor: Cursor) -> Statement:
        condition = self.condition(cursor)
        return Expect(cursor.line.number, condition, within(cursor, 0))


def _restart(cursor: Cursor) -> Statement:
    by_hand = cursor.maybe("by")
    if by_hand:
        cursor.words("hand")
    return Restart(cursor.line.number, by_hand, within(cursor, RESTART_WITHIN_NS))


def _named_program(cursor: Cursor) -> str:
    """The name of a companion; empty for the subject itself."""
    token = cursor.token
    if token is None or token.kind != "string":
        return ""
    return cursor.string("a companion's name, in quotes")


def at_every_level(text: str) -> list[Script]:
    """The script once for each level of its ladder, or once where it has none.

    Raises ScriptError where it has mistakes at any of them.
    """
    script = parse(text)
    if script.ladder is None:
        return [script]
    return [parse(text, {script.ladder.name: level}) for level in script.ladder.levels]


def parse(text: str, values: dict[str, str] | None = None) -> Script:
    """Read and check a session script; `values` override those of `set` and `ladder` lines.

    Raises ScriptError with every problem found.
    """
    problems = Problems()
    try:
        lines = split_lines(text, problems)
        reader = _Reader(lines, values or {}, problems)
        script = reader.script(text)
    except EnoughProblems:
        raise ScriptError(problems) from None
    found = list(problems) or check(script)
    if found:
        raise ScriptError(found)
    return script
