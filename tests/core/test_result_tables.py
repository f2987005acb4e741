"""Tables of results that people keep: what sums up others is no run, repeats are repeats."""

import pytest
from sheets import sheet
from test_foreign_logs import brought, read

from yardstick_core.formats.guess import propose
from yardstick_core.formats.naming import role_of

TRIALS = [
    ["Opening the large draft"], ["by stopwatch, in March"],
    ["Version", "Trial 1", "Trial 2", "Trial 3", "Avg"],
    ["4.1", 2.25, 2.5, 2.0, 2.25], ["4.2", 1.5, 1.75, 1.25, 1.5],
]  # fmt: skip

#: Of each: the table, and the runs that it holds, of which variant and how long, s.
TABLES = {
    "a title, trials in columns and their mean": (
        sheet(TRIALS),
        [("4.1", 2.25), ("4.1", 2.5), ("4.1", 2.0), ("4.2", 1.5), ("4.2", 1.75), ("4.2", 1.25)],
    ),
    "a row of means, in German": (
        "Run;4.1;4.2\n1;2,25;1,5\n2;2,5;1,75\n3;2,0;1,25\nMittelwert;2,25;1,5\n",
        [("4.1", 2.25), ("4.2", 1.5), ("4.1", 2.5), ("4.2", 1.75), ("4.1", 2.0), ("4.2", 1.25)],
    ),
    "rows of means beside the runs": (
        "Version,Run,Load (s)\n4.1,1,2.25\n4.1,2,2.5\n4.2,1,1.5\n4.2,2,1.75\n"
        "4.1,average,2.375\n4.2,average,1.625\n",
        [("4.1", 2.25), ("4.1", 2.5), ("4.2", 1.5), ("4.2", 1.75)],
    ),
    "runs that are numbered, a row for each variant": (
        "Measurement,1,2,3\n4.1,2.25,2.5,2.0\n4.2,1.5,1.75,1.25\n",
        [("4.1", 2.25), ("4.1", 2.5), ("4.1", 2.0), ("4.2", 1.5), ("4.2", 1.75), ("4.2", 1.25)],
    ),
    "means and spreads alone": (
        "Release,Mean (s),Std dev (s),Runs\n4.1,2.25,0.05,5\n4.2,1.5,0.06,5\n",
        [("4.1", 2.25), ("4.2", 1.5)],
    ),
    "units in the cells": (
        "version,load\n4.1,2.25 s\n4.2,1.5 s\n4.1,2.5 s\n4.2,1.75 s\n",
        [("4.1", 2.25), ("4.2", 1.5), ("4.1", 2.5), ("4.2", 1.75)],
    ),
    "minutes and seconds of two variants": (
        "trial,before,after\n1,1:10.5,1:02.1\n2,1:13.0,1:01.7\n3,1:11.2,1:03.3\n4,1:12.8,1:02.0\n",
        [("before", 70.5), ("after", 62.1), ("before", 73.0), ("after", 61.7),
         ("before", 71.2), ("after", 63.3), ("before", 72.8), ("after", 62.0)],
    ),
    "days that come again": (
        "Date,Build,Open (s),Comment\n" + "2026-07-09,b1,2.25,ok\n2026-07-09,b2,1.5,ok\n" * 3,
        [("b1", 2.25), ("b2", 1.5)] * 3,
    ),
    "a stopwatch, by hand": (
        "4.1: 2.25\n4.1: 2.5\n4.2: 1.5\n4.2: 1.75\n",
        [("4.1", 2.25), ("4.1", 2.5), ("4.2", 1.5), ("4.2", 1.75)],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", TABLES)
def test_runs_are_the_runs_and_nothing_else(tmp_path, name):
    table, runs = TABLES[name]
    source = brought(tmp_path, table)
    summary, _ = read(source, propose(source).mapping)
    assert [(part.name, round(part.end_ns / 1e9, 6)) for part in summary.parts] == runs
    assert all(timing == "" for part in summary.parts for timing, _, _ in part.timings)


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("a title, trials in columns and their mean", "“Avg” sums up the others"),
        ("a row of means, in German", "the row “Mittelwert” sums up others"),
        ("means and spreads alone", "how its runs differed is unknown"),
    ],
)
def test_what_sums_up_is_said_to(tmp_path, name, said):
    assert said in " ".join(propose(brought(tmp_path, TABLES[name][0])).doubts)


def test_a_row_that_sums_up_is_counted_with_its_line(tmp_path):
    source = brought(tmp_path, TABLES["a row of means, in German"][0])
    summary, _ = read(source, propose(source).mapping)
    (broken,) = summary.first_broken
    assert (broken.line, broken.why) == (5, "“Mittelwert” sums up others")


def test_different_columns_of_a_variant_are_different_timings(tmp_path):
    source = brought(tmp_path, "release,open [s],save [ms]\n" + "4.1,2.1,400\n4.2,1.6,420\n" * 3)
    summary, _ = read(source, propose(source).mapping)
    assert {timing for part in summary.parts for timing, _, _ in part.timings} == {
        "open [s]", "save [ms]"
    }  # fmt: skip


def test_cells_of_another_unit_are_no_numbers_of_this_one(tmp_path):
    text = "version,load\n" + "4.1,2.25 s\n4.2,1.5 s\n" * 3
    mapping = propose(brought(tmp_path, text)).mapping
    summary, _ = read(brought(tmp_path, text + "4.1,900 ms\n"), mapping)
    assert (len(summary.parts), summary.broken) == (6, 1), "900 ms are not 900 s"


@pytest.mark.parametrize(
    ("text", "roles"),
    [
        ("n,CPU time (ms),Frame time (ms)\n", ["other", "frame time"]),
        ("n,cpu_temp,frame_ms\n", ["other", "frame time"]),
        ("n,GPU memory (MB),frame_ms\n", ["other", "frame time"]),
        ("n,cpu_mhz,frame_ms\n", ["other", "frame time"]),
        ("n,render time ms,frame_ms\n", ["other", "frame time"]),
    ],
)
def test_what_is_measured_besides_is_no_use_memory_or_time(tmp_path, text, roles):
    rows = "".join(f"{n},{50 + n * 7 % 5},{16 + n * 3 % 4}\n" for n in range(60))
    columns = propose(brought(tmp_path, text + rows)).mapping.columns
    assert [column.role for column in columns[1:]] == roles


def test_text_that_stays_over_stretches_marks_them(tmp_path):
    rows = "".join(
        f"{'warm' if n < 40 else 'scroll'},{n * 0.016:.3f},{16 + n * 3 % 4}\n" for n in range(90)
    )
    columns = propose(brought(tmp_path, "part of it,t (s),frame ms\n" + rows)).mapping.columns
    assert [column.role for column in columns] == ["marker", "time", "frame time"]


@pytest.mark.parametrize("name", ["GPU clock (MHz)", "free memory", "package power (W)"])
def test_names_of_other_meters_say_nothing_known(name):
    assert role_of(name) == ""
