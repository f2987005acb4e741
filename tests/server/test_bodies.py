"""Bodies of requests that break off, or trickle in: nothing of them is kept."""

import io
import os
import socket
import subprocess
import sys
import threading
import time

import pytest
from django.conf import settings

from yardstick_command.postgres import free_port
from yardstick_command.up import WORKER
from yardstick_server.body_timeout import (
    LEAST_BYTES_A_SECOND,
    Body,
    BodyBroken,
    BodyTimeoutMiddleware,
)

#: What a busy machine may take; nothing is held against it.
PATIENCE_S = 300


def body_of(data: bytes, length: int) -> Body:
    return Body(io.BytesIO(data), length, None)


def test_a_whole_body_is_read_as_it_is():
    assert body_of(b"abc" * 50_000, 150_000).read() == b"abc" * 50_000
    lines = body_of(b"one\ntwo\nthree", 13)
    assert [lines.readline(), lines.readline(2), lines.read(1), lines.read()] == [
        b"one\n", b"tw", b"o", b"\nthree"
    ]  # fmt: skip
    assert lines.read() == lines.readline() == b""


def test_a_body_is_not_read_beyond_its_length():
    assert body_of(b"abcdef", 4).read(100) == b"abcd"


def test_a_body_that_broke_off_is_no_shorter_one():
    for ask in (lambda body: body.read(), lambda body: body.read(5) + body.read(5)):
        with pytest.raises(BodyBroken, match="broke off after 6 of 10 bytes"):
            ask(body_of(b"abcdef", 10))


def test_a_body_is_late_by_how_much_of_it_has_come():
    body = body_of(b"", 10 * LEAST_BYTES_A_SECOND)
    body.began = 100.0
    assert not body.is_late(129, 30)
    assert body.is_late(131, 30)
    body.came = 5 * LEAST_BYTES_A_SECOND
    assert not body.is_late(134, 30)
    assert body.is_late(136, 30)
    body.came = body.length
    assert not body.is_late(1000, 30)


def test_a_body_that_trickles_is_cut_off_and_others_go_on():
    ours, theirs = socket.socketpair()
    stream = ours.makefile("rb")
    whole = BodyTimeoutMiddleware(lambda environ, _: [environ["wsgi.input"].read()], grace_s=0.2)

    def ask(data, connection):
        asked = {"CONTENT_LENGTH": "10", "wsgi.input": data, "gunicorn.socket": connection}
        return whole(asked, None)

    trickle = threading.Thread(target=theirs.sendall, args=(b"abc",))
    trickle.start()
    with pytest.raises(BodyBroken, match="slower than 16 KiB/s"):
        ask(stream, ours)
    trickle.join()
    assert ask(io.BytesIO(b"0123456789"), None) == [b"0123456789"]
    for end in (stream, ours, theirs):
        end.close()


@pytest.fixture
def address():
    """A real API; nothing that is asked of it here reaches a database."""
    port = free_port()
    command = [sys.executable, "-m", "gunicorn", "yardstick_server.wsgi", "--bind",
               f"127.0.0.1:{port}", "--worker-class", WORKER, "--threads", "2",
               "--no-control-socket"]  # fmt: skip
    process = subprocess.Popen(
        command, env={**os.environ, "PYTHONPATH": str(settings.PROJECT / "src")}
    )
    deadline = time.monotonic() + 20
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            break
        except OSError:
            assert time.monotonic() < deadline, "it did not start"
            time.sleep(0.1)
    yield ("127.0.0.1", port)
    process.terminate()
    process.wait(10)


def test_a_request_that_breaks_off_is_answered_so(address):
    token = b"a" * 32
    head = [
        b"POST /api/sign-in HTTP/1.1", b"Host: 127.0.0.1", b"Content-Type: application/json",
        b"Cookie: csrftoken=" + token, b"X-CSRFToken: " + token, b"Content-Length: 100", b"", b"",
    ]  # fmt: skip
    with socket.create_connection(address, PATIENCE_S) as connection:
        connection.sendall(b"\r\n".join(head) + b'{"name": "ida", "pass')
        connection.shutdown(socket.SHUT_WR)
        answer = b""
        while part := connection.recv(4096):
            answer += part
    assert answer.startswith(b"HTTP/1.1 408")
    assert b"broke off after 21 of 100 bytes; nothing was kept, send it again" in answer


def test_heads_that_never_end_hold_the_api_up_for_seconds_only(address):
    """Twenty halves of a head held every thread for ever."""
    halves = [socket.create_connection(address, PATIENCE_S) for _ in range(20)]
    try:
        for half in halves:
            half.sendall(b"GET /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ")
        with socket.create_connection(address, PATIENCE_S) as whole:
            whole.sendall(b"GET /yardstick.svg HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            assert whole.recv(20).startswith(b"HTTP/1.1 200")
        assert halves[0].recv(10) == b""
    finally:
        for half in halves:
            half.close()
