"""Tables of results that people keep: what sums up others is no run, repeats are repeats."""

import pytest
from sheets import sheet
from test_foreign_logs import brought, read

from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.guessing.naming import role_of
from yardstick_core.formats.mapping import MappingError, mapping_from

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
    proposal = propose(source)
    assert "each column for a timing of it" in " ".join(proposal.doubts)
    summary, _ = read(source, proposal.mapping)
    assert [(part.name, part.timings) for part in summary.parts[:2]] == [
        ("4.1", [("open", 0, 2_100_000_000), ("save", 0, 400_000_000)]),
        ("4.2", [("open", 0, 1_600_000_000), ("save", 0, 420_000_000)]),
    ]
    assert len(summary.parts) == 6
    apart = mapping_from({**proposal.mapping.as_dict(), "durations": "runs"})
    assert len(read(source, apart)[0].parts) == 12, "where a person says so, a run each"


#: Timings of one variant: a row is a run, and no column is a variant.
OF_ONE_VARIANT = {
    "a table": "run;startup ms;open ms\n1;812;1204\n2;790;1190\n3;801;1222\n",
    "of sizes far apart": "run;open (ms);export (s)\n1;812;31.4\n2;790;30.2\n3;801;30.9\n",
    "in German": "Lauf;Startzeit (ms);Öffnen (ms)\n1;812;1204\n2;790;1190\n3;801;1222\n",
    "in French": "essai,chargement (ms),enregistrement (ms)\n1,812,1204\n2,790,1190\n3,801,1222\n",
    "sentences": "Weftwright bench\n" + "".join(
        f"iteration {n}/6: load 1.2{n % 4} s, render 0.4{n % 3} s\n" for n in range(1, 7)
    ),
    "sentences in two units": "".join(
        f"Run {n}: startup 81{n % 4} ms, export 3.{n % 3} s\n" for n in range(1, 6)
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", OF_ONE_VARIANT)
def test_columns_called_after_what_was_done_are_timings_of_a_run(tmp_path, name):
    source = brought(tmp_path, OF_ONE_VARIANT[name])
    proposal = propose(source)
    assert "each row is taken for a run, each column for a timing of it" in proposal.doubts
    summary, _ = read(source, proposal.mapping)
    assert len(summary.parts) == OF_ONE_VARIANT[name].count("\n") - (name[-9:] != "two units")
    assert {len(part.timings) for part in summary.parts} == {2}
    assert {part.name for part in summary.parts} == {""}
    assert not [t for part in summary.parts for t, _, _ in part.timings if t.endswith(("s", "]"))]


def test_columns_called_after_variants_stay_variants(tmp_path):
    for names in ("4.1;4.2", "old;new", "loom-3;loom-4", "before;after"):
        source = brought(tmp_path, f"run;{names}\n1;2.25;1.5\n2;2.5;1.75\n3;2.0;1.25\n")
        proposal = propose(source)
        assert proposal.mapping.durations == "runs", names
        assert len(read(source, proposal.mapping)[0].parts) == 6, names


def test_a_row_without_any_duration_is_no_run(tmp_path):
    text = "run;open ms;save ms\n1;812;1204\n2;790;\n3;;\n4;801;1222\n"
    source = brought(tmp_path, text)
    summary, _ = read(source, propose(source).mapping)
    assert [len(part.timings) for part in summary.parts] == [2, 1, 2]
    assert [(one.line, one.why) for one in summary.first_broken] == [(4, "no duration above 0")]


def test_a_mapping_says_what_durations_are_or_nothing(tmp_path):
    source = brought(tmp_path, OF_ONE_VARIANT["a table"])
    kept = propose(source).mapping.as_dict()
    with pytest.raises(MappingError, match="nothing that durations can be"):
        mapping_from({**kept, "durations": "guesses"})
    del kept["durations"]  # as it was kept before
    assert mapping_from(kept).durations == "runs"


def test_a_cell_in_another_unit_is_told_in_the_one_of_its_column(tmp_path):
    text = "version,load\n" + "4.1,2.25 s\n4.2,1.5 s\n" * 3
    mapping = propose(brought(tmp_path, text)).mapping
    summary, _ = read(brought(tmp_path, text + "4.1,900 ms\n4.1,3 tiles\n"), mapping)
    assert summary.parts[-1].end_ns == 900_000_000
    assert (len(summary.parts), summary.broken) == (7, 1), "what is no time is none"


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
