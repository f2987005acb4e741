"""`yardstick-agent`: serve a rig, or play one session here and now."""

from __future__ import annotations

import argparse
import json
import os
import shlex
import shutil
import signal
import subprocess
import sys
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from yardstick_agent import leftovers, user_service
from yardstick_agent.client import Client, ServerAway, ServerRefused
from yardstick_agent.config import ConfigError, join_file, load
from yardstick_agent.lock import machine_to_ourselves
from yardstick_agent.programs import OWNER, NotAllowed, allow, forbid, log_of, take_back
from yardstick_agent.sampling.facts import facts
from yardstick_agent.service import Service
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.record import FINISHED
from yardstick_core.script import ScriptError, parse

if TYPE_CHECKING:
    from yardstick_core.readings import Reading

CONFIG = Path("~/.config/noble-yardstick/rig.json").expanduser()
REFUSED = 3


def main() -> None:
    parser = argparse.ArgumentParser(prog="yardstick-agent", description=__doc__)
    parser.set_defaults(act=None)
    parts = parser.add_subparsers(required=True)
    serve = parts.add_parser("serve", help="take runs from a server")
    serve.add_argument("config", type=Path, help="the rig's JSON file")
    serve.set_defaults(act=_serve)
    join = parts.add_parser("join", help="make this machine a rig of a server")
    join.add_argument("server", help="the server's address, such as http://127.0.0.1:8000")
    join.add_argument("token", help="the token that the server shows when a rig is added")
    join.add_argument("--config", type=Path, default=CONFIG, help="where to keep the rig's file")
    join.add_argument(
        "--service", action="store_true",
        help="write the file by which systemd starts the agent with this machine",
    )  # fmt: skip
    join.set_defaults(act=_join)
    _program_parsers(parts)
    play = parts.add_parser("play", help="play one session without a server")
    play.add_argument("script", type=Path)
    play.add_argument("--variant", required=True, metavar="COMMAND", help="what to start")
    play.add_argument("--log", default="", help="the subject's log file, in its working folder")
    play.add_argument("--fixtures", type=Path, help="folder with the script's fixtures")
    play.add_argument("--display", default="", help="an X display; without it a virtual one")
    play.add_argument(
        "--confirm", action="append", default=[], metavar="TEXT",
        help="what the script asks a person to have seen to; may be given again",
    )  # fmt: skip
    play.add_argument("--level", default="", help="level of the script's ladder, the first else")
    play.add_argument("--out", type=Path, help="where to write the record (default NAME.run)")
    play.set_defaults(act=_play)
    options = parser.parse_args()
    os.umask(0o077)  # spool and records are for its user alone to read
    sys.exit(options.act(options))


def _program_parsers(parts: Any) -> None:
    """Words about what this rig may start."""
    config = {"type": Path, "default": CONFIG, "help": "the rig's file"}
    allows = parts.add_parser("allow", help="let this rig start a program")
    allows.add_argument("name", help="what variants call it")
    allows.add_argument("command", nargs="+", metavar="-- COMMAND", help="what is started")
    allows.add_argument("--env", action="append", default=[], metavar="NAME=VALUE")
    allows.add_argument("--log", default="", help="its log file, in the folder it works in")
    allows.add_argument("--home", default="", choices=["", "real"], help="real: your own home")
    allows.add_argument("--prepare", default="", metavar="COMMAND", help="run before each session")
    allows.add_argument("--config", **config)
    allows.set_defaults(act=_allow)
    forbids = parts.add_parser("forbid", help="let this rig not start a program any more")
    forbids.add_argument("name")
    forbids.add_argument("--config", **config)
    forbids.set_defaults(act=_forbid)
    back = parts.add_parser("take-back", help="undo the newest change of what it may start")
    back.add_argument("--config", **config)
    back.set_defaults(act=_take_back)
    listed = parts.add_parser("programs", help="what this rig may start, and who said so")
    listed.add_argument("--config", **config)
    listed.set_defaults(act=_programs)


def _allow(options: argparse.Namespace) -> int:
    environment = dict(pair.partition("=")[::2] for pair in options.env)
    values = {
        "command": options.command, "environment": environment, "log": options.log,
        "home": options.home, "prepare": shlex.split(options.prepare),
    }  # fmt: skip
    return _changed(options, lambda: allow(options.config, options.name, values, "the rig"))


def _forbid(options: argparse.Namespace) -> int:
    return _changed(options, lambda: forbid(options.config, options.name, "the rig"))


def _take_back(options: argparse.Namespace) -> int:
    return _changed(options, lambda: take_back(options.config))


def _changed(options: argparse.Namespace, change: Callable[[], Any]) -> int:
    try:
        load(options.config)
        change()
    except (ConfigError, NotAllowed) as refused:
        print(f"{refused}; nothing was changed", file=sys.stderr)
        return 2
    return _programs(options)


def _programs(options: argparse.Namespace) -> int:
    try:
        config = load(options.config)
    except ConfigError as error:
        print(error, file=sys.stderr)
        return 2
    last = {change["name"]: change for change in log_of(options.config)}
    whose = "its file, and owners of its workspace" if config.programs_from == OWNER else "its file"
    print(f"What this rig may start is said by {whose}: {options.config}\n")
    for name, program in sorted(config.programs.items()):
        change = last.get(name)
        by = f"   (since {change['at']}, by {change['by']})" if change else ""
        print(f"  {name:<28}{shlex.join(map(str, program.get('command', ())))}{by}")
    if not config.programs:
        print("  nothing yet: yardstick-agent allow NAME -- COMMAND …")
    return 0


def _serve(options: argparse.Namespace) -> int:
    try:
        config = load(options.config)
    except ConfigError as error:
        print(error, file=sys.stderr)
        return 2
    config.spool.mkdir(parents=True, exist_ok=True)
    service = Service(
        config, Client(config.server, config.token), lambda text: print(text, flush=True),
        options.config,
    )  # fmt: skip
    for kind in (signal.SIGTERM, signal.SIGINT):
        signal.signal(kind, lambda *_: service.stop())
    return 0 if service.serve() else REFUSED


def _join(options: argparse.Namespace) -> int:
    """Ask the server whether it wants this machine; only then write the rig's file."""
    file: Path = options.config
    client = Client(options.server.rstrip("/"), options.token)
    try:
        welcome = client.hello(facts(), {})
    except ServerAway as away:
        print(f"{options.server} cannot be reached, nothing was written: {away}", file=sys.stderr)
        return 1
    except ServerRefused as refused:
        print(f"the server refuses, nothing was written: {refused}", file=sys.stderr)
        return REFUSED
    join_file(file, options.server.rstrip("/"), options.token)
    print(
        f"This machine is now the rig “{welcome['rig']}” of {options.server}.\n\n"
        f"Say what it may start, then serve it:\n\n"
        f"    yardstick-agent allow NAME -- COMMAND …\n"
        f"    yardstick-agent serve {file}\n"
    )
    if options.service:
        place = user_service.write(file)
        print(
            f"It is started with this machine by {place}. Let systemd know, once:\n\n"
            f"    systemctl --user enable --now {user_service.NAME}\n"
            f"    loginctl enable-linger\n"
            if place
            else f"{user_service.FOLDER / user_service.NAME} is there already and was left alone.\n"
        )
    return 0


def _play(options: argparse.Namespace) -> int:
    text = options.script.read_text(encoding="utf-8")
    try:
        script = parse(text)
        values = {script.ladder.name: options.level} if script.ladder and options.level else {}
        script = parse(text, values)
    except ScriptError as error:
        print(f"{options.script} cannot be played:\n{error}", file=sys.stderr)
        return 2
    folder = Path(tempfile.mkdtemp(prefix="yardstick-"))
    try:
        work = folder / "work"
        work.mkdir()
        source = options.fixtures or options.script.parent
        for fixture in script.fixtures:
            if not (source / fixture.file).exists():
                print(f"the fixture {fixture.file} is not in {source}", file=sys.stderr)
                return 2
            shutil.copy(source / fixture.file, work)
        program = {"command": _command(options.variant), "log": options.log}
        assignment = {
            "script": text, "program": program, "display": options.display,
            "confirmed": [{"text": text, "by": "who started it"} for text in options.confirm],
            "values": values,
        }  # fmt: skip
        (folder / "assignment.json").write_text(json.dumps(assignment))
        outcome = measure(folder)
        print_readings(folder)
        out = options.out or Path(options.script.with_suffix(".run").name)
        try:
            write_record(folder, out)
        except OSError as error:
            out = Path(tempfile.mkdtemp(prefix="yardstick-kept-")) / out.name
            write_record(folder, out)
            print(f"\nthe record could not be written where asked: {error}", file=sys.stderr)
        print(f"\n{outcome}; the record is in {out}")
        return 0 if outcome == FINISHED else 1
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _command(text: str) -> list[str]:
    """The words of a command; its program is looked up from here, not from the working folder."""
    program, *words = shlex.split(text)
    found = shutil.which(program)
    return [str(Path(found).absolute()) if found else program, *words]


def measure(folder: Path) -> str:
    """Measure the run prepared in a folder, in a process of its own; its outcome in words."""
    with machine_to_ourselves(waiting=lambda: print("waiting for another session to end")):
        try:
            subprocess.run(
                [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)], check=False
            )
        finally:
            leftovers.end_all(folder)
    run = SpoolReader(folder).run()
    return run.outcome if run.outcome == FINISHED else f"{run.outcome}: {run.detail}"


def write_record(folder: Path, out: Path) -> None:
    """The run's chunks in one file."""
    reader = SpoolReader(folder)
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("assignment.json", (folder / "assignment.json").read_text())
        for stream in reader.streams():
            for part in reader.chunks(stream, 0, 0, finished=True):
                archive.writestr(f"streams/{stream}/{part.sequence}.chunk", part.data)


def print_readings(folder: Path) -> None:
    """What a run says, by family; what says one fact in another form stands below it, after `=`."""
    # A rig that serves derives nothing: it starts in half the time and memory without these.
    from yardstick_core.readings import derive
    from yardstick_core.readings.families import FAMILY_NAMES, facts, family_of, lead_of

    readings = derive(SpoolReader(folder).run())
    found = facts(
        [(one.metric, one.stretch) for one in readings], [lead_of(one.metric) for one in readings]
    )
    for family, name in FAMILY_NAMES.items():
        inside = [fact for fact in found if family_of(readings[fact[0]].metric) == family]
        if inside:
            print(f"\n{name}")
        for lead, echoes in inside:
            print(_reading_line("  ", readings[lead]))
            for echo in echoes:
                print(_reading_line("  = ", readings[echo]))


def _reading_line(mark: str, reading: Reading) -> str:
    from yardstick_core.compare.text import label, qualified_label, quantity
    from yardstick_core.readings import METRICS
    from yardstick_core.readings.derive import WHOLE

    metric = METRICS[reading.metric]
    name = mark + qualified_label(label(metric, reading.stretch), reading.stretch)
    if len(reading.stretch) == 1 and reading.stretch[0] not in (WHOLE, name):
        name += f", {reading.stretch[0]}"
    value = quantity(metric, reading.value)
    more = f" ± {quantity(metric, reading.plus_minus, 2)}" if reading.plus_minus else ""
    longer = "longer than " if reading.right_censored else ""
    note = f"   ({reading.warning})" if reading.warning else ""
    return f"{name:<54} {longer}{value}{more}{note}"
