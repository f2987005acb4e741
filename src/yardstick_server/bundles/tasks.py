"""Jobs of the worker: write a bundle, read one that was brought, throw old ones away."""

from __future__ import annotations

from procrastinate.contrib.django import app

from yardstick_server.queues import LONG

PROBLEM_LENGTH = 480


@app.task(queue=LONG, retry=2)
def write_bundle(bundle: int) -> None:
    """Write the bundle of a study to its file."""
    from yardstick_server.bundles.exporting import export
    from yardstick_server.bundles.models import StudyBundle
    from yardstick_server.notify import notify

    found = StudyBundle.objects.select_related("study").filter(pk=bundle, way="out").first()
    if found is None or found.study is None or found.state == "done":
        return
    rows = StudyBundle.objects.filter(pk=bundle)
    rows.update(state="working")

    def told(done: int, total: int) -> None:
        rows.update(done=done, total=total)
        notify(found.workspace_id, "bundle", study=found.study_id)

    try:
        found.path.parent.mkdir(parents=True, exist_ok=True)
        export(found.study, found.path, told)
        rows.update(state="done", size=found.path.stat().st_size)
    except OSError as error:
        found.path.unlink(missing_ok=True)
        rows.update(state="failed", problem=f"the file cannot be written: {error}"[:PROBLEM_LENGTH])
    notify(found.workspace_id, "bundle", study=found.study_id)


@app.task(queue=LONG, retry=2)
def read_bundle(bundle: int) -> None:
    """Check a bundle that was brought, and make a study of it."""
    from yardstick_core.formats.bundle import Bundle, BundleError
    from yardstick_server.bundles.importing import bring_in
    from yardstick_server.bundles.models import StudyBundle
    from yardstick_server.notify import notify

    found = StudyBundle.objects.filter(pk=bundle, way="in", study=None).first()
    if found is None or found.state in ("done", "failed"):
        return
    rows = StudyBundle.objects.filter(pk=bundle)
    rows.update(state="working")

    def told(done: int, total: int) -> None:
        rows.update(done=done, total=total)
        notify(found.workspace_id, "bundle")

    try:
        with Bundle(found.path) as opened:
            opened.check(told)
            study, differs = bring_in(opened, found.workspace, found.by)
            version = opened.manifest.core_version
        rows.update(state="done", study=study, differs=differs, core_version=version)
    except (BundleError, OSError) as error:
        rows.update(state="failed", problem=str(error)[:PROBLEM_LENGTH])
    found.path.unlink(missing_ok=True)
    notify(found.workspace_id, "bundle")


@app.periodic(cron="37 * * * *")
@app.task(queueing_lock="sweep-bundles")
def sweep_bundles(timestamp: int) -> None:
    """Throw away what was made or brought long ago."""
    from yardstick_server.bundles.models import StudyBundle

    StudyBundle.sweep()
