"""The worker: a sealed run is read by a job, and a job whose worker died is given back."""

import subprocess
import sys
import time

import pytest
from django.db import connection
from procrastinate.contrib.django import app

from server.worlds import make_world, sealed_run
from yardstick_server.bundles.models import StudyBundle
from yardstick_server.bundles.tasks import write_bundle
from yardstick_server.queues import LONG, SHORT
from yardstick_server.runs.models import Run


def database() -> dict[str, str]:
    """Settings for a process of its own on the database of the tests."""
    import os

    return {**os.environ, "YARDSTICK_DB_NAME": connection.settings_dict["NAME"]}


def worker(*more: str) -> subprocess.Popen:
    command = [sys.executable, "-m", "django", "procrastinate", "worker", *more]
    command += ["--fetch-job-polling-interval", "0.2"]
    environment = {**database(), "DJANGO_SETTINGS_MODULE": "yardstick_server.settings"}
    return subprocess.Popen(
        command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )


def wait_for(true, seconds=40) -> None:
    deadline = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < deadline, "waited too long"
        time.sleep(0.1)


def jobs() -> list[str]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT status FROM procrastinate_jobs WHERE task_name LIKE '%read_run' ORDER BY id"
        )
        return [row[0] for row in cursor.fetchall()]


@pytest.mark.django_db(transaction=True)
def test_a_sealed_run_is_read_by_the_worker():
    world = make_world("readers")
    run = sealed_run(world)
    assert jobs() == ["todo"]
    process = worker()
    try:
        wait_for(lambda: Run.objects.get(pk=run).state == "read")
        assert Run.objects.get(pk=run).readings.count() > 10
        wait_for(lambda: jobs() == ["succeeded"])
    finally:
        process.terminate()
        process.wait(20)


@pytest.mark.django_db(transaction=True)
def test_a_job_whose_worker_died_is_done_by_the_next():
    world = make_world("rescuers")
    run = sealed_run(world)
    with connection.cursor() as cursor:
        cursor.execute(
            "INSERT INTO procrastinate_workers (last_heartbeat) "
            "VALUES (now() - interval '1 hour') RETURNING id"
        )
        dead = cursor.fetchone()[0]
        cursor.execute(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = %s "
            "WHERE task_name LIKE '%%read_run'",
            [dead],
        )
    process = worker()
    try:
        wait_for(lambda: Run.objects.get(pk=run).state == "read")
    finally:
        process.terminate()
        process.wait(20)


@pytest.mark.django_db(transaction=True)
def test_what_may_take_minutes_holds_up_no_reading(tmp_path):
    """With a worker for short jobs alone runs are read, and bundles wait for the other one."""
    world = make_world("patient")
    bundle = world.workspace.bundles.create(study=world.study, way="out", name="x", by="x")
    write_bundle.defer(bundle=bundle.pk)
    run = sealed_run(world)
    process = worker("--queues", SHORT)
    try:
        wait_for(lambda: Run.objects.get(pk=run).state == "read")
        bundle.refresh_from_db()
        assert bundle.state == "waits"
    finally:
        process.terminate()
        process.wait(20)
    process = worker("--queues", LONG)
    try:
        wait_for(lambda: StudyBundle.objects.get(pk=bundle.pk).state == "done")
    finally:
        process.terminate()
        process.wait(20)
        StudyBundle.objects.get(pk=bundle.pk).throw_away()


def test_every_job_is_of_a_queue_that_a_worker_has():
    tasks = {name: task.queue for name, task in app.tasks.items() if "builtin" not in name}
    assert set(tasks.values()) == {SHORT, LONG}
    assert {name.rpartition(".")[2] for name, queue in tasks.items() if queue == LONG} >= {
        "write_bundle", "read_bundle", "keep_log", "read_log"
    }  # fmt: skip
