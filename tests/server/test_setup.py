"""What the first start sets up, and the recorded demonstration."""

import json
from io import StringIO

from django.conf import settings
from django.core.management import call_command

from server.worlds import measure_all
from weftwright.fixtures import write_fixture
from yardstick_server.accounts.models import Workspace, digest
from yardstick_server.analysis.claims import judged_claims
from yardstick_server.analysis.crossing import crossing_body
from yardstick_server.analysis.lines import judged_line, lines_of
from yardstick_server.analysis.models import RunReading
from yardstick_server.analysis.session_set import table_body
from yardstick_server.inventory.models import Rig
from yardstick_server.studies.models import Study


def set_up(*words) -> str:
    out = StringIO()
    call_command("set_up", *words, stdout=out)
    return out.getvalue().strip()


def test_setting_up_makes_an_owner_a_rig_and_a_link(db, tmp_path, client):
    file = tmp_path / "rig.json"
    link = set_up("--rig", "loft", "--rig-file", str(file))
    assert client.get(link.removeprefix("http://127.0.0.1:8000")).headers["Location"] == "/"
    assert client.get("/api/session").json()["role"] == "owner"
    token = json.loads(file.read_text())["token"]
    assert Rig.objects.get().token_digest == digest(token)
    assert file.stat().st_mode & 0o777 == 0o600


def test_setting_up_again_keeps_what_is_there(db, tmp_path):
    file = tmp_path / "rig.json"
    set_up("--rig", "loft", "--rig-file", str(file))
    kept = json.loads(file.read_text()) | {"programs": {"a": 1}}
    file.write_text(json.dumps(kept))
    set_up("--rig", "loft", "--rig-file", str(file))
    assert json.loads(file.read_text()) == kept
    assert (Workspace.objects.count(), Rig.objects.count()) == (1, 1)


def test_a_lost_rig_file_gets_a_new_token(db, tmp_path):
    file = tmp_path / "rig.json"
    set_up("--rig", "loft", "--rig-file", str(file))
    first = json.loads(file.read_text())["token"]
    file.unlink()
    set_up("--rig", "loft", "--rig-file", str(file))
    second = json.loads(file.read_text())["token"]
    assert first != second
    assert Rig.objects.get().token_digest == digest(second)


def test_the_demonstration_shows_what_its_releases_were_made_to_show(db, tmp_path):
    """From runs that the real agent recorded."""
    for name in json.loads((settings.PROJECT / "demo/studies.json").read_text())["fixtures"]:
        write_fixture(name, tmp_path)
    set_up()
    out = StringIO()
    demo = str(settings.PROJECT / "demo")
    call_command("load_demo", demo, "--fixtures", str(tmp_path), stdout=out)
    wide = Study.objects.get(question__startswith="Is 5.0-rc1", part_of=None)
    _shows_a_better_average_with_worse_lows(wide)
    assert len(table_body(wide, "")["sessions"]) == 3
    _shows_since_when_opening_is_quicker(wide.subject)
    crossed = Study.objects.get(question__startswith="Does a narrow margin")
    (step,) = crossing_body(crossed, "", [])["chosen"]["steps"]
    assert step["answer"] == "read the cells"
    _shows_memory_that_is_not_given_back(Study.objects.get(question__startswith="Is memory given"))
    call_command("load_demo", demo, "--fixtures", str(tmp_path), stdout=out)
    assert "already there" in out.getvalue()


def _shows_since_when_opening_is_quicker(subject):
    """Up to 3.8 a draft was gone through twice; 3.8.1 was not measured."""
    judged = judged_line(subject, lines_of(subject)[0])
    assert len(judged.names) == 13
    opening = next(one for one in judged.metrics if one.deciding)
    (change,) = opening.line.changes
    names = [judged.names[n] for n in (change.earliest, change.latest)]
    assert names == ["3.8.1", "3.9"]
    assert change.low < change.high < 0


def _shows_a_better_average_with_worse_lows(study):
    rows = {(row["metric"], row["stretch"][-1]): row for row in study.judgement.board["rows"]}

    def verdicts(metric, stretch):
        return [d and d["verdict"] for d in rows[metric, stretch]["differences"]][1:]

    assert verdicts("duration", "read file") == ["ahead", "ahead"]
    assert verdicts("average_rate", "scroll") == ["ahead", "ahead"]
    assert verdicts("one_percent_low", "scroll") == ["behind", "ahead"]
    assert verdicts("duration", "launch")[1] == "ahead"
    assert verdicts("duration", "first picture")[1] == "behind"
    assert verdicts("duration", "weave")[1] == "ahead"


def _shows_memory_that_is_not_given_back(study):
    """Two releases over thirteen drafts: one levels off, the other grows and says until when."""
    board = study.judgement.board
    kinds = {one["variant"]: one["kind"] for one in board["growing"]}
    assert kinds[1] == "grows"
    assert kinds[0] in ("levels off", "no growth")
    (grows,) = (one["text"] for one in board["growing"] if one["variant"] == 1)
    assert "of this machine are full after" in grows
    assert study.plan.state == "ended"
    (claim,) = judged_claims(study)
    assert claim["judgement"] == "contradicted"


def test_runs_of_an_older_core_are_read_anew(world, capsys):
    world.study.add_rounds(1)
    measure_all(world, {0: 2.0, 1: 1.4})
    old = RunReading.objects.filter(run__study=world.study, metric="duration").first()
    RunReading.objects.filter(run=old.run).update(core_version="0")
    RunReading.objects.filter(pk=old.pk).update(value=99)
    call_command("read_again")
    assert "1 runs were read anew" in capsys.readouterr().out
    assert not RunReading.objects.filter(value=99).exists()
    call_command("read_again")
    assert capsys.readouterr().out == ""


def test_a_revoked_rig_gets_a_new_token_when_it_is_set_up_again(db, tmp_path):
    file = tmp_path / "rig.json"
    set_up("--rig", "loft", "--rig-file", str(file))
    first = json.loads(file.read_text())["token"]
    Rig.objects.update(revoked=True)
    set_up("--rig", "loft", "--rig-file", str(file))
    second = json.loads(file.read_text())["token"]
    rig = Rig.objects.get()
    assert (first != second, rig.token_digest, rig.revoked) == (True, digest(second), False)
