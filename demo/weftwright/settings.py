"""The editor's settings: read from weftwright.ini beside it, written with defaults at first."""

from __future__ import annotations

import configparser
from pathlib import Path

FILE = Path("weftwright.ini")


def load(defaults: dict[str, dict[str, str]]) -> configparser.ConfigParser:
    """The settings in force: the file's where it has them, else the release's own."""
    parser = configparser.ConfigParser()
    parser.read_dict(defaults)
    if FILE.exists():
        parser.read(FILE, encoding="utf-8")
    else:
        with open(FILE, "w", encoding="utf-8") as file:
            parser.write(file)
    return parser
