"""What the player looks at beside its conditions: pictures, numbers, whether anyone answers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from yardstick_agent.below import read_below
from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns, sleep_until
from yardstick_agent.display.connection import GONE, Connection
from yardstick_agent.display.picture import Pixels, cut, difference_picture, read_picture
from yardstick_agent.playing.conditions import EndCondition, FileLike, PictureLike
from yardstick_agent.playing.scene import Scene
from yardstick_agent.sampling import processes
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_core.formats.reported import reported_number
from yardstick_core.script.model import ScreenRegion, Take
from yardstick_core.script.patterns import Pattern, compiled, last_match

POLL_SECONDS = 0.02
ANSWER_PATIENCE_NS = 3_000_000_000
#: So often a region that shows a number is looked at.
LOOKS = 5


@dataclass
class Looking:
    """Looks at one scene and notes what is seen; `unsaid` tells which numbers were not said."""

    scene: Scene
    connection: Connection
    spool: SpoolWriter
    changes: Changes
    unsaid: list[str] = field(default_factory=list)

    def keep_picture(self, name: str, what: str, pixels: Pixels | None) -> None:
        """Keep a picture with the run's record: the screen as it stands where none is given."""
        if pixels is None and self.scene.screen is not None:
            pixels = self.scene.screen.take()
        if pixels is not None:
            self.spool.picture(name, pixels)
            self.spool.journal({"kind": "picture", "at": now_ns(), "name": name, "what": what})

    def silent_s(self, last_ns: int) -> float | None:
        """For how long the subject has not answered when asked whether it is there.

        None where it answers, has ended, or shows no window that knows how to answer.
        """
        window, asked = self.scene.watcher.main_window(), now_ns()
        subject = self.scene.subject
        if subject is not None and any(map(processes.stopped, subject.processes())):
            return (asked - last_ns) / 1e9
        if window is None or not self.connection.ask_to_answer(window.id):
            return None
        while now_ns() < asked + ANSWER_PATIENCE_NS:
            seen = self.changes.told
            subject = self.scene.subject
            if self.scene.watcher.answered_ns > asked or subject is None or subject.exited_ns:
                return None
            self.changes.wait(seen, POLL_SECONDS)
        return (now_ns() - asked) / 1e9

    def difference(self, condition: EndCondition, line: int) -> str:
        """By how much a picture misses the one it should look like; the pictures are kept."""
        if not isinstance(condition, (PictureLike, FileLike)) or condition.seen is None:
            return ""
        wanted = read_picture(read_below(self.scene.folder.folder, condition.other))
        if wanted is None:
            return f" (“{condition.other}” is no picture that can be read)"
        marked = difference_picture(condition.seen, wanted)
        self.keep_picture(f"line-{line}-seen", f"line {line}: what was seen", condition.seen)
        self.keep_picture(f"line-{line}-wanted", f"line {line}: what was wanted", wanted)
        self.keep_picture(f"line-{line}-difference", f"line {line}: where they differ", marked)
        if condition.seen.shape != wanted.shape:
            one, two = condition.seen.shape, wanted.shape
            return f" (it is {one[1]}x{one[0]} pixels, not {two[1]}x{two[0]})"
        return f" ({condition.difference:.2g} % of the pixels differ)"

    def take(
        self, statement: Take, path: tuple[str, ...], input_ns: int, check: Callable[[], None]
    ) -> None:
        """Note a number that the program says; where it says none, the run goes on without."""
        if statement.region is not None:
            self._take_pictures(statement, statement.region, path, check)
            return
        pattern, deadline = compiled(statement.pattern), now_ns() + statement.within_ns
        while True:
            seen, at = self.changes.told, now_ns()
            text = self._taken_text(statement, pattern, input_ns)
            if text is not None or at >= deadline:
                break
            check()
            self.changes.wait(seen, POLL_SECONDS)
        value = None if text is None else reported_number(text)
        self.spool.journal({
            "kind": "taken", "at": now_ns(), "path": (*path, statement.name), "value": value,
            "text": text, "unit": statement.unit, "higher_is_better": statement.higher_is_better,
            "source": statement.source,
        })  # fmt: skip
        if value is None:
            found = "nothing fits the pattern" if text is None else f"“{text}” is no number"
            self.unsaid.append(
                f"line {statement.line}: no {statement.name} taken from {statement.source}: {found}"
            )

    def _take_pictures(
        self,
        statement: Take,
        region: ScreenRegion,
        path: tuple[str, ...],
        check: Callable[[], None],
    ) -> None:
        """Keep pictures of a region that shows a number; what stands there is read later.

        It is looked at several times over the time the script gives, and each picture kept once.
        """
        seen: list[tuple[bytes, str, int]] = []
        for look in range(LOOKS):
            if look:
                sleep_until(now_ns() + statement.within_ns // (LOOKS - 1))
            check()
            pixels = self._region(region)
            if pixels is None or not pixels.size:
                continue
            data = pixels.tobytes()
            place = next((n for n, one in enumerate(seen) if one[0] == data), None)
            if place is None:
                name = f"line-{statement.line}-look-{len(seen) + 1}"
                self.spool.picture(name, pixels)
                seen.append((data, name, 1))
            else:
                seen[place] = (data, seen[place][1], seen[place][2] + 1)
        self.spool.journal({
            "kind": "shown", "at": now_ns(), "path": (*path, statement.name),
            "unit": statement.unit, "higher_is_better": statement.higher_is_better,
            "pattern": statement.pattern,
            "looks": [{"picture": name, "count": count} for _, name, count in seen],
        })  # fmt: skip
        if not seen:
            self.unsaid.append(
                f"line {statement.line}: no {statement.name} taken: nothing is shown there"
            )

    def _region(self, region: ScreenRegion) -> Pixels | None:
        """A picture of a region of a window; None where the window is not shown."""
        watcher, screen = self.scene.watcher, self.scene.screen
        named = [one for one in watcher.titled(region.window) if one.visible]
        window = named[0] if region.window and named else None
        if not region.window:
            window = watcher.main_window()
        if window is None or screen is None:
            return None
        try:
            left, top = self.connection.origin(window.id)
        except GONE:
            return None
        return cut(screen.take(), left + region.x, top + region.y, region.width, region.height)

    def _taken_text(self, statement: Take, pattern: Pattern, input_ns: int) -> str | None:
        """The newest text that fits, said since the last input."""
        folder = self.scene.folder
        if statement.file:
            data = read_below(folder.folder, statement.file)
            found = last_match(pattern, data.decode(errors="replace")) if data else None
            return found.group(1) if found else None
        program = self.scene.program(statement.of)
        log = folder.logs.get(program.log) if program else None
        for line in reversed(list(log.lines)) if log else ():
            if line.at_ns < input_ns:
                return None
            match = pattern.search(line.text)
            if match:
                return match.group(1)
        return None
