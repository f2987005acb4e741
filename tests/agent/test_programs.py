"""What a rig may start: said by its own file, by owners only where that file lets them."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

import pytest

from yardstick_agent import cli
from yardstick_agent import service as service_module
from yardstick_agent.applications import applications, command_of, releases
from yardstick_agent.client import ServerAway
from yardstick_agent.config import load
from yardstick_agent.programs import NotAllowed, allow, forbid, log_of, take_back
from yardstick_agent.service import Service

START = {"command": ["plainpad", "--plain"]}


@pytest.fixture
def rig(tmp_path) -> Path:
    file = tmp_path / "rig.json"
    own = {"weftwright": {"command": ["weftwright"], "caches": ["~/.cache/weft"]}}
    file.write_text(
        json.dumps({"server": "http://127.0.0.1:9", "token": "t", "spool": str(tmp_path / "spool"),
                    "programs": own, "programs_from": "owner"})
    )  # fmt: skip
    file.chmod(0o600)
    (tmp_path / "spool").mkdir()
    return file


def programs(file: Path) -> dict:
    return json.loads(file.read_text())["programs"]


def test_a_change_is_written_noted_and_can_be_taken_back(rig):
    allow(rig, "plainpad", START, "Ida")
    allow(rig, "plainpad", {"command": ["plainpad"]}, "Ida")
    forbid(rig, "weftwright", "Ida")
    assert programs(rig) == {"plainpad": {"command": ["plainpad"]}}
    assert [(c["by"], c["name"]) for c in log_of(rig)][-1] == ("Ida", "weftwright")
    assert take_back(rig)["name"] == "weftwright"
    assert programs(rig)["weftwright"]["caches"] == ["~/.cache/weft"]
    take_back(rig)
    assert programs(rig)["plainpad"] == START
    take_back(rig)
    assert list(programs(rig)) == ["weftwright"]
    with pytest.raises(NotAllowed, match="no change to take back"):
        take_back(rig)
    assert rig.stat().st_mode & 0o777 == 0o600


def test_what_only_the_file_says_of_a_program_stays(rig):
    allow(rig, "weftwright", {"command": ["weftwright", "--new"]}, "Ida")
    assert programs(rig)["weftwright"]["caches"] == ["~/.cache/weft"]


@pytest.mark.parametrize(
    ("name", "start"),
    [
        ("../etc", START),
        ("", START),
        ("ok", {"command": "sh -c id"}),
        ("ok", {"command": []}),
        ("ok", {"command": ["a"], "environment": {"LD_PRELOAD": "/tmp/x.so"}}),
        ("ok", {}),
    ],
)
def test_what_is_no_program_changes_nothing(rig, name, start):
    before = rig.read_text()
    with pytest.raises(NotAllowed):
        allow(rig, name, start, "Ida")
    assert rig.read_text() == before
    assert log_of(rig) == []


def run_cli(monkeypatch, *words: str) -> int:
    monkeypatch.setattr(sys, "argv", ["yardstick-agent", *words])
    with pytest.raises(SystemExit) as ended:
        cli.main()
    return int(ended.value.code or 0)


def test_the_line_that_the_page_shows_works_on_the_rig(rig, monkeypatch, capsys):
    words = ["allow", "my pad", "--env", "LANG=de_DE.UTF-8", "--config", str(rig)]
    assert run_cli(monkeypatch, *words, "--", "plainpad", "--log", "x") == 0
    assert programs(rig)["my pad"] == {
        "command": ["plainpad", "--log", "x"], "environment": {"LANG": "de_DE.UTF-8"},
    }  # fmt: skip
    assert run_cli(monkeypatch, "programs", "--config", str(rig)) == 0
    assert "plainpad --log x" in capsys.readouterr().out
    assert run_cli(monkeypatch, "forbid", "my pad", "--config", str(rig)) == 0
    assert run_cli(monkeypatch, "take-back", "--config", str(rig)) == 0
    assert "my pad" in programs(rig)
    assert run_cli(monkeypatch, "forbid", "nothing", "--config", str(rig)) == 2
    assert "nothing was changed" in capsys.readouterr().err


class FakeServer:
    """Hands out errands, and keeps what it is told."""

    def __init__(self, *errands: dict) -> None:
        self.errands, self.greeted, self.ended = list(errands), [], []

    def hello(self, facts, programs, **more):
        self.greeted.append({"programs": programs, **more})
        return {"rig": "loft", "protocol": "5"}

    def take_errand(self, idle_share=None, disk_free=None):
        if not self.errands:
            raise ServerAway("enough")
        return self.errands.pop(0)

    def take(self):
        return None

    def end_errand(self, number, body):
        self.ended.append(body)


def serve(rig: Path, *errands: dict) -> FakeServer:
    server = FakeServer(*errands)
    service = Service(load(rig), server, lambda _: None, rig)
    service._server_is_away = lambda _: service.stop()
    service.serve()
    return server


def test_a_server_that_was_away_is_told_again_what_this_rig_is(rig, monkeypatch):
    """It may have come back as another release, which hands out another agent."""
    monkeypatch.setattr(service_module, "AWAY_SECONDS", 0.01)
    server = FakeServer()
    service = Service(load(rig), server, lambda _: None, rig)
    answers = iter([None, ServerAway("restarting"), None, None])

    def take_errand(idle_share=None, disk_free=None):
        answer = next(answers, "over")
        if answer == "over":
            service.stop()
        if isinstance(answer, ServerAway):
            raise answer

    monkeypatch.setattr(service_module, "IDLE_SECONDS", 0.01)
    server.take_errand = take_errand
    service.serve()
    assert len(server.greeted) == 2


def errand(kind: str, **body) -> dict:
    return {"errand": 1, "kind": kind, "by": "Ida", "body": body}


def test_an_owner_has_a_program_allowed_and_the_server_is_told_at_once(rig):
    server = serve(rig, errand("allow", name="plainpad", start=START))
    assert programs(rig)["plainpad"] == START
    assert server.ended == [{"outcome": "done", "detail": "", "answer": {}}]
    assert "plainpad" in server.greeted[-1]["programs"]
    assert server.greeted[-1]["programs_from"] == "owner"
    assert log_of(rig)[0]["by"] == "Ida, from http://127.0.0.1:9"


@pytest.mark.parametrize("kind", ["allow", "forbid", "releases", "run"])
def test_a_rig_that_listens_to_its_file_does_nothing_a_lying_server_says(rig, kind):
    text = rig.read_text().replace('"owner"', '"file"')
    rig.write_text(text)
    server = serve(rig, errand(kind, name="weftwright", start=START, folder="/"))
    assert server.ended[0]["outcome"] == "refused"
    assert server.ended[0]["answer"] == {}
    assert rig.read_text() == text


@pytest.mark.parametrize(
    "wrong",
    [
        errand("allow", name="x", start={"command": "rm -rf /"}),
        errand("allow", start=START),
        errand("forbid", name="never heard of"),
        errand("releases", folder="/no/such/folder"),
        errand("shell", command="id"),
    ],
)
def test_an_errand_that_makes_no_sense_is_refused_in_text(rig, wrong):
    before = rig.read_text()
    server = serve(rig, wrong)
    assert server.ended[0]["outcome"] == "refused"
    assert server.ended[0]["detail"]
    assert rig.read_text() == before


def test_a_changed_file_is_noticed_without_a_restart(rig):
    server = FakeServer({"errand": 1, "kind": "forbid", "by": "x", "body": {"name": "none"}})
    service = Service(load(rig), server, lambda _: None, rig)
    service._server_is_away = lambda _: service.stop()
    allow(rig, "later", START, "the rig")
    os.utime(rig, ns=(1, 1))
    service.serve()
    assert "later" in server.greeted[0]["programs"]


def test_a_broken_file_leaves_what_was_allowed(rig):
    service = Service(load(rig), FakeServer(), lambda _: None, rig)
    rig.write_text("{")
    os.utime(rig, ns=(1, 1))
    assert service._file_changed() is False
    assert "weftwright" in service.config.programs


# -- what is installed --------------------------------------------------------------


def entry(folder: Path, name: str, text: str) -> None:
    (folder / "applications").mkdir(parents=True, exist_ok=True)
    (folder / "applications" / f"{name}.desktop").write_text(f"[Desktop Entry]\n{text}\n")


def test_desktop_entries_become_programs_without_field_codes(tmp_path):
    own, shared = tmp_path / "own", tmp_path / "shared"
    entry(shared, "a", 'Type=Application\nName=Alpha\nExec=sh -c "a b" %U --x=%f\nIcon=al')
    entry(shared, "b", "Type=Application\nName=Beta\nExec=sh %f\nNoDisplay=true")
    entry(shared, "c", "Type=Application\nName=Gamma\nExec=sh\nTerminal=true")
    entry(shared, "d", "Type=Link\nName=Delta\nURL=x")
    entry(shared, "e", "Type=Application\nName=Epsilon\nExec=/no/such/program")
    entry(shared, "f", "Type=Application\nName=Zeta\nExec=sh\n[Desktop Action New]\nExec=sh -x")
    entry(shared, "g", "Type=Application\nName=Hidden here\nExec=sh")
    entry(own, "g", "Type=Application\nHidden=true\nName=x\nExec=sh")
    (shared / "applications" / "broken.desktop").write_bytes(b"\xff\xfe no entry")
    found = applications([own, shared])
    assert [one["name"] for one in found] == ["Alpha", "Zeta"]
    assert found[0]["command"] == ["sh", "-c", "a b", "--x="]
    assert (found[0]["icon"], found[0]["package"]) == ("al", "")
    assert found[1]["command"] == ["sh"]


def test_an_exec_line_that_cannot_be_read_starts_nothing():
    assert command_of('sh "unclosed') == []
    assert command_of("weft 100%% %F") == ["weft", "100%"]


def test_programs_of_packages_say_package_and_version(tmp_path):
    installed = [one for one in applications() if one["package"]]
    for one in installed:
        assert one["version"]


def test_releases_side_by_side_are_found_with_what_starts_them(tmp_path):
    for release in ("weft-4.1", "weft-4.2"):
        binary = tmp_path / release / "bin" / "weftwright"
        binary.parent.mkdir(parents=True)
        binary.write_text("#!/bin/sh\n")
        binary.chmod(0o755)
        library = tmp_path / release / "lib" / "libweft.so.5"
        library.parent.mkdir()
        library.write_text("x")
        library.chmod(0o755)
    only = tmp_path / "weft-4.2" / "bin" / "aa-tool"
    only.write_text("#!/bin/sh\n")
    only.chmod(0o755)
    (tmp_path / "notes").mkdir()
    found = releases(tmp_path)
    assert [one["name"] for one in found] == ["weft-4.1", "weft-4.2"]
    assert found[1]["programs"] == [str(tmp_path / "weft-4.2/bin/weftwright"), str(only)]


def test_programs_that_lie_in_the_folder_itself_are_releases_too(tmp_path):
    for name, rights in (("weft-4.1", 0o755), ("weft-4.2", 0o755), ("weft-notes", 0o644),
                         ("libweft.so.5", 0o755), (".weft-4.0", 0o755)):  # fmt: skip
        (tmp_path / name).write_text("#!/bin/sh\n")
        (tmp_path / name).chmod(rights)
    assert releases(tmp_path) == [
        {"name": name, "programs": [str(tmp_path / name)]} for name in ("weft-4.1", "weft-4.2")
    ]
