"""Which word of `./yardstick WORD` does what."""

from __future__ import annotations

import argparse
import os
import sys

from yardstick_command import install
from yardstick_command.places import PROJECT, SOURCES, VENV_PYTHON


def main() -> None:
    if sys.argv[1:2] == ["gate"]:  # needs nothing installed, and has options of its own
        from yardstick_command import gate

        sys.exit(gate.main(sys.argv[2:]))
    parser = argparse.ArgumentParser(prog="./yardstick")
    words = parser.add_subparsers(dest="word", required=True, metavar="WORD")
    up = words.add_parser("up", help="set up what is missing and start everything, with demo data")
    up.add_argument("--fresh", action="store_true", help="start over: throws away all stored data")
    up.add_argument("--bare", action="store_true", help="without the demonstration")
    up.add_argument("--port", type=int, default=8000, help="port of the web interface")
    words.add_parser("demo", help="a short real study of two releases, in the terminal")
    test = words.add_parser("test", help="set up what tests need and run everything")
    test.add_argument("rest", nargs=argparse.REMAINDER, help="handed to pytest")
    checks = words.add_parser("check", help="format, lint, types, import rules")
    checks.add_argument("--write", action="store_true", help="mend what can be mended")
    record = words.add_parser("record", help="record the demonstration's runs anew")
    record.add_argument("rest", nargs=argparse.REMAINDER)
    calibrate = words.add_parser("calibrate", help="count how often the judging is right")
    calibrate.add_argument("rest", nargs=argparse.REMAINDER, help="repeats a cell (1000)")
    bench = words.add_parser("bench", help="how fast the core is, as ratios taken in one run")
    bench.add_argument(
        "part", nargs="?", default="core",
        choices=[
            *("core", "traces", "logs", "soak", "observer", "fleet", "strangers", "api", "bundles"),
            *("films", "race", "boot"),
        ],
        help="core (the usual), traces, logs, soak (half an hour), observer: what measuring costs, "
        "fleet: many simulated agents at once, strangers: programs of others on six toolkits, api: "
        "each request of the pages, and with copies of the demonstration, bundles: of any size, "
        "films: what filming costs, and how quickly films are decoded, race: how well two long "
        "films keep in step (minutes), boot: sessions that restart a small system in an emulator",
    )  # fmt: skip
    bench.add_argument(
        "amount", nargs="*", help="rows, minutes, rounds; of fleets the numbers of agents and 5min"
    )
    pictures = words.add_parser("screenshots", help="take the pictures of docs/screenshots anew")
    pictures.add_argument("names", nargs="*", help="only these")
    script = words.add_parser("script", help="check or format session scripts")
    script.add_argument("rest", nargs=argparse.REMAINDER, help="check FILE … or format FILE …")
    bundle = words.add_parser("bundle", help="a study as one file: export N FILE, check, import")
    bundle.add_argument("way", choices=["export", "check", "import"])
    bundle.add_argument("rest", nargs="+", help="export: STUDY FILE; check, import: FILE …")
    words.add_parser(
        "gate", help="for a build server: is this build slower in what matters? gate --help"
    )
    agent = words.add_parser("agent", help="the agent alone: agent play … or agent serve …")
    agent.add_argument("rest", nargs=argparse.REMAINDER)
    options = parser.parse_args()
    try:
        sys.exit(_do(options))
    except install.Missing as missing:
        sys.exit(f"\n{missing}")
    except KeyboardInterrupt:
        sys.exit(130)


def _do(options: argparse.Namespace) -> int:
    if options.word == "up":
        from yardstick_command.up import up

        install.for_running()
        return up(fresh=options.fresh, port=options.port, bare=options.bare)
    if options.word == "test":
        from yardstick_command.developer.test import test

        install.for_tests()
        return test(options.rest)
    if options.word == "check":
        from yardstick_command.developer.check import check

        install.for_tests()
        return check(write=options.write)
    if options.word == "screenshots":
        from yardstick_command.developer.screenshots import screenshots

        install.for_tests()
        return screenshots(options.names)
    if options.word == "bundle":
        return _bundle(options.way, options.rest)
    install.for_measuring()
    if options.word == "calibrate":
        table = str(PROJECT / "docs" / "calibration.md")
        repeats = options.rest or ["1000"]
        _hand_over("-m", "yardstick_core.calibration", *repeats, table)
    if options.word == "bench":
        if options.part in ("traces", "logs", "fleet", "api"):
            install.for_running()
        _hand_over(str(PROJECT / "bench" / f"{options.part}.py"), *options.amount)
    if options.word == "script":
        _hand_over("-m", "yardstick_core.script", *options.rest)
    if options.word == "agent":
        _hand_over("-m", "yardstick_agent", *options.rest)
    script = "short_study.py" if options.word == "demo" else "record.py"
    _hand_over(str(PROJECT / "demo" / script), *getattr(options, "rest", []))
    return 0


def _bundle(way: str, rest: list[str]) -> int:
    """Bundles: checked by the core alone; written and read where the server's database runs."""
    install.for_running()
    if way == "check":
        _hand_over("-m", "yardstick_core.formats", *rest)
    from yardstick_command.up import database, manage

    with database() as environment:
        for words in [rest] if way == "export" else [[file] for file in rest]:
            print(manage(environment, "bundle", way, *words), end="")
    return 0


def _hand_over(*words: str) -> None:
    environment = {**os.environ, "PYTHONPATH": f"{SOURCES}:{PROJECT / 'demo'}"}
    os.execve(VENV_PYTHON, [str(VENV_PYTHON), *words], environment)
