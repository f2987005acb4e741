"""Prepared states: a home as a rehearsal left it, packed, known by its content, put into runs."""

from __future__ import annotations

import hashlib
import io
import stat
import tarfile
from collections.abc import Iterator
from pathlib import Path, PurePosixPath

import zstandard

MOST_BYTES = 64 * 2**20
MOST_UNPACKED, MOST_FILES = 512 * 2**20, 50_000
#: Names, below the spool, of the states that were made on this rig.
MADE_HERE = "states-made-here"
LEVEL = 6


class NotPrepared(Exception):
    """A state cannot be kept or used; the message says why."""


def pack(home: Path) -> bytes:
    """Files and folders of a home, the same bytes for the same content. Raises NotPrepared.

    Links, sockets and the like are left out: they would mean something else elsewhere.
    """
    packed = io.BytesIO()
    with tarfile.open(fileobj=packed, mode="w", format=tarfile.PAX_FORMAT) as archive:
        for place in _kept(home):
            about = tarfile.TarInfo(str(place.relative_to(home)))
            if place.is_dir():
                about.type, about.mode = tarfile.DIRTYPE, 0o700
                archive.addfile(about)
                continue
            runs = place.stat().st_mode & stat.S_IXUSR
            data = place.read_bytes()
            about.mode, about.size = 0o700 if runs else 0o600, len(data)
            archive.addfile(about, io.BytesIO(data))
    data = zstandard.ZstdCompressor(level=LEVEL).compress(packed.getvalue())
    if len(data) > MOST_BYTES:
        raise NotPrepared(
            f"the state has {len(data) // 2**20} MiB, more than the {MOST_BYTES // 2**20} that are "
            "kept: empty its caches first"
        )
    return data


def _kept(home: Path) -> Iterator[Path]:
    for place in sorted(home.rglob("*")):
        if not place.is_symlink() and (place.is_dir() or place.is_file()):
            yield place


def unpack(data: bytes, home: Path) -> None:
    """Put a state where a run's home is to be. Raises NotPrepared; then nothing may be used of it.

    Only plain files and folders below the home are taken, whatever else is in it.
    """
    try:
        reader = zstandard.ZstdDecompressor().stream_reader(io.BytesIO(data))
        whole = reader.read(MOST_UNPACKED + 1)
    except zstandard.ZstdError as error:
        raise NotPrepared(f"the prepared state cannot be read: {error}") from error
    if len(whole) > MOST_UNPACKED:
        raise NotPrepared("the prepared state is larger than a run's home may be")
    try:
        with tarfile.open(fileobj=io.BytesIO(whole)) as archive:
            for number, member in enumerate(archive):
                if number >= MOST_FILES:
                    raise NotPrepared("the prepared state has too many files")
                _put(archive, member, home)
    except tarfile.TarError as error:
        raise NotPrepared(f"the prepared state cannot be read: {error}") from error


def _put(archive: tarfile.TarFile, member: tarfile.TarInfo, home: Path) -> None:
    name = PurePosixPath(member.name)
    if name.is_absolute() or ".." in name.parts or not (member.isdir() or member.isfile()):
        raise NotPrepared(f"the prepared state holds “{member.name}”, which is no plain file")
    place = home / name
    if member.isdir():
        place.mkdir(parents=True, exist_ok=True)
        return
    place.parent.mkdir(parents=True, exist_ok=True)
    content = archive.extractfile(member)
    place.write_bytes(content.read() if content else b"")
    place.chmod(0o700 if member.mode & stat.S_IXUSR else 0o600)


def digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def note_made_here(spool: Path, sha256: str) -> None:
    """Remember that a state was made on this rig, which then takes it back."""
    with open(spool / MADE_HERE, "a", encoding="utf-8") as file:
        file.write(sha256 + "\n")


def made_here(spool: Path, sha256: str) -> bool:
    try:
        return sha256 in (spool / MADE_HERE).read_text(encoding="utf-8").split()
    except OSError:
        return False
