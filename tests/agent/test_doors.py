"""What a session cannot do to the machine that plays it, and what a damaged spool cannot stop."""

import hashlib
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

import pytest
from sessions import played, prepared, script
from test_spool import FakeServer, recorded, service

from yardstick_agent import service as rig_service
from yardstick_agent.below import append_below, open_below, read_below
from yardstick_agent.cli import measure
from yardstick_agent.display.picture import read_picture
from yardstick_agent.service import RunRefused, put_fixture
from yardstick_agent.session_user import AGENTS_OWN, NoSuchUser, SessionUser, unreachable
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.sender import Sender
from yardstick_agent.spool.writer import SpoolWriter
from yardstick_command.install import made_user
from yardstick_command.up import SESSION_USER


def test_no_link_leads_out_of_the_folder_of_a_run(tmp_path):
    work, secret = tmp_path / "work", tmp_path / "secret"
    (work / "inner").mkdir(parents=True)
    secret.mkdir()
    (secret / "shadow").write_text("root:x")
    (work / "inner/plain").write_text("here")
    (work / "link").symlink_to(secret / "shadow")
    (work / "folder").symlink_to(secret)
    os.mkfifo(work / "pipe")
    assert read_below(work, "inner/plain") == b"here"
    for name in ("link", "folder/shadow", "pipe", "inner", "../secret/shadow", "none"):
        assert read_below(work, name) is None
    assert read_below(work, str(secret / "shadow")) is None
    assert read_below(tmp_path / "nowhere", "x") is None


@pytest.mark.parametrize("name", ["--help", "../up", "a/b", ".profile", "weftwright.py"])
def test_a_fixture_that_could_be_an_option_or_code_is_refused(tmp_path, name):
    content = b"import os"
    fixture = {"name": name, "sha256": hashlib.sha256(content).hexdigest()}
    with pytest.raises(RunRefused):
        put_fixture(tmp_path, fixture, content)
    assert list(tmp_path.rglob("*")) == []


def test_the_owner_of_a_rig_may_let_code_in(tmp_path):
    content = b"import os"
    fixture = {"name": "macro.py", "sha256": hashlib.sha256(content).hexdigest()}
    put_fixture(tmp_path, fixture, content, runnable=True)
    assert (tmp_path / "macro.py").read_bytes() == content


@pytest.mark.screen
def test_a_file_of_the_folder_is_no_code_of_a_program_started_there(tmp_path):
    """`python -m program` used to look for code in its folder of work first."""
    session = script("wait 100ms", "until exited, within 20s")
    command = [sys.executable, "-c", "print('ready', flush=True); import pwned_by_fixture"]
    folder = prepared(tmp_path / "run", session, command, log="")
    (folder / "work/pwned_by_fixture.py").write_text("open('pwned', 'w')")
    measure(folder)
    assert not (folder / "work/pwned").exists()
    assert "ModuleNotFoundError" in (folder / "work/output.txt").read_text()


@pytest.mark.screen
@pytest.mark.skipif(os.geteuid() != 0, reason="only root can start programs as somebody else")
def test_a_session_of_an_agent_that_is_root_runs_as_a_user_of_its_own(tmp_path):
    """The program can neither read the agent's record nor be anybody; what it draws is seen."""
    made_user(SESSION_USER)
    code = (
        "import os, tkinter\n"
        "print('user', os.getuid(), os.getgroups(), os.environ['USER'], flush=True)\n"
        "for name in ('../journal.jsonl', '/etc/shadow'):\n"
        "    try: open(name); print('reads', name)\n"
        "    except OSError: pass\n"
        "os.symlink('/etc/shadow', 'link.txt'); open('own.txt', 'w').close()\n"
        "window = tkinter.Tk(); window.title('Own'); window.update()\n"
        "print('ready', flush=True); window.mainloop()\n"
    )
    session = script("wait 200ms", "until window is steady, within 9s")
    folder = prepared(tmp_path / "spool/run-1", session, ["/usr/bin/python3", "-c", code], log="")
    assignment = json.loads((folder / "assignment.json").read_text())
    (folder / "assignment.json").write_text(
        json.dumps({**assignment, "session_user": SESSION_USER, "pictures": True})
    )
    user = SessionUser.named(SESSION_USER)
    user.let_through(folder, Path(tempfile.gettempdir()))
    measure(folder)
    run = SpoolReader(folder).run()
    assert run.outcome == "finished", run.detail
    output = (folder / "work/output.txt").read_text()
    assert f"user {user.uid} [] {SESSION_USER}" in output
    assert "reads" not in output
    assert (folder / "work/own.txt").stat().st_uid == user.uid
    assert read_picture((folder / "picture.png").read_bytes()) is not None
    assert unreachable(SESSION_USER, [folder / "work", folder / "journal.jsonl"]) == [
        folder / "journal.jsonl"
    ]


def test_a_session_user_must_exist_and_not_be_root():
    if os.geteuid() == 0:
        for name in ("root", "nobody-of-this-name"):
            with pytest.raises(NoSuchUser):
                SessionUser.named(name)
    assert SessionUser.named("") == AGENTS_OWN


def test_what_a_program_says_is_written_to_no_file_that_its_folder_links_to(tmp_path):
    (tmp_path / "secret").write_text("kept")
    for name, make in (("link", os.symlink), ("pipe", lambda _, to: os.mkfifo(to))):
        make(tmp_path / "secret", tmp_path / name)
        for opened in (append_below, open_below):
            with pytest.raises(OSError, match=r"plain|No such device|Too many"):
                opened(tmp_path / name).close()
    with append_below(tmp_path / "secret") as file:
        file.write(b" on")
    with open_below(tmp_path / "secret") as file:
        assert file.read(100) == b"kept on"


@pytest.mark.screen
def test_what_a_program_says_is_kept_whatever_it_is(tmp_path):
    """NUL and bytes that are no text, in the line that becomes the run's detail."""
    code = "import os, sys; os.write(1, b'ready\\nbad \\x00 \\xff end\\n'); sys.exit(3)"
    session = script('until log "never", within 9s')
    run = played(tmp_path, session, [sys.executable, "-c", code], log="")
    assert run.outcome in ("crashed", "not started")
    assert "bad" in run.detail
    assert "\x00" not in run.detail


def test_stop_ends_a_recorder_that_does_not_listen(tmp_path, monkeypatch):
    monkeypatch.setattr(rig_service, "STOP_SECONDS", 0.5)
    deaf = (
        "import signal, time; signal.signal(15, signal.SIG_IGN); print(flush=True); time.sleep(60)"
    )
    recorder = subprocess.Popen([sys.executable, "-c", deaf], stdout=subprocess.PIPE)
    recorder.stdout.readline()
    rig, said = service(tmp_path, FakeServer())
    rig._end_recorder(4, recorder)
    assert recorder.poll() == -9
    assert "did not end within" in said[0]
    recorder.stdout.close()


def test_a_damaged_stream_is_set_aside_and_the_others_are_sent(tmp_path):
    server = FakeServer()
    folder = recorded(tmp_path / "run-5")
    (folder / "counters/subject.resident.raw").write_bytes(os.urandom(16 * 400))
    with open(folder / "journal.jsonl", "ab") as journal:
        journal.write(b'7\n["no entry"]\n{"kind": 5}\n')
    Sender(server.client(), 5, folder).seal()
    (seal,) = server.seals
    assert "subject.resident was damaged on the rig" in seal["detail"]
    assert "frames" in seal["streams"]
    assert (folder / "counters/subject.resident.raw.damaged").exists()


def test_a_foreign_folder_in_the_spool_stops_nothing(tmp_path):
    server = FakeServer()
    for name in ("run-abc", "run-²"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "assignment.json").write_text("{}")
    recorded(tmp_path / "run-12")
    rig, said = service(tmp_path, server)
    rig.send_left_over()
    assert len(server.seals) == 1
    assert sorted(path.name for path in tmp_path.glob("set-aside-*")) == [
        "set-aside-run-abc-1", "set-aside-run-²-1",
    ]  # fmt: skip
    assert any("is set aside as" in line for line in said)


def test_what_was_refused_is_tried_again_after_a_start(tmp_path):
    server = FakeServer()
    folder = recorded(tmp_path / "run-3")
    (folder / "refused").write_text("an older server did not know this")
    rig, _ = service(tmp_path, server)
    rig.send_left_over()
    assert server.seals == []
    rig.forget_refusals()
    rig.send_left_over()
    assert len(server.seals) == 1
    assert not folder.exists()


def test_an_entry_that_cannot_be_kept_is_mended_as_it_is_noted(tmp_path):
    writer = SpoolWriter(tmp_path, 0)
    writer.journal(
        {
            "kind": "outcome",
            "at": 5,
            "outcome": "crashed",
            "detail": "a\x00b \ud800",
            "odd": float("nan"),
        }
    )
    writer.close()
    (entry,) = SpoolReader(tmp_path).journal()
    assert entry["detail"] == "a\ufffdb \ufffd"
    assert entry["odd"] is None
