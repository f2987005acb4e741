"""Jobs of the worker: look a film from elsewhere through."""

from __future__ import annotations

from procrastinate.contrib.django import app

from yardstick_server.queues import LONG


@app.task(queue=LONG, retry=2)
def look_through(footage: int) -> None:
    """Have a process of its own decode a film, and keep what it found."""
    from yardstick_server.footage.looking import look_at_film
    from yardstick_server.footage.models import Footage
    from yardstick_server.notify import notify

    found = Footage.objects.select_related("study").filter(pk=footage).first()
    if found is None or found.state in ("ready", "failed"):
        return
    rows = Footage.objects.filter(pk=footage)
    rows.update(state="looking")
    workspace = found.study.workspace_id

    def told(seconds: float) -> None:
        rows.update(done_s=seconds)
        notify(workspace, "footage", study=found.study_id)

    answer = look_at_film(found, told)
    if "found" in answer:
        found.path("brought").unlink(missing_ok=True)
        kept = sum(path.stat().st_size for path in found.files if path.exists())
        rows.update(state="ready", facts=answer["found"], problem="", size=kept)
    else:
        rows.update(state="failed", problem=answer["problem"][:300])
        for path in found.files:
            path.unlink(missing_ok=True)
    notify(workspace, "footage", study=found.study_id)
