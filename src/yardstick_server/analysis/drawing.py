"""Series of a run for drawing: from its kept zooms, and from its samples where one looks close."""

from __future__ import annotations

from collections.abc import Iterable

from django.db import transaction

from yardstick_core import CORE_VERSION
from yardstick_core.readings.derive import worked_frames
from yardstick_core.readings.drawn import (
    FRAMES,
    IDLE,
    LATENCY,
    SPIKES,
    counter_series,
    drawn_series,
)
from yardstick_core.readings.own_counters import COUNTER
from yardstick_core.record import RunRecord, join
from yardstick_core.streams.counters import drawn_name, drawn_unit
from yardstick_core.streams.overview import SIZES, Points, narrow, pack, plain, summarise, unpack
from yardstick_server.analysis.records import journal_of, run_record
from yardstick_server.runs.models import Run
from yardstick_server.traces import store
from yardstick_server.traces.models import Overview

#: Fewer samples than this are kept as they are; a zoom with fewer points in view is too coarse.
FEW = 4096
ENOUGH = 1000
#: Series whose every sample is kept: there is no chunk they could be read from.
_WHOLE = (SPIKES, IDLE, LATENCY)


def keep_overviews(run: Run, record: RunRecord) -> None:
    """Make the zooms of a sealed run from its record, in place of those kept before."""
    made = []
    for name, series in drawn_series(record).items():
        for size in _sizes(name, len(series)):
            points = series if size == 1 else summarise(series.end_ns, series.low, size)
            made.append(
                Overview(
                    run=run,
                    series=name,
                    size=size,
                    points=len(points),
                    data=pack(points),
                    core_version=CORE_VERSION,
                )
            )
    with transaction.atomic():
        run.overviews.all().delete()
        Overview.objects.bulk_create(made, batch_size=20)


def _sizes(name: str, samples: int) -> tuple[int, ...]:
    if name in _WHOLE or samples <= FEW:
        return (1,)
    return tuple(size for size in SIZES if size == SIZES[0] or samples > FEW * SIZES[0])


def counters_drawn(streams: Iterable[str]) -> dict[str, str]:
    """What the counters among a run's streams are drawn as, with units."""
    counters = sorted(set(streams) - {FRAMES, "journal"})
    return {drawn_name(stream): drawn_unit(stream) for stream in counters}


def reported_units(record: RunRecord) -> dict[str, str]:
    """Units of a log's columns and of a rig's own counters, by what they are drawn as."""
    return {
        drawn_name(entry["stream"]): str(entry.get("unit", ""))
        for entry in record.journal
        if entry["kind"] == "column" or entry["kind"] == COUNTER
    }


def series_between(
    run: Run, names: list[str], start_ns: int, end_ns: int, most: int
) -> dict[str, Points]:
    """Series of a stretch of a run, at most `most` points each; least and greatest stay true.

    Where few enough samples lie in the stretch, each is a point.
    """
    if not run.sealed:
        every = drawn_series(run_record(run))
        found = {name: every[name].between(start_ns, end_ns) for name in names if name in every}
    else:
        if not run.overviews.filter(core_version=CORE_VERSION).exists():
            keep_overviews(run, run_record(run))
        found = _from_zooms(run, names, start_ns, end_ns)
    return {name: narrow(points, most) for name, points in found.items()}


def _from_zooms(run: Run, names: list[str], start_ns: int, end_ns: int) -> dict[str, Points]:
    """The coarsest zoom of each series that has enough points; samples where none has."""
    sizes = store.overview_sizes(run.pk, names)
    found: dict[str, Points] = {}
    while wanted := [
        (name, sizes[name].pop(0)[0]) for name in sizes if name not in found and sizes[name]
    ]:
        for name, data in store.read_overviews(run.pk, wanted).items():
            points = unpack(data).between(start_ns, end_ns)
            size = dict(wanted)[name]
            if size == 1:
                found[name] = plain(points.end_ns, points.low)
            elif len(points) >= ENOUGH:
                found[name] = points
    close = [name for name in sizes if name not in found]
    return found | _from_samples(run, close, start_ns, end_ns)


def _from_samples(run: Run, names: list[str], start_ns: int, end_ns: int) -> dict[str, Points]:
    if not names:
        return {}
    streams = [s for s in store.streams_of(run.pk) if s == FRAMES or drawn_name(s) in names]
    if FRAMES not in names:
        streams = [s for s in streams if s != FRAMES]
    record = join(store.read_stretch(run.pk, streams, start_ns, end_ns))
    found = {
        name: points.between(start_ns, end_ns) for name, points in counter_series(record).items()
    }
    if FRAMES in names:
        journal = journal_of(run)
        shown = RunRecord(journal.stretches, journal.inputs, frames_ns=record.frames_ns)
        worked = worked_frames(shown, 0, 2**62)
        found[FRAMES] = plain(worked.ends_ns, worked.times_ms).between(start_ns, end_ns)
    return found
