"""A study of the demonstration read on a second server that has nothing yet."""

import os

import pytest

from browser.conftest import _connected, _create_database
from yardstick_command import up

pytestmark = pytest.mark.browser


@pytest.fixture
def elsewhere(served, tmp_path):
    """The settings of a server with an empty database of its own."""
    name = f"elsewhere-{os.environ.get('YARDSTICK_TEST_PART', 'browser')}"
    with _connected() as connection:
        _create_database(connection, name)
    environment = {
        **served.environment,
        "YARDSTICK_DB_NAME": name,
        "YARDSTICK_UPLOADS": str(tmp_path / "uploads"),
    }
    (tmp_path / "uploads").mkdir()
    rig = tmp_path / "rig.json"
    up.manage(environment, "prepare", "--rig", "elsewhere", "--rig-file", str(rig))
    yield environment
    with _connected() as connection:
        connection.execute(f'DROP DATABASE "{name}"')


@pytest.mark.parametrize("study", ["1", "2"])
def test_a_bundle_says_on_an_empty_server_what_it_says_here(served, elsewhere, tmp_path, study):
    file = tmp_path / "study.zip"
    up.manage(served.environment, "bundle", "export", study, str(file))
    said = up.manage(elsewhere, "bundle", "import", str(file))
    assert "study 1: " in said
    assert "it says here what it says where it was made" in said
    back = tmp_path / "back.zip"
    up.manage(elsewhere, "bundle", "export", "1", str(back))
    again = up.manage(elsewhere, "bundle", "import", str(back))
    assert "it says here what it says where it was made" in again
