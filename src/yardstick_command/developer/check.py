"""`./yardstick check`: format, lint, types, import rules, the API's description; in one go."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial

from yardstick_command.developer.contracts import CONTRACTS, DESCRIBED, contracts
from yardstick_command.install import npm, say, web_packages
from yardstick_command.places import PROJECT, SOURCES, STATE, VENV, VENV_PYTHON

TOOLS = VENV / "bin"
SCRIPT_WORDS = PROJECT / "web" / "src" / "study" / "script" / "words.json"


def check(*, write: bool = False) -> int:
    """Run every check, some at a time; 0 where all pass. With `write`, mend what can be mended."""
    STATE.mkdir(parents=True, exist_ok=True)
    if write:
        _write()
    web_packages()
    failed = []
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        found = {name: pool.submit(trouble) for name, trouble in _checks().items()}
        for name, waiting in found.items():
            if said := waiting.result():
                print(f"\n{name}:\n{said}")
                failed.append(name)
            else:
                say(f"{name}: good")
    if failed:
        print(f"\nnot good: {', '.join(failed)}")
    return 1 if failed else 0


def _checks() -> dict[str, Callable[[], str]]:
    """Of each check what says the trouble it finds, empty where there is none; slow ones first."""
    tools = {
        "types": ["mypy"],
        "import rules": ["lint-imports"],
        "format": ["ruff", "format", "--check", "--quiet", "."],
        "lint": ["ruff", "check", "--quiet", "."],
    }
    return {
        **{name: partial(_trouble_of_tool, command) for name, command in tools.items()},
        **{f"web {name}": partial(_trouble_of_web, name) for name in ("types", "lint")},
        "generated API types": _trouble_of_api_types,
        "generated contracts": _trouble_of_contracts,
        "generated words of scripts": _trouble_of_script_words,
    }


def _trouble_of_tool(command: list[str]) -> str:
    done = subprocess.run(
        [str(TOOLS / command[0]), *command[1:]],
        cwd=PROJECT,
        env={**os.environ, "PYTHONPATH": str(SOURCES)},
        capture_output=True,
        text=True,
    )
    return f"{done.stdout}{done.stderr}" or "it failed" if done.returncode else ""


def _trouble_of_web(name: str) -> str:
    try:
        npm("run", "--silent", name)
    except RuntimeError as error:
        return str(error)
    return ""


def _trouble_of_api_types() -> str:
    """Empty where the API types of the web are those that the committed description gives."""
    fresh = STATE / "schema.d.ts"
    npm("exec", "--", "openapi-typescript", "src/api/openapi.json", "-o", str(fresh))
    if fresh.read_text() == (PROJECT / "web" / "src" / "api" / "schema.d.ts").read_text():
        return ""
    return "the web's API types are old: ./yardstick check --write makes them anew"


def _trouble_of_contracts() -> str:
    """Empty where the server's types of bodies are those that the committed description gives."""
    if CONTRACTS.read_text() == contracts():
        return ""
    return "the types of the API's bodies are old: ./yardstick check --write makes them anew"


def _script_words() -> str:
    """The words of the session language with their help, as JSON."""
    code = (
        "import json; from yardstick_core.script.reference import as_dict\n"
        "print(json.dumps(as_dict(), indent=2, ensure_ascii=False))"
    )
    return subprocess.run(
        [str(VENV_PYTHON), "-c", code], env={**os.environ, "PYTHONPATH": str(SOURCES)},
        capture_output=True, text=True, check=True,
    ).stdout  # fmt: skip


def _trouble_of_script_words() -> str:
    """Empty where the web's words of the session language are the core's."""
    if SCRIPT_WORDS.read_text() == _script_words():
        return ""
    return "the web's words of scripts are old: ./yardstick check --write makes them anew"


def _write() -> None:
    """Format, mend what lint can, describe the API anew and generate the web's types from it."""
    for words in (["check", "--fix", "--quiet", "."], ["format", "--quiet", "."]):
        subprocess.run([str(TOOLS / "ruff"), *words], cwd=PROJECT)
    environment = {
        **os.environ,
        "PYTHONPATH": str(SOURCES),
        "DJANGO_SETTINGS_MODULE": "yardstick_server.settings",
        "YARDSTICK_SECRET_KEY": "only-to-describe",
    }
    words = ["spectacular", "--format", "openapi-json", "--file", str(DESCRIBED)]
    subprocess.run([str(VENV_PYTHON), "-m", "django", *words], env=environment, check=True)
    CONTRACTS.write_text(contracts())
    SCRIPT_WORDS.write_text(_script_words())
    web_packages()
    npm("run", "--silent", "api")
    npm("run", "--silent", "mend")
