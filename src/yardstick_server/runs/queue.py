"""What is done with runs that wait for a rig or are under way."""

from __future__ import annotations

from yardstick_server.runs.models import Run


def end_early(run: Run) -> None:
    """Withdraw a run that waits; ask the rig to abort one under way; leave any other alone."""
    if run.state == "queued":
        run.state = "withdrawn"
    elif run.state == "running":
        run.abort_asked = True
    run.save(update_fields=["state", "abort_asked"])
