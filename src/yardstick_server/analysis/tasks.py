"""Jobs of the worker: read a run once it is sealed, then judge its study."""

from __future__ import annotations

from procrastinate.contrib.django import app

MOST_ATTEMPTS = 3


@app.task(retry=MOST_ATTEMPTS)
def read_run(run: int) -> None:
    """Derive the readings of a run and judge its study anew."""
    from yardstick_server.analysis.deriving import keep_readings
    from yardstick_server.analysis.judging import judge_study
    from yardstick_server.live.notify import notify
    from yardstick_server.runs.models import Run
    from yardstick_server.studies.planning import advance

    found = Run.objects.select_related("study").get(pk=run)
    keep_readings(found)
    judgement = judge_study(found.study)
    if advance(found.study, judgement):
        judge_study(found.study)
    notify(found.study.workspace_id, "board", study=found.study_id, run=run)


@app.periodic(cron="* * * * * */10")
@app.task(queueing_lock="rescue")
async def rescue_stalled(timestamp: int) -> None:
    """Give jobs whose worker died back to the queue."""
    for job in await app.job_manager.get_stalled_jobs():
        await app.job_manager.retry_job(job)
