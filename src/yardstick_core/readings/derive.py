"""From a recorded run to its readings: every metric of every stretch that has the data for it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from yardstick_core.readings import counts, durations, growth, latency, memory, processor
from yardstick_core.readings.censored import censored_percentile
from yardstick_core.readings.companions import companion_readings, each_companion
from yardstick_core.readings.energy import STEP_ENERGY, energy_readings, processor_joules
from yardstick_core.readings.filmed import filmed_readings
from yardstick_core.readings.frames import (
    AVERAGE_RATE,
    BUSY_RATE,
    FEWEST_FOR_ONE_PERCENT,
    FEWEST_FRAMES,
    ONE_PERCENT_LOW,
    P99,
    QUIET_RATE,
    all_frame_readings,
    average_rate,
    busy_and_quiet,
    drops,
    on_target,
)
from yardstick_core.readings.graphics import graphics_readings
from yardstick_core.readings.heat import heat_readings
from yardstick_core.readings.idle import Worked, cut_idle, frame_times, with_freezes
from yardstick_core.readings.metric import (
    DROPPED_AT,
    ON_RATE,
    at_rate,
    named_by_stretch,
    reported_metric_key,
)
from yardstick_core.readings.own_counters import own_counter_readings
from yardstick_core.readings.restarts import during_restarts, restart_readings
from yardstick_core.readings.settled import settled_value
from yardstick_core.record import FINISHED, RunRecord, StretchRecord
from yardstick_core.streams.chunk import Values

WHOLE = "Whole session"
#: How the facts of a run begin to name its meters where a stand-in takes their place.
SIMULATED = "simulated"
#: How the record names an input that asks for no picture.
POINTER_MOVE = "move"
FEWEST_INPUTS = 5
#: From this share of the rate up to which pictures are told apart, some may have been merged.
NEAR_TRUSTED = 0.75
#: Toolkits clear an area and draw it; what draws the same area more often may show each.
MANY_REDRAWS = 3


@dataclass(frozen=True, slots=True)
class Reading:
    """One number of one run.

    `plus_minus` is the half-width of what the way of reading leaves unknown, in the same unit.
    `right_censored` marks a duration whose end was never reached.
    """

    stretch: tuple[str, ...]
    metric: str
    value: float
    plus_minus: float = 0.0
    right_censored: bool = False
    warning: str = ""


def derive(run: RunRecord) -> list[Reading]:
    """All readings of a run, in the order of its stretches."""
    used = run.counters.get(processor.USED)
    if used is not None:
        whole_use = processor.to_the_end(used, run.journal)
        run = replace(run, counters={**run.counters, processor.USED: whole_use})
    readings: list[Reading] = []
    whole = whole_stretch(run)
    turns: dict[tuple[str, ...], list[StretchRecord]] = {}
    for stretch in run.stretches:
        if stretch.kind in ("time", "lap") and not stretch.unanswered:
            turns.setdefault(stretch.path, []).append(stretch)
    for stretch in run.stretches:
        if stretch.unanswered:
            continue  # nothing followed: no time was taken, and none is said
        alike = turns.get(stretch.path, [])
        if len(alike) > 1 or stretch.kind == "lap":
            if stretch is alike[0]:
                readings += _turns(alike)
        elif stretch.kind == "time":
            readings.append(_duration(stretch))
            readings += _processor(run, stretch, with_cores=False)
        elif stretch.kind == "frames" and not stretch.right_censored:
            readings += _frames(run, stretch)
            readings += _latency(run, stretch)
            readings += _processor(run, stretch, with_cores=True)
            readings += _of_sources(run, stretch)
    readings += _reported_readings(run)
    readings += [Reading(**one._asdict()) for one in restart_readings(run.journal, run.counters)]
    if whole is not None and run.outcome == FINISHED:
        readings += _steps(run, whole)
        readings += _processor(run, whole, with_cores=False)
        readings += _memory(run, whole)
        readings += _growth(run, whole)
        readings += _counts(run, whole)
        readings += [
            Reading(whole.path, key, value)
            for key, value in companion_readings(run.counters, whole.start_ns, whole.end_ns).items()
        ]
        readings += [
            Reading((*whole.path, name), key, value)
            for name, key, value in each_companion(
                run.journal, run.counters, whole.start_ns, whole.end_ns
            )
        ]
        readings += _foreign(run, whole)
        readings += _of_sources(run, whole)
        readings += _footprint(run, whole)
    return readings


def _reported_readings(run: RunRecord) -> list[Reading]:
    """Numbers that the program said itself, under the names the script gave them."""
    return [
        Reading(
            tuple(entry["path"]),
            reported_metric_key(entry["unit"], higher_is_better=bool(entry["higher_is_better"])),
            float(entry["value"]),
        )
        for entry in run.journal
        if entry["kind"] == "taken" and entry["value"] is not None
    ]


def _steps(run: RunRecord, whole: StretchRecord) -> list[Reading]:
    """Time and processor time of each step and of all, so that the steps add up to the whole."""
    steps = [stretch for stretch in run.stretches if stretch.kind == "step"]
    edges = [*(step.start_ns for step in steps), whole.end_ns]
    parts = [
        StretchRecord("step", step.path, start, end)
        for step, start, end in zip(steps, edges, edges[1:], strict=False)
    ]
    counter = run.counters.get(processor.USED)
    found = []
    for part in (*parts, whole):
        found.append(Reading(part.path, durations.STEP_TIME.key, part.duration_s))
        used = processor.seconds_between(counter, part.start_ns, part.end_ns) if counter else None
        if used is not None:
            found.append(Reading(part.path, durations.STEP_PROCESSOR.key, used, 0.01))
        joules = processor_joules(run.counters, part.start_ns, part.end_ns)
        if joules is not None:
            found.append(Reading(part.path, STEP_ENERGY.key, joules, warning=_made_up(run)))
    return found


def _of_sources(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    """What the machine's own meters told: graphics, energy, heat; nothing where it has none."""
    start, end, warning = stretch.start_ns, stretch.end_ns, _made_up(run)
    if end <= start:
        return []
    own = own_counter_readings(run.journal, run.counters, start, end)
    named = [Reading((*stretch.path, name), key, value) for name, key, value in own]
    found = {
        **graphics_readings(run.counters, start, end),
        **energy_readings(run.counters, start, end),
        **heat_readings(run.counters, start, end),
    }
    by_metric = [Reading(stretch.path, key, value, warning=warning) for key, value in found.items()]
    return by_metric + named


def _made_up(run: RunRecord) -> str:
    """A warning where the machine's meters were a stand-in's."""
    for entry in run.journal:
        if entry["kind"] == "facts":
            told = str(entry["facts"].get("sensors", ""))
            return SIMULATED if told.startswith(SIMULATED) else ""
    return ""


def whole_stretch(run: RunRecord) -> StretchRecord | None:
    """The run from its first step to its last, or None where it has no step."""
    steps = [stretch for stretch in run.stretches if stretch.kind == "step"]
    if not steps:
        return None
    return StretchRecord(
        "step", (WHOLE,), min(s.start_ns for s in steps), max(s.end_ns for s in steps)
    )


def stretch_readings(
    run: RunRecord, start_ns: int, end_ns: int, worked: Worked | None = None
) -> list[Reading]:
    """Readings of any stretch of time of a run, chosen by hand.

    `worked`: its frames, where they are known already.
    """
    stretch = StretchRecord("selection", ("selection",), start_ns, end_ns)
    return (
        _frames(run, stretch, worked)
        + _latency(run, stretch)
        + _processor(run, stretch, with_cores=True)
        + _memory(run, stretch)
        + _growth(run, stretch)
        + _counts(run, stretch)
        + _foreign(run, stretch)
        + [one for one in _of_sources(run, stretch) if not named_by_stretch(one.metric)]
    )


def _turns(turns: list[StretchRecord]) -> list[Reading]:
    """Laps, or a timing inside them: the median turn, and whether later ones take longer.

    A turn that never reached its end took longer than was waited, and counts as longer than all.
    """
    path = turns[0].path
    metric = durations.LAP_TIME if turns[0].kind == "lap" else durations.DURATION
    seconds, censored = censored_percentile(
        [turn.duration_s for turn in turns], [turn.right_censored for turn in turns], 0.5
    )
    unended = sum(turn.right_censored for turn in turns)
    warning = f"{unended} of {len(turns)} never reached their end" if unended else ""
    unknown = float(np.median([turn.plus_minus_ns for turn in turns])) / 1e9
    found = [Reading(path, metric.key, seconds, unknown, censored, warning)]
    if len(turns) >= durations.FEWEST_FOR_SLOWING:
        slower = durations.slowing([turn.duration_s for turn in turns])
        found.append(Reading(path, durations.LAP_SLOWING.key, slower, 0.0, unended > 0, warning))
    return found


def _duration(stretch: StretchRecord) -> Reading:
    return Reading(
        stretch.path,
        durations.DURATION.key,
        stretch.duration_s,
        stretch.plus_minus_ns / 1e9,
        stretch.right_censored,
        "never reached its end" if stretch.right_censored else "",
    )


def _frames(run: RunRecord, stretch: StretchRecord, worked: Worked | None = None) -> list[Reading]:
    worked = worked or worked_frames(run, stretch.start_ns, stretch.end_ns)
    ends, times = worked.ends_ns, worked.times_ms
    if stretch.film_step_ns:
        return _filmed(stretch, times)
    frozen = bool(len(ends)) and _is_no_picture(run, int(ends[-1]))
    if len(times) < FEWEST_FRAMES:
        return _few_frames(stretch, times)
    asked = _asking_instants(run, stretch)
    answers = stretch.kind == "frames" and latency.only_answers(
        asked, run.frames_ns, stretch.start_ns, stretch.end_ns
    )
    short = len(times) < FEWEST_FOR_ONE_PERCENT
    few = "fewer than 1,000 frames: lows are flattered" if short else ""
    end = "no picture came any more at the end: the last frame took at least until then"
    merged = _perhaps_merged(run, times)
    found = [
        Reading(
            stretch.path,
            key,
            value,
            warning=latency.ONLY_ANSWERS
            if answers
            else end
            if frozen
            else merged or (few if key in (ONE_PERCENT_LOW.key, P99.key) else ""),
        )
        for key, value in all_frame_readings(times, worked.spikes).items()
    ]
    if stretch.hertz:
        share, dropped = on_target(times, stretch.hertz), drops(times, stretch.hertz)
        found.append(Reading(stretch.path, at_rate(ON_RATE, stretch.hertz), share))
        found.append(Reading(stretch.path, at_rate(DROPPED_AT, stretch.hertz), dropped))
    busy, quiet = busy_and_quiet(ends, times, _input_instants(run, stretch))
    found.append(Reading(stretch.path, BUSY_RATE.key, busy))
    found.append(Reading(stretch.path, QUIET_RATE.key, quiet))
    return found


def _perhaps_merged(run: RunRecord, times_ms: Values) -> str:
    """A warning where the recorder may have taken several pictures for one."""
    for entry in run.journal:
        if entry["kind"] != "observer":
            continue
        trusted, redraws = entry.get("trusted_hz"), entry.get("redraws", 0)
        if trusted and 1000 / float(np.median(times_ms)) > NEAR_TRUSTED * float(trusted):
            return (
                f"this program's pictures are told apart up to about {float(trusted):.0f} a second:"
                " some may be two taken for one"
            )
        if redraws >= MANY_REDRAWS:
            return (
                f"each picture draws the same area {redraws} times in one go and is counted once:"
                f" should the program show each, it draws {redraws} times as many"
            )
    return ""


def _filmed(stretch: StretchRecord, times_ms: Values) -> list[Reading]:
    """What the pictures of a film tell, and how well."""
    if len(times_ms) < FEWEST_FRAMES:
        return _few_frames(stretch, times_ms)
    found = filmed_readings(times_ms, stretch.film_step_ns / 1e6)
    return [Reading(stretch.path, key, value, pm, warning=say) for key, value, pm, say in found]


def _is_no_picture(run: RunRecord, end_ns: int) -> bool:
    """Whether a frame ends only because what it was wanted in does."""
    place = int(np.searchsorted(run.frames_ns, end_ns))
    return place == len(run.frames_ns) or int(run.frames_ns[place]) != end_ns


def _few_frames(stretch: StretchRecord, times_ms: Values) -> list[Reading]:
    """What is known of a frame stretch in which hardly a picture came: how few, and the longest."""
    if stretch.kind != "frames" or not len(times_ms):
        return []
    warning = f"fewer than {FEWEST_FRAMES} pictures in the whole stretch"
    return [
        Reading(stretch.path, AVERAGE_RATE.key, average_rate(times_ms), warning=warning),
        Reading(stretch.path, ONE_PERCENT_LOW.key, 1000 / float(times_ms.max()), warning=warning),
    ]


def worked_frames(run: RunRecord, start_ns: int, end_ns: int) -> Worked:
    """Frames of a stretch of a run; the time in which none was asked for is cut out.

    In what the script calls `frames`, and while it times something, pictures are wanted all the
    time: a program that shows nothing there hangs, and does not rest.
    """
    wanted = [(s.start_ns, s.end_ns) for s in run.stretches if s.kind in ("frames", "time")]
    inputs = np.array([i.at_ns for i in run.inputs], np.int64)
    frozen = [
        (s.start_ns, s.end_ns)
        for s in run.stretches
        if start_ns <= s.end_ns <= end_ns and (s.kind == "frames" or _answered(run, s))
    ]
    pictures = with_freezes(run.frames_ns, frozen)
    return cut_idle(*frame_times(pictures, start_ns, end_ns), inputs, wanted)


def _answered(run: RunRecord, stretch: StretchRecord) -> bool:
    """Whether a timing showed a picture before its end: what comes after it is no rest."""
    first, after = np.searchsorted(run.frames_ns, [stretch.start_ns, stretch.end_ns], side="right")
    return stretch.kind == "time" and bool(after > first)


def _input_instants(
    run: RunRecord, stretch: StretchRecord
) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    return np.array(
        [i.at_ns for i in run.inputs if stretch.start_ns <= i.at_ns <= stretch.end_ns], np.int64
    )


def _latency(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    """Key to picture; an input that saw none within the limit waited longer than that."""
    instants = _asking_instants(run, stretch)
    if len(instants) < FEWEST_INPUTS:
        return []
    delays = latency.latencies_ms(instants, run.frames_ns)
    unanswered = np.isnan(delays)
    if len(delays) - unanswered.sum() < FEWEST_INPUTS:
        return []
    delays[unanswered] = latency.LONGEST_MS
    missed = int(unanswered.sum())
    warning = f"{missed} of {len(delays)} inputs saw no picture within 1 s" if missed else ""
    found = []
    for metric, share in ((latency.LATENCY_MEDIAN, 0.5), (latency.LATENCY_P95, 0.95)):
        value, censored = censored_percentile(delays.tolist(), unanswered.tolist(), share)
        found.append(Reading(stretch.path, metric.key, value, 0.3, censored, warning))
    return found + _rest(run, stretch, instants)


def _rest(
    run: RunRecord, stretch: StretchRecord, instants: np.ndarray[tuple[int], np.dtype[np.int64]]
) -> list[Reading]:
    """Key to rest, where most inputs came to rest before the next one."""
    rests, cut_short = latency.rests_ms(instants, run.frames_ns, stretch.end_ns)
    known = ~np.isnan(rests)
    rests, cut_short = rests[known], cut_short[known]
    if len(rests) < FEWEST_INPUTS:
        return []
    value, censored = censored_percentile(rests.tolist(), cut_short.tolist(), 0.5)
    if censored:
        return []  # it never rests between these inputs: there is nothing to tell
    missed = int(cut_short.sum())
    warning = f"{missed} of {len(rests)} had not come to rest when the next came" if missed else ""
    return [Reading(stretch.path, latency.KEY_TO_REST.key, value, 0.3, False, warning)]


def _asking_instants(
    run: RunRecord, stretch: StretchRecord
) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Inputs of a stretch that ask for a picture.

    A frame stretch begins with the last input before it, which is none of its own.
    """
    instants = np.array([i.at_ns for i in run.inputs if i.what != POINTER_MOVE], np.int64)
    start = stretch.start_ns + (stretch.kind == "frames")
    return instants[(instants >= start) & (instants <= stretch.end_ns)]


def _processor(run: RunRecord, stretch: StretchRecord, *, with_cores: bool) -> list[Reading]:
    counter = run.counters.get(processor.USED)
    if counter is None or stretch.right_censored or stretch.end_ns <= stretch.start_ns:
        return []
    seconds = processor.seconds_between(counter, stretch.start_ns, stretch.end_ns)
    if seconds is None or seconds <= 0:
        return []
    found = [Reading(stretch.path, processor.PROCESSOR_SECONDS.key, seconds, 0.01)]
    if with_cores:
        cores = seconds / stretch.duration_s
        found.append(
            Reading(stretch.path, processor.PROCESSOR_CORES.key, cores, 0.01 / stretch.duration_s)
        )
        found += _of_machine(run, stretch, cores)
    return found


def _of_machine(run: RunRecord, stretch: StretchRecord, cores: float) -> list[Reading]:
    """The same use as a share of the whole machine, and how many of its cores were busy."""
    have = run.counters.get("machine.cores")
    if have is None:
        return []
    share = 100 * cores / float(have[1][-1])
    found = [Reading(stretch.path, processor.PROCESSOR_SHARE.key, share)]
    each = [counter for name, counter in run.counters.items() if name.startswith("core.")]
    busy = processor.cores_busy(each, stretch.start_ns, stretch.end_ns)
    if busy is not None:
        found.append(Reading(stretch.path, processor.CORES_BUSY.key, busy))
    return found


def _memory(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    counter = run.counters.get("subject.resident")
    if counter is None:
        return []
    start, end = stretch.start_ns, stretch.end_ns
    found = memory.memory_readings(counter, start, end)
    settled = settled_value(*counter, start, end)
    if settled is not None:
        found[memory.SETTLED_MEMORY.key] = settled / memory.MIB
    for name, metric in (
        ("subject.unique", memory.UNIQUE_MEMORY),
        ("subject.proportional", memory.PROPORTIONAL_MEMORY),
    ):
        most = memory.largest(run.counters[name], start, end) if name in run.counters else None
        if most is not None:
            found[metric.key] = most / memory.MIB
    return [Reading(stretch.path, key, value) for key, value in found.items()]


def _growth(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    """Slope of memory where the stretch is long enough to speak of one, and that over laps."""
    counter = run.counters.get("subject.resident")
    if counter is None:
        return []
    inside = (counter[0] >= stretch.start_ns) & (counter[0] <= stretch.end_ns) & (counter[1] > 0)
    seconds, used = counter[0][inside] / 1e9, counter[1][inside] / memory.MIB
    found = []
    if len(seconds) >= growth.FEWEST_SAMPLES and seconds[-1] - seconds[0] >= growth.SHORTEST_S:
        line = growth.slope(seconds, used)
        half = 60 * (line.high - line.low) / 2
        first, last = growth.halves(seconds, used)
        found.append(Reading(stretch.path, growth.GROWTH.key, 60 * line.slope, half))
        found.append(Reading(stretch.path, growth.FIRST_HALF.key, 60 * first.slope))
        found.append(Reading(stretch.path, growth.LAST_HALF.key, 60 * last.slope))
    laps = [s.start_ns / 1e9 for s in run.stretches if s.kind == "lap"]
    least = growth.troughs(seconds, used, np.array(laps)) if laps and len(seconds) else np.empty(0)
    if len(least) >= 4:
        line = growth.slope(np.arange(len(least), dtype=float), least)
        half = (line.high - line.low) / 2
        found.append(Reading(stretch.path, growth.LAP_GROWTH.key, line.slope, half))
    return found


def _counts(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    found = []
    for name, metric in counts.LARGEST.items():
        counter = run.counters.get(name)
        most = memory.largest(counter, stretch.start_ns, stretch.end_ns) if counter else None
        if most is not None:
            found.append(Reading(stretch.path, metric.key, most))
    for name, metric in counts.GROWN.items():
        counter = run.counters.get(name)
        grown = (
            processor.seconds_between(counter, stretch.start_ns, stretch.end_ns)
            if counter
            else None
        )
        if grown is not None:
            found.append(Reading(stretch.path, metric.key, grown / memory.MIB))
    return found


def _footprint(run: RunRecord, whole: StretchRecord) -> list[Reading]:
    """What the variant takes on disk, what it had started when it was up, what it spent in all."""
    found: dict[str, float] = {}
    for entry in run.journal:
        if entry["kind"] == "footprint":
            found[counts.INSTALLED.key] = float(entry["bytes"]) / memory.MIB
            found[counts.INSTALLED_FILES.key] = float(entry["files"])
        elif entry["kind"] == "up":
            found |= counts.at_start(run.counters, int(entry["shown"]))
        elif entry["kind"] == "spent":
            found[processor.SPENT.key] = float(entry["processor_s"])
    return [Reading(whole.path, key, value) for key, value in found.items()]


def _foreign(run: RunRecord, stretch: StretchRecord) -> list[Reading]:
    foreign = run.counters.get("machine.foreign_seconds")
    cores = run.counters.get("machine.cores")
    if foreign is None or cores is None or stretch.end_ns <= stretch.start_ns:
        return []
    seconds = processor.seconds_between(foreign, stretch.start_ns, stretch.end_ns)
    if seconds is None:
        return []
    apart_s, apart = during_restarts(run.journal, foreign, stretch.end_ns)
    duration_s = max(stretch.duration_s - apart_s, 1e-9)
    share = 100 * max(0.0, seconds - apart) / duration_s / float(cores[1][-1])
    found = [Reading(stretch.path, processor.FOREIGN_SHARE.key, share)]
    used, own = run.counters.get("machine.memory_used"), run.counters.get("subject.resident")
    if used is not None and own is not None:
        inside = (used[0] >= stretch.start_ns) & (used[0] <= stretch.end_ns)
        if inside.any():
            others = used[1][inside] - np.interp(used[0][inside], *own)
            others_mib = float(np.median(others)) / memory.MIB
            found.append(Reading(stretch.path, memory.FOREIGN_MEMORY.key, others_mib))
    return found
