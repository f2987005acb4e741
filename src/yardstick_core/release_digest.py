"""Which release of the agent this is: what its files and the core's amount to, as one digest."""

from __future__ import annotations

import hashlib
from pathlib import Path

#: The packages an agent consists of, and the kinds of files that are of it.
PACKAGES = ("yardstick_agent", "yardstick_core")
KINDS = (".py", ".xml", ".lark", ".typed", ".json", ".so")


def members(source: Path) -> dict[str, bytes]:
    """The agent's files below a folder that holds its packages, by their place in it."""
    return {
        str(file.relative_to(source)): file.read_bytes()
        for package in PACKAGES
        for file in sorted((source / package).rglob("*"))
        if file.suffix in KINDS
    }


def release_digest(source: Path) -> str:
    """SHA-256 over the agent's files and their places, as hexadecimal."""
    whole = hashlib.sha256()
    for place, data in members(source).items():
        whole.update(f"{place}\0{len(data)}\0".encode())
        whole.update(data)
    return whole.hexdigest()
