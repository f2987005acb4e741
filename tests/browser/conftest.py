"""A whole server with a local rig, as `./yardstick up` starts it, and a browser to drive it."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import pytest
from playwright.sync_api import expect

from yardstick_command import up
from yardstick_command.places import PROJECT, STATE
from yardstick_command.postgres import free_port
from yardstick_command.processes import Part, Together

CHROMIUM = "/usr/bin/chromium"
#: Other tests work beside these: what they take of the machine must not set runs apart.
BEAR_OTHERS = (
    "from yardstick_server.studies.models import StudyPlan\n"
    "StudyPlan.objects.filter(background_cpu_limit=50).update("
    "background_cpu_limit=100, background_cpu_limit_set=True)"
)
#: A busy machine draws late: what is expected is waited for, not hurried.
expect.set_options(timeout=45_000)
QUIET = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run",
         "--disable-component-update", "--disable-sync", "--disable-quic"]  # fmt: skip

SHORT = """\
session "Open a small draft"
  fixture draft = "tea-towel.weft"
  place cloth = region 110,60 960x640

step "Launch"
  time launch
    start
    until window "Weftwright" is steady for 200ms

step "Open draft"
  press Ctrl+O
  type "{draft}"
  time open
    press Enter
    until log "cloth shown"

step "Scroll cloth"
  frames scroll
    repeat 15 every 80ms
      scroll down 2 at cloth

step "Close"
  press Ctrl+Q
  until exited
"""

#: The program with seconds planted before it starts: so many that no busy machine hides them.
SLOW_START = """import runpy, sys, time
time.sleep(3.0)
sys.argv = ["weftwright", "--release", "4.1"]
runpy.run_module("weftwright", run_name="__main__")
"""


class Served:
    """The running server: its address, its parts, and management commands against it."""

    def __init__(self, environment: dict[str, str], base: str, parts: list[Part]) -> None:
        self.environment, self.base, self.parts = environment, base, parts

    def link(self) -> str:
        return up.manage(self.environment, "set_up").strip()

    def part(self, name: str) -> Part:
        return next(part for part in self.parts if part.name.startswith(f"test-{name}-"))


class _Cluster:
    """The cluster that the tests already use."""

    def environment(self, database: str) -> dict[str, str]:
        kept = {
            name: value for name, value in os.environ.items() if name.startswith("YARDSTICK_DB")
        }
        return {**kept, "YARDSTICK_DB_NAME": database}


def _connected():
    """A connection to the cluster of the tests that may create databases."""
    from django.conf import settings
    from psycopg import connect

    database = settings.DATABASES["default"]
    return connect(
        host=database["HOST"], port=database["PORT"], dbname="postgres",
        user=database["USER"], password=database["PASSWORD"], autocommit=True,
    )  # fmt: skip


def _create_database(connection, name: str, like: str = "template1") -> None:
    from psycopg import sql

    name, like = sql.Identifier(name), sql.Identifier(like)
    connection.execute(sql.SQL("DROP DATABASE IF EXISTS {}").format(name))
    connection.execute(sql.SQL("CREATE DATABASE {} TEMPLATE {}").format(name, like))


def _demonstration(name: str, environment: dict[str, str], rig: Path, spool: Path) -> None:
    """A database with the demonstration, and the file of its rig.

    Loading it takes a busy machine most of a minute. Where several parts of one run of the tests
    browse, the first to come loads it and the others copy what it loaded.
    """
    folder = Path(os.environ.get("YARDSTICK_TEST_FAILURES", str(rig))).parent
    loaded = folder / "loaded-rig.json"
    with _connected() as connection:
        connection.execute("SELECT pg_advisory_lock(7101)")
        if not loaded.exists():
            _create_database(connection, "demonstration")
            own = {
                **environment,
                "YARDSTICK_DB_NAME": "demonstration",
                "YARDSTICK_FILMS": str(folder / "demonstration-films"),
            }
            up.prepare(own, loaded, spool)
        _create_database(connection, name, like="demonstration")
    shutil.copytree(
        folder / "demonstration-films", environment["YARDSTICK_FILMS"], dirs_exist_ok=True
    )
    known = json.loads(loaded.read_text())
    known |= {"server": environment["YARDSTICK_WEB_ORIGIN"], "spool": str(spool)}
    released = known["programs"]["weftwright-4.1"]
    python, *options = released["command"][:2]
    known["programs"]["weftwright-slow"] = {
        **released, "command": [python, *options, "-c", SLOW_START],
    }  # fmt: skip
    rig.write_text(json.dumps(known))


@pytest.fixture(scope="session")
def served(tmp_path_factory):
    """Everything `up` starts, on a database of its own with the demonstration loaded."""
    STATE.mkdir(parents=True, exist_ok=True)
    folder: Path = tmp_path_factory.mktemp("served")
    name = os.environ.get("YARDSTICK_TEST_PART", "browser")
    port, live_port = free_port(), free_port()
    environment = up.server_environment(_Cluster(), name, port, live_port)
    environment["YARDSTICK_UPLOADS"] = str(folder / "uploads")
    environment["YARDSTICK_FILMS"] = str(folder / "films")
    rig = folder / "rig.json"
    _demonstration(name, environment, rig, folder / "spool")
    up.manage(environment, "shell", "-v", "0", "-c", BEAR_OTHERS)
    parts = up.parts(environment, port, live_port, rig)
    for part in parts:
        part.name = f"test-{part.name}-{name}"
    together = Together(parts)
    together.start()
    try:
        up.wait_until_served(port)
        yield Served(environment, f"http://127.0.0.1:{port}", parts)
    finally:
        together.stop()


@pytest.fixture(scope="session")
def empty_workspace(served, tmp_path_factory):
    """A workspace of the same server with nothing in it but a rig; a link that signs its owner in.

    Its owner may say what the rig starts, as with `./yardstick up --bare`.
    """
    folder = tmp_path_factory.mktemp("empty")
    rig = folder / "rig.json"
    words = ["--workspace", "Empty", "--owner", "newcomer", "--rig", "spare"]
    up.manage(served.environment, "set_up", *words, "--rig-file", str(rig))
    up.write_rig(rig, folder / "spool", bare=True)
    name = f"test-spare-{os.environ.get('YARDSTICK_TEST_PART', 'browser')}"
    agent = Together([up.agent_part(rig, name)])
    agent.start()
    try:
        yield lambda: up.manage(served.environment, "set_up", *words[:4]).strip()
    finally:
        agent.stop()


@pytest.fixture(scope="session")
def browser_type_launch_args():
    return {"executable_path": CHROMIUM, "args": QUIET}


@pytest.fixture(scope="session")
def browser_context_args(served):
    return {"base_url": served.base, "viewport": {"width": 1280, "height": 800}}


@pytest.fixture(scope="session")
def owners_browser(served, browser, browser_context_args):
    """What the owner's browser keeps between its pages, signed in once by a link.

    One for all tests: making another takes more of the machine than many a test does.
    """
    context = browser.new_context(**browser_context_args)
    page = context.new_page()
    page.goto(served.link())
    page.get_by_role("heading", name="Six studies").wait_for()
    page.close()
    yield context
    context.close()


@pytest.fixture
def owner(owners_browser, served):
    """A page of the signed-in owner; anything the page logs as an error fails the test."""
    page = owners_browser.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    yield page
    forget = {"origin": served.base, "storageTypes": "local_storage"}
    owners_browser.new_cdp_session(page).send("Storage.clearDataForOrigin", forget)
    page.close()
    owners_browser.clear_permissions()
    assert errors == []


def study_id(page, question: str) -> int:
    found = page.request.get("/api/studies").json()
    return next(study["id"] for study in found if study["question"] == question)


def put_script(page, study: int, text: str) -> None:
    """Change a study's script as the interface would, and let runs count on a busy machine."""
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    headers = {"Content-Type": "application/json", "X-CSRFToken": token}
    where = f"/api/studies/{study}"
    body = json.dumps({"text": text})
    answer = page.request.put(f"{where}/script", data=body, headers=headers)
    assert answer.ok, answer.text()
    body = json.dumps({"background_cpu_limit": 100})
    answer = page.request.patch(f"{where}/plan", data=body, headers=headers)
    assert answer.ok, answer.text()


def axe_violations(page) -> list[str]:
    """What an accessibility check finds wrong with the page as it stands, graver things only."""
    source = PROJECT / "web" / "node_modules" / "axe-core" / "axe.min.js"
    page.evaluate(source.read_text())
    found = page.evaluate("() => axe.run({resultTypes: ['violations']})")
    return [
        f"{v['id']}: {v['nodes'][0]['html'][:120]}"
        for v in found["violations"]
        if v["impact"] in ("serious", "critical")
    ]
