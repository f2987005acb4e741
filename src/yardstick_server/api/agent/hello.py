"""What a rig tells of itself, checked as it comes in: facts, programs, what is installed."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers
from rest_framework.exceptions import ValidationError

MOST_FACTS, MOST_PARTS, LONGEST_FACT = 200, 500, 1000


def checked_facts(facts: dict[str, Any]) -> dict[str, Any]:
    """Facts of the shapes that agents send: values, groups of values, and programs that run.

    Raises ValidationError for any other: one odd fact must not spoil pages that show all rigs.
    """
    if len(facts) > MOST_FACTS:
        raise ValidationError(f"a rig tells at most {MOST_FACTS} facts")
    for key, value in facts.items():
        if key == "programs":
            good = isinstance(value, list) and all(map(_is_program, value))
        elif isinstance(value, dict):
            good = len(value) <= MOST_PARTS and all(map(_is_value, value.values()))
        else:
            good = _is_value(value)
        if not good or len(key) > 80:
            raise ValidationError(f"the fact {key[:80]} is of no kind that is known")
    return facts


def _is_value(value: Any) -> bool:
    if isinstance(value, str):
        return len(value) <= LONGEST_FACT
    return value is None or isinstance(value, (bool, int, float))


def _is_program(program: Any) -> bool:
    return (
        isinstance(program, dict)
        and isinstance(program.get("name"), str)
        and len(program["name"]) <= LONGEST_FACT
        and isinstance(program.get("share", 0), (int, float))
    )


def _texts(most: int = 500) -> serializers.ListField:
    return serializers.ListField(
        child=serializers.CharField(max_length=4096, allow_blank=True),
        default=list,
        max_length=most,
    )


class ToldProgramSerializer(serializers.Serializer):
    """What a rig starts for a name; of the environment only the names."""

    command = serializers.CharField(max_length=20_000, allow_blank=True, default="")
    digest = serializers.CharField(max_length=64, allow_blank=True, default="")
    environment = _texts()
    log = serializers.CharField(max_length=4096, allow_blank=True, default="")
    caches = _texts()
    companions = _texts()
    installed = _texts(5000)
    settings = _texts()
    home = serializers.CharField(max_length=40, allow_blank=True, default="")
    prepare = _texts()


class ToldApplicationSerializer(serializers.Serializer):
    """A desktop program that is installed on a rig."""

    id = serializers.CharField(max_length=400)
    name = serializers.CharField(max_length=400)
    command = serializers.ListField(
        child=serializers.CharField(max_length=4096, allow_blank=True, trim_whitespace=False),
        max_length=200,
    )
    icon = serializers.CharField(max_length=4096, allow_blank=True, default="")
    package = serializers.CharField(max_length=400, allow_blank=True, default="")
    version = serializers.CharField(max_length=400, allow_blank=True, default="")
