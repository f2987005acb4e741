"""A bundle: one file with all that is needed to read a study anew, or to repeat it.

A zip of open formats: texts, JSON, CSV, Parquet, PNG, HTML. `bundle.json` names every other file
with its size and SHA-256. Whoever opens one trusts none of it: names are of a few fixed shapes and
never become paths, sizes are held to what was said and to bounds, and every byte is checked before
any is kept.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import zipfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from yardstick_core import CORE_VERSION

FORMAT, VERSION = "noble-yardstick bundle", 2
MANIFEST, STUDY, CRATE = "bundle.json", "study.json", "ro-crate-metadata.json"
REPORT, RESULTS, READINGS = "report.html", "results.json", "readings.csv"
MOST_FILES, MOST_BYTES = 200_000, 256 << 30
MOST_OF_JSON, MOST_OF_A_FILE = 64 << 20, 64 << 30
#: So many sessions may be in one set.
MOST_SESSIONS = 200
AT_ONCE = 1 << 20
#: Every name that a file may have.
_NAMES = re.compile(
    r"bundle\.json|ro-crate-metadata\.json|fixtures/\d{1,6}"
    r"|(sessions/[1-9]\d{0,2}/)?(study\.json|report\.html|results\.json|readings\.csv"
    r"|scripts/\d{1,6}\.session|works/\d{1,3}\.png"
    r"|runs/\d{1,7}/(run\.json|streams\.parquet|(pictures|findings)/\d{1,4}\.png"
    r"|findings/\d{1,4}\.mp4))"
)
#: Told of files and bytes, how many of how many are done.
Progress = Callable[[int, int], None]


class BundleError(ValueError):
    """This is no bundle, or a broken or foreign one; nothing of it was kept."""


@dataclass(frozen=True, slots=True)
class Entry:
    size: int
    sha256: str


@dataclass(frozen=True, slots=True)
class Manifest:
    """`sessions` holds how many runs each session of the set has; one where there is no set."""

    version: int
    core_version: str
    question: str
    made: str
    sessions: tuple[int, ...]
    files: dict[str, Entry]

    @property
    def runs(self) -> int:
        return sum(self.sessions)


def folder_of(session: int) -> str:
    """Where the files of a session of the set are, the first of which is 1."""
    return "" if session == 1 else f"sessions/{session}/"


# -- writing -----------------------------------------------------------------------------------


class BundleWriter:
    """Writes a bundle to a file, a member at a time; the manifest comes last."""

    def __init__(self, path: Path) -> None:
        self._zip = zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, allowZip64=True)
        self.files: dict[str, dict[str, Any]] = {}

    def add(self, name: str, data: bytes | str) -> None:
        content = data.encode() if isinstance(data, str) else data
        self._note(name, len(content), hashlib.sha256(content).hexdigest())
        self._zip.writestr(name, content)

    def add_json(self, name: str, data: Any) -> None:
        self.add(name, json.dumps(data, ensure_ascii=False, indent=1) + "\n")

    def add_file(self, name: str, path: Path) -> None:
        """A file that is packed already, as it is."""
        digest = hashlib.sha256()
        size = 0
        about = zipfile.ZipInfo(name)
        with path.open("rb") as source, self._zip.open(about, "w", force_zip64=True) as target:
            while part := source.read(AT_ONCE):
                digest.update(part)
                size += len(part)
                target.write(part)
        self._note(name, size, digest.hexdigest())

    def _note(self, name: str, size: int, sha256: str) -> None:
        assert _NAMES.fullmatch(name), name
        self.files[name] = {"size": size, "sha256": sha256}

    def close(self, *, question: str, made: str, sessions: Sequence[int]) -> None:
        """Write what the bundle is and what is in it, and end the file."""
        about = {
            "format": FORMAT, "version": VERSION, "core_version": CORE_VERSION,
            "question": question, "made": made, "sessions": list(sessions), "files": self.files,
        }  # fmt: skip
        self._zip.writestr(MANIFEST, json.dumps(about, ensure_ascii=False, indent=1) + "\n")
        self._zip.close()


# -- reading -----------------------------------------------------------------------------------


class Bundle:
    """A bundle that was opened: its names and sizes are what its manifest says.

    Raises BundleError, as all it does.
    """

    def __init__(self, path: Path) -> None:
        try:
            self._zip = zipfile.ZipFile(path)
        except (zipfile.BadZipFile, OSError, ValueError) as error:
            raise BundleError(f"this is no bundle: {error}") from error
        try:
            self.manifest = self._opened()
        except BaseException:
            self._zip.close()
            raise

    def __enter__(self) -> Bundle:
        return self

    def __exit__(self, *_: object) -> None:
        self._zip.close()

    def _opened(self) -> Manifest:
        members = self._zip.infolist()
        if len(members) > MOST_FILES:
            raise BundleError("it holds more files than is allowed")
        names = [member.filename for member in members]
        strange = [name for name in names if not _NAMES.fullmatch(name)]
        if strange:
            raise BundleError(f"it holds a file that no bundle has: {strange[0][:120]!r}")
        if len(set(names)) < len(names):
            raise BundleError("it holds a file twice")
        if MANIFEST not in names:
            raise BundleError(f"this is no bundle: it holds no {MANIFEST}")
        if any(member.flag_bits & 1 for member in members):
            raise BundleError("it is encrypted")
        manifest = manifest_of(self.json(MANIFEST))
        if set(manifest.files) != set(names) - {MANIFEST}:
            raise BundleError("it does not hold what its manifest names")
        if sum(entry.size for entry in manifest.files.values()) > MOST_BYTES:
            raise BundleError("it is larger than is allowed, once unpacked")
        for member in members:
            said = manifest.files.get(member.filename)
            if said is not None and said.size != member.file_size:
                raise BundleError(f"{member.filename} has another size than the manifest says")
        return manifest

    def read(self, name: str, most: int = MOST_OF_JSON) -> bytes:
        """A whole file, checked; `most` bytes are what it may have."""
        return b"".join(self.parts(name, most))

    def json(self, name: str) -> Any:
        try:
            return json.loads(self.read(name))
        except ValueError as error:
            if isinstance(error, BundleError):
                raise
            raise BundleError(f"{name} is no JSON: {error}") from error

    def parts(self, name: str, most: int = MOST_OF_A_FILE) -> Iterator[bytes]:
        """A file a part at a time; once all of it has come it has been checked."""
        said = self.manifest.files.get(name) if name != MANIFEST else None
        digest, size = hashlib.sha256(), 0
        try:
            with self._zip.open(name) as source:
                while part := source.read(AT_ONCE):
                    size += len(part)
                    if size > most or (said is not None and size > said.size):
                        raise BundleError(f"{name} is larger than is allowed")
                    digest.update(part)
                    yield part
        except (zipfile.BadZipFile, EOFError, OSError, KeyError, NotImplementedError) as error:
            raise BundleError(f"{name} cannot be unpacked: {error}") from error
        except Exception as error:
            if isinstance(error, BundleError):
                raise
            raise BundleError(f"{name} is damaged: {error}") from error
        if said is not None and (size, digest.hexdigest()) != (said.size, said.sha256):
            raise BundleError(f"{name} is not what the manifest says: it was changed or damaged")

    def unpack(self, name: str, target: IO[bytes]) -> None:
        """Copy a file to another, checked."""
        for part in self.parts(name):
            target.write(part)
        target.flush()

    def check(self, progress: Progress | None = None) -> None:
        """Read everything and hold it against the manifest."""
        total = sum(entry.size for entry in self.manifest.files.values())
        done = 0
        for name in self.manifest.files:
            for part in self.parts(name):
                done += len(part)
            if progress:
                progress(done, total)


def manifest_of(found: Any) -> Manifest:
    """A manifest as JSON says it. Raises BundleError."""
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise BundleError("this is no bundle of ours")
    version = found.get("version")
    if not isinstance(version, int) or not 1 <= version <= VERSION:
        raise BundleError(
            f"it is of version {version!r}, and this reads versions 1 to {VERSION}: take a newer "
            "release to read it"
        )
    try:
        files = {
            str(name): Entry(int(entry["size"]), str(entry["sha256"]))
            for name, entry in found["files"].items()
        }
        sessions = [found["runs"]] if version == 1 else found["sessions"]
        if not 1 <= len(sessions) <= MOST_SESSIONS:
            raise BundleError(f"it holds no session, or more than {MOST_SESSIONS}")
        return Manifest(
            version, str(found["core_version"])[:20], str(found["question"])[:200],
            str(found["made"])[:40], tuple(int(runs) for runs in sessions), files,
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise BundleError(f"its manifest cannot be read: {error!r}") from error


#: What bodies of the first version do not say, as it is where nobody said it.
_NEW_IN_2: dict[str, dict[str, Any]] = {
    "study": {"second_factor": "", "missing_cells": [], "day_share": None, "jobs": []},
    "subject": {"release_order": []},
    "variant": {
        "first_level": "", "second_level": "", "works": "", "works_note": "", "works_by": "",
        "works_picture": "",
    },
    "plan": {"film": False},
    "run": {"shown": []},
    "finding": {"clip": "", "clip_s": 0.0},
}  # fmt: skip


def upgraded(found: Any, kind: str, version: int) -> Any:
    """A body of any version (`kind` "study" or "run") as the newest has it."""
    if version >= VERSION or not isinstance(found, dict):
        return found
    body = {**_NEW_IN_2[kind], **found}
    for name in ("subject", "plan") if kind == "study" else ():
        if isinstance(body.get(name), dict):
            body[name] = {**_NEW_IN_2[name], **body[name]}
    several, one_of_them = ("variants", "variant") if kind == "study" else ("findings", "finding")
    if isinstance(body.get(several), list):
        body[several] = [
            {**_NEW_IN_2[one_of_them], **one} if isinstance(one, dict) else one
            for one in body[several]
        ]
    return body


def room_for(manifest: Manifest, folder: Path) -> bool:
    """Whether the largest file of a bundle fits into a folder, with as much left."""
    largest = max((entry.size for entry in manifest.files.values()), default=0)
    return 2 * largest < shutil.disk_usage(folder).free


def crate(question: str, made: str, files: list[str]) -> dict[str, Any]:
    """What the bundle is, as research objects are described (RO-Crate 1.1)."""
    kinds = {
        "parquet": "application/vnd.apache.parquet", "json": "application/json",
        "csv": "text/csv", "html": "text/html", "session": "text/plain", "png": "image/png",
        "mp4": "video/mp4",
    }  # fmt: skip
    parts = [
        {
            "@id": name,
            "@type": "File",
            "encodingFormat": kinds.get(name.rpartition(".")[2], "application/octet-stream"),
        }
        for name in files
    ]
    return {
        "@context": "https://w3id.org/ro/crate/1.1/context",
        "@graph": [
            {
                "@id": CRATE, "@type": "CreativeWork", "about": {"@id": "./"},
                "conformsTo": {"@id": "https://w3id.org/ro/crate/1.1"},
            },
            {
                "@id": "./", "@type": "Dataset", "name": question, "datePublished": made,
                "description": "A performance comparison: session, runs, readings and report.",
                "hasPart": [{"@id": name} for name in files],
            },
            *parts,
        ],
    }  # fmt: skip
