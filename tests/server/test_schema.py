"""The API as described is the API as served, and as the web interface was generated from."""

import json

from django.conf import settings
from drf_spectacular.generators import SchemaGenerator


def test_the_committed_schema_is_the_one_served():
    committed = json.loads((settings.PROJECT / "web/src/api/openapi.json").read_text())
    served = json.loads(json.dumps(SchemaGenerator().get_schema(request=None, public=True)))
    assert committed == served, "run ./yardstick check --write to make it anew"


def test_the_schema_is_served_to_members_only(world, client):
    assert client.get("/api/schema").status_code == 401
    answer = world.owner.get("/api/schema", headers={"Accept": "application/json"})
    assert answer.status_code == 200
    assert b"/api/studies/{study}/board" in answer.content


def test_models_have_all_their_migrations(db):
    from io import StringIO

    from django.core.management import call_command

    out = StringIO()
    call_command("makemigrations", "--check", "--dry-run", stdout=out)
    assert "No changes" in out.getvalue()
