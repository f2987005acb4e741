"""Signing in behind a real proxy, set up as docs/deploy.md says."""

import http.client
import json
import os
import re
import shutil
import socket
import subprocess
import sys
import time

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.db import connection

from yardstick_command.postgres import free_port
from yardstick_command.up import WORKER

PAGE = settings.PROJECT / "docs" / "deploy.md"
TOKEN = "a" * 32
#: A machine that runs all tests may take long to answer.
PATIENCE_S = 300


def documented_server(port: int, api: int) -> str:
    """The server of the page, on loopback without TLS, before an API at a port."""
    (told,) = re.findall(r"^```\n(server \{.*?^\})\n```", PAGE.read_text(), re.S | re.M)
    told, changed = re.subn(r"listen 443 ssl;", f"listen 127.0.0.1:{port};", told)
    assert changed == 1
    return told.replace("127.0.0.1:8000", f"127.0.0.1:{api}")


def until_open(port: int) -> None:
    deadline = time.monotonic() + PATIENCE_S
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            assert time.monotonic() < deadline, f"nobody listens at {port}"
            time.sleep(0.1)


@pytest.fixture
def proxied(transactional_db, tmp_path):
    """The port of a proxy before an API of its own over the database of the tests."""
    port, api = free_port(), free_port()
    environment = {
        **os.environ, "PYTHONPATH": str(settings.PROJECT / "src"), "YARDSTICK_PROXIES": "1",
        "YARDSTICK_DB_NAME": connection.settings_dict["NAME"],
    }  # fmt: skip
    command = [sys.executable, "-m", "gunicorn", "yardstick_server.wsgi", "--bind",
               f"127.0.0.1:{api}", "--worker-class", WORKER, "--threads", "4",
               "--no-control-socket"]  # fmt: skip
    kinds = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    temporary = " ".join(f"{kind}_temp_path {tmp_path}/{kind};" for kind in kinds)
    (tmp_path / "nginx.conf").write_text(
        f"daemon off; pid {tmp_path}/pid; error_log {tmp_path}/error.log; events {{}}\n"
        f"http {{ access_log off; {temporary} \n{documented_server(port, api)}\n}}\n"
    )
    nginx = shutil.which("nginx", path=f"{os.environ['PATH']}:/usr/sbin")
    processes = [
        subprocess.Popen(command, env=environment),
        subprocess.Popen([nginx, "-c", str(tmp_path / "nginx.conf")], stderr=subprocess.DEVNULL),
    ]
    try:
        until_open(api)
        until_open(port)
        yield port
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.wait(PATIENCE_S)


def sign_in(port: int, password: str, since: str, said: str = "") -> int:
    """Sign in as Ida from an address of this machine, perhaps with a header that says another."""
    asking = http.client.HTTPConnection("127.0.0.1", port, PATIENCE_S, source_address=(since, 0))
    headers = {
        "Content-Type": "application/json", "Cookie": f"csrftoken={TOKEN}", "X-CSRFToken": TOKEN,
        "Host": "127.0.0.1", "Referer": "https://127.0.0.1/",
    }  # fmt: skip
    if said:
        headers["X-Forwarded-For"] = said
    body = json.dumps({"name": "ida", "password": password})
    asking.request("POST", "/api/sign-in", body, headers)
    answer = asking.getresponse().status
    asking.close()
    return answer


def test_guesses_from_one_address_lock_nobody_out_elsewhere(proxied, settings):
    User.objects.create_user("ida", password="warp and weft and heddle")
    # no member of a workspace: a password that fits is answered as one that does not, but counted
    guesses = [sign_in(proxied, f"guess {n}", "127.0.0.1", said=f"127.0.0.{n}") for n in range(7)]
    assert guesses[:5] == [400] * 5
    assert guesses[-1] == 429, "what a caller says of its own address was believed"
    assert sign_in(proxied, "warp and weft and heddle", "127.0.0.2") == 400
    assert sign_in(proxied, "warp and weft and heddle", "127.0.0.1", said="127.0.0.2") == 429


def test_heads_that_never_end_stay_at_the_proxy(proxied):
    halves = [socket.create_connection(("127.0.0.1", proxied), 30) for _ in range(40)]
    try:
        for half in halves:
            half.sendall(b"GET /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ")
        asking = http.client.HTTPConnection("127.0.0.1", proxied, 30)
        asking.request("GET", "/api/session", headers={"Host": "127.0.0.1"})
        assert asking.getresponse().status == 401
        asking.close()
    finally:
        for half in halves:
            half.close()
