"""Makes a machine a rig: an environment of its own, the agent in it, and the rig's file.

The server sends this text, with the checksums of all it hands out put before it. It needs Python
3.11 and nothing else.
"""

import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
import urllib.request
import venv
from pathlib import Path

#: SHA-256 of each file the server hands out, by name; stands before this text.
FILES: dict[str, str] = globals().get("FILES", {})
NEEDED = {"Xvfb": "xvfb", "openbox": "openbox", "dbus-daemon": "dbus-daemon"}
FOLDER = Path("~/.local/share/noble-yardstick/agent").expanduser()
COMMANDS = Path("~/.local/bin").expanduser()


def main(words: list[str]) -> int:
    """Install the agent and join; 0 where the machine is a rig afterwards."""
    if len(words) < 2:
        print("usage: … SERVER TOKEN [--folder FOLDER]", file=sys.stderr)
        return 2
    if sys.version_info < (3, 11):  # noqa: UP036 - it runs before anything is installed
        print(f"the agent needs Python 3.11; this is {sys.version.split()[0]}", file=sys.stderr)
        return 2
    server, token = words[0].rstrip("/"), words[1]
    folder = Path(words[3]).absolute() if words[2:3] == ["--folder"] else FOLDER
    say(f"making an environment for the agent in {folder}")
    venv.create(folder, with_pip=False, clear=True)
    with tempfile.TemporaryDirectory() as scratch:
        try:
            files = {name: fetched(server, name, Path(scratch)) for name in FILES}
            say("installing what the agent needs from the package index, checked by its hashes")
            install(folder, files)
        except (OSError, subprocess.CalledProcessError, ValueError) as error:
            print(f"nothing was joined: {error}", file=sys.stderr)
            return 1
    command = folder / "bin" / "yardstick-agent"
    link(command)
    missing = [package for tool, package in NEEDED.items() if shutil.which(tool) is None]
    if missing:
        say(
            "to measure on a virtual display it needs, once:\n\n    sudo apt-get install "
            f"--no-install-recommends {' '.join(missing)}\n"
        )
    config = folder.parent / "rig.json" if folder != FOLDER else None
    where = ["--config", str(config)] if config else []
    return subprocess.run([str(command), "join", server, token, *where]).returncode


def say(text: str) -> None:
    print(f"· {text}", flush=True)


def fetched(server: str, name: str, folder: Path) -> Path:
    """A file of the server's. Raises ValueError where it is not what was announced."""
    with urllib.request.urlopen(f"{server}/agent/files/{name}", timeout=60) as answer:
        data = answer.read()
    if hashlib.sha256(data).hexdigest() != FILES[name]:
        raise ValueError(f"{name} is not the file that was announced: it was left alone")
    kept = folder / name
    kept.write_bytes(data)
    return kept


def install(folder: Path, files: dict[str, Path]) -> None:
    """Have pip, run from its own wheel, install the locked packages and then the agent."""
    pip = next(path for name, path in files.items() if name.startswith("pip-"))
    agent = next(path for name, path in files.items() if name.startswith("noble_yardstick"))
    python = str(folder / "bin" / "python")
    run = [python, f"{pip}/pip", "install", "--quiet", "--disable-pip-version-check"]
    run.append("--no-compile")  # what is used is compiled when it is, and most of it never is
    subprocess.run([*run, "--require-hashes", "-r", str(files["requirements.txt"])], check=True)
    subprocess.run([*run, "--no-deps", "--no-index", str(agent)], check=True)


def link(command: Path) -> None:
    """Let it be called by its name alone, where nothing else is."""
    COMMANDS.mkdir(parents=True, exist_ok=True)
    place = COMMANDS / command.name
    if place.is_symlink() or not place.exists():
        place.unlink(missing_ok=True)
        place.symlink_to(command)
    if str(COMMANDS) not in os.environ.get("PATH", "").split(":"):
        say(f"{COMMANDS} is not on your PATH: call it as {command}")


if FILES:
    sys.exit(main(sys.argv[1:]))
