"""Types of the API's bodies, made from its description."""

import json

from yardstick_command.developer.contracts import contracts
from yardstick_server.api.description import described

DESCRIPTION = {
    "paths": {
        "/a": {
            "get": {"responses": {"200": {"schema": {"$ref": "#/components/schemas/Answer"}}}},
            "post": {"requestBody": {"schema": {"$ref": "#/components/schemas/OnlyAsked"}}},
        }
    },
    "components": {
        "schemas": {
            "Answer": {
                "type": "object",
                "required": ["number", "at", "parts", "sides", "state", "whatever"],
                "properties": {
                    "number": {"type": "integer"},
                    "at": {"type": "string", "format": "date-time", "nullable": True},
                    "parts": {"type": "array", "items": {"$ref": "#/components/schemas/Part"}},
                    "sides": {
                        "type": "array",
                        "items": {
                            "allOf": [{"$ref": "#/components/schemas/Part"}],
                            "nullable": True,
                        },
                    },
                    "state": {"$ref": "#/components/schemas/StateEnum"},
                    "whatever": {},
                    "left_out": {"type": "object", "additionalProperties": {"type": "number"}},
                },
            },
            "Part": {
                "type": "object", "required": ["name"], "properties": {"name": {"type": "string"}},
            },
            "StateEnum": {"enum": ["a", "b"], "type": "string"},
            "OnlyAsked": {"type": "object", "properties": {"x": {"type": "string"}}},
        }
    },
}  # fmt: skip


def test_a_body_becomes_a_type_with_all_that_its_description_says(tmp_path):
    file = tmp_path / "described.json"
    file.write_text(json.dumps(DESCRIPTION))
    text = contracts(file)
    assert "OnlyAsked" not in text
    answer = text[text.index("class Answer") : text.index("class Part")].split("\n")
    assert [line.strip() for line in answer if ": " in line] == [
        "number: int",
        "at: datetime | str | None",
        "parts: Sequence[Part]",
        "sides: Sequence[Part | None]",
        "state: str",
        "whatever: Any",
        "left_out: NotRequired[dict[str, float]]",
    ]
    compile(text, "contracts.py", "exec")


def test_a_list_that_may_hold_nothing_in_a_place_says_so():
    row = described()["components"]["schemas"]["Row"]["properties"]
    assert row["differences"]["items"]["nullable"]
    assert row["medians"]["items"]["nullable"]
    assert "nullable" not in row["samples"]["items"]
