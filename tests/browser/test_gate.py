"""The gate against real runs: a build that is the same, and one with a planted slow start."""

import json
import os
import subprocess
import sys
import urllib.request
from xml.etree import ElementTree

import pytest

from yardstick_command import up

pytestmark = pytest.mark.browser

MAKE_STUDY = '''
from yardstick_server.studies.models import Study
from yardstick_server.accounts.models import ApiToken, digest
small = Study.objects.get(question="Does a small draft open faster in 4.2?")
made = small.another("Does a build start as fast?")
made.materiality_rules.all().delete()
made.materiality_rules.create(
    metric="duration", stretch=["Launch", "launch"], decides=True, by="owner")
made.keep_script("""session "Start and stop"
step "Launch"
  time launch
    start
    until window "Weftwright" is steady for 200ms
step "Close"
  press Ctrl+Q
  until exited
""")
ApiToken.objects.create(workspace=small.workspace, name="builds", scope="measure",
    token_digest=digest("gate-secret"), begins="gate-s", by="owner")
print(made.pk)
'''


@pytest.fixture(scope="module")
def study(served):
    """A study that only starts and stops 4.1, and a token of scope measure."""
    said = up.manage(served.environment, "shell", "-v", "0", "-c", MAKE_STUDY)
    return said.strip().splitlines()[-1]


@pytest.fixture(scope="module")
def script(served, tmp_path_factory):
    """The command as a build server fetches it."""
    file = tmp_path_factory.mktemp("gate") / "gate.py"
    with urllib.request.urlopen(f"{served.base}/agent/gate.py") as answer:
        file.write_bytes(answer.read())
    return file


def asked(served, script, study, program, *more):
    """How the command ended, and the report of tests that it wrote."""
    words = ["--server", served.base, "--study", study, "--build", f"build of {program}"]
    words += ["--program", program, "--metric", "launch", "--rounds", "5", "--tolerance", "60"]
    junit = script.with_suffix(".xml")
    done = subprocess.run(
        [sys.executable, "-I", str(script), *words, "--junit", str(junit), *more],
        env={**os.environ, "YARDSTICK_TOKEN": "gate-secret"},
        capture_output=True, text=True, timeout=600,
    )  # fmt: skip
    return done, ElementTree.parse(junit).getroot()


def gate(served, script, study, program):
    found = script.with_suffix(".json")
    done, suite = asked(served, script, study, program, "--json", str(found))
    assert found.exists(), done.stderr
    return done, json.loads(found.read_text()), suite


def test_a_build_with_planted_seconds_at_the_start_fails(served, script, study):
    for _ in range(3):  # a busy machine may leave it unknown: then it is measured again
        done, body, suite = gate(served, script, study, "weftwright-slow")
        if done.returncode != 2:
            break
    assert done.returncode == 1, done.stdout + done.stderr
    assert "again in fresh rounds: launch +" in body["why"]
    assert body["runs_done"] >= 20  # a cold round, five, and four more; disturbed ones repeated
    assert suite.get("failures") == "1"
    assert "slower" in done.stdout


def test_a_build_that_is_the_same_does_not_fail(served, script, study):
    done, body, suite = gate(served, script, study, "weftwright-4.1")
    assert done.returncode in (0, 2), done.stdout + done.stderr  # a busy machine may hide it
    assert suite.get("failures") == "0"
    assert body["rows"][0]["label"] == "launch"


def test_a_program_that_no_rig_starts_is_refused(served, script, study):
    done, suite = asked(served, script, study, "weftwright-nightly")
    assert done.returncode == 3
    assert "may not start weftwright-nightly yet. Nothing was begun" in done.stderr
    assert suite.get("errors") == "1"
