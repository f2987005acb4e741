"""What people keep of runs by hand, or a short script of theirs prints, one variant or several."""

import pytest
from test_foreign_logs import brought

from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.log import LogReader

TOOK = [2.31, 2.27, 2.44, 2.29, 2.38]


def lines(form, **more):
    return "".join(form.format(n=n, s=s, ms=s * 1000, **more) + "\n" for n, s in enumerate(TOOK, 1))


def parts(tmp_path, content):
    source = brought(tmp_path, content)
    reader = LogReader(source, propose(source).mapping)
    list(reader.pieces())
    return reader.summary.parts


@pytest.mark.parametrize(("content", "step"), [
    (lines("run {n}: {ms:.0f} ms"), ""), (lines("launch {n}: {ms:.0f} ms"), "launch"),
    (lines("iteration {n} took {ms:.0f} ms"), ""), (lines("{n}: {s} s"), ""),
    (lines("launch: {s} s"), "launch"), (lines("open file {n} done in {s} s"), "open file"),
    (lines("elapsed: 0:0{s}"), ""), (lines("took {s}"), ""),
])  # fmt: skip
def test_lines_of_one_variant_are_a_run_each(tmp_path, content, step):
    found = parts(tmp_path, content)
    assert [part.end_ns / 1e9 for part in found] == pytest.approx(TOOK)
    assert {name for part in found for name, _, _ in part.timings} == {step}


def test_what_was_timed_is_told_from_the_variant(tmp_path):
    content = "".join(
        f"4.1 launch {n}: {s * 1000:.0f} ms\n4.2 launch {n}: {s * 900:.0f} ms\n"
        for n, s in enumerate(TOOK, 1)
    )
    found = parts(tmp_path, content)
    assert [part.name for part in found] == ["4.1", "4.2"] * 5
    assert {name for part in found for name, _, _ in part.timings} == {"launch"}


def test_lists_under_a_variant_may_be_parted_by_strokes(tmp_path):
    content = """Weftwright 4.2, loom-7, 30 Nov
launch  3.2 / 3.1 / 3.4
open    1.2 / 1.1 / 1.2

Weftwright 5.0
launch  2.2 / 2.3 / 2.2
open    1.4 / 1.3 / 1.4
"""
    found = parts(tmp_path, content)
    assert len(found) == 6
    assert {part.name for part in found} == {"Weftwright 4.2, loom-7, 30 Nov", "Weftwright 5.0"}
    assert [(n, round(end / 1e9, 1)) for n, _, end in found[3].timings] == [
        ("launch", 2.2), ("open", 1.4),
    ]  # fmt: skip


def test_begin_and_end_need_no_name(tmp_path):
    content = "".join(f"10:00:0{n}.250 start\n10:00:0{n}.{6 + n}50 end\n" for n in range(4))
    (part,) = parts(tmp_path, content)
    took = [(end - start) / 1e9 for _, start, end in part.timings]
    assert took == pytest.approx([0.4, 0.5, 0.6, 0.7])


def test_parts_in_brackets_are_timings_and_so_is_their_sum(tmp_path):
    content = "".join(
        f"Startup finished in {s}s (kernel) + 6.101s (desktop) = {s + 6.101:.3f}s\n" for s in TOOK
    )
    found = parts(tmp_path, content)
    assert [(n, round(end / 1e9, 3)) for n, _, end in found[0].timings] == [
        ("Startup finished kernel", 2.31), ("Startup finished desktop", 6.101),
        ("Startup finished", 8.411),
    ]  # fmt: skip


@pytest.mark.parametrize("content", [
    "".join(f"2026-12-01 10:00:{n % 60:02} configured thread{n} loom{n}\n" for n in range(90)),
    "".join(f"{n * 2.5},wove {n * 7 % 61} rows of shed {n}\n" for n in range(60)),
])  # fmt: skip
def test_a_tale_is_no_row_of_frames(tmp_path, content):
    mapping = propose(brought(tmp_path, content)).mapping
    assert not mapping.frames


def test_lines_of_frames_stay_frames(tmp_path):
    content = "".join(f"frame: {16 + n % 3}.{n % 10} ms\n" for n in range(60))
    source = brought(tmp_path, content)
    assert propose(source).mapping.frames == "frame time"


def test_means_with_their_spread_count_as_one_run_each(tmp_path):
    content = "release,mean_s,sd_s,n\n4.1,3.21,0.05,5\n4.2,2.71,0.06,5\n"
    source = brought(tmp_path, content)
    proposal = propose(source)
    assert any("counts as one run" in doubt for doubt in proposal.doubts)
    found = parts(tmp_path, content)
    assert [(part.name, part.end_ns / 1e9) for part in found] == [("4.1", 3.21), ("4.2", 2.71)]


@pytest.mark.parametrize("cells", [("1.23 ± 0.04 s", "0.98 ± 0.03 s"), ("1.23 s", "0.98 s")])
def test_releases_stand_above_what_was_measured(tmp_path, cells):
    rows = "".join(f"| {what} | {cells[0]} | {cells[1]} |\n" for what in ("launch", "open"))
    found = parts(tmp_path, f"| step | 4.1 | 4.2 |\n|---|---|---|\n{rows}")
    told = {(part.name, part.timings[0][0], part.end_ns / 1e9) for part in found}
    assert told == {
        (release, what, seconds)
        for release, seconds in (("4.1", 1.23), ("4.2", 0.98))
        for what in ("launch", "open")
    }


def test_releases_above_timings_with_their_units_are_variants(tmp_path):
    rows = "".join(f"{n}\t{s}\t{s + 1}\t{s / 2}\t{s / 2 + 1}\n" for n, s in enumerate(TOOK, 1))
    head = "\t4.1\t\t4.2\t\nrun\tlaunch (s)\topen (s)\tlaunch (s)\topen (s)\n"
    found = parts(tmp_path, head + rows)
    assert {part.name for part in found} == {"4.1", "4.2"}
    assert next(part.timings for part in found if part.name == "4.1") == [
        ("launch", 0, round(TOOK[0] * 1e9)), ("open", 0, round((TOOK[0] + 1) * 1e9)),
    ]  # fmt: skip


@pytest.mark.parametrize("form", [
    "{v}: min {a} ms, avg {b} ms, max {c} ms\n", "Release {v}: mean={b} ms; sd={a} ms; n=5\n",
    "{v}: avg: {b}ms / min: {a}ms / max: {c}ms.\n",
])  # fmt: skip
def test_lines_that_sum_up_runs_are_a_mean_of_each_variant(tmp_path, form):
    content = form.format(v="4.1", a=2.1, b=24.5, c=30.3) + form.format(v="4.2", a=2, b=21, c=27)
    source = brought(tmp_path, content)
    assert any("counts as one run" in doubt for doubt in propose(source).doubts)
    found = parts(tmp_path, content)
    assert [(part.name, part.end_ns / 1e6) for part in found] == [("4.1", 24.5), ("4.2", 21)]
