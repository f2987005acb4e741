"""The command that *add a rig* shows works in an empty folder with an empty environment."""

import json
import shlex
import subprocess
import time

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def is_brought_up_to_date(owner, home, agent, empty):
    """A serving agent of another release takes its server's, and goes on as the same process."""
    config = home / ".config/noble-yardstick/rig.json"
    (changed,) = home.glob(".local/share/**/site-packages/yardstick_agent/calm.py")
    whole = changed.read_text()
    process = subprocess.Popen(
        [agent, "serve", config], cwd=home, env=empty, text=True,
        stdout=(home / "agent.log").open("w"), stderr=subprocess.STDOUT,
    )  # fmt: skip

    def stands() -> dict:
        rigs = owner.request.get("/api/night").json()["rigs"]
        return next(rig for rig in rigs if rig["name"] == "attic")

    def said() -> str:
        return (home / "agent.log").read_text()

    try:
        until(lambda: stands()["last_seen"], said)
        assert not stands()["older"]
        changed.write_text(whole + "# of another release\n")
        config.write_text(json.dumps(json.loads(config.read_text())))
        until(lambda: stands()["older"], said)
        until(lambda: "say “updates”: true" in said(), said)
        config.write_text(json.dumps({**json.loads(config.read_text()), "updates": True}))
        until(lambda: "was brought up to date and starts anew" in said(), said)
        until(lambda: not stands()["older"], said)
        assert changed.read_text() == whole
        assert process.poll() is None, "it is the same process"
    finally:
        process.terminate()
        process.wait(30)


def until(true, said):
    """Wait until something is so, as long as an installation may take."""
    for _ in range(1500):
        if true():
            return
        time.sleep(0.2)
    raise AssertionError(f"it never came true: {said()}")


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
    is_brought_up_to_date(owner, tmp_path, agent, empty)
    token = {"X-CSRFToken": next(
        c["value"] for c in owner.context.cookies() if c["name"] == "csrftoken"
    )}  # fmt: skip
    owner.request.patch("/api/rigs/attic", data={"revoked": True}, headers=token)
