"""Prepared states: the same home again, known by its content, and nothing that is no plain file."""

import io
import tarfile
from pathlib import Path

import pytest
import zstandard

from yardstick_agent import prepared
from yardstick_agent.config import RigConfig
from yardstick_agent.prepared import NotPrepared
from yardstick_agent.service import RunRefused, put_state


def home(folder: Path) -> Path:
    (folder / ".config" / "weft").mkdir(parents=True)
    (folder / ".config" / "weft" / "licence").write_text("paid")
    (folder / "tool").write_text("#!/bin/sh\n")
    (folder / "tool").chmod(0o755)
    (folder / "outside").symlink_to("/etc/passwd")
    return folder


def test_a_home_comes_back_as_it_was_without_links(tmp_path):
    state = prepared.pack(home(tmp_path / "one"))
    prepared.unpack(state, tmp_path / "two")
    assert (tmp_path / "two/.config/weft/licence").read_text() == "paid"
    assert (tmp_path / "two/tool").stat().st_mode & 0o777 == 0o700
    assert not (tmp_path / "two/outside").exists()
    assert prepared.pack(tmp_path / "two") == state


def packed(*members: tuple[str, bytes, bytes]) -> bytes:
    """A state as a liar would pack it: name, kind and content."""
    file = io.BytesIO()
    with tarfile.open(fileobj=file, mode="w") as archive:
        for name, kind, content in members:
            about = tarfile.TarInfo(name)
            about.type, about.size = kind, len(content)
            about.linkname = "/etc/passwd"
            archive.addfile(about, io.BytesIO(content))
    return zstandard.ZstdCompressor().compress(file.getvalue())


@pytest.mark.parametrize(
    "state",
    [
        packed(("../escaped", tarfile.REGTYPE, b"x")),
        packed(("/etc/escaped", tarfile.REGTYPE, b"x")),
        packed(("a/../../escaped", tarfile.REGTYPE, b"x")),
        packed(("link", tarfile.SYMTYPE, b"")),
        packed(("link", tarfile.LNKTYPE, b"")),
        packed(("pipe", tarfile.FIFOTYPE, b"")),
        b"no archive at all",
        zstandard.ZstdCompressor().compress(b"no tar"),
    ],
    ids=["up", "absolute", "hidden up", "symlink", "hard link", "pipe", "no zstd", "no tar"],
)
def test_what_is_no_plain_file_below_the_home_is_refused(tmp_path, state):
    inside = tmp_path / "run" / "home"
    with pytest.raises(NotPrepared):
        prepared.unpack(state, inside)
    assert not list(tmp_path.glob("**/escaped"))


def test_a_bomb_is_not_unpacked(tmp_path, monkeypatch):
    monkeypatch.setattr(prepared, "MOST_UNPACKED", 1000)
    with pytest.raises(NotPrepared, match="larger"):
        prepared.unpack(zstandard.ZstdCompressor().compress(b"\0" * 5000), tmp_path / "home")


class FakeServer:
    def __init__(self, state: bytes):
        self.sent = state

    def state(self, sha256: str) -> bytes:
        return self.sent


def test_a_rig_takes_only_states_that_were_made_on_it(tmp_path):
    state = prepared.pack(home(tmp_path / "made"))
    sha256 = prepared.digest(state)
    here = RigConfig("http://x", "t", tmp_path)
    with pytest.raises(RunRefused, match="made on it"):
        put_state(tmp_path / "run", sha256, here, FakeServer(state))
    put_state(
        tmp_path / "run", sha256, RigConfig("http://x", "t", tmp_path, states_from="anywhere"),
        FakeServer(state),
    )  # fmt: skip
    prepared.note_made_here(tmp_path, sha256)
    put_state(tmp_path / "again", sha256, here, FakeServer(state))
    with pytest.raises(RunRefused, match="not the one that was asked for"):
        put_state(tmp_path / "other", sha256, here, FakeServer(b"something else"))
