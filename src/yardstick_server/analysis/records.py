"""A run's record, put together by the core from its stored chunks."""

from __future__ import annotations

from dataclasses import replace

from yardstick_core.readings.latency import LONGEST_MS
from yardstick_core.record import RunRecord, join
from yardstick_core.streams.counters import cumulative
from yardstick_server.runs.models import Run
from yardstick_server.traces.lru_cache import SizedLruCache
from yardstick_server.traces.store import read_chunks, read_ends, read_stretch, streams_of

#: What of sealed runs stays in memory between requests: journals, and unpacked series.
_JOURNALS: SizedLruCache[RunRecord] = SizedLruCache(64 * 2**20)
_SERIES: SizedLruCache[RunRecord] = SizedLruCache(256 * 2**20)
#: Unpacked, a journal takes about so many times its packed size.
_UNPACKED = 40
#: Up to here the series of a stretch are read by themselves; of a longer one all are, and kept.
LONG_NS = 2 * 3600 * 10**9
LONGEST_FOR_CORES_NS = 3600 * 10**9


def run_record(run: Run, streams: list[str] | None = None) -> RunRecord:
    """The record of a run, or of some of its streams."""
    return join(read_chunks(run.pk, streams))


def journal_of(run: Run) -> RunRecord:
    """A run's stretches, inputs, marks and outcome, without its series."""

    def make() -> tuple[RunRecord, int]:
        chunks = read_chunks(run.pk, ["journal"])
        return join(chunks), _UNPACKED * sum(map(len, chunks.get("journal", [])))

    return _JOURNALS.get(run.pk, make) if run.sealed else make()[0]


def stretch_record(run: Run, start_ns: int, end_ns: int) -> RunRecord:
    """All that the readings of a stretch of a run need, exact, and little more.

    Of counters that only count on, the samples around the two ends; of the others those of the
    stretch. How busy each core was is left out where the stretch is longer than an hour.
    """
    names = [s for s in streams_of(run.pk) if s not in ("frames", "journal")]
    totals = [s for s in names if cumulative(s) and not s.startswith("core.")]
    amounts = [s for s in names if not cumulative(s)]
    chunks = read_ends(run.pk, totals, start_ns, end_ns)
    if end_ns - start_ns <= LONGEST_FOR_CORES_NS:
        cores = [s for s in names if s.startswith("core.")]
        chunks |= read_stretch(run.pk, cores, start_ns, end_ns)
    series = streams_between(run, ["frames", *amounts], start_ns, end_ns)
    counters = series.counters | join(chunks).counters
    return replace(journal_of(run), frames_ns=series.frames_ns, counters=counters)


def streams_between(run: Run, streams: list[str], start_ns: int, end_ns: int) -> RunRecord:
    """Streams of a run, alone: those of a stretch, with some more on either side."""

    def make() -> tuple[RunRecord, int]:
        record = run_record(run, streams)
        counters = sum(t.nbytes + v.nbytes for t, v in record.counters.values())
        return record, record.frames_ns.nbytes + counters

    if run.sealed and end_ns - start_ns > LONG_NS:
        return _SERIES.get(run.pk, make)
    after = end_ns + round(LONGEST_MS * 1e6)
    return join(read_stretch(run.pk, streams, start_ns, after))
