"""Jobs of the worker: read a run once it is sealed, then judge its study and go on with its plan.

An alias is the name that a job has in the queue of an earlier release.

A job that ends its worker, or fails again and again, is set aside so that it holds up nobody else:
its run says why, and a person can have it tried again.
"""

from __future__ import annotations

import resource
from collections.abc import Iterator
from contextlib import contextmanager

from procrastinate.contrib.django import app
from procrastinate.jobs import Job, Status

MOST_ATTEMPTS = 3
#: Memory that one job may take beyond what its worker has, bytes.
MOST_MEMORY = 3 << 30
#: Results of a build that are not read by then never will be: no worker does what takes long.
LONGEST_READING_S = 7200


@app.task(retry=MOST_ATTEMPTS, aliases=["yardstick_server.analysis.tasks.read_run"])
def read_run(run: int) -> None:
    """Derive the readings of a run and judge its study anew."""
    from yardstick_server.analysis.judging import judge_study, read_and_judge
    from yardstick_server.gates.deciding import follow, fresh_rounds
    from yardstick_server.notify import notify
    from yardstick_server.planning.advancing import advance, repeat_disturbed
    from yardstick_server.planning.announcing import announce_end
    from yardstick_server.runs.models import Run

    found = Run.objects.select_related("study").get(pk=run)
    with limited_memory():
        judgement = read_and_judge(found)
    if found.unread:
        Run.objects.filter(pk=run).update(unread="")
    ended = advance(found.study, judgement)
    if ended:
        judgement = judge_study(found.study)
    if fresh := fresh_rounds(found.study):  # the plan has ended, and sees to none of them
        repeat_disturbed(found.study, fresh)
    announce_end(found.study, judgement, plan=ended, gate=follow(found.study))
    notify(found.study.workspace_id, "board", study=found.study_id, run=run)


@app.task(retry=MOST_ATTEMPTS)
def judge_results(gate: int, waited_s: int = 0) -> None:
    """Decide a build whose results were brought in, once all of them have been read."""
    from yardstick_server.analysis.judging import judge_study
    from yardstick_server.gates.deciding import follow, give_up
    from yardstick_server.gates.models import Gate
    from yardstick_server.gates.results import NoResults, put_in_rounds
    from yardstick_server.notify import notify
    from yardstick_server.planning.announcing import announce_end
    from yardstick_server.studies.models import StudyPlan

    found = Gate.objects.select_related("study").get(pk=gate)
    if found.state != Gate.MEASURING:
        return
    study = found.study
    logs = study.logs.filter(summary__has_key="side")
    if logs.exclude(state__in=("kept", "failed")).exists():
        if waited_s >= LONGEST_READING_S:
            give_up(found, "its results were not read in time")
            return
        pause = min(1 + waited_s // 4, 60)
        later = judge_results.configure(schedule_in={"seconds": pause})
        later.defer(gate=gate, waited_s=waited_s + pause)
        return
    try:
        if broken := logs.filter(state="failed").first():
            raise NoResults(f"{broken.name} could not be read: {broken.problem}")
        put_in_rounds(found)
    except NoResults as error:
        give_up(found, str(error))
    judgement = judge_study(study)
    StudyPlan.objects.filter(study=study).update(state="ended", reason="results were brought in")
    decided = follow(study)
    if not decided and Gate.objects.get(pk=gate).state == Gate.CONFIRMING:
        judgement = judge_study(study)
        decided = follow(study)
    announce_end(study, judgement, plan=False, gate=decided)
    notify(study.workspace_id, "board", study=study.pk)


@contextmanager
def limited_memory(most: int = MOST_MEMORY) -> Iterator[None]:
    """What runs inside fails by itself where it takes more, and not the whole machine."""
    before = resource.getrlimit(resource.RLIMIT_DATA)
    limit = _data_bytes() + most
    if before[1] != resource.RLIM_INFINITY:
        limit = min(limit, before[1])
    resource.setrlimit(resource.RLIMIT_DATA, (limit, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_DATA, before)


def _data_bytes() -> int:
    """Memory of this process that counts against such a limit."""
    with open("/proc/self/status", encoding="ascii") as status:
        for line in status:
            if line.startswith("VmData:"):
                return int(line.split()[1]) * 1024
    return 0


@app.periodic(cron="* * * * * */10")
@app.task(queueing_lock="rescue", aliases=["yardstick_server.analysis.tasks.rescue_stalled"])
async def rescue_stalled(timestamp: int) -> None:
    """Give jobs whose worker died back to the queue; the third time one is set aside."""
    for job in await app.job_manager.get_stalled_jobs():
        if job.attempts + 1 >= MOST_ATTEMPTS:
            await app.job_manager.finish_job(job, Status.FAILED, delete_job=False)
        else:
            await app.job_manager.retry_job(job)
    await set_aside_failed()


async def set_aside_failed() -> None:
    """Say at the runs of jobs that failed for good why nothing was read of them."""
    from yardstick_server.planning.unread import mark_unread

    failed = await app.job_manager.list_jobs_async(task=read_run.name, status=Status.FAILED.value)
    await mark_unread([job for job in failed if isinstance(job, Job)])


@app.periodic(cron="23 3 * * *")
@app.task(queueing_lock="purge-deleted", aliases=["yardstick_server.studies.tasks.purge_deleted"])
def purge_deleted(timestamp: int) -> None:
    """Purge what was deleted too long ago; studies first, for other things belong to them."""
    from django.utils import timezone

    from yardstick_server.inventory.models import Fixture, Subject, Variant
    from yardstick_server.planning.purging import purge
    from yardstick_server.shelf import KEPT_FOR
    from yardstick_server.studies.models import Study, StudyProfile
    from yardstick_server.studies.using import used_by

    before = timezone.now() - KEPT_FOR
    for model in (Study, StudyProfile, Variant, Subject, Fixture):
        for found in model.objects.filter(deleted_at__lt=before):
            if not used_by(found):
                purge(found)
