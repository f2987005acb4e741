"""The programs a session has started, for those who tell whose a window is."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator

from yardstick_agent.subject import Subject


class Started:
    """Programs by name, the subject under the empty one, in the order they were started.

    A quick program shows its window before it is noted that it runs: whoever asks about a window
    meanwhile waits until it is.
    """

    def __init__(self) -> None:
        self._by_name: dict[str, Subject] = {}
        self._starting = threading.Lock()

    def __iter__(self) -> Iterator[Subject]:
        return iter(list(self._by_name.values()))

    def start(self, name: str, make: Callable[[], Subject], copy: int = 1) -> Subject:
        """Start a program and note it. Raises what `make` raises, and then notes nothing.

        A further copy stands beside those before it; the first takes the place of an earlier one.
        """
        with self._starting:
            started = make()
            self._by_name[f"{name} {copy}" if copy > 1 else name] = started
        return started

    def belongs(self, pid: int) -> bool:
        """Whether a window of this process is looked at; 0 stands for one nobody can name."""
        with self._starting:
            running = [program for program in self if not program.exited_ns]
        return any(program.owns(pid) for program in running) if pid else bool(running)

    def named(self, name: str) -> list[Subject]:
        """All copies of a program that were started, the first first."""
        return [program for program in self if program.name == name]

    def companions(self) -> set[int]:
        """First processes of all programs but the subject."""
        return {program.pid for name, program in list(self._by_name.items()) if name}

    def subject_alone(self) -> bool:
        """Whether the subject was started, and no companion."""
        return list(self._by_name) == [""]
