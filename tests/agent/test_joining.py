"""Joining: a machine becomes a rig only when the server wants it, and its file stays private."""

import json
import stat
import sys

import httpx
import pytest

from yardstick_agent import cli
from yardstick_agent.client import Client
from yardstick_agent.config import load


def join(monkeypatch, file, answer):
    """Run the command against a server that gives one answer; its exit status."""

    def client(server, token):
        return Client(server, token, httpx.MockTransport(answer))

    monkeypatch.setattr(cli, "Client", client)
    words = ["yardstick-agent", "join", "http://127.0.0.1:8000/", "secret", "--config", str(file)]
    monkeypatch.setattr(sys, "argv", words)
    with pytest.raises(SystemExit) as end:
        cli.main()
    return end.value.code


def welcome(request):
    assert request.headers["Authorization"] == "Rig secret"
    assert json.loads(request.content)["protocol"]
    return httpx.Response(200, json={"rig": "attic", "protocol": "2"})


def test_one_command_makes_a_rig(monkeypatch, tmp_path, capsys):
    file = tmp_path / "deep" / "rig.json"
    assert join(monkeypatch, file, welcome) == 0
    config = load(file)
    assert (config.server, config.token) == ("http://127.0.0.1:8000", "secret")
    assert config.programs == {}
    assert stat.S_IMODE(file.stat().st_mode) == 0o600
    assert "This machine is now the rig “attic”" in capsys.readouterr().out


def test_joining_again_keeps_what_the_rig_may_start(monkeypatch, tmp_path):
    file = tmp_path / "rig.json"
    file.write_text(
        json.dumps({"programs": {"w": {"command": ["w"]}}, "spool": "/s", "token": "o"})
    )
    assert join(monkeypatch, file, welcome) == 0
    assert load(file).programs == {"w": {"command": ["w"]}}
    assert load(file).token == "secret"


def test_a_refusal_writes_nothing(monkeypatch, tmp_path, capsys):
    file = tmp_path / "rig.json"
    older = httpx.Response(409, json={"detail": "the agent is older"})
    assert join(monkeypatch, file, lambda _: older) == cli.REFUSED
    assert not file.exists()
    assert "the agent is older" in capsys.readouterr().err


def test_a_server_that_is_away_writes_nothing(monkeypatch, tmp_path, capsys):
    def away(_):
        raise httpx.ConnectError("no route")

    file = tmp_path / "rig.json"
    assert join(monkeypatch, file, away) == 1
    assert not file.exists()
    assert "cannot be reached" in capsys.readouterr().err
