"""Requests made up from the API's own description never make the server fail.

Each operation is asked with the fields its description names, filled with values that fit and
values that do not, and with anything else; for things that are there and things that are not.
Whatever comes back, it is no 5xx.
"""

import json
from urllib.parse import quote, urlencode

import pytest
from django.conf import settings
from hypothesis import HealthCheck, given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st

from server.test_roles import ALL

SCHEMA = json.loads((settings.PROJECT / "web/src/api/openapi.json").read_text())
EXAMPLES = 8
QUIET = hypothesis_settings(
    max_examples=EXAMPLES, database=None, derandomize=True,
    suppress_health_check=list(HealthCheck),
)  # fmt: skip

words = st.one_of(
    st.text(st.characters(codec="utf-8", exclude_characters="\x00"), max_size=12),
    st.sampled_from(["\x00", "a\x00b", "\ud800", "\udfff{"]),
)
scalars = st.one_of(
    st.none(), st.booleans(), st.integers(-(2**70), 2**70), st.floats(), words,
    st.sampled_from(["", "\x00", "9" * 400, "NaN", "../..", "<b>", "2026-11-23"]),
)  # fmt: skip
anything = st.recursive(
    scalars,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(words, inner, max_size=3),
    max_leaves=8,
)


def resolved(part: dict) -> dict:
    """A part of the description with its reference followed."""
    while "$ref" in part or "allOf" in part:
        part = part["allOf"][0] if "allOf" in part else part
        if "$ref" in part:
            part = SCHEMA["components"]["schemas"][part["$ref"].rpartition("/")[2]]
    return part


def fitting(part: dict, depth: int = 0) -> st.SearchStrategy:
    """Values that a part of the description allows, more or less."""
    part = resolved(part)
    kind = part.get("type")
    if "oneOf" in part:
        return st.one_of([fitting(one, depth) for one in part["oneOf"]])
    if "enum" in part:
        return st.sampled_from(part["enum"])
    if kind == "integer":
        return st.integers(part.get("minimum", -5), min(part.get("maximum", 60), 2**40))
    if kind == "number":
        return st.floats(-1e6, 1e6)
    if kind == "boolean":
        return st.booleans()
    if kind == "array":
        return st.lists(fitting(part.get("items", {}), depth + 1), max_size=3)
    if kind == "object" and depth < 4 and "properties" in part:
        return filled(part, depth)
    return words if kind == "string" else anything


def filled(part: dict, depth: int = 0) -> st.SearchStrategy:
    """An object with the fields that are named, each fitting or not, some left out."""
    names = resolved(part).get("properties", {})
    return st.fixed_dictionaries(
        {}, optional={name: fitting(one, depth + 1) | anything for name, one in names.items()}
    )


def body_of(operation: dict) -> st.SearchStrategy:
    content = operation.get("requestBody", {}).get("content", {})
    if "application/json" in content:
        return st.one_of(filled(content["application/json"]["schema"]), anything)
    return st.binary(max_size=64) if content else st.just(b"")


def query_of(operation: dict) -> st.SearchStrategy:
    names = [one["name"] for one in operation.get("parameters", []) if one["in"] == "query"]
    return st.fixed_dictionaries({}, optional={name: scalars.map(str) for name in names})


def ask(place, method: str, route: str, numbers: dict, query: dict, body) -> int:
    path = route
    for name, value in numbers.items():
        path = path.replace(f"{{{name}}}", quote(str(value), safe="", errors="surrogatepass"))
    kind = "application/json"
    if isinstance(body, bytes):
        kind, data = "application/octet-stream", body
    else:
        data = json.dumps(body).encode()
    client = place.world.rig if "/agent/" in route else place.world.owner
    asked = urlencode(query, errors="surrogatepass")
    answer = client.generic(method, f"{path}?{asked}", data, content_type=kind)
    assert answer.status_code < 500, (path, answer.status_code, answer.content[:300])
    return answer.status_code


@pytest.fixture
def db(within):
    return within


@pytest.mark.parametrize(("method", "route"), ALL, ids=lambda text: text)
def test_no_request_makes_the_server_fail(place, method, route):
    operation = SCHEMA["paths"][route][method.lower()]

    @QUIET
    @given(body=body_of(operation), query=query_of(operation), there=st.booleans())
    def asked(body, query, there):
        numbers = place.numbers if there else {**dict.fromkeys(place.numbers, 2**31 - 1)}
        ask(place, method, route, numbers, query, body)

    asked()
