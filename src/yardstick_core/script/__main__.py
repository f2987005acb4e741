"""`./yardstick script check FILE …` and `./yardstick script format FILE …`."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from yardstick_core.script import ScriptError, formatted, outline, parse


def main() -> int:
    parser = argparse.ArgumentParser(prog="./yardstick script")
    words = parser.add_subparsers(dest="word", required=True)
    check = words.add_parser("check", help="say what is wrong with scripts, by line and column")
    check.add_argument("files", type=Path, nargs="+")
    layout = words.add_parser("format", help="bring scripts into their one layout")
    layout.add_argument("files", type=Path, nargs="+")
    layout.add_argument("--check", action="store_true", help="only say which would change")
    options = parser.parse_args()
    wrong = 0
    for file in options.files:
        try:
            text = file.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            print(f"{file}: cannot be read: {error}", file=sys.stderr)
            wrong += 1
            continue
        if options.word == "check":
            wrong += not _check(file, text)
        else:
            wrong += not _format(file, text, only_say=options.check)
    return 1 if wrong else 0


def _check(file: Path, text: str) -> bool:
    try:
        plan = outline(parse(text))
    except ScriptError as error:
        for problem in error.problems:
            print(f"{file}:{problem}", file=sys.stderr)
        return False
    timed = f"{len(plan.stretches)} timings and frame stretches, {plan.inputs} inputs"
    print(f"{file}: {len(plan.steps)} steps, {timed}")
    return True


def _format(file: Path, text: str, *, only_say: bool) -> bool:
    try:
        wanted = formatted(text)
    except ScriptError as error:
        for problem in error.problems:
            print(f"{file}:{problem}", file=sys.stderr)
        return False
    if wanted == text:
        return True
    if only_say:
        print(f"{file}: would be laid out anew")
        return False
    file.write_text(wanted, encoding="utf-8")
    print(f"{file}: laid out anew")
    return True


if __name__ == "__main__":
    sys.exit(main())
