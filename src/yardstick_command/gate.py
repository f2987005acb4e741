"""`./yardstick gate`: asks a server whether a build is slower in what matters, and waits for it.

One file that needs Python 3.11 and nothing else; a server hands it out at `/agent/gate.py`:

    python3 gate.py --server https://yardstick.example --study 4 \\
        --build "5.0-rc2 (812)" --junit gate.xml

Where no rig of ours measures it, bring results in, a log a run, measured in turns:

    python3 gate.py --study 4 --build "5.0-rc2 (812)" --results build-*.csv \\
        --baseline-results base-*.csv

The token, of scope *measure*, is read from YARDSTICK_TOKEN, never from the line of words, which
others on the machine can read. It ends with 0 where the build is not slower, 1 where it is slower
in what matters, 2 where that is not known well enough, and 3 where it could not be measured.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import time
import urllib.error
import urllib.parse
import urllib.request
from pathlib import Path
from typing import Any, NoReturn
from xml.etree import ElementTree

NOT_MEASURED = 3
#: Outcomes that are no failure of the build and no pass either.
UNDECIDED = ("not known well enough", "could not be measured")
#: Seconds between two looks, and for how long a server that is away is waited for.
LOOK_S, PATIENCE_S = 3.0, 300.0
STANDINGS = {"not slower": "passed", "slower": "failed", "not known well enough": "not known"}

Body = dict[str, Any]


class Failed(Exception):
    """Nothing can be measured: why."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        self.print_usage(sys.stderr)
        print(f"gate: {message}", file=sys.stderr)
        sys.exit(NOT_MEASURED)


def main(words: list[str] | None = None) -> int:
    options = _options(words)
    token = os.environ.get("YARDSTICK_TOKEN", "")
    try:
        if not token:
            raise Failed("YARDSTICK_TOKEN is not set: make a token of scope measure under People")
        server = Server(options.server.rstrip("/"), token)
        gate = _ask(server, options)
        gate = _wait(server, gate, options.timeout * 60)
    except Failed as why:
        print(f"gate: could not be measured: {why}", file=sys.stderr)
        _write_down(options, _unmeasured(options, str(why)))
        return NOT_MEASURED
    print(markdown(gate))
    _write_down(options, gate)
    return int(gate["exit"])


def _write_down(options: argparse.Namespace, gate: Body) -> None:
    """The forms that were asked for: whoever reads them finds none of a build before."""
    _write(options.json, json.dumps(gate, indent=1, ensure_ascii=False) + "\n")
    _write(options.markdown, markdown(gate))
    _write(options.junit, junit(gate))


def _options(words: list[str] | None) -> argparse.Namespace:
    parser = _Parser(prog="gate", description="Is this build slower in what matters?")
    parser.add_argument(
        "--server", default=os.environ.get("YARDSTICK_SERVER", "http://127.0.0.1:8000"),
        help="address of the server; or YARDSTICK_SERVER",
    )  # fmt: skip
    parser.add_argument("--study", type=int, required=True, help="number of the study it goes by")
    parser.add_argument("--build", required=True, help="what the build is called")
    parser.add_argument(
        "--program",
        help="what the rig starts for it, by its name, where that is not what the study says",
    )
    parser.add_argument(
        "--results", nargs="+", type=Path, metavar="FILE",
        help="in place of a program: a log of each run of the build, measured elsewhere",
    )  # fmt: skip
    parser.add_argument(
        "--baseline-results", nargs="+", type=Path, metavar="FILE",
        help="as many of the baseline; the first of both were measured together, and so on",
    )  # fmt: skip
    parser.add_argument("--mapping", help="name of the kept mapping that the logs are read by")
    parser.add_argument("--stretch", help="step / name of what they are results of")
    parser.add_argument(
        "--metric", action="append", default=[],
        help="what counts, called as the board does; may be said again",
    )  # fmt: skip
    parser.add_argument(
        "--tolerance", type=float, default=10.0,
        help="percent that it may be worse by, as far as is known, and still pass (10)",
    )  # fmt: skip
    parser.add_argument("--rounds", type=int, default=8, help="at most, before confirming (8)")
    parser.add_argument("--timeout", type=float, default=120, help="minutes to wait (120)")
    parser.add_argument("--json", help="write everything there")
    parser.add_argument("--markdown", help="write a summary there")
    parser.add_argument("--junit", help="write a report of tests there, a test a metric")
    options = parser.parse_args(words)
    if options.program and options.results:
        parser.error("say --program, or --results with --baseline-results, and not both")
    if bool(options.results) != bool(options.baseline_results):
        parser.error("results of the build need as many of the baseline, and the other way round")
    for file in (*(options.baseline_results or ()), *(options.results or ())):
        if not file.is_file():
            parser.error(f"{file} is no file: nothing was begun")
    return options


class Server:
    """A server and the token that opens it."""

    def __init__(self, base: str, token: str) -> None:
        if not base.startswith(("http://", "https://")):
            raise Failed(f"{base} is not the address of a server")
        self.base, self.token = base, token

    def ask(self, method: str, path: str, body: Body | None = None) -> Body:
        """What the server answers. Raises Failed where it refuses, OSError where it is away."""
        data = None if body is None else json.dumps(body).encode()
        return self._sent(method, path, data, "application/json")

    def bring(self, path: str, content: bytes, **asked: str) -> Body:
        """Send a file as it is. Raises what `ask` does."""
        where = f"{path}?{urllib.parse.urlencode(asked)}"
        return self._sent("POST", where, content, "application/octet-stream")

    def _sent(self, method: str, path: str, data: bytes | None, kind: str) -> Body:
        headers = {"Authorization": f"Token {self.token}", "Content-Type": kind}
        request = urllib.request.Request(  # noqa: S310 # http or https: checked above
            f"{self.base}/api/{path}", data, headers, method=method
        )
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:  # noqa: S310
                found: Body = json.load(answer)
                return found
        except urllib.error.HTTPError as refused:
            if refused.code >= 500:
                raise OSError(f"the server answered {refused.code}") from refused
            raise Failed(_reason(refused)) from refused


def _reason(refused: urllib.error.HTTPError) -> str:
    try:
        said = json.load(refused)
    except ValueError:
        said = ""
    if isinstance(said, dict) and "detail" in said:
        said = said["detail"]
    return f"the server answered {refused.code}: {_words(said)}"


def _words(said: object) -> str:
    if isinstance(said, dict):
        return "; ".join(f"{name}: {_words(part)}" for name, part in said.items())
    return " ".join(map(_words, said)) if isinstance(said, list) else str(said)


def _ask(server: Server, options: argparse.Namespace) -> Body:
    program = "" if options.results else options.program
    body = {
        "build": options.build, "program": program, "metrics": options.metric,
        "tolerance": options.tolerance, "rounds": options.rounds,
    }  # fmt: skip
    try:
        gate = server.ask("POST", f"studies/{options.study}/gates", body)
    except OSError as away:
        raise Failed(f"{server.base} cannot be reached: {away}") from away
    print(f"{gate['build']} against {gate['baseline']}: {gate['link']}", flush=True)
    return _brought(server, gate, options) if options.results else gate


def _brought(server: Server, gate: Body, options: argparse.Namespace) -> Body:
    """Bring in what was measured elsewhere, and have it judged."""
    asked = {name: value for name in ("mapping", "stretch") if (value := getattr(options, name))}
    sides = {"baseline": options.baseline_results, "build": options.results}
    try:
        for side, files in sides.items():
            for number, file in enumerate(files, 1):
                name = f"{number} {file.name}"
                server.bring(
                    f"gates/{gate['id']}/results", file.read_bytes(), side=side, name=name, **asked
                )
                print(f"{side}: {file} is brought in", flush=True)
        return server.ask("POST", f"gates/{gate['id']}/judge")
    except OSError as error:
        _give_up(server, gate)
        raise Failed(f"its results could not be brought in: {error}") from error
    except Failed:
        _give_up(server, gate)
        raise


def _wait(server: Server, gate: Body, seconds: float) -> Body:
    """The gate once it is decided; a server that is away for a while is waited for."""
    until, heard, told = time.monotonic() + seconds, time.monotonic(), ""
    while gate["state"] != "done":
        if time.monotonic() > until:
            _give_up(server, gate)
            raise Failed(f"not decided after {seconds / 60:.0f} minutes: {gate['link']}")
        time.sleep(LOOK_S)
        try:
            gate = server.ask("GET", f"gates/{gate['id']}")
            heard = time.monotonic()
        except OSError as away:
            if time.monotonic() - heard > PATIENCE_S:
                raise Failed(f"{server.base} cannot be reached any more: {away}") from away
        now = f"{gate['state']}: {gate['runs_done']} of {gate['runs_total']} runs"
        if now != told:
            print(now, flush=True)
            told = now
    return gate


def _unmeasured(options: argparse.Namespace, why: str) -> Body:
    """What there is to write down of a build that nobody could ask about."""
    return {
        "build": options.build, "baseline": f"the baseline of study {options.study}",
        "outcome": "could not be measured", "why": why, "link": options.server, "rows": [],
        "exit": NOT_MEASURED,
    }  # fmt: skip


def _give_up(server: Server, gate: Body) -> None:
    try:
        server.ask("POST", f"gates/{gate['id']}/stop")
    except (Failed, OSError) as why:
        print(f"gate: its runs could not be taken back: {why}", file=sys.stderr)


def _write(path: str | None, text: str) -> None:
    if path:
        Path(path).write_text(text, encoding="utf-8")


# -- what is written ---------------------------------------------------------------------------


def markdown(gate: Body) -> str:
    """A summary for a merge request or the log of a build."""
    lines = [
        f"## {_plain(gate['build'])}: {gate['outcome']}",
        "",
        f"{_plain(gate['why'])[:1].upper()}{_plain(gate['why'])[1:]}.",
        "",
    ]
    if not gate["rows"]:
        return "\n".join([*lines, f"[The study]({gate['link']})", ""] if "id" in gate else lines)
    lines += [
        f"| metric | against {_plain(gate['baseline'])} | | smallest worsening it can find |",
        "| --- | --: | --- | --: |",
    ]
    for row in gate["rows"]:
        label = _plain(row["label"])
        standing = STANDINGS.get(row["standing"], row["standing"])
        if row["why"]:
            standing += f": {_plain(row['why'])}"
        name = f"**{label}**" if row["deciding"] else label
        lines.append(f"| {name} | {row['change_text']} | {standing} | {row['smallest_text']} |")
    lines += [
        "",
        f"At this rate of builds ({gate['builds_of_month']} in the last month) "
        f"{gate['false_failures_a_year']:.1f} a year are to be expected to fail though nothing is "
        f"slower. [The study]({gate['link']})",
        "",
    ]
    return "\n".join(lines)


def _plain(text: str) -> str:
    for mark in "\\`*_[]<>|":
        text = text.replace(mark, f"\\{mark}")
    return text


def junit(gate: Body) -> str:
    """A test a metric, as build servers read them: failed, or an error where nothing is known."""
    rows = gate["rows"]
    decided = gate["outcome"]
    failed = [row for row in rows if row["standing"] == "slower" and decided == "slower"]
    unknown = [
        row for row in rows
        if row["deciding"] and row["standing"] == "not known well enough"
    ]  # fmt: skip
    suite = ElementTree.Element(
        "testsuite",
        name=f"{gate['build']} against {gate['baseline']}",
        tests=str(len(rows) + 1),
        failures=str(len(failed)),
        errors=str(len(unknown) + (decided in UNDECIDED)),
    )
    for row in rows:
        case = ElementTree.SubElement(
            suite,
            "testcase",
            classname="gate",
            name=f"{row['label']}: {row['change_text']}".strip(": "),
        )
        if row in failed:
            ElementTree.SubElement(case, "failure", message=f"slower: {row['change_text']}")
        elif row in unknown:
            ElementTree.SubElement(case, "error", message=f"not known well enough: {row['why']}")
        elif row["standing"] != "not slower":
            ElementTree.SubElement(case, "skipped", message=row["why"] or "not confirmed")
    whole = ElementTree.SubElement(suite, "testcase", classname="gate", name="the build")
    ElementTree.SubElement(whole, "system-out").text = f"{gate['why']}\n{gate['link']}"
    if decided in UNDECIDED:
        ElementTree.SubElement(whole, "error", message=f"{decided}: {gate['why']}")
    ElementTree.indent(suite)
    return ElementTree.tostring(suite, encoding="unicode", xml_declaration=True) + "\n"


if __name__ == "__main__":
    sys.exit(main())
