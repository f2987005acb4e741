"""What tests of the server begin with: workspaces, a database of their own, folders for files."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from copy import deepcopy
from pathlib import Path

import pytest
from django.core.cache import cache
from django.db import transaction
from django.test import override_settings

from server.furnished import Place, furnish
from server.worlds import World, make_world
from yardstick_server.analysis import judging, lines, records
from yardstick_server.footage import looking
from yardstick_server.reports import gathering


@pytest.fixture(autouse=True)
def uploads(settings, tmp_path_factory):
    """Where files beside the database are kept, for each test anew."""
    folder = tmp_path_factory.mktemp("files")
    settings.UPLOADS, settings.FILMS = str(folder / "uploads"), str(folder / "films")
    (folder / "uploads").mkdir()
    return folder / "uploads"


@pytest.fixture
def world(db, request) -> World:
    """A team that has measured nothing yet, beside what a module began with if it did."""
    return make_world("menders" if "within" in request.fixturenames else "weavers")


@pytest.fixture
def others(db) -> World:
    """A second team that must see nothing of the first."""
    return make_world("spinners")


@pytest.fixture
def measured(measured_once, db) -> World:
    """What a module has measured in its `measured_once`, and has `within` as its `db` for."""
    return deepcopy(measured_once)


@contextmanager
def rolled_back() -> Iterator[None]:
    """A transaction of which nothing stays, in which durable ones may begin as in a test's own."""
    within = transaction.atomic()
    within._from_testcase = True
    with within:
        yield
        transaction.set_rollback(True)


@pytest.fixture(scope="module")
def begun(django_db_setup, django_db_blocker, tmp_path_factory) -> Iterator[Path]:
    """The database and the folder for what all tests of a module begin with."""
    folder = tmp_path_factory.mktemp("begun")
    kept = {"UPLOADS": str(folder / "uploads"), "FILMS": str(folder / "films")}
    with django_db_blocker.unblock(), override_settings(**kept), rolled_back():
        (folder / "uploads").mkdir()
        yield folder


@pytest.fixture
def within(begun, uploads, django_db_blocker) -> Iterator[None]:
    """What the module began with, for one test; what it changes is undone.

    A module whose tests begin alike has it as its `db`, and copies what it began with for each
    test (`copy.deepcopy`): a client that signs out has done so for one test only.
    """
    shutil.copytree(begun, uploads.parent, dirs_exist_ok=True)
    for known in (records._JOURNALS, records._SERIES, judging._ANALYSES, gathering._DRAWN,
                  lines._LINES, looking._CHANGES, cache):  # fmt: skip
        known.clear()
    with django_db_blocker.unblock(), rolled_back():
        yield


@pytest.fixture(scope="module")
def furnished(begun) -> Place:
    return furnish(make_world("weavers"))


@pytest.fixture
def place(furnished, db) -> Place:
    """A workspace with one of everything; a module that asks for it has `within` as its `db`."""
    return deepcopy(furnished)
