"""The bodies that the API answers with, as types: written from its description.

A serializer is where a body is declared. What builds one is checked against the type made of it
here, so that a field that is missing, too much or of another kind is found by the type checker.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from yardstick_command.places import PROJECT, SOURCES

DESCRIBED = PROJECT / "web" / "src" / "api" / "openapi.json"
CONTRACTS = SOURCES / "yardstick_server" / "contracts.py"
_HEAD = '''"""Bodies of the API as types, made from its serializers: `./yardstick check --write`."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NotRequired, TypedDict
'''
_PLAIN = {"integer": "int", "number": "float", "boolean": "bool"}
_REFERENCE = "#/components/schemas/"


def contracts(described: Path = DESCRIBED) -> str:
    """The module, from an OpenAPI description."""
    description = json.loads(described.read_text())
    schemas: dict[str, Any] = description["components"]["schemas"]
    answered = _answered(description["paths"], schemas)
    classes = [_class(name, schemas) for name in sorted(answered) if _is_body(schemas[name])]
    return "\n\n".join([_HEAD, *classes])


def _answered(paths: dict[str, Any], schemas: dict[str, Any]) -> set[str]:
    """Names of all that is part of an answer."""
    waiting = [
        answer
        for route in paths.values()
        for operation in route.values()
        for answer in operation.get("responses", {}).values()
    ]
    found: set[str] = set()
    while waiting:
        part = waiting.pop()
        if isinstance(part, list):
            waiting += part
        elif isinstance(part, dict):
            waiting += part.values()
        elif isinstance(part, str) and part.startswith(_REFERENCE):
            name = part.removeprefix(_REFERENCE)
            if name not in found:
                found.add(name)
                waiting.append(schemas[name])
    return found


def _is_body(schema: dict[str, Any]) -> bool:
    return schema.get("type") == "object" and bool(schema.get("properties"))


def _class(name: str, schemas: dict[str, Any]) -> str:
    schema = schemas[name]
    needed = set(schema.get("required", ()))
    lines = [f"class {name}(TypedDict):"]
    for field, kind in schema["properties"].items():
        text = _type(kind, schemas)
        lines.append(f"    {field}: {text if field in needed else f'NotRequired[{text}]'}")
    return "\n".join(lines) + "\n"


def _type(kind: dict[str, Any], schemas: dict[str, Any]) -> str:
    """How a part of a description is annotated. Codes are texts here: the server checks them."""
    text = _plain(kind, schemas)
    return f"{text} | None" if kind.get("nullable") and text != "Any" else text


def _plain(kind: dict[str, Any], schemas: dict[str, Any]) -> str:
    several = kind.get("allOf") or kind.get("oneOf")
    if several:
        found = dict.fromkeys(_type(one, schemas) for one in several)
        return " | ".join(found)
    if "$ref" in kind:
        name = kind["$ref"].removeprefix(_REFERENCE)
        return name if _is_body(schemas[name]) else _type(schemas[name], schemas)
    if kind.get("type") in _PLAIN:
        return _PLAIN[kind["type"]]
    if kind.get("type") == "string":
        return "datetime | str" if kind.get("format") == "date-time" else "str"
    if kind.get("type") == "array":
        return f"Sequence[{_type(kind['items'], schemas)}]"
    if kind.get("type") == "object":
        values = kind.get("additionalProperties")
        return f"dict[str, {_type(values, schemas) if isinstance(values, dict) else 'Any'}]"
    return "None" if kind.get("enum") == [None] else "str" if "enum" in kind else "Any"
