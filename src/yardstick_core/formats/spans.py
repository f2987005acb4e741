"""Steps, timings and marks of a run for other programs: as captions and as trace events."""

from __future__ import annotations

from typing import Any

from yardstick_core.record import RunRecord

#: A mark is an instant; as a caption it stays for so long.
MARK_SHOWN_NS = 500_000_000


def _clock(at_ns: int) -> str:
    ms = max(0, at_ns) // 1_000_000
    hours, rest = divmod(ms, 3_600_000)
    minutes, rest = divmod(rest, 60_000)
    return f"{hours:02d}:{minutes:02d}:{rest // 1000:02d}.{rest % 1000:03d}"


def webvtt(record: RunRecord) -> str:
    """Steps, timings and marks as WebVTT cues in order of time, to lay over a film of the run."""
    cues = [
        (s.start_ns, s.end_ns, f"{s.kind}: {' / '.join(s.path)}")
        for s in record.stretches
        if s.end_ns > s.start_ns
    ]
    cues += [(at, at + MARK_SHOWN_NS, f"mark: {name}") for at, name in record.marks]
    parts = ["WEBVTT\n"]
    for start, end, text in sorted(cues):
        safe = text.replace("&", "&amp;").replace("<", "&lt;").replace("-->", "→")
        line = " ".join(safe.split())
        # WebVTT has milliseconds: a cue shorter than one still needs an end after its start.
        parts.append(f"{_clock(start)} --> {_clock(max(end, start + 1_000_000))}\n{line}\n")
    return "\n".join(parts)


def trace_events(record: RunRecord, run: int) -> dict[str, Any]:
    """Stretches as complete events, marks and inputs as instants, of the Trace Event format."""
    depth = {"step": 1, "lap": 2, "time": 3, "frames": 4}
    events: list[dict[str, Any]] = [
        {
            "name": " / ".join(s.path),
            "cat": s.kind,
            "ph": "X",
            "ts": s.start_ns / 1000,
            "dur": (s.end_ns - s.start_ns) / 1000,
            "pid": run,
            "tid": depth.get(s.kind, 9),
            "args": {"right_censored": s.right_censored, "plus_minus_ms": s.plus_minus_ns / 1e6},
        }
        for s in record.stretches
    ]
    events += [
        {"name": name, "cat": "mark", "ph": "i", "ts": at / 1000, "pid": run, "tid": 0, "s": "p"}
        for at, name in record.marks
    ]
    events += [
        {"name": i.what, "cat": "input", "ph": "i", "ts": i.at_ns / 1000, "pid": run, "tid": 0,
         "s": "t", "args": {"late_ms": i.late_ns / 1e6}}
        for i in record.inputs
    ]  # fmt: skip
    names = [{"name": "thread_name", "ph": "M", "pid": run, "tid": tid, "args": {"name": kind}}
             for kind, tid in depth.items()]  # fmt: skip
    return {"traceEvents": names + events, "displayTimeUnit": "ms"}
