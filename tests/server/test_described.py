"""Requests that a well-known tool makes up from the API's description make nothing fail either.

It knows other ways to be odd than our own requests do (`test_fuzz.py`): kinds of content that no
route names, heads, encodings, bounds. Each is asked as the owner and as everybody else in turn, for
things that are there and things that are not.
"""

import os
from itertools import count

import pytest
import requests
import schemathesis
from django.test import Client
from hypothesis import HealthCheck, settings

from server.furnished import Place
from server.test_fuzz import SCHEMA

#: Made-up requests of each operation beyond those at the bounds; more when asked for.
EXAMPLES = int(os.environ.get("YARDSTICK_EXAMPLES", "4"))
DESCRIBED = schemathesis.openapi.from_dict(SCHEMA)
QUIET = settings(
    max_examples=EXAMPLES, database=None, derandomize=True,
    suppress_health_check=list(HealthCheck),
)  # fmt: skip
#: Everybody but the owner asks one in so many of them.
OTHERS_ASK = 3
turns = count()


def everybody(place: Place, route: str) -> list[Client]:
    """Who asks, the one with the most rights first."""
    world = place.world
    others = [place.tester, world.reader, place.guest, place.reader_token, place.builder, Client()]
    return [world.rig, world.owner] if "/agent/" in route else [world.owner, *others, world.rig]


def ask(client: Client, case, numbers: dict[str, object] | None) -> int:
    """Send a case; with `numbers` to things that are there. The answer's status."""
    if numbers is not None:
        case.path_parameters = {name: numbers[name] for name in case.path_parameters or {}}
    words = case.as_transport_kwargs(base_url="http://127.0.0.1")
    words.pop("cookies", None)
    asked = requests.Request(**{"cookies": {}, **words}).prepare()
    headers = {name: value for name, value in asked.headers.items() if name != "Authorization"}
    body = asked.body or b""
    answer = client.generic(
        asked.method, asked.path_url, body if isinstance(body, bytes) else str(body).encode(),
        content_type=headers.pop("Content-Type", "application/octet-stream"), headers=headers,
    )  # fmt: skip
    assert answer.status_code < 500, (asked.path_url, answer.status_code, answer.content[:300])
    return answer.status_code


@DESCRIBED.parametrize()
@QUIET
def test_nothing_made_up_from_the_description_makes_the_server_fail(case, place):
    first, *others = everybody(place, case.operation.path)
    turn = next(turns)
    ask(first, case, place.numbers if turn % 4 else None)
    if turn % OTHERS_ASK == 0:
        ask(others[turn // OTHERS_ASK % len(others)], case, place.numbers)


@pytest.fixture
def db(within):
    return within
