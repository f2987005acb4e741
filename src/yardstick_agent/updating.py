"""Brings the agent to its server's release: where its own file allows it, checked by digests."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from yardstick_core import release_digest

#: Where the packages of this agent lie.
SOURCE = Path(release_digest.__file__).parent.parent
#: Says which release was brought last, so that one that does not take is not tried again and again.
BROUGHT = "YARDSTICK_AGENT_BROUGHT_TO"
WITHIN_S = 900

Fetch = Callable[[str], bytes]
Run = Callable[[list[str]], None]


class NotUpdated(RuntimeError):
    """The release that runs was kept; the message says why."""


def own_release() -> str:
    """Digest of the release that runs."""
    return release_digest.release_digest(SOURCE)


def wanted(told: Mapping[str, Any]) -> bool:
    """Whether the server hands out another release, and this one was installed from its files.

    A checkout is brought up to date by whoever works in it.
    """
    release = str(told.get("release", ""))
    if not release or os.environ.get(BROUGHT) == release or not told.get("files"):
        return False
    return SOURCE.name == "site-packages" and release != own_release()


def bring(told: Mapping[str, Any], fetch: Fetch, run: Run | None = None) -> None:
    """Install what the server hands out into this environment. Raises NotUpdated.

    Nothing is installed before every file has been fetched and is the one that was announced.
    """
    with tempfile.TemporaryDirectory() as folder:
        files = {}
        for name, sha256 in dict(told["files"]).items():
            if Path(name).name != name:
                raise NotUpdated(f"“{name}” is no name of a file")
            data = fetch(name)
            if hashlib.sha256(data).hexdigest() != sha256:
                raise NotUpdated(f"{name} is not the file that was announced")
            files[name] = Path(folder) / name
            files[name].write_bytes(data)
        _install(files, run or _run)


def _install(files: Mapping[str, Path], run: Run) -> None:
    pip = next((path for name, path in files.items() if name.startswith("pip-")), None)
    agent = next((path for name, path in files.items() if name.startswith("noble_yardstick")), None)
    needs = files.get("requirements.txt")
    if pip is None or agent is None or needs is None:
        raise NotUpdated("what the server hands out is not all that makes up an agent")
    install = [sys.executable, f"{pip}/pip", "install", "--quiet", "--disable-pip-version-check"]
    try:
        run([*install, "--require-hashes", "-r", str(needs)])
        run([*install, "--no-deps", "--no-index", "--force-reinstall", str(agent)])
    except (OSError, subprocess.SubprocessError) as error:
        raise NotUpdated(f"installing it failed: {error}") from error


def _run(command: list[str]) -> None:
    subprocess.run(command, check=True, timeout=WITHIN_S, stdin=subprocess.DEVNULL)


def start_anew(release: str) -> None:
    """Let this process become the agent that was just installed; does not return."""
    os.environ[BROUGHT] = release
    os.execv(sys.executable, [sys.executable, *sys.orig_argv[1:]])
