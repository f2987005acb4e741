"""A run's record, put together by the core from its stored chunks."""

from __future__ import annotations

from yardstick_core.record import RunRecord, join
from yardstick_server.runs.models import Run
from yardstick_server.traces.store import read_chunks


def run_record(run: Run, streams: list[str] | None = None) -> RunRecord:
    """The record of a run, or of some of its streams."""
    return join(read_chunks(run.pk, streams))
