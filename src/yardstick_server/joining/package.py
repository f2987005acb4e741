"""The agent as a wheel, made from the sources, and the other files a machine that joins needs."""

from __future__ import annotations

import base64
import hashlib
import io
import zipfile
from functools import cache
from pathlib import Path

from django.conf import settings

from yardstick_core.release_digest import members as agent_files
from yardstick_core.release_digest import release_digest

VERSION = "0.1.0"
NAME = f"noble_yardstick_agent-{VERSION}"
WHEEL = f"{NAME}-py3-none-any.whl"
REQUIREMENTS = "requirements.txt"
#: The same bytes each time: no file says when it was packed.
PACKED_AT = (2020, 1, 1, 0, 0, 0)

ABOUT = {
    "METADATA": f"Metadata-Version: 2.1\nName: noble-yardstick-agent\nVersion: {VERSION}\n"
    "Requires-Python: >=3.11\n",
    "WHEEL": "Wheel-Version: 1.0\nGenerator: noble-yardstick\nRoot-Is-Purelib: true\n"
    "Tag: py3-none-any\n",
    "entry_points.txt": "[console_scripts]\nyardstick-agent = yardstick_agent.cli:main\n",
}


class NoPip(RuntimeError):
    """This server's Python has no wheel of pip to hand out."""


@cache
def files() -> dict[str, bytes]:
    """All that is handed out, by name. Raises NoPip."""
    pip = pip_wheel()
    requirements = settings.PROJECT / "requirements" / "agent.txt"
    return {WHEEL: wheel(), REQUIREMENTS: requirements.read_bytes(), pip.name: pip.read_bytes()}


def update_told() -> dict[str, object]:
    """What an agent is told so that it can bring itself to this server's release."""
    try:
        sums = {name: hashlib.sha256(data).hexdigest() for name, data in files().items()}
    except NoPip:
        sums = {}
    return {"release": handed_out(), "files": sums}


@cache
def handed_out() -> str:
    """Digest of the release of the agent that this server hands out."""
    return release_digest(settings.PROJECT / "src")


def wheel() -> bytes:
    """Agent and core as a wheel: the modules, who they are, and what each file's checksum is."""
    members = agent_files(settings.PROJECT / "src")
    members |= {f"{NAME}.dist-info/{name}": text.encode() for name, text in ABOUT.items()}
    record = f"{NAME}.dist-info/RECORD"
    lines = [f"{name},sha256={_digest(data)},{len(data)}" for name, data in members.items()]
    members[record] = "\n".join([*lines, f"{record},,", ""]).encode()
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(zipfile.ZipInfo(name, PACKED_AT), data, zipfile.ZIP_DEFLATED)
    return packed.getvalue()


def _digest(data: bytes) -> str:
    return base64.urlsafe_b64encode(hashlib.sha256(data).digest()).rstrip(b"=").decode()


def pip_wheel() -> Path:
    """The wheel of pip that Python brings along, or Debian beside it."""
    folders = [Path("/usr/share/python-wheels")]
    try:
        import ensurepip

        folders.insert(0, Path(ensurepip.__file__).parent / "_bundled")
    except ImportError:
        pass
    for folder in folders:
        found = sorted(folder.glob("pip-*.whl"))
        if found:
            return found[-1]
    raise NoPip("install python3-venv on the server: it brings the wheel that is handed out")


@cache
def bootstrap() -> bytes:
    """What the joining machine runs, with the checksums of all it will fetch."""
    sums = {name: hashlib.sha256(data).hexdigest() for name, data in files().items()}
    text = (Path(__file__).parent / "bootstrap.py").read_text()
    return f"FILES = {sums!r}\n{text}".encode()


def command(server: str, token: str) -> str:
    """The line to run on a machine that joins: fetches the bootstrap, checks it, runs it."""
    digest = hashlib.sha256(bootstrap()).hexdigest()
    code = (
        "import urllib.request as u,hashlib as h;"
        f"b=u.urlopen('{server}/agent/join.py').read();"
        f"assert h.sha256(b).hexdigest()=='{digest}','not what was announced';exec(b)"
    )
    return f'python3 -c "{code}" {server} {token}'
