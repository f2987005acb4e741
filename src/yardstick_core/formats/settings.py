"""Settings of a program, read from its own files: one flat table of keys and values."""

from __future__ import annotations

import configparser
import json
import re
import tomllib
from fnmatch import fnmatchcase
from typing import Any

MOST_BYTES = 1024 * 1024
MOST_KEYS = 2000
LONGEST = 300
HIDDEN = "set, not shown"
_SECRET = re.compile(r"pass(word|phrase|wd)?$|secret|token|api_?key|licen[cs]e_?key", re.IGNORECASE)
FORMATS = ("ini", "json", "toml", "lines")


class SettingsError(ValueError):
    """A settings file cannot be read; the message says why."""


def read_settings(name: str, data: bytes, only: tuple[str, ...] = (),
                  ignore: tuple[str, ...] = ()) -> dict[str, str]:  # fmt: skip
    """Keys and values of a settings file; the format is known by its name, else by its content.

    Keys are dotted paths below the file's name. With `only` just the keys that fit one of these
    patterns (`*` stands for anything), without those that fit one of `ignore`. Values of keys that
    name a secret are hidden. Raises SettingsError.
    """
    if len(data) > MOST_BYTES:
        raise SettingsError(f"{name} is larger than {MOST_BYTES // 1024} KiB")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise SettingsError(f"{name} is not text in UTF-8: {error.reason}") from error
    found = _flat(_parsed(name, text))
    kept = {
        key: _shown(key, value)
        for key, value in found.items()
        if (not only or _fits(key, only)) and not _fits(key, ignore)
    }
    if len(kept) > MOST_KEYS:
        raise SettingsError(f"{name} has more than {MOST_KEYS} keys: say which ones are wanted")
    return {f"{name}: {key}": value for key, value in kept.items()}


def _fits(key: str, patterns: tuple[str, ...]) -> bool:
    return any(fnmatchcase(key, pattern) for pattern in patterns)


def _shown(key: str, value: str) -> str:
    if _SECRET.search(key.rpartition(".")[2]):
        return HIDDEN
    return value if len(value) <= LONGEST else f"{value[:LONGEST]}…"


def _parsed(name: str, text: str) -> Any:
    ending = name.rpartition(".")[2].lower()
    try:
        if ending == "json" or (ending not in FORMATS and text.lstrip().startswith("{")):
            return json.loads(text)
        if ending == "toml":
            return tomllib.loads(text)
        if re.search(r"^\s*\[[^\]]+\]\s*$", text, re.MULTILINE):
            return _ini(text)
    except (ValueError, RecursionError, configparser.Error) as error:
        raise SettingsError(f"{name} cannot be read: {str(error)[:200]}") from error
    return _lines(text)


def _ini(text: str) -> dict[str, dict[str, str | None]]:
    parser = configparser.RawConfigParser(strict=False, allow_no_value=True, default_section="")
    parser.optionxform = str  # type: ignore[assignment,method-assign]
    parser.read_string(text)
    return {section: dict(parser.items(section)) for section in parser.sections()}


def _lines(text: str) -> dict[str, str]:
    """Lines of `key = value` or `key: value`; other lines stand for themselves."""
    found = {}
    for line in text.splitlines():
        plain = line.strip()
        if plain and not plain.startswith(("#", ";", "//", "!")):
            key, _, value = re.sub(r"\s*[=:]\s*", "=", plain, count=1).partition("=")
            found[key] = value
    return found


def _flat(value: Any, path: str = "") -> dict[str, str]:
    if isinstance(value, dict):
        found: dict[str, str] = {}
        for key, part in value.items():
            found |= _flat(part, f"{path}.{key}" if path else str(key))
        return found
    if isinstance(value, str):
        return {path: value}
    return {path: "" if value is None else json.dumps(value, default=str)}
