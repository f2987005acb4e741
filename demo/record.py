"""Record the demonstration's runs with the real agent: `record.py STUDY ROUNDS [RIG]`.

Each run becomes one file under recorded/STUDY, loaded by `./yardstick up`.
"""

from __future__ import annotations

import json
import sys
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path

from weftwright.fixtures import write_fixture
from yardstick_agent.cli import measure, write_record
from yardstick_core.plan import round_order, turns
from yardstick_core.script import parse

HERE = Path(__file__).parent


def program(release: str) -> dict[str, object]:
    """How a rig on this checkout starts a release."""
    return {
        "command": [sys.executable, "-m", "weftwright", "--release", release],
        "environment": {"PYTHONPATH": str(HERE)},
        "log": "weftwright.log",
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
        }  # fmt: skip
        (folder / "assignment.json").write_text(json.dumps(assignment))
        started = datetime.now(UTC).isoformat()
        outcome = measure(folder)
        about = {**about, "started": started, "ended": datetime.now(UTC).isoformat()}
        without_names(folder / "journal.jsonl")
        # What started the run is of no use elsewhere: only the script is kept.
        (folder / "assignment.json").write_text(json.dumps({"script": script}))
        write_record(folder, keep)
        with zipfile.ZipFile(keep, "a") as archive:
            archive.writestr("run.json", json.dumps(about))
    return outcome


def without_names(journal: Path) -> None:
    """Take the names of makers out of the facts: the demonstration shows no real product."""
    entries = [json.loads(line) for line in journal.read_text().splitlines()]
    for entry in entries:
        if entry["kind"] == "facts":
            facts = entry["facts"]
            facts["processor"] = f"one of {facts['cores']} cores, {facts['architecture']}"
            facts["kernel"] = ".".join(facts["kernel"].split(".")[:2])
            facts["display"].pop("vendor", None)
    journal.write_text("".join(json.dumps(entry) + "\n" for entry in entries))


def main() -> None:
    name, rounds = sys.argv[1], int(sys.argv[2])
    rig = sys.argv[3] if len(sys.argv) > 3 else "loft-1"
    studies = json.loads((HERE / "studies.json").read_text())["studies"]
    study = next(study for study in studies if study["recorded"] == name)
    script = (HERE / study["script"]).read_text(encoding="utf-8")
    ladder = parse(script).ladder
    levels = ladder.levels if ladder else ("",)
    folder = HERE / "recorded" / name
    folder.mkdir(parents=True, exist_ok=True)
    for number in range(rounds + 1):
        order = round_order(len(study["variants"]), number)
        for place, (index, level) in enumerate(turns(order, levels, number)):
            release = study["variants"][index]
            about = {
                "rig": rig, "variant": release, "round": number, "place": place,
                "cold": number == 0, "level": level,
            }  # fmt: skip
            values = {ladder.name: level} if ladder else {}
            file = folder / f"{number:02}-{place}.run"
            outcome = record_run(script, release, values, file, about)
            print(f"{name}: round {number}, {release} {level}: {outcome}", flush=True)


if __name__ == "__main__":
    main()
