"""Record the demonstration's runs with the real agent: `record.py STUDY ROUNDS [--controls]`.

With `--films` one filmed run of each variant is recorded instead.

Each run becomes one file under recorded/STUDY, loaded by `./yardstick up`.
"""

from __future__ import annotations

import argparse
import json
import sys
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path

import av

from stand_in import StandIn
from weftwright.fixtures import write_fixture
from weftwright.releases import parts_of
from yardstick_agent.cli import measure, write_record
from yardstick_agent.filming import ABOUT, FILM
from yardstick_core.plan import round_order, turns
from yardstick_core.script import parse
from yardstick_core.script.check import walk
from yardstick_core.script.model import Restart

HERE = Path(__file__).parent
#: How long a stand-in says that its machine has been up when the agent goes on.
UP_AGAIN_S = 0.3
SUBJECT = json.loads((HERE / "studies.json").read_text())["subject"]


def program(variant: str) -> dict[str, object]:
    """How a rig on this checkout starts a variant: a release, or one with a narrow tile margin."""
    release, _, narrow = variant.partition(" ")
    more = ["--tile-margin", "0"] if narrow else []
    return {
        "command": [sys.executable, "-I", "-m", "weftwright", "--release", release, *more],
        "environment": {"PYTHONPATH": str(HERE)},
        "log": "weftwright.log",
        "installed": parts_of(release),
    }


def record_run(
    script: str, release: str, values: dict[str, str], keep: Path, about: dict[str, object]
) -> str:
    """Measure one run, at a level of the script's ladder, and write its file; its outcome."""
    with tempfile.TemporaryDirectory(prefix="yardstick-") as name:
        folder = Path(name)
        (folder / "work").mkdir()
        for fixture in parse(script, values).fixtures:
            write_fixture(fixture.file, folder / "work")
        assignment = {
            "script": script, "program": program(release), "display": "", "values": values,
            "settings": SUBJECT["settings"], "watch": about.get("watch", "full"),
            "film": about.get("film", False),
        }  # fmt: skip
        machine = StandIn(folder / "machine") if restarts(script, values) else None
        if machine:
            assignment |= {"sensors": str(machine.folder), "restart": {"command": ["true"]}}
        (folder / "assignment.json").write_text(json.dumps(assignment))
        started = datetime.now(UTC).isoformat()
        outcome = measure(folder)
        if machine:
            machine.boot("second", UP_AGAIN_S)
            outcome = measure(folder)
        about = {**about, "started": started, "ended": datetime.now(UTC).isoformat()}
        without_names(folder / "journal.jsonl")
        # What started the run is of no use elsewhere: only the script is kept.
        (folder / "assignment.json").write_text(json.dumps({"script": script}))
        write_record(folder, keep)
        with zipfile.ZipFile(keep, "a") as archive:
            if about.get("film"):
                smaller(folder / FILM, folder / "whole.mp4")
                archive.write(folder / "whole.mp4", FILM)
                about |= {"film_began_ns": json.loads((folder / ABOUT).read_text())["began_ns"]}
            archive.writestr("run.json", json.dumps(about))
    return outcome


def restarts(script: str, values: dict[str, str]) -> bool:
    """Whether a session restarts its machine; here a stand-in takes the machine's place."""
    return any(isinstance(one, Restart) for one in walk(parse(script, values).steps))


def smaller(source: Path, target: Path) -> None:
    """A film at half its width and height, every picture at its own instant."""
    with (
        av.open(str(source)) as film,
        av.open(str(target), "w", options={"movflags": "faststart"}) as made,
    ):
        told = film.streams.video[0]
        stream = made.add_stream("libx264", rate=60, options={"preset": "slow", "crf": "30"})
        stream.width, stream.height, stream.pix_fmt = (
            told.width // 4 * 2,
            told.height // 4 * 2,
            "yuv420p",
        )
        stream.time_base = stream.codec_context.time_base = told.time_base
        stream.codec_context.gop_size = 60
        for frame in film.decode(told):
            small = frame.reformat(stream.width, stream.height, "yuv420p", interpolation="AREA")
            small.pts, small.time_base, small.pict_type = frame.pts, frame.time_base, 0
            made.mux(stream.encode(small))
        made.mux(stream.encode(None))


def without_names(journal: Path) -> None:
    """Take the names of makers out of the facts: the demonstration shows no real product."""
    entries = [json.loads(line) for line in journal.read_text().splitlines()]
    for entry in entries:
        if entry["kind"] == "facts":
            facts = entry["facts"]
            facts["processor"] = f"one of {facts['cores']} cores, {facts['architecture']}"
            facts["kernel"] = ".".join(facts["kernel"].split(".")[:2])
            facts["display"] |= {"vendor": "virtual", "manager": "simple"}
            facts["packages"] = {}
            for program in facts["programs"]:
                program["name"] = "another program"
    journal.write_text("".join(json.dumps(entry) + "\n" for entry in entries))


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("study")
    options.add_argument("rounds", type=int)
    options.add_argument("--rig", default="loft-1")
    options.add_argument("--controls", action="store_true", help="control runs in warm rounds too")
    options.add_argument("--films", action="store_true", help="one filmed run of each variant")
    asked = options.parse_args()
    name, rounds, rig = asked.study, asked.rounds, asked.rig
    studies = json.loads((HERE / "studies.json").read_text())["studies"]
    study = next(study for study in studies if study["recorded"] == name)
    script = (HERE / study["script"]).read_text(encoding="utf-8")
    ladder = parse(script).ladder
    levels = ladder.levels if ladder else ("",)
    folder = HERE / "recorded" / name
    folder.mkdir(parents=True, exist_ok=True)
    if asked.films:
        for place, release in enumerate(study["variants"]):
            about = {
                "rig": rig, "variant": release, "round": -1, "place": place, "cold": False,
                "level": levels[0], "film": True,
            }  # fmt: skip
            values = {ladder.name: levels[0]} if ladder else {}
            outcome = record_run(script, release, values, folder / f"film-{place}.run", about)
            print(f"{name}: filmed, {release}: {outcome}", flush=True)
        return
    for number in range(rounds + 1):
        order = round_order(len(study["variants"]), number)
        kinds = ["full", "outer"] if asked.controls and number else ["full"]
        planned = [(turn, watch) for watch in kinds for turn in turns(order, levels, number)]
        for place, ((index, level), watch) in enumerate(planned):
            release = study["variants"][index]
            about = {
                "rig": rig, "variant": release, "round": number, "place": place,
                "cold": number == 0, "level": level, "watch": watch,
            }  # fmt: skip
            values = {ladder.name: level} if ladder else {}
            file = folder / f"{number:02}-{place}.run"
            outcome = record_run(script, release, values, file, about)
            print(f"{name}: round {number}, {release} {level} {watch}: {outcome}", flush=True)


if __name__ == "__main__":
    main()
