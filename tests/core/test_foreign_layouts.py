"""Results and logs laid out in ways of their own: documents, blocks, tables of other shapes."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sheets import open_sheet, sheet
from test_foreign_logs import AT, LENGTHS, MIB, brought, clock, read, table

from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.mapping import MappingError, check
from yardstick_core.formats.source import NotALog

OLD, NEW = [2.25, 2.5, 2.0], [1.5, 1.75, 1.25]
RUNS = [("4.1", "", 2.25), ("4.1", "", 2.5), ("4.1", "", 2.0),
        ("4.2", "", 1.5), ("4.2", "", 1.75), ("4.2", "", 1.25)]  # fmt: skip
#: The same, launched and saved.
BOTH = [
    (variant, [("launch", one), ("save", one / 2)])
    for variant, some in (("4.1", OLD), ("4.2", NEW)) for one in some
]  # fmt: skip

#: Of each: the results, and the runs they come to: variant, what was timed, how long it took, s.
RESULTS = {
    "the values of all runs in a cell": (
        "version,runs\n4.1,2.25 2.5 2.0\n4.2,1.5 1.75 1.25\n",
        RUNS,
    ),
    "cells that say what they hold": (
        "".join(f"version: {v}\trun: {n}\ttook: {one} s\n"
                for v, some in (("4.1", OLD), ("4.2", NEW)) for n, one in enumerate(some, 1)),
        RUNS,
    ),
    "a numbered list under each variant": (
        "By hand, in May\n\nThe old one:\n1. 2,25 s\n2. 2,5 s\n3. 2,0 s\n\n"
        "The new one:\n1. 1,5 s\n2. 1,75 s\n3. 1,25 s\n",
        [("The old one" if v == "4.1" else "The new one", "", one) for v, _, one in RUNS],
    ),
    "a variant that stands at the first of its runs": (
        "version,run,seconds\n4.1,1,2.25\n,2,2.5\n,3,2.0\n4.2,1,1.5\n,2,1.75\n,3,1.25\n",
        RUNS,
    ),
    "a ruled table among text": (
        "# Launch times\n\nBy hand.\n\n| build | run | launch |\n|---|---:|---:|\n"
        "| 4.1 | 1 | 2.25 s |\n| 4.1 | 2 | 2500 ms |\n| 4.1 | 3 | 2 s |\n"
        "| 4.2 | 1 | 1.5 s |\n| 4.2 | 2 | 1.75 s |\n| 4.2 | 3 | 1.25 s |\n\nThat is all.\n",
        RUNS,
    ),
    "the answer of a database": (
        " build | ms   \n-------+------\n"
        + "".join(f" 4.1   | {1000 * one:.0f} \n" for one in OLD)
        + "".join(f" 4.2   | {1000 * one:.0f} \n" for one in NEW) + "(6 rows)\n",
        RUNS,
    ),
    "a page with a table whose cells span rows": (
        "<html><body><table><tr><td>menu</td></tr></table><table><thead><tr><th>Version</th>"
        "<th>Launch (s)</th></tr></thead><tr><td rowspan=3>4.1</td><td>2.25</td></tr>"
        "<tr><td>2.5</td></tr><tr><td>2.0</td></tr><tr><td rowspan=3>4.2</td><td>1.5</td></tr>"
        "<tr><td>1.75</td></tr><tr><td>1.25</td></tr></table></body></html>",
        RUNS,
    ),
    "XML, what holds for several rows around them": (
        "<results>" + "".join(
            f'<build id="{variant}">' + "".join(f'<run seconds="{one}"/>' for one in some)
            + "</build>" for variant, some in (("4.1", OLD), ("4.2", NEW))) + "</results>",
        RUNS,
    ),
    "YAML": (
        "program: loom\nruns:\n" + "".join(
            f"  - version: '{variant}'\n    launch_s: {one}\n"
            for variant, some in (("4.1", OLD), ("4.2", NEW)) for one in some),
        RUNS,
    ),
    "numbers in lists, of a variant each": (
        json.dumps({"results": [{"version": "4.1", "seconds": OLD},
                                {"version": "4.2", "seconds": NEW}]}),
        RUNS,
    ),
    "rows within objects that name their variant": (
        json.dumps({"versions": [
            {"name": name, "runs": [{"launch": one, "idle_mb": 300} for one in some]}
            for name, some in (("4.1", OLD), ("4.2", NEW))]}),
        RUNS,
    ),
    "tables of a page under a title each": (
        "".join(f"<h2>{name}</h2><table><tr><th>Run</th><th>Launch</th></tr>"
                + "".join(f"<tr><td>{n}</td><td>{one} s</td></tr>" for n, one in enumerate(some, 1))
                + "</table>" for name, some in (("4.1", OLD), ("4.2", NEW))),
        RUNS,
    ),
    "ruled tables under a title each": (
        "# Launch\n\n" + "".join(
            f"## {name}\n\n| run | launch |\n|-----|--------|\n"
            + "".join(f"| {n} | {one} s |\n" for n, one in enumerate(some, 1)) + "\n"
            for name, some in (("4.1", OLD), ("4.2", NEW))),
        RUNS,
    ),
    "a title above a table of few columns": (
        open_sheet([["Launch of editions, in seconds"], ["Run", "Basic", "Pro"],
                    *([n, a, b] for n, (a, b) in enumerate(zip(OLD, NEW, strict=True), 1))]),
        [(name, "", one) for both in zip(OLD, NEW, strict=True)
         for name, one in zip(("Basic", "Pro"), both, strict=True)],
    ),
    "lines that name variant and run": (
        "".join(f"4.1 run {n + 1}: {one} s\n" for n, one in enumerate(OLD))
        + "".join(f"4.2 run {n + 1}: {one} s\n" for n, one in enumerate(NEW)),
        RUNS,
    ),
    "what a shell tells, under headings": (
        "".join(f"== {variant} run {n} ==\n\nreal\t0m{one}s\nuser\t0m1.0s\nsys\t0m0.1s\n\n"
                for variant, some in (("4.1", OLD), ("4.2", NEW))
                for n, one in enumerate(some, 1)),
        RUNS,
    ),
    "means with their spreads": (
        "Scenario,4.1,4.2\nLaunch,2.25 ± 0.1,1.5 ± 0.2\nSave,1.25 ± 0.1,0.75 ± 0.1\n"
        "Pan,0.5 ± 0.1,0.25 ± 0.1\n",
        [("4.1", "Launch", 2.25), ("4.2", "Launch", 1.5), ("4.1", "Save", 1.25),
         ("4.2", "Save", 0.75), ("4.1", "Pan", 0.5), ("4.2", "Pan", 0.25)],
    ),
    "a sheet whose heading has two lines": (
        sheet([["By hand, in May", "", "", "", ""], ["", "4.1", "", "4.2", ""],
               ["Operation", 1, 2, 1, 2],
               ["Launch", 2.25, 2.5, 1.5, 1.75], ["Save", 1.0, 1.25, 0.5, 0.75]]),
        [("4.1", "Launch", 2.25), ("4.1", "Launch", 2.5),
         ("4.2", "Launch", 1.5), ("4.2", "Launch", 1.75),
         ("4.1", "Save", 1.0), ("4.1", "Save", 1.25),
         ("4.2", "Save", 0.5), ("4.2", "Save", 0.75)],
    ),
    "a row for each timing, a column for each run": (
        "Operation,Run 1,Run 2,Run 3\nLaunch,2.25,2.5,2.0\nSave,1.5,1.75,1.25\n",
        [("", "Launch", 2.25), ("", "Launch", 2.5), ("", "Launch", 2.0),
         ("", "Save", 1.5), ("", "Save", 1.75), ("", "Save", 1.25)],
    ),
    "what was done, and how long it took": (
        "operation,elapsed\n" + "load,00:00:02.250\nsave,00:00:01.500\n" * 3,
        [("", "load", 2.25), ("", "save", 1.5)] * 3,
    ),
    "a test beside the variant, its repeats and their mean": (
        "Version;Szenario;Messung 1;Messung 2;Mittelwert\n4.1;Starten;2,25;2,5;2,375\n"
        "4.1;Drucken;1,0;1,25;1,125\n4.2;Starten;1,5;1,75;1,625\n4.2;Drucken;0,5;0,75;0,625\n",
        [("4.1", "Starten", 2.25), ("4.1", "Starten", 2.5), ("4.1", "Drucken", 1.0),
         ("4.1", "Drucken", 1.25), ("4.2", "Starten", 1.5), ("4.2", "Starten", 1.75),
         ("4.2", "Drucken", 0.5), ("4.2", "Drucken", 0.75)],
    ),
    "a unit and a difference in columns of their own": (
        sheet([["Test", "", "4.1", "4.2", "Difference"], ["Launch", "sec", 2.25, 1.5, "-33%"],
               ["Save", "sec", 1.25, 0.75, "-40%"], ["Export", "sec", 9.0, 8.0, "-11%"]]),
        [("4.1", "Launch", 2.25), ("4.2", "Launch", 1.5), ("4.1", "Save", 1.25),
         ("4.2", "Save", 0.75), ("4.1", "Export", 9.0), ("4.2", "Export", 8.0)],
    ),
    "lists with their means, under what was timed": (
        json.dumps({"launch": {"mean": 2.25, "times": OLD}, "save": {"mean": 1.5, "times": NEW}}),
        [("", "launch", 2.25), ("", "launch", 2.5), ("", "launch", 2.0),
         ("", "save", 1.5), ("", "save", 1.75), ("", "save", 1.25)],
    ),
    "numbers under headings": (
        "# launch, in seconds\n# 4.1\n2.25\n2.5\n2\n\n# 4.2\n1.5\n1.75\n1.25\n", RUNS,
    ),
    "when each run began and ended": (
        "run_id,version,start,stop\n" + "".join(
            f"{n},{variant},2026-05-03T{clock(36_000 + 60 * n)},"
            f"2026-05-03T{clock(36_000 + 60 * n + one)}\n"
            for n, (variant, _, one) in enumerate(RUNS)),
        RUNS,
    ),
    "a test named beside the variant": (
        "build,test,ms\n" + "4.1,load,2250\n4.1,draw,500\n4.2,load,1500\n4.2,draw,250\n" * 2
        + "average,,1125\n",
        [("4.1", "load", 2.25), ("4.1", "draw", 0.5),
         ("4.2", "load", 1.5), ("4.2", "draw", 0.25)] * 2,
    ),
}  # fmt: skip

#: Results of which each run has two timings, and the runs that they come to.
OF_TWO = {
    "a value a row": "version,run,metric,value,unit\n" + "".join(
        f"{variant},{n},launch,{one},s\n{variant},{n},save,{one * 500},ms\n"
        f"{variant},{n},peak memory,{n + 400},MiB\n"
        for variant, some in (("4.1", OLD), ("4.2", NEW)) for n, one in enumerate(some, 1)),
    "one object a variant": json.dumps(
        {variant: {"launch": some, "save": [one / 2 for one in some]}
         for variant, some in (("4.1", OLD), ("4.2", NEW))}, indent=1),
    "sections": "".join(
        f"[run{n}]\nversion={variant}\nlaunch={one}\nsave={one / 2}\n\n"
        for n, (variant, ((_, one), _)) in enumerate(BOTH, 1)),
    "blocks under a line that names them": "".join(
        f"Version {variant}, run {n}\nlaunch: {one} s\nsave: {one / 2} s\n\n"
        for n, (variant, ((_, one), _)) in enumerate(BOTH, 1)),
    "sentences under headings": "=== 4.1 ===\n\n" + "\n=== 4.2 ===\n\n".join(
        "".join(f"Run #{n}: launch {one}s, save {one / 2}s\n" for n, one in enumerate(some, 1))
        for some in (OLD, NEW)),
    "reports of a program, one below the other": "Timings of the loom\n\n" + "".join(
        f"Program: {variant}\nDate: 2026-05-0{n}\n\nTest         Time\n-----------  ------\n"
        f"launch       {one} s\nsave         {one / 2} s\n\n"
        for n, (variant, ((_, one), _)) in enumerate(BOTH, 1)),
    "who measured it, and remarks": "Version,Tester,launch [s],save [s],Remarks\n" + "".join(
        f"{variant},{tester},{one},{one / 2},{'phone rang' if one == 2.5 else ''}\n"
        for variant, some in (("4.1", OLD), ("4.2", NEW))
        for tester, one in zip(("Ann", "Bo", "Ann"), some, strict=True)),
    "what was timed and of which variant, a line each": "".join(
        f"launch (4.1): {a}s\nlaunch (4.2): {b}s\nsave (4.1): {a / 2}s\nsave (4.2): {b / 2}s\n"
        for a, b in zip(OLD, NEW, strict=True)),
    "repeats of several timings in a row":
        "version\tlaunch1\tlaunch2\tlaunch3\tsave1\tsave2\tsave3\n"
        + "".join("\t".join([variant, *map(str, some), *(str(one / 2) for one in some)]) + "\n"
                  for variant, some in (("4.1", OLD), ("4.2", NEW))),
    "pairs behind a word": "".join(
        f"[timing] version={variant} launch={one} save={one / 2}\n"
        for variant, ((_, one), _) in BOTH),
    "begin and end in runs whose time begins anew": "build,run,phase,start_s,end_s\n" + "".join(
        f"{variant},{n},launch,0.5,{one + 0.5}\n{variant},{n},save,{one + 1},{1.5 * one + 1}\n"
        for n, (variant, ((_, one), _)) in enumerate(BOTH)),
    "trials of a program's own report": "".join(
        f"Version: {variant}\nTrial {n}\n  launch: {one:.3f} s\n  save: {one / 2:.3f} s\n"
        f"  Peak RAM: {700 + n} MB\n\n"
        for n, (variant, ((_, one), _)) in enumerate(BOTH, 1)),
    "several values a line": "".join(
        f"Version {variant}\nlaunch: {', '.join(f'{one}s' for one in some)}\n"
        f"save: {', '.join(f'{one / 2}s' for one in some)}\n\n"
        for variant, some in (("4.1", OLD), ("4.2", NEW))),
    "timings of both variants side by side": "run,launch 4.1,save 4.1,launch 4.2,save 4.2\n"
        + "".join(f"{n},{a},{a / 2},{b},{b / 2}\n"
                  for n, (a, b) in enumerate(zip(OLD, NEW, strict=True), 1)),
}  # fmt: skip


def runs_of(tmp_path, content):
    source = brought(tmp_path, content)
    proposal = propose(source)
    summary, _ = read(source, proposal.mapping)
    return proposal, summary


@pytest.mark.parametrize("name", RESULTS)
def test_runs_and_what_was_timed_are_found(tmp_path, name):
    content, expected = RESULTS[name]
    proposal, summary = runs_of(tmp_path, content)
    found = [
        (part.name, what, round((end - start) / 1e9, 6))
        for part in summary.parts for what, start, end in part.timings
    ]  # fmt: skip
    assert found == expected
    assert proposal.doubts


@pytest.mark.parametrize("name", OF_TWO)
def test_timings_of_one_run_stay_together(tmp_path, name):
    _, summary = runs_of(tmp_path, OF_TWO[name])
    found = [
        (part.name, sorted((what, round(end / 1e9, 6)) for what, _, end in part.timings))
        for part in summary.parts
    ]
    assert sorted(found) == sorted(BOTH)


def log_line(seconds, text):
    return f"2026-05-03T{clock(36_000 + seconds)}+0100 loom[77]: {text}\n"


#: Logs of what was done, and the events they come to: the name, and how long it took, s.
EVENTS = {
    "when it began and when it was done": "".join(
        log_line(10 * n, "open draft start") + log_line(10 * n + 1.5, "open draft done")
        + log_line(10 * n + 3, "export start") + log_line(10 * n + 5.25, "export done")
        for n in range(6)),
    "how long it took": "".join(
        log_line(10 * n + 1.5, "open draft took 1.50 s")
        + log_line(10 * n + 5.25, "export took 2250 ms")
        for n in range(6)),
    "as messages in a table": "time,level,message\n" + "".join(
        f"{10 * n},INFO,open draft started\n{10 * n + 1.5},INFO,open draft finished\n"
        f"{10 * n + 3},INFO,export started\n{10 * n + 5.25},INFO,export finished\n"
        for n in range(6)),
    "as objects": "".join(
        json.dumps({"ts": at, "event": event}) + "\n"
        for n in range(6) for at, event in (
            (10 * n, "open draft_start"), (10 * n + 1.5, "open draft_end"),
            (10 * n + 3, "export_start"), (10 * n + 5.25, "export_end"))),
    "from several parts of a program": "".join(
        log_line(10 * n, "DEBUG Files - BEGIN open draft").replace("loom[77]: ", "")
        + log_line(10 * n + 1.5, "DEBUG Files - END open draft").replace("loom[77]: ", "")
        + log_line(10 * n + 2, "INFO Net - heartbeat").replace("loom[77]: ", "")
        + log_line(10 * n + 3, "DEBUG Weaver - BEGIN export").replace("loom[77]: ", "")
        + log_line(10 * n + 5.25, "DEBUG Weaver - END export").replace("loom[77]: ", "")
        for n in range(6)),
    "when it began, and a time that is how long it took": json.dumps({"entries": [
        {"startedAt": f"2026-05-03T{clock(36_000 + 10 * n + at)}Z", "time": ms, "name": name}
        for n in range(6) for name, at, ms in (("open draft", 0, 1500), ("export", 3, 2250))]}),
    "when and how long": "time (s),operation,latency (s)\n" + "".join(
        f"{10 * n + 1.5},open draft,1.5\n{10 * n + 5.25},export,2.25\n" for n in range(6)),
}  # fmt: skip


@pytest.mark.parametrize("name", EVENTS)
def test_what_a_log_says_was_done_becomes_timings(tmp_path, name):
    proposal, summary = runs_of(tmp_path, EVENTS[name])
    assert proposal.mapping.events
    found = [(what, round((end - start) / 1e9, 3)) for what, start, end in summary.parts[0].timings]
    assert found == [("open draft", 1.5), ("export", 2.25)] * 6


SHORTER = LENGTHS[:90]
#: Frame times of two variants, in one file.
BESIDE = {
    "one ends before the other": "frame,old_ms,new_ms\n" + "".join(
        f"{n},{one},{SHORTER[n] if n < 90 else ''}\n" for n, one in enumerate(LENGTHS)),
    "lists of objects": "".join(
        json.dumps({"version": name, "frames_ms": some.tolist()}) + "\n"
        for name, some in (("old", LENGTHS), ("new", SHORTER))),
    "one list each": json.dumps({"old": LENGTHS.tolist(), "new": SHORTER.tolist()}),
    "a column that names them": "build,frame time (ms)\n" + "".join(
        f"{name},{one}\n" for name, some in (("old", LENGTHS), ("new", SHORTER)) for one in some),
}  # fmt: skip


def test_laps_are_timings_that_their_sum_proves(tmp_path):
    took = [3.25, 3.5, 3.0, 3.75]
    ends = np.cumsum(took)
    rows = "".join(f"{n},00:0{one:.2f},00:{ends[n]:05.2f}\n" for n, one in enumerate(took))
    proposal, summary = runs_of(tmp_path, f"Lap,Lap time,Total time\n{rows}")
    assert proposal.mapping.events
    assert [(end - start) / 1e9 for _, start, end in summary.parts[0].timings] == took


def test_runs_of_one_variant_that_follow_one_another_stay_apart(tmp_path):
    rows = "".join(f"4.1,{run},{one}\n" for run in (1, 2) for one in LENGTHS)
    source = brought(tmp_path, f"version,run,frame time (ms)\n{rows}")
    summary, _ = read(source, propose(source).mapping)
    parts = [(part.name, part.frames) for part in summary.parts]
    assert parts == [("4.1 run 1", 120), ("4.1 run 2", 120)]


@pytest.mark.parametrize("name", BESIDE)
def test_frames_of_two_variants_are_two_runs(tmp_path, name):
    source = brought(tmp_path, BESIDE[name])
    summary, streams = read(source, propose(source).mapping)
    assert [(part.name, part.frames) for part in summary.parts] == [("old", 120), ("new", 90)]
    assert np.diff(streams[1, "frames"]) / 1e6 == pytest.approx(SHORTER, abs=0.002)


PHASES = np.round(np.outer([0.2, 0.3, 0.5], LENGTHS), 4)
#: Of each: how it is written, and the role and unit of each column.
FRAMES = {
    "phases of a frame and their sum": (
        table("Frame;Update;Paint;Present;Total", range(120), *PHASES,
              PHASES.sum(axis=0).round(4), sep=";"),
        [("other", ""), ("other", ""), ("other", ""), ("other", ""), ("frame time", "ms")],
    ),
    "a time beside the number of each frame": (
        table("fotograma;tiempo_ms;uso_cpu", range(120), LENGTHS, 10 + LENGTHS, sep=";"),
        [("other", ""), ("frame time", "ms"), ("processor", "% of the machine")],
    ),
    "when each frame began and ended": (
        table("frame,start,end", range(120), AT - LENGTHS / 1000,
              AT - LENGTHS / 50_000),
        [("skip", ""), ("skip", ""), ("time", "s")],
    ),
    "units behind the values": (
        "".join(f"t={at} frame={n} ft={ms}ms ram={200 + n}MiB\n"
                for n, (at, ms) in enumerate(zip(AT, LENGTHS, strict=True))),
        [("time", "s"), ("other", ""), ("frame time", "ms"), ("memory", "MiB")],
    ),
    "elements of XML": (
        "<capture>" + "".join(f'<frame t="{at}" ms="{ms}"/>'
                              for at, ms in zip(AT, LENGTHS, strict=True)) + "</capture>",
        [("time", "s"), ("frame time", "ms")],
    ),
    "many in each line": (
        "".join(" ".join(map(str, some)) + "\n" for some in LENGTHS.reshape(12, 10)),
        [("frame time", "ms")],
    ),
    "a tool whose head begins with the time of day": (
        f"Watcher 6.1 (loom-7)\n\n{clock(50_000)}   frametime  mem_mib\n" + "".join(
            f"{clock(50_000 + at)}   {ms:8.3f}   {200 + at:8.1f}\n"
            for at, ms in zip(AT, LENGTHS, strict=True)),
        [("time", "time of day"), ("frame time", "ms"), ("memory", "MiB")],
    ),
    "parts of a frame, its number and when it was shown": (
        table("frame_index,cpu_frame_ms,gpu_frame_ms,present_time_s", range(120), LENGTHS / 2,
              LENGTHS / 3, AT),
        [("other", ""), ("other", "ms"), ("other", "ms"), ("time", "s")],
    ),
    "brackets behind one another": (
        "".join(f"[{clock(50_000 + at)}][render] dt={ms} verts={n * 37 % 900}\n"
                for n, (at, ms) in enumerate(zip(AT, LENGTHS, strict=True))),
        [("time", "time of day"), ("frame time", "ms"), ("other", "")],
    ),
    "all in one line": (
        ",".join(map(str, LENGTHS)), [("frame time", "ms")],
    ),
    "decimal commas within quotes": (
        '"Zeit (s)","Bildzeit (ms)"\n' + "".join(
            f'"{at:.6f}","{ms:.3f}"\n'.replace(".", ",") for at, ms in zip(AT, LENGTHS, strict=True)
        ),
        [("time", "s"), ("frame time", "ms")],
    ),
    "days as a spreadsheet counts them": (
        table("Time,Frame Time (ms)", [f"{46_145.5 + at / 86_400:.10f}" for at in AT], LENGTHS),
        [("time", "day"), ("frame time", "ms")],
    ),
    "a heading of two lines": (
        table(["Time,Frame,,CPU,", "s,time ms,drawn,use %,clock"],
              AT, LENGTHS, range(7, 127), 10 + LENGTHS, 3000 + LENGTHS),
        [("time", "s"), ("frame time", "ms"), ("other", ""),
         ("processor", "% of the machine"), ("other", "")],
    ),
    "units with a stroke": (
        table("time/s  frametime/ms  mem/MiB", AT, LENGTHS, 200 + AT, sep="  "),
        [("time", "s"), ("frame time", "ms"), ("memory", "MiB")],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", FRAMES)
def test_frames_are_found(tmp_path, name):
    content, expected = FRAMES[name]
    source = brought(tmp_path, content)
    proposal = propose(source)
    assert [(c.role, c.unit) for c in proposal.mapping.columns] == expected
    summary, streams = read(source, proposal.mapping)
    lengths = np.diff(streams[0, "frames"]) / 1e6
    assert summary.broken == 0
    assert np.median(np.abs(lengths[-100:] - LENGTHS[-100:])) < 0.5


@pytest.mark.parametrize(
    ("encoding", "heading"),
    [
        ("cp932", "時刻(s),フレーム時間(ms),メモリ(MB)"),
        ("gb18030", "时间(秒),帧时间(毫秒),内存(MB)"),
        ("cp1251", "время (с),время кадра (мс),память (МБ)"),
        ("cp1250", "czas (s),czas między klatkami (ms),pamięć (MB)"),
        ("cp1252", "temps (s),durée de l'image (ms),mémoire (Mo)"),
        ("euc_kr", "시간(초),프레임 시간(ms),메모리(MB)"),
    ],
)  # fmt: skip
def test_text_of_older_encodings_is_read_by_the_words_in_it(tmp_path, encoding, heading):
    source = brought(tmp_path, table(heading, AT, LENGTHS, 200 + AT).encode(encoding))
    proposal = propose(source)
    assert (source.encoding, proposal.mapping.columns[0].name) == (encoding, heading.split(",")[0])
    expected = [("time", "s"), ("frame time", "ms"), ("memory", "MB")]
    assert [(c.role, c.unit) for c in proposal.mapping.columns] == expected
    assert any("not UTF-8" in doubt for doubt in proposal.doubts)


#: Texts that look like something and are not: what must not be taken for it.
NOT_THAT = {
    "memory that is nearly as large as the step of time": (
        table("Time (s),Working Set (KB)", [f"{n / 2:.1f}" for n in range(200)],
              range(480_000, 500_000, 100)),
        [("time", "s"), ("memory", "kB")],
    ),
    "what many frames come to, each second": (
        table("sec,fps,fps_1pct_low,frametime_p99_ms", range(120), 60 + LENGTHS, 40 + LENGTHS,
              20 + LENGTHS),
        [("time", "s"), ("rate", "fps"), ("rate", "fps"), ("other", "ms")],
    ),
    "how often each length came": (
        table("bucket_ms,count", range(8, 40), [1 + n * 7 % 41 for n in range(32)]),
        [("other", "ms"), ("other", "")],
    ),
    "thousands within quotes": (
        table("t (ms),frame time (us)", [f'"{n * 1_016.0:,.1f}"' for n in range(1, 40)],
              [f'"{16_600 + n * 7 % 500:,}"' for n in range(1, 40)]),
        [("time", "ms"), ("frame time", "µs")],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", NOT_THAT)
def test_what_only_looks_like_it_is_not_taken_for_it(tmp_path, name):
    content, expected = NOT_THAT[name]
    proposal = propose(brought(tmp_path, content))
    assert [(c.role, c.unit) for c in proposal.mapping.columns] == expected


def test_a_row_told_in_another_unit_is_no_timing(tmp_path):
    text = "Metric;4.1;4.2\nLaunch (s);2,25;1,5\nSave (s);1,25;0,75\nMemory (MB);512;498\n"
    _, summary = runs_of(tmp_path, text)
    found = [(p.name, [(what, end / 1e9) for what, _, end in p.timings]) for p in summary.parts]
    assert found == [
        ("4.1", [("Launch", 2.25), ("Save", 1.25)]), ("4.2", [("Launch", 1.5), ("Save", 0.75)]),
    ]  # fmt: skip


def test_rows_told_apart_by_something_unknown_are_doubted(tmp_path):
    rows = "".join(f"{b},{w},{s}\n" for b in ("4.1", "4.2") for w in ("red", "blue") for s in OLD)
    proposal = propose(brought(tmp_path, f"build,colour,seconds\n{rows}"))
    assert any("“colour” tells rows of one variant apart" in doubt for doubt in proposal.doubts)


ENTITIES = "".join(f'<!ENTITY e{n + 1} "{f"&e{n};" * 10}">' for n in range(12))
#: Documents made to take memory or time, or to read what is none of theirs.
HOSTILE = {
    "entities of entities": f'<!DOCTYPE r [<!ENTITY e0 "x">{ENTITIES}]><r><a b="1">&e12;</a></r>',
    "a file of the machine": '<!DOCTYPE r [<!ENTITY e SYSTEM "file:///etc/passwd">]>'
    "<r><a><b>&e;</b></a><a><b>&e;</b></a></r>",
    "aliases of aliases": "a0: &a0 [1, 2]\n"
    + "".join(f"a{n + 1}: &a{n + 1} [*a{n}, *a{n}, *a{n}]\n" for n in range(40))
    + "- launch: 2\n- launch: 3\n",
    "a cell across everything": "<table><tr><td colspan=999999999 rowspan=999999999>4.1</td></tr>"
    + "<tr><td>1</td></tr>" * 20 + "</table>",
    "elements within elements": "<a>" * 5000 + "</a>" * 5000,
    "objects within objects": "<x>" + "<y z='1'/>" * 20_000 + "</x>",
    "bars without end": "|" * 200_000 + "\n|--|--|\n| a | 1 |\n",
    "dashes without end": "a | b\n" + "-" * 200_000 + "x\n1 | 2\n",
    "items without end": "- " * 100_000 + "\n- a: 1\n",
}  # fmt: skip


@pytest.mark.parametrize("name", HOSTILE)
def test_no_document_takes_the_reader_along(tmp_path, name):
    try:
        proposal = propose(brought(tmp_path, HOSTILE[name]))
    except NotALog:
        return
    said = json.dumps([proposal.rows, [c.name for c in proposal.mapping.columns]])
    assert "root:" not in said
    assert len(said) < 4 * MIB


CONTENTS = [
    content.encode() if isinstance(content, str) else content
    for content in (
        *(content for content, _ in (*RESULTS.values(), *FRAMES.values(), *NOT_THAT.values())),
        *OF_TWO.values(), *EVENTS.values(), *BESIDE.values(),
    )
]  # fmt: skip
ODD = [
    b"\n\n",
    b"1e999",
    b"9" * 30,
    b"\x00",
    b'"',
    b",,",
    b"== x ==\n",
    b"run 1",
    b":",
    b"</a>",
    b"|",
]


@given(st.data())
def test_a_damaged_document_is_read_or_refused_and_nothing_else(tmp_path_factory, data):
    content = bytearray(data.draw(st.sampled_from(CONTENTS)))
    for _ in range(data.draw(st.integers(1, 6))):
        start = data.draw(st.integers(0, len(content)))
        stop = min(len(content), start + data.draw(st.integers(0, 40)))
        some = content[start:stop]
        content[start:stop] = data.draw(st.sampled_from([b"", bytes(some) * 2, *ODD]))
    try:
        source = brought(tmp_path_factory.mktemp("damaged"), bytes(content))
        mapping = propose(source).mapping
        check(mapping)
        read(source, mapping)
    except (NotALog, MappingError):
        return


@pytest.mark.parametrize("title", ["Launch times, by hand", "# Launch", "Launch (stopwatch)"])
def test_a_title_says_what_was_timed(tmp_path, title):
    lists = f"{title}\n\n4.1: 2.25, 2.5, 2.0 s\n4.2: 1.5, 1.75, 1.25 s\n"
    proposal, summary = runs_of(tmp_path, lists)
    assert [column.name for column in proposal.mapping.columns] == ["variant", "Launch [s]"]
    assert [part.name for part in summary.parts] == ["4.1"] * 3 + ["4.2"] * 3


def test_runs_whose_time_begins_anew_are_runs_of_their_own(tmp_path):
    rows = "".join(f"{at},{ms}\n" for at, ms in zip(AT, LENGTHS, strict=True))
    source = brought(tmp_path, "time (s),frame time (ms)\n" + 3 * rows)
    summary, streams = read(source, propose(source).mapping)
    assert [(part.name, part.frames) for part in summary.parts] == [
        ("run 1", 120), ("run 2", 120), ("run 3", 120),
    ]  # fmt: skip
    assert summary.broken == 0
    for part in range(3):
        assert np.diff(streams[part, "frames"]) / 1e6 == pytest.approx(LENGTHS, abs=0.002)


def test_one_instant_that_is_wrong_begins_no_run(tmp_path):
    at = AT.copy()
    at[60] = 0.0001
    rows = "".join(f"{one},{ms}\n" for one, ms in zip(at, LENGTHS, strict=True))
    source = brought(tmp_path, "time (s),frame time (ms)\n" + rows)
    summary, _ = read(source, propose(source).mapping)
    assert len(summary.parts) == 1
    assert summary.broken == 1


def test_from_an_input_to_its_picture_is_a_timing(tmp_path):
    took = [42.5, 38.0, 51.25, 44.0] * 3
    rows = "".join(f"{n},{500 * n + 1},{500 * n + 1 + one}\n" for n, one in enumerate(took))
    proposal, summary = runs_of(tmp_path, f"n,key pressed (ms),picture shown (ms)\n{rows}")
    assert proposal.mapping.events
    assert [(end - at) / 1e6 for _, at, end in summary.parts[0].timings] == pytest.approx(took)


def test_halves_of_pairs_of_signs_are_replaced(tmp_path):
    lines = "".join(
        f'{{"\\ud999t": {at}, "ms": {ms}}}\n' for at, ms in zip(AT, LENGTHS, strict=True)
    )
    source = brought(tmp_path, lines)
    proposal = propose(source)
    assert [column.name for column in proposal.mapping.columns] == ["?t", "ms"]
    summary, streams = read(source, proposal.mapping)
    assert summary.broken == 0
    assert len(streams[0, "frames"]) == 121


@pytest.mark.parametrize("line", ["4.1: {}!", "4.1,{}!", "4.1 took {}?", "4.1;1  {}x!"])
@pytest.mark.parametrize("unit", ["1,", "1  ", "1 s ", "1.1, ", "1 and "])
def test_no_text_of_many_numbers_takes_longer_than_it_is_long(tmp_path, line, unit):
    """What can be read in two ways at each number would take for ever at a hundred of them."""
    text = "version;runs\n" + 3 * (line.format(150 * unit) + "\n")
    source = brought(tmp_path, text)
    assert propose(source).mapping.columns


def test_remarks_that_differ_from_row_to_row_name_no_timings(tmp_path):
    rows = "".join(
        f"{variant},{one},seen {n} and {variant}\n"
        for variant, some in (("4.1", OLD), ("4.2", NEW)) for n, one in enumerate(some)
    )  # fmt: skip
    _, summary = runs_of(tmp_path, f"version,seconds,remark\n{rows}")
    assert [part.timings[0][0] for part in summary.parts] == [""] * 6


def test_what_only_says_that_numbers_follow_names_no_timing(tmp_path):
    runs = [{"version": v, "timings": dict(told)} for v, told in BOTH]
    sentences = "".join(
        f"run {n} build {v}: launch took {told[0][1]} s, save took {told[1][1]} s\n"
        for n, (v, told) in enumerate(BOTH)
    )
    for text in (json.dumps({"unit": "s", "results": runs}), sentences):
        _, summary = runs_of(tmp_path, text)
        assert [(part.name, [(name, (end - start) / 1e9) for name, start, end in part.timings])
                for part in summary.parts] == BOTH  # fmt: skip


def test_units_behind_names_parted_by_blanks_belong_to_them(tmp_path):
    lines = "".join(
        f"{at:10.4f}   {30 + n % 7:5.1f}   {'open' if n == 9 else '-'}\n" for n, at in enumerate(AT)
    )
    source = brought(tmp_path, f"# diary of frames\n# time [s]   load   mark\n{lines}")
    columns = propose(source).mapping.columns
    assert [column.name for column in columns] == ["time [s]", "load", "mark"]
    assert columns[0].role == "time"


@pytest.mark.parametrize("apart", ["", "\n"])
def test_records_of_names_with_a_value_each_are_runs(tmp_path, apart):
    text = apart.join(
        f"Run: {n}\nProgram: {variant}\nlaunch: {told[0][1]} s\nsave: {told[1][1]} s\n"
        for n, (variant, told) in enumerate(BOTH)
    )
    _, summary = runs_of(tmp_path, text)
    assert [(part.name, [(name, (end - start) / 1e9) for name, start, end in part.timings])
            for part in summary.parts] == BOTH  # fmt: skip


def test_what_is_being_done_and_then_has_been_is_a_timing_also_of_numbered_jobs(tmp_path):
    at = [clock(10 * n + 2.5 * (n % 2)) for n in range(12)]
    lines = [
        f"May  5 {when} loft weft[812]: job {n // 2}: {'opened' if n % 2 else 'opening'} wide.weft"
        for n, when in enumerate(at)
    ]
    _, summary = runs_of(tmp_path, "\n".join(lines))
    (part,) = summary.parts
    assert [name for name, _, _ in part.timings] == ["opening wide.weft"] * 6
    assert [(end - start) / 1e9 for _, start, end in part.timings] == pytest.approx([12.5] * 6)


def test_a_line_with_a_time_where_all_have_one_names_no_columns(tmp_path):
    lines = "".join(
        f"May  5 {clock(10 * n)} loft weft[812]: job {n // 2}: {('opening', 'seen')[n % 2]} wide\n"
        for n in range(12)
    )
    source = brought(tmp_path, lines)
    proposal = propose(source)
    assert any("no line names the columns" in doubt for doubt in proposal.doubts)
    summary, _ = read(source, proposal.mapping)
    assert summary.rows == 12


def test_an_element_called_head_makes_no_page_of_a_document(tmp_path):
    rows = "".join(f'<f t="{at}" ms="{ms}"/>' for at, ms in zip(AT, LENGTHS, strict=True))
    source = brought(tmp_path, f"<log><head rig='loft'/>{rows}</log>")
    _, streams = read(source, propose(source).mapping)
    assert len(streams[0, "frames"]) == len(AT) + 1
