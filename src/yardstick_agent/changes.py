"""Wakes whoever waits for something to happen: a picture, a window, a log line, an exit."""

import threading


class Changes:
    """Observers stamp what they see, then call `tell`; the player waits for the next telling."""

    def __init__(self) -> None:
        self._condition = threading.Condition()
        self._told = 0

    def tell(self) -> None:
        with self._condition:
            self._told += 1
            self._condition.notify_all()

    @property
    def told(self) -> int:
        return self._told

    def wait(self, seen: int, seconds: float) -> None:
        """Wait until more than `seen` tellings have been made, at most `seconds`."""
        with self._condition:
            if self._told == seen:
                self._condition.wait(seconds)
