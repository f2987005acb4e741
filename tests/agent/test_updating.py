"""An agent brings itself to its server's release: only whole, only checked, only where allowed."""

import hashlib
import subprocess
from pathlib import Path

import pytest

from yardstick_agent import updating
from yardstick_agent.client import ServerRefused
from yardstick_agent.config import RigConfig
from yardstick_agent.service import Service
from yardstick_agent.updating import NotUpdated, bring, wanted
from yardstick_core.release_digest import release_digest

FILES = {
    "noble_yardstick_agent-0.1.0-py3-none-any.whl": b"the agent",
    "requirements.txt": b"what it needs",
    "pip-23.0-py3-none-any.whl": b"pip",
}


def told(**changes):
    sums = {name: hashlib.sha256(data).hexdigest() for name, data in FILES.items()}
    return {"release": "f" * 64, "files": sums, **changes}


def test_every_file_is_fetched_and_checked_before_anything_is_installed():
    commands, seen = [], []

    def run(command):
        commands.append(command)
        handed = [word for word in command if word.endswith((".txt", "whl"))]
        seen.append([Path(word).read_bytes() for word in handed])

    bring(told(), FILES.__getitem__, run)
    assert [("--require-hashes" in one, "--no-deps" in one) for one in commands] == [
        (True, False), (False, True),
    ]  # fmt: skip
    assert seen == [[b"what it needs"], [b"the agent"]]


def test_a_file_that_is_not_what_was_announced_installs_nothing():
    commands = []
    with pytest.raises(NotUpdated, match="not the file that was announced"):
        bring(told(), lambda name: FILES[name] + b"!", commands.append)
    assert commands == []


@pytest.mark.parametrize("name", ["../rig.json", "/etc/passwd", "a/b.whl"])
def test_a_name_that_leads_elsewhere_is_refused(name):
    with pytest.raises(NotUpdated, match="no name of a file"):
        bring(told(files={name: "0" * 64}), lambda _: b"", lambda _: None)


def test_an_agent_that_is_not_whole_is_refused():
    part = {"requirements.txt": hashlib.sha256(FILES["requirements.txt"]).hexdigest()}
    with pytest.raises(NotUpdated, match="not all that makes up an agent"):
        bring(told(files=part), FILES.__getitem__, lambda _: None)


def test_an_installation_that_fails_is_said():
    def run(command):
        raise subprocess.CalledProcessError(1, command)

    with pytest.raises(NotUpdated, match="installing it failed"):
        bring(told(), FILES.__getitem__, run)


def test_a_checkout_and_a_release_that_was_brought_before_are_left_alone(monkeypatch, tmp_path):
    assert not wanted(told()), "this is a checkout"
    installed = tmp_path / "site-packages"
    (installed / "yardstick_agent").mkdir(parents=True)
    monkeypatch.setattr(updating, "SOURCE", installed)
    assert wanted(told())
    assert not wanted(told(release=release_digest(installed)))
    assert not wanted(told(files={}))
    monkeypatch.setenv(updating.BROUGHT, "f" * 64)
    assert not wanted(told())


def test_a_release_is_known_by_every_file_of_it(tmp_path):
    code = tmp_path / "yardstick_core" / "part.py"
    code.parent.mkdir()
    code.write_text("one = 1\n")
    before = release_digest(tmp_path)
    (code.parent / "part.pyc").write_text("made")
    assert release_digest(tmp_path) == before
    code.rename(code.with_name("other.py"))
    assert release_digest(tmp_path) != before


def test_a_server_that_refuses_a_file_leaves_the_agent_as_it_is(tmp_path, monkeypatch):
    class Refuses:
        def hello(self, *_, **__):
            return told()

        def handed_out(self, name):
            raise ServerRefused(404, f"there is no {name}")

    said = []
    config = RigConfig("http://127.0.0.1:9", "t", tmp_path, updates=True)
    monkeypatch.setattr(updating, "SOURCE", tmp_path / "site-packages")
    Service(config, Refuses(), said.append)._greet()
    assert "was not brought up to date, and goes on as it is" in said[-1]
