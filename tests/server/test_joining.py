"""A machine joins with Python alone: what it is handed, and that it checks all of it."""

import hashlib
import io
import re
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest

from yardstick_agent.compiled import LIBRARY
from yardstick_server.joining.package import REQUIREMENTS, WHEEL, bootstrap, command, files


def test_the_agent_is_a_wheel_of_agent_and_core_with_true_checksums(client):
    answer = client.get(f"/agent/files/{WHEEL}")
    assert answer.status_code == 200
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        names = archive.namelist()
        assert "yardstick_agent/cli.py" in names
        assert "yardstick_agent/display/openbox.xml" in names
        compiled = f"yardstick_agent/compiled/{LIBRARY.name}"
        assert archive.read(compiled) == LIBRARY.read_bytes()
        assert not [name for name in names if name.startswith(("yardstick_server", "tests"))]
        record = archive.read(next(n for n in names if n.endswith("RECORD"))).decode()
        assert len(record.splitlines()) == len(names)
    assert files()[WHEEL] == answer.content


def test_what_is_handed_out_is_named_with_its_checksum_and_nothing_else_is(client):
    text = client.get("/agent/join.py").content.decode()
    for name, data in files().items():
        assert f"'{name}': '{hashlib.sha256(data).hexdigest()}'" in text
    assert client.get("/agent/files/../settings.py").status_code == 404
    assert client.get("/agent/files/none").status_code == 404


def test_the_command_checks_the_bootstrap_before_it_runs_it(client, tmp_path):
    shown = command("http://127.0.0.1:1", "TOKEN")
    digest = re.search(r"'([0-9a-f]{64})'", shown)
    assert digest is not None
    assert digest.group(1) == hashlib.sha256(bootstrap()).hexdigest()
    assert shown.endswith("http://127.0.0.1:1 TOKEN")


def test_a_file_that_is_not_the_announced_one_is_not_installed(tmp_path, monkeypatch):
    sys.modules.pop("bootstrap_under_test", None)
    space: dict = {}
    text = (Path(__file__).parents[2] / "src/yardstick_server/joining/bootstrap.py").read_text()
    exec(compile(text, "bootstrap", "exec"), space)
    space["FILES"].update({REQUIREMENTS: "0" * 64})

    class Answer(io.BytesIO):
        pass

    monkeypatch.setattr(space["urllib"].request, "urlopen", lambda *_, **__: Answer(b"other"))
    with pytest.raises(ValueError, match="not the file that was announced"):
        space["fetched"]("http://x", REQUIREMENTS, tmp_path)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.django_db
def test_adding_a_rig_shows_a_command_for_a_machine_with_nothing_on_it(world):
    made = world.owner.post("/api/rigs", {"name": "attic"}, "application/json").json()
    assert made["command"].startswith("python3 -c ")
    assert made["token"] in made["command"]
    subprocess.run(["sh", "-n", "-c", made["command"]], check=True)
