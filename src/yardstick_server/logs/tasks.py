"""Jobs of the worker: read a log through, keep it as runs, throw old ones away."""

from __future__ import annotations

from procrastinate.contrib.django import app

from yardstick_server.queues import LONG

PROBLEM_LENGTH = 480


def _failed(number: int, error: Exception) -> None:
    from yardstick_server.logs.models import LogFile

    LogFile.objects.filter(pk=number).update(state="failed", problem=str(error)[:PROBLEM_LENGTH])


@app.task(queue=LONG, retry=2)
def read_log(log: int) -> None:
    """Read a log through and say what is in it."""
    from yardstick_core.formats.mapping import MappingError
    from yardstick_core.formats.source import NotALog
    from yardstick_server.logs.keeping import read_through
    from yardstick_server.logs.models import LogFile
    from yardstick_server.notify import notify

    found = LogFile.objects.filter(pk=log, state="reading").first()
    if found is None:
        return
    try:
        found.summary = read_through(found)
        found.state = "read"
        found.save(update_fields=["summary", "state"])
    except (NotALog, MappingError, OSError) as error:
        _failed(log, error)
    notify(found.workspace_id, "log", study=found.study_id)


@app.task(queue=LONG, retry=2)
def keep_log(log: int, variants: list[int], stretch: list[str], accepted: str = "") -> None:
    """Make runs of a log and read them; compared at once where a reason for it is given."""
    from yardstick_core.formats.mapping import MappingError
    from yardstick_core.formats.source import NotALog
    from yardstick_server.analysis.deriving import keep_readings
    from yardstick_server.analysis.judging import judge_study
    from yardstick_server.logs.keeping import keep
    from yardstick_server.logs.models import LogFile
    from yardstick_server.notify import notify
    from yardstick_server.runs.models import Run

    found = LogFile.objects.filter(pk=log, state="keeping").first()
    if found is None:
        return
    try:
        runs = keep(found, variants, stretch, accepted)
        for run in Run.objects.filter(pk__in=runs).select_related("study"):
            keep_readings(run)
        judge_study(found.study)
        found.summary = {**found.summary, "runs": runs}
        found.state = "kept"
        found.save(update_fields=["summary", "state"])
        found.path.unlink(missing_ok=True)
    except (NotALog, MappingError, OSError) as error:
        _failed(log, error)
    notify(found.workspace_id, "board", study=found.study_id)


@app.periodic(cron="17 * * * *")
@app.task(queueing_lock="sweep-logs")
def sweep_logs(timestamp: int) -> None:
    """Throw away files that nobody kept."""
    from yardstick_server.logs.models import LogFile

    LogFile.sweep()
