"""A run that has been read and the verdicts that rest on it are seen at the same moment."""

import pytest
from django.db import connection, connections

from server.worlds import make_world, sealed_run
from yardstick_server.analysis import judging
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import Run


@pytest.fixture(autouse=True)
def no_jobs_left():
    """Jobs are in no table that tests empty after themselves."""
    yield
    with connection.cursor() as cursor:
        cursor.execute("TRUNCATE procrastinate_jobs CASCADE")


@pytest.mark.django_db(transaction=True)
def test_nobody_sees_a_run_that_its_studys_board_does_not_rest_on(monkeypatch):
    run = sealed_run(make_world("readers"))
    elsewhere = connections["default"].copy()
    seen = []

    def looked(study):
        with elsewhere.cursor() as cursor:
            cursor.execute("SELECT state FROM runs_run WHERE id = %s", [run])
            seen.append((cursor.fetchone()[0], Run.objects.get(pk=run).state))
        return judge(study)

    judge = judging.judge_study
    monkeypatch.setattr(judging, "judge_study", looked)
    try:
        read_run(run)
    finally:
        elsewhere.close()
    assert seen == [("measured", "read")]
    assert Run.objects.get(pk=run).state == "read"


@pytest.mark.django_db(transaction=True)
def test_what_was_read_is_kept_where_the_study_cannot_be_judged(monkeypatch):
    run = sealed_run(make_world("readers"))

    def fails(study):
        raise ArithmeticError(study)

    monkeypatch.setattr(judging, "judge_study", fails)
    with pytest.raises(ArithmeticError):
        read_run(run)
    assert Run.objects.get(pk=run).state == "read"
    assert Run.objects.get(pk=run).readings.count() > 10
