"""The command that *add a rig* shows works in an empty folder with an empty environment."""

import json
import shlex
import subprocess

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def test_a_machine_with_python_alone_becomes_a_rig(owner, tmp_path):
    owner.goto("/rigs")
    owner.get_by_role("button", name="add a rig").click()
    owner.get_by_label("name of the rig").fill("attic")
    owner.get_by_role("button", name="Make its token").click()
    shown = owner.get_by_text("python3 -c")
    expect(shown).to_be_visible()
    made = shown.text_content() or shown.input_value()
    words = shlex.split(made.strip())
    words[0] = "/usr/bin/python3"
    empty = {"PATH": "/usr/bin:/bin", "HOME": str(tmp_path)}
    done = subprocess.run(words, cwd=tmp_path, env=empty, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "This machine is now the rig “attic”" in done.stdout
    agent = tmp_path / ".local/bin/yardstick-agent"
    rig = json.loads((tmp_path / ".config/noble-yardstick/rig.json").read_text())
    assert rig.get("programs_from", "file") == "file"
    allow = [agent, "allow", "xcalc", "--", "xcalc"]
    told = subprocess.run(allow, cwd=tmp_path, env=empty, capture_output=True, text=True)
    assert told.returncode == 0, told.stderr
    expect(owner.get_by_role("link", name="attic", exact=True)).to_be_visible()
    token = {"X-CSRFToken": next(
        c["value"] for c in owner.context.cookies() if c["name"] == "csrftoken"
    )}  # fmt: skip
    owner.request.patch("/api/rigs/attic", data={"revoked": True}, headers=token)
