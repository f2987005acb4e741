"""`./yardstick check`: format, lint, types, import rules, the API's description; in one go."""

from __future__ import annotations

import os
import subprocess

from yardstick_command.install import npm, say, web_packages
from yardstick_command.places import PROJECT, SOURCES, STATE, VENV, VENV_PYTHON

TOOLS = VENV / "bin"


def check(*, write: bool = False) -> int:
    """Run every check; 0 where all pass. With `write`, mend what can be mended."""
    STATE.mkdir(parents=True, exist_ok=True)
    if write:
        _write()
    failed = [name for name, command in _checks() if not _passes(name, command)]
    for name in ("lint", "types"):
        web_packages()
        try:
            npm("run", "--silent", name)
            say(f"web {name}: good")
        except RuntimeError as error:
            print(error)
            failed.append(f"web {name}")
    if not _types_fit_description():
        failed.append("generated API types")
    if failed:
        print(f"\nnot good: {', '.join(failed)}")
    return 1 if failed else 0


def _checks() -> list[tuple[str, list[str]]]:
    return [
        ("format", [str(TOOLS / "ruff"), "format", "--check", "--quiet", "."]),
        ("lint", [str(TOOLS / "ruff"), "check", "--quiet", "."]),
        ("types of the core", [str(TOOLS / "mypy")]),
        ("import rules", [str(TOOLS / "lint-imports")]),
    ]


def _passes(name: str, command: list[str]) -> bool:
    environment = {**os.environ, "PYTHONPATH": str(SOURCES)}
    done = subprocess.run(command, cwd=PROJECT, env=environment, capture_output=True, text=True)
    if done.returncode:
        print(f"\n{name}:\n{done.stdout}{done.stderr}")
        return False
    say(f"{name}: good")
    return True


def _types_fit_description() -> bool:
    """Whether the web's API types are those its committed description gives."""
    fresh = STATE / "schema.d.ts"
    npm("exec", "--", "openapi-typescript", "src/api/openapi.json", "-o", str(fresh))
    if fresh.read_text() != (PROJECT / "web" / "src" / "api" / "schema.d.ts").read_text():
        print("\nthe web's API types are old: ./yardstick check --write makes them anew")
        return False
    say("generated API types: good")
    return True


def _write() -> None:
    """Format, mend what lint can, describe the API anew and generate the web's types from it."""
    for words in (["check", "--fix", "--quiet", "."], ["format", "--quiet", "."]):
        subprocess.run([str(TOOLS / "ruff"), *words], cwd=PROJECT)
    described = PROJECT / "web" / "src" / "api" / "openapi.json"
    environment = {
        **os.environ,
        "PYTHONPATH": str(SOURCES),
        "DJANGO_SETTINGS_MODULE": "yardstick_server.settings",
        "YARDSTICK_SECRET_KEY": "only-to-describe",
    }
    words = ["spectacular", "--format", "openapi-json", "--file", str(described)]
    subprocess.run([str(VENV_PYTHON), "-m", "django", *words], env=environment, check=True)
    web_packages()
    npm("run", "--silent", "api")
    npm("run", "--silent", "mend")
