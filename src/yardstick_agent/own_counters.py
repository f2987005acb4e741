"""Counters that a rig's owner names in its file: a file or a command that prints numbers as lines.

A line is `name value unit`: `coolant 41.5 °C`. `python -m yardstick_agent.own_counters` reads them
in a process of its own, so that a command that hangs or is slow disturbs no measurement.
"""

from __future__ import annotations

import contextlib
import json
import math
import os
import re
import shutil
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from yardstick_agent.children import ending_with_us
from yardstick_agent.clock import now_ns
from yardstick_core.streams.counters import HIGHER, LOWER, OWN_PREFIX
from yardstick_core.streams.entries import Entry

USUAL_EVERY_S, LEAST_EVERY_S = 1.0, 0.1
USUAL_WITHIN_S, MOST_WITHIN_S = 2.0, 30.0
MOST_BYTES, MOST_COUNTERS = 64 * 1024, 50
LONGEST_NAME, LONGEST_UNIT = 60, 16
_KEYS = {"name", "unit", "file", "command", "every_s", "within_s", "better"}


def checked_counters(told: Any) -> list[dict[str, Any]]:
    """The counters of a rig's file. Raises ValueError saying which is not usable, and why."""
    if not isinstance(told, list):
        raise ValueError("“counters” is a list")
    for place, one in enumerate(told, 1):
        trouble = _trouble(one)
        if trouble:
            raise ValueError(f"counter {place}: {trouble}")
    return told


def _trouble(one: Any) -> str:
    if not isinstance(one, dict) or one.keys() - _KEYS:
        return f"an entry has {', '.join(sorted(_KEYS))}, and nothing else"
    if ("file" in one) == ("command" in one):
        return "it is read from a “file” or from a “command”, one of the two"
    command = one.get("command", ["true"])
    if not isinstance(command, list) or not command or not all(isinstance(w, str) for w in command):
        return "a “command” is a list of words"
    every, within = one.get("every_s", USUAL_EVERY_S), one.get("within_s", USUAL_WITHIN_S)
    if not _is_number(every) or every < LEAST_EVERY_S:
        return f"“every_s” is a number of at least {LEAST_EVERY_S:g} s"
    if not _is_number(within) or not 0 < within <= MOST_WITHIN_S:
        return f"“within_s” is a number of at most {MOST_WITHIN_S:g} s"
    if one.get("better", "") not in ("", HIGHER, LOWER):
        return f"“better” is “{HIGHER}” or “{LOWER}”, or is left away"
    return ""


def _is_number(value: Any) -> bool:
    plain = isinstance(value, (int, float)) and not isinstance(value, bool)
    return plain and math.isfinite(value)


@dataclass(frozen=True, slots=True)
class Counted:
    """A number as it was read, with its name and unit."""

    name: str
    value: float
    unit: str


def counted(text: str, name: str = "", unit: str = "") -> list[Counted]:
    """The numbers of a text, line by line; a line that is a number alone has the given name.

    >>> counted("fan 2 1200 rpm\\nnothing here")
    [Counted(name='fan 2', value=1200.0, unit='rpm')]
    """
    found = []
    for line in text.splitlines():
        words = line.split()
        numbers = [(place, value) for place, word in enumerate(words) if (value := _number(word))]
        if not numbers:
            continue
        place, value = numbers[-1]
        told = " ".join(words[:place])
        if not any(map(str.isalpha, told)):  # numbers alone: the first is the one with the name
            (place, value), told = numbers[0], name
            words = words[: place + 1] if len(numbers) > 1 else words
        if told:
            said = " ".join(words[place + 1 :]) or unit
            found.append(Counted(told[:LONGEST_NAME], value[0], said[:LONGEST_UNIT]))
    return found


def _number(word: str) -> tuple[float] | None:
    """A number in a tuple, so that 0 is one too."""
    try:
        value = float(word)
    except ValueError:
        return None
    return (value,) if math.isfinite(value) else None


def stream_of(name: str) -> str:
    """What the stream of a counter is called.

    >>> stream_of("fan 2")
    'own.fan_2'
    """
    return OWN_PREFIX + (re.sub(r"[^A-Za-z0-9_]+", "_", name).strip("_")[:40] or "counter")


class OwnCounters:
    """Starts the process that reads them and keeps what it says, in the order in which it comes."""

    def __init__(
        self,
        counters: list[dict[str, Any]],
        keep: Callable[[str, int, float], None],
        journal: Callable[[Entry], None],
    ) -> None:
        self.keep, self.journal = keep, journal
        self._streams: dict[tuple[str, str], str] = {}
        self._troubles: set[str] = set()
        command = [sys.executable, "-m", "yardstick_agent.own_counters", json.dumps(counters)]
        self.process = subprocess.Popen(
            ending_with_us(command), stdout=subprocess.PIPE, stdin=subprocess.DEVNULL, text=True,
            start_new_session=True,
        )  # fmt: skip
        self._thread = threading.Thread(target=self._take, name="own counters", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self.process.terminate()
        try:
            self.process.wait(2)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
        self._thread.join(2)

    def _take(self) -> None:
        for line in self.process.stdout or ():
            told = json.loads(line)
            if "trouble" in told:
                if told["trouble"] not in self._troubles:
                    self._troubles.add(told["trouble"])
                    self.journal(
                        {"kind": "counter trouble", "at": told["at"], "trouble": told["trouble"]}
                    )
                continue
            stream = self._stream(told)
            if stream:
                self.keep(stream, told["at"], told["value"])

    def _stream(self, told: dict[str, Any]) -> str:
        """The stream of a counter, described in the journal when it first comes; nothing where
        there are too many.
        """
        key = (told["name"], told["unit"])
        if key not in self._streams and len(self._streams) < MOST_COUNTERS:
            stream, taken = stream_of(told["name"]), set(self._streams.values())
            while stream in taken:
                stream += "_"
            self._streams[key] = stream
            self.journal({
                "kind": "counter", "at": told["at"], "stream": stream, "name": told["name"],
                "unit": told["unit"], "better": told["better"],
            })  # fmt: skip
        return self._streams.get(key, "")


# -- the process that reads ------------------------------------------------------------


def read(one: dict[str, Any]) -> tuple[list[Counted], str]:
    """What one counter says now, or why nothing is known."""
    name = str(one.get("name", ""))
    if "file" in one:
        try:
            with open(one["file"], "rb") as file:
                text = file.read(MOST_BYTES).decode(errors="replace")
        except OSError as error:
            return [], f"{one['file']} cannot be read: {error.strerror}"
        found = counted(text, name or Path(one["file"]).name, str(one.get("unit", "")))
        return found, "" if found else f"{one['file']} holds no line with a number"
    printed, trouble = _output_of(one["command"], float(one.get("within_s", USUAL_WITHIN_S)))
    found = counted(printed, name or Path(one["command"][0]).name, str(one.get("unit", "")))
    return found, trouble or ("" if found else f"{one['command'][0]} prints no line with a number")


def _output_of(command: list[str], within_s: float) -> tuple[str, str]:
    """What a command prints, or what was wrong; all it started ends with it."""
    if shutil.which(command[0]) is None:
        return "", f"{command[0]} cannot be started: there is no such program"
    process = subprocess.Popen(
        ending_with_us(command), stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL, start_new_session=True,
    )  # fmt: skip
    late = threading.Event()

    def end() -> None:
        late.set()
        _end_all(process)

    timer = threading.Timer(within_s, end)
    timer.start()
    try:
        data = process.stdout.read(MOST_BYTES) if process.stdout else b""
        code = process.wait()  # one that prints on for ever waits too, until it is late
    finally:
        timer.cancel()
        _end_all(process)
        process.wait()
        if process.stdout:
            process.stdout.close()
    if late.is_set():
        return "", f"{command[0]} took longer than {within_s:g} s and was ended"
    trouble = f"{command[0]} ended with {code}" if code else ""
    return data.decode(errors="replace"), trouble


def _end_all(process: subprocess.Popen[bytes]) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)


def _lines(one: dict[str, Any]) -> Iterator[dict[str, Any]]:
    at = now_ns()
    found, trouble = read(one)
    if trouble:
        yield {"at": at, "trouble": trouble}
    for each in found:
        yield {
            "at": at, "name": each.name, "value": each.value, "unit": each.unit,
            "better": one.get("better", ""),
        }  # fmt: skip


def main() -> None:
    """Read each counter at its own beat, until ended; a slow one keeps no other waiting."""
    writing = threading.Lock()

    def follow(one: dict[str, Any]) -> None:
        every_ns = int(float(one.get("every_s", USUAL_EVERY_S)) * 1e9)
        due = now_ns()
        pause = threading.Event()
        while True:
            for line in _lines(one):
                with writing:
                    print(json.dumps(line), flush=True)
            due = max(due + every_ns, now_ns())
            pause.wait(max(0.0, (due - now_ns()) / 1e9))

    os.setpriority(os.PRIO_PROCESS, 0, 5)
    threads = [
        threading.Thread(target=follow, args=(one,), daemon=True) for one in json.loads(sys.argv[1])
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


if __name__ == "__main__":
    main()
