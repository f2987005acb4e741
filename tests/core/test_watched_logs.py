"""What tools that watch a system print, kept by whoever ran them in a loop: read, or doubted."""

from itertools import product

import numpy as np
import pytest
from test_foreign_logs import brought

from yardstick_core.formats.converting import blocks
from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.values import dates

#: A table for each second, under a summary that holds the time.
PROCESSES = "\n".join(
    f"""watch - 10:00:0{n} up 3 days,  1 user,  load average: 0.5{n}, 0.40, 0.30
Tasks:   2 total,   1 running,   1 sleeping,   0 stopped,   0 zombie
Memory:  24105.6 total,  2114{n}.7 free,   1365.6 used,   1937.8 cache

  PID USER      PR    VIRT    RES S  %CPU  %MEM     TIME+ COMMAND
  712 weaver    20  397000  9{n}496 R  5{n}.0   0.4   8:5{n}.51 weftwright --draft
"""
    for n in range(6)
)
COLUMN_SUMS = "\n".join(
    f"""               total        used        free      shared  buff/cache   available
Mem:           24105        {1300 + n}       21147          20        1937       22739
Swap:              0           0           0
"""
    for n in range(6)
)
PACED = """procs -----------memory---------- --system-- -------cpu-------- -----timestamp-----
   r    b         free         buff   in   cs  us  sy  id                 UTC
""" + "".join(
    f"   1    0     2147{n}664       165344  310  52{n}  12   3  85 2026-12-01 10:00:0{n}\n"
    for n in range(6)
)
LOADS = "".join(
    f" 10:00:0{n} up 16:32,  1 user,  load average: 2.5{n}, 2.77, 2.90\n" for n in range(6)
)
COMMANDS = "".join(
    f"""\tCommand being timed: "weftwright --export {n}.weft"
\tUser time (seconds): 0.8{n}
\tSystem time (seconds): 0.10
\tPercent of CPU this job got: 71%
\tElapsed (wall clock) time (h:mm:ss or m:ss): 0:01.3{n}
\tMaximum resident set size (kbytes): 9{n}496
\tExit status: 0
"""
    for n in range(5)
)
REAL = "".join(f"\nreal\t0m0.20{n}s\nuser\t0m0.101s\nsys\t0m0.011s\n\n" for n in range(5))
SIZES = "".join(
    f"Tue Dec  1 10:00:0{n} UTC 2026\nMemTotal:   24684096 kB\nMemFree:    214{n}1060 kB\n"
    f"Threads:  4{n}\n"
    for n in range(5)
)
PAUSES = "[0.073s][info] Collecting by regions\n" + "".join(
    f"[{1.707 + 0.31 * n:.3f}s][info] Pause({n}) Young (Normal) {6 + n}M->3M(64M) 1{n}.5ms\n"
    for n in range(8)
)
CALLS = """% time     seconds  usecs/call     calls    errors syscall
------ ----------- ----------- --------- --------- ----------------
 61.00    0.000610           3       203           read
 30.00    0.000300           3       100        12 openat
  9.00    0.000090           1        90           mmap
------ ----------- ----------- --------- --------- ----------------
100.00    0.001000                   393        12 total
"""


def understood(tmp_path, content):
    """Roles by the names of columns, the summary, the streams and the doubts."""
    source = brought(tmp_path, content)
    found = propose(source)
    reader = LogReader(source, found.mapping)
    streams = {}
    for piece in reader.pieces():
        if piece.stream:
            streams.setdefault(piece.stream, []).append((piece.instants, piece.values))
    roles = {column.name: (column.role, column.unit) for column in found.mapping.columns}
    return roles, reader.summary, streams, " · ".join(found.doubts)


def test_tables_again_and_again_are_one_with_the_time_above_each(tmp_path):
    roles, summary, streams, doubts = understood(tmp_path, PROCESSES)
    assert (summary.rows, summary.broken) == (6, 0)
    assert roles["time"] == ("time", "time of day")
    assert roles["RES"] == ("memory", "KiB")
    assert roles["%MEM"][0] == "other", "a share of memory is no size"
    assert roles["TIME+"][0] == "skip", "minutes and seconds that are no time of rows break none"
    ((at, resident),) = streams["subject.resident"]
    assert at.tolist() == [n * 10**9 for n in range(6)]
    assert resident.tolist() == [(90496 + 1000 * n) * 1024 for n in range(6)]
    assert "“%CPU” does not say of what" in doubts


def test_many_lines_of_words_that_come_again_are_looked_for_a_few_times_only(monkeypatch):
    looked = []
    monkeypatch.setattr(blocks, "_below", lambda lines, names: looked.append(names))
    told = enumerate(product("abcdefgh", "xyz"))
    tale = [line for n, (a, b) in told for line in (f"{a} said {b}", f"7 {n} picks")]
    blocks.rows_of(["10:00:01", *tale, "10:00:02", *tale])
    assert 0 < len(looked) <= blocks.MOST_HEADS


def test_more_than_all_is_percent_of_one_core(tmp_path):
    more = PROCESSES.replace("  53.0 ", " 253.0 ")
    roles, _, _, doubts = understood(tmp_path, more)
    assert roles["%CPU"] == ("processor", "% of a core")
    assert "%CPU" not in doubts
    total = "time (s),total cpu (%)\n" + "".join(f"{n},{40 + n}\n" for n in range(20))
    roles, _, _, doubts = understood(tmp_path, total)
    assert roles["total cpu (%)"] == ("processor", "% of the machine")
    assert "total cpu" not in doubts


def test_names_that_stand_above_each_part_break_nothing(tmp_path):
    lines = "".join(f"ELAPSED   RSS %CPU\n   {60 + n} 2{n}140  1.{n}\n" for n in range(6))
    roles, summary, _, doubts = understood(tmp_path, lines)
    assert (summary.rows, summary.broken) == (6, 0)
    assert roles["RSS"] == ("memory", "KiB")
    assert "“RSS” names no unit: KiB was guessed" in doubts


def test_words_that_begin_rows_need_no_name(tmp_path):
    roles, summary, _, _ = understood(tmp_path, COLUMN_SUMS)
    assert list(roles)[:3] == ["row", "total", "used"]
    assert summary.rows == 6, "rows with more numbers are the table"


def test_one_name_stands_above_day_and_time(tmp_path):
    roles, summary, _, _ = understood(tmp_path, PACED)
    assert list(roles)[:4] == ["r", "b", "free", "buff"]
    assert [name for name, (role, _) in roles.items() if role == "time"] == ["UTC time of day"]
    assert summary.parts[0].end_ns == 5 * 10**9


def test_numbers_of_a_list_are_called_after_it(tmp_path):
    roles, summary, _, _ = understood(tmp_path, LOADS)
    assert {"load average", "load average 2", "load average 3", "user"} <= set(roles)
    assert (summary.rows, summary.parts[0].end_ns) == (6, 5 * 10**9)


@pytest.mark.parametrize(("content", "first_s"), [(COMMANDS, 1.30), (REAL, 0.2)])
def test_what_a_system_says_of_a_command_is_a_run_each(tmp_path, content, first_s):
    _, summary, _, _ = understood(tmp_path, content)
    assert len(summary.parts) == 5
    assert summary.parts[0].end_ns / 1e9 == pytest.approx(first_s)


def test_dates_between_values_are_their_time_and_sizes_are_no_durations(tmp_path):
    roles, summary, streams, _ = understood(tmp_path, SIZES)
    assert roles["time"] == ("time", "date and time")
    assert {role for role, _ in roles.values()} <= {"time", "other"}
    assert summary.parts[0].end_ns == 4 * 10**9
    assert len(streams["log.threads"][0][0]) == 5


def test_pauses_of_a_runtime_are_timings_of_one_run(tmp_path):
    _, summary, _, _ = understood(tmp_path, PAUSES)
    (part,) = summary.parts
    took = [(end - start) / 1e6 for _, start, end in part.timings]
    assert took == pytest.approx([10.5 + n for n in range(8)], abs=1e-3)
    assert {name for name, _, _ in part.timings} == {"Young (Normal)"}


def test_underlined_columns_may_have_empty_cells(tmp_path):
    roles, summary, _, _ = understood(tmp_path, CALLS)
    assert list(roles)[1:] == ["seconds", "usecs/call", "calls", "errors", "syscall"]
    assert (summary.rows, summary.broken) == (3, 0)


def test_what_holds_no_plain_numbers_breaks_no_row(tmp_path):
    lines = "".join(f"0.2{n} real,0.00 user,1{n}60 kB\n" for n in range(6))
    _, summary, _, _ = understood(tmp_path, lines)
    assert summary.broken == 0
    assert not any(part.timings for part in summary.parts), "a size is no duration"


def test_dates_are_read_as_systems_write_them():
    at = dates(["Tue Dec  1 10:00:01 UTC 2026", "Tue 01 Dec 2026 10:00:01 AM UTC",
                "2026-12-01 10:00:01", "Tue 1 Dec 10:00:01 UTC 2026"])  # fmt: skip
    assert np.isfinite(at).all()
    assert len(set(at.tolist())) == 1
    assert not np.isfinite(dates(["Tue Abc 1 10:00:01 UTC 2026", "Dec 1 10:00:01"])).any()
