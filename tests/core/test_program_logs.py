"""What programs write into their logs while somebody works with them: few lines tell durations."""

import pytest

from yardstick_core.formats.converting.convert import WHAT_IS_READ, converted
from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.source import look_at

OPENED, SAVED = [1.239, 1.301, 1.252], [0.21, 0.212, 0.208]


def understood(tmp_path, content, name="log.txt"):
    path = tmp_path / name
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    made_from = converted(path)
    source = look_at(path)
    proposal = propose(source)
    reader = LogReader(source, proposal.mapping)
    list(reader.pieces())
    return made_from, proposal, reader.summary


def timings(summary):
    """Name and length, ms, of all timings."""
    return [
        (name, round((end - start) / 1e6, 6))
        for part in summary.parts for name, start, end in part.timings
    ]  # fmt: skip


def session(line):
    """A log in which each line of a session is written as a form says: time, level, text."""
    told = ["hello", "14 plugins found", "update check timed out after 10 s"]
    for n, (opened, saved) in enumerate(zip(OPENED, SAVED, strict=True)):
        told += [f"opened /home/ada/wide.weft in {opened * 1000:.0f} ms (4211 picks)",
                 f"pointer at {100 + n},300", f"pointer at {100 + n},310",
                 f"saved /home/ada/wide.weft in {saved * 1000:.0f} ms"]  # fmt: skip
    return "".join(line.format(n, text) for n, text in enumerate(told, 10))


def both(opened, saved):
    return [
        pair
        for one, other in zip(OPENED, SAVED, strict=True)
        for pair in ((opened, one * 1000), (saved, other * 1000))
    ]


@pytest.mark.parametrize("form", [
    "2026-11-30 09:58:{},104 INFO  [main] weft.App - {}\n",
    "[09:58:{}.104] drafts.js:14 {}\n",
    "2026-11-30 09:58:{}.104 UTC [4711] LOG:  {}\n",
    "11/30/2026 9:58:{} AM\tInformation\tWeftwright\t{}\n",
    "I/Weft( 47{}): {}\n",
    "0x55939d7f21{} {}\n",
])  # fmt: skip
def test_few_lines_tell_how_long_something_took(tmp_path, form):
    made_from, _, summary = understood(tmp_path, session(form))
    assert made_from == "lines among others"
    assert "no others" in WHAT_IS_READ[made_from]
    assert timings(summary) == both("opened wide.weft", "saved wide.weft")


def test_what_was_done_to_another_file_is_another_timing(tmp_path):
    lines = [
        f"09:58:{10 + 4 * n}.104 INFO job {n} opened /home/ada/{'wide' if n % 2 else 'small'}.weft"
        f" in {330 + 900 * (n % 2) + n} ms\n09:58:{11 + 4 * n}.500 DEBUG cache hit\n"
        for n in range(8)
    ]
    _, _, summary = understood(tmp_path, "".join(lines))
    assert timings(summary) == [
        (f"job opened {'wide' if n % 2 else 'small'}.weft", 330 + 900 * (n % 2) + n)
        for n in range(8)
    ]


def test_many_files_of_one_kind_are_one_timing(tmp_path):
    lines = [f"09:58:{10 + n}.104 opened /tmp/d{n}.weft in {300 + n} ms\n--\n" for n in range(48)]
    _, _, summary = understood(tmp_path, "".join(lines))
    assert timings(summary) == [("opened", 300 + n) for n in range(48)]


def test_lines_without_a_time_are_results_of_what_they_say(tmp_path):
    _, proposal, summary = understood(tmp_path, session("I/Weft( 47{}): {}\n"))
    assert proposal.mapping.results
    assert [part.name for part in summary.parts] == [""] * 6, "no variant is named"


def starts(banner):
    """A log of six starts of a program, each written with its banner, saving twice."""
    lines = []
    for n in range(6):
        told = [banner.format(n, "4.2.0" if n % 2 else "4.1.3"), "14 plugins found",
                f"window shown after {1300 + n} ms", "cache hit", f"saved a.weft in {200 + n} ms",
                f"saved a.weft in {210 + n} ms", "bye"]  # fmt: skip
        lines += [f"09:{10 + n}:{20 + at}.104 [main] INFO {text}\n" for at, text in enumerate(told)]
    return "".join(lines)


@pytest.mark.parametrize(("banner", "names"), [
    ("Weftwright {1} starting (pid 47{0})", ["Weftwright 4.1.3", "Weftwright 4.2.0"] * 3),
    ("starting version {1}", ["4.1.3", "4.2.0"] * 3),
    ("Weftwright started, pid 47{0}", ["Weftwright"] * 6),
])  # fmt: skip
def test_each_start_of_a_program_is_a_run_of_its_release(tmp_path, banner, names):
    made_from, _, summary = understood(tmp_path, starts(banner))
    assert made_from == "starts of a program"
    assert "the median counts" in WHAT_IS_READ[made_from]
    assert [part.name for part in summary.parts] == names
    assert timings(summary) == [
        pair for n in range(6) for pair in (("window shown", 1300 + n), ("saved a.weft", 205 + n))
    ]


def test_a_first_line_that_only_comes_often_begins_no_run(tmp_path):
    made_from, _, _ = understood(tmp_path, starts("cache hit {0}"))
    assert made_from != "starts of a program"


def test_what_began_and_was_done_is_found_among_other_lines(tmp_path):
    lines = [
        f"10:00:{10 * n + 1}.100 begin load wide.weft\n"
        + "".join(f"10:00:{10 * n + 1}.{200 + k} cache hit {k}\n" for k in range(9))
        + f"10:00:{10 * n + 2}.{500 + n} end load wide.weft\n"
        for n in range(1, 4)
    ]
    _, _, summary = understood(tmp_path, "".join(lines))
    assert timings(summary) == [("load wide.weft", 1400.0 + n) for n in range(1, 4)]


def test_a_whole_number_may_say_when(tmp_path):
    lines = [
        f"{10_000_000 + 90_000 * n} start draw\n{10_005_000 + 90_000 * n + n} end draw\n"
        for n in range(6)
    ]
    _, proposal, summary = understood(tmp_path, "".join(lines))
    assert [name for name, _ in timings(summary)] == ["draw"] * 6
    assert any("guessed from how long they took" in doubt for doubt in proposal.doubts)


def test_no_log_lasts_for_days(tmp_path):
    lines = [
        f"{10**7 + 10**5 * n} start draw\n{10**7 + 10**5 * n + 40} end draw\n" for n in range(50)
    ]
    _, proposal, _ = understood(tmp_path, "".join(lines))
    assert {column.unit for column in proposal.mapping.columns if column.role == "begin"} == {"ms"}


def test_lines_that_say_the_same_of_each_frame_are_frames(tmp_path):
    lengths = [16.5 + n % 5 for n in range(60)]
    lines = [
        f"scene: [window 0x55939d7f{n:04x}] sync started, 4 items\n"
        f"scene: [window 0x55939d7f{n:04x}] frame shown in {length}ms, sync=1, draw=9\n"
        for n, length in enumerate(lengths)
    ]
    made_from, proposal, summary = understood(tmp_path, "".join(lines))
    assert made_from == "lines among others"
    assert proposal.mapping.frames == "frame time"
    (part,) = summary.parts
    assert part.frames == 60
    assert part.end_ns == pytest.approx(sum(lengths) * 1e6)


def test_what_stands_behind_the_number_of_a_frame_is_its_length(tmp_path):
    lines = [f"[render] frame {n}: {12 + n % 4}.5 ms (draw 4.1 ms)\n" for n in range(40)]
    _, proposal, summary = understood(tmp_path, "".join(lines))
    assert proposal.mapping.frames == "frame time"
    assert summary.parts[0].end_ns == pytest.approx(sum(12.5 + n % 4 for n in range(40)) * 1e6)


def test_frames_in_a_while_say_how_far_apart_lines_are(tmp_path):
    lines = [f"{400 + n} frames in 5.0 seconds = {80 + n}.2 fps\n" for n in range(6)]
    _, proposal, summary = understood(tmp_path, "".join(lines))
    assert proposal.mapping.every_s == 5.0
    assert "rows come every 5 s, as “period [seconds]” says" in proposal.doubts
    assert summary.parts[0].end_ns == 25 * 10**9


def test_the_last_of_many_instants_of_a_frame_is_when_it_was_shown(tmp_path):
    names = "Flags,Intended,Tick,InputStart,DrawStart,FrameCompleted"
    rows = []
    for n in range(30):
        at = 27_965_466_202_353 + 16_666_667 * n
        late = [at, at, at + 6_000_000, at + 8_000_000 + 9_000 * (n % 7), at + 14_000_000 + n % 9]
        rows.append(",".join(map(str, [int(n == 0), *late])))
    _, proposal, summary = understood(tmp_path, "\n".join([names, *rows]) + "\n")
    columns = {column.name: column.role for column in proposal.mapping.columns}
    assert (columns["FrameCompleted"], proposal.mapping.frames) == ("time", "time")
    assert summary.parts[0].frames == 30
    assert any("shown at “FrameCompleted”" in doubt for doubt in proposal.doubts)


def test_text_for_a_terminal_is_read_as_it_was_shown(tmp_path):
    states = "".join(f"\x1b[K00:00:0{n}.000 late 0 fps {58 + n}.0\r" for n in range(9))
    _, proposal, summary = understood(tmp_path, f"\x1b[1mWeftwright\x1b[0m\r\n{states}\r\n")
    roles = {column.name: column.role for column in proposal.mapping.columns}
    assert (roles["late"], roles["fps"]) == ("other", "rate")
    assert summary.parts[0].end_ns == 8 * 10**9


@pytest.mark.parametrize("begins", [b"PAR1\x15", b"\x1f\x8b\x08", b"\x28\xb5\x2f\xfd"])
def test_a_packed_file_with_such_signs_in_it_stays_as_it_is(tmp_path, begins):
    path = tmp_path / "log"
    content = begins + b"\0\x1b[K\x01\x02\x03\x1b[0m\r" * 20
    path.write_bytes(content)
    assert converted(path) == ""
    assert path.read_bytes() == content


REPORT = (
    '<suites><suite name="all" tests="5" time="1.5" timestamp="2026-11-30T02:47:39">{}</suite>'
    "</suites>"
)
CASES = {"open": 0.31, "save": 0.12, "export": 0.42, "print": 0.11, "undo": 0.14}


@pytest.mark.parametrize("content", [
    REPORT.format("".join(f'<case class="x" name="{n}" time="{s}"/>' for n, s in CASES.items())),
    "test,time\n" + "".join(f"{name},{s}\n" for name, s in CASES.items()),
    "class,name,time\n" + "".join(f"x,{name},{s}\n" for name, s in CASES.items()),
])  # fmt: skip
def test_a_report_of_tests_says_how_long_each_took(tmp_path, content):
    _, proposal, summary = understood(tmp_path, content)
    assert timings(summary) == [(name, s * 1000) for name, s in CASES.items()]
    assert any(doubt.endswith("says what was timed in each row") for doubt in proposal.doubts)


@pytest.mark.parametrize("form", [
    '{{"time":"2026-11-30T09:58:{}.104Z","level":"info","msg":"{}","ms":{}}}\n',
    'ts=2026-11-30T09:58:{}.104Z level=info msg="{}" dur={}ms\n',
])  # fmt: skip
def test_events_are_named_by_their_text_and_not_by_their_level(tmp_path, form):
    told = [pair for n in range(3) for pair in (("opened", 1200 + n), ("saved", 210 + n))]
    content = "".join(form.format(10 + 7 * n, name, ms) for n, (name, ms) in enumerate(told))
    _, _, summary = understood(tmp_path, content)
    assert timings(summary) == told


def test_a_duration_beside_the_time_of_day_keeps_its_last_digits(tmp_path):
    lines = [f"[17960932{n:02}.287682] reply {n} time=0.0{30 + n} ms\n" for n in range(8)]
    _, _, summary = understood(
        tmp_path, "probing\n\n" + "".join(lines) + "8 sent\n8 back\nnone lost\n"
    )
    assert [ms for _, ms in timings(summary)] == [round(0.030 + n / 1000, 3) for n in range(8)]


def test_times_since_1970_beside_lengths_of_frames_are_no_results(tmp_path):
    at, rows = 1_796_032_692_104, []
    for n in range(12):
        at += 7 + n % 2
        rows.append(f"{at},frame,{7 + n % 2}\n")
    _, proposal, summary = understood(tmp_path, "".join(rows))
    assert proposal.mapping.frames == "frame time"
    assert summary.parts[0].frames == 12


@pytest.mark.parametrize(("content", "found"), [
    ("# Startup\n\n- 4.1: 3.1 s, 3.0 s\n- 4.2: 2.6 s, 2.7 s\n\n"
     "# Opening\n\n- 4.1: 4.1 s, 4.0 s\n- 4.2: 3.9 s, 3.8 s\n",
     [("4.1", "Startup", 3100), ("4.1", "Startup", 3000), ("4.2", "Startup", 2600),
      ("4.2", "Startup", 2700), ("4.1", "Opening", 4100), ("4.1", "Opening", 4000),
      ("4.2", "Opening", 3900), ("4.2", "Opening", 3800)]),
    ("               4.1        4.2\nStartup       3.1 s      2.6 s\n"
     "Open wide     4.1 s      3.9 s\nStartup       3.0 s      2.7 s\n"
     "Open wide     4.0 s      3.8 s\n",
     [("4.1", "Startup", 3100), ("4.2", "Startup", 2600), ("4.1", "Open wide", 4100),
      ("4.2", "Open wide", 3900), ("4.1", "Startup", 3000), ("4.2", "Startup", 2700),
      ("4.1", "Open wide", 4000), ("4.2", "Open wide", 3800)]),
    ("1. 4.2 – 2.61 s\n2. 4.2 – 2.66 s\n3. 4.1 – 3.08 s\n4. 4.1 – 3.12 s\n",
     [("4.2", "", 2610), ("4.2", "", 2660), ("4.1", "", 3080), ("4.1", "", 3120)]),
    ("the old one first: 3.2 seconds, then 3.1, then 3.4\n"
     "new one: 2.9 seconds, 2.8, and then 2.95\n",
     [("the old one first", "", 3200), ("the old one first", "", 3100),
      ("the old one first", "", 3400), ("new one", "", 2900), ("new one", "", 2800),
      ("new one", "", 2950)]),
    ("$ for n in 1 2; do time -f %e ./weft41 --batch wide.weft; done\n3.12\n3.08\n"
     "$ for n in 1 2; do time -f %e ./weft42 --batch wide.weft; done\n2.61\n2.66\n",
     [("./weft41", "", 3120), ("./weft41", "", 3080), ("./weft42", "", 2610),
      ("./weft42", "", 2660)]),
    ("Startup............: 407 ms\nLoad book..........: 1.21 s\n"
     "Startup............: 414 ms\nLoad book..........: 1.22 s\n",
     [("", "Startup", 407), ("", "Load book", 1210), ("", "Startup", 414),
      ("", "Load book", 1220)]),
])  # fmt: skip
def test_notes_of_a_person_hold_variant_step_and_length(tmp_path, content, found):
    _, _, summary = understood(tmp_path, content)
    assert [
        (part.name, name, round((end - start) / 1e6, 6))
        for part in summary.parts for name, start, end in part.timings
    ] == found  # fmt: skip


def test_two_lines_of_names_hold_variants_and_timings(tmp_path):
    rows = "".join(f"3.{n},4.{n},2.{n},4.{n}5\n" for n in (1, 3, 2))
    content = f"Release 4.1,,Release 4.2,\nlaunch,open,launch,open\n{rows}"
    _, _, summary = understood(tmp_path, content)
    assert [part.name for part in summary.parts] == ["4.1", "4.2"] * 3
    assert timings(summary)[:4] == [
        ("launch", 3100), ("open", 4100), ("launch", 2100), ("open", 4150),
    ]  # fmt: skip


def test_whole_milliseconds_of_frames_number_no_rows(tmp_path):
    lengths = [16 + n % 2 + 16 * (n % 29 == 0) for n in range(120)]
    _, proposal, summary = understood(tmp_path, "".join(f"{one}\n" for one in lengths))
    assert proposal.mapping.frames == "frame time"
    assert summary.parts[0].end_ns == sum(lengths) * 10**6


def test_minutes_and_seconds_are_one_duration(tmp_path):
    told = [("Open", "850ms"), ("Export", "1m 02s"), ("Open", "910ms"), ("Export", "1m 4.5s")] * 2
    lines = [f"2026-11-30T10:{n:02}:00 {name}: {took}\n" for n, (name, took) in enumerate(told)]
    _, _, summary = understood(tmp_path, "".join(lines))
    assert timings(summary)[:4] == [
        ("Open", 850), ("Export", 62_000), ("Open", 910), ("Export", 64_500),
    ]  # fmt: skip


def test_a_page_of_many_is_called_after_what_was_done(tmp_path):
    lines = [f"[00:{10 * n:02}.234] Rendered page {n + 1}/6 in 0.8{n}s\n" for n in range(6)]
    _, _, summary = understood(tmp_path, "".join(lines))
    assert timings(summary) == [("Rendered page", 800 + 10 * n) for n in range(6)]


def test_records_that_begin_with_their_release_are_no_starts_of_a_program(tmp_path):
    blocks = [
        f"release: {4.1 + n % 2 / 10:.1f}\nlaunch: 1.{n} s\nopen wide: 3.{n} s\nmemory: 21{n} MB\n"
        for n in range(6)
    ]
    _, _, summary = understood(tmp_path, "---\n".join(blocks))
    assert [part.name for part in summary.parts] == ["4.1", "4.2"] * 3


@pytest.mark.parametrize("content", [
    "name,seconds\n" + "".join(f"step {n},{n}.5\n" for n in range(30)),
    "".join(f"{n} draft{n}.weft 412 ms\n" for n in range(30)),
    "".join(f"  {n} root  20   0  412 S  0.0\n" for n in range(30)),
])  # fmt: skip
def test_a_table_is_no_log_of_few_durations(tmp_path, content):
    made_from, _, _ = understood(tmp_path, content)
    assert made_from != "lines among others"


def requests(tail):
    return "".join(
        f'10.0.0.7 - ada [01/Dec/2026:10:00:0{n} +0000] "GET /drafts/{n}/open?as={n} HTTP/1.1" 200 '
        f"{5000 + n} {tail.format(s=s, ms=s * 1e3, us=s * 1e6)}\n"
        for n, s in enumerate(OPENED)
    )


@pytest.mark.parametrize(("tail", "kind"), [
    ("{s:.3f}", "requests"), ('"-" "loom/1.0" {s:.3f}', "requests"), ("{ms:.0f}ms", "requests"),
    ('"-" "loom/1.0" rt="{s:.3f}"', "requests"),
    ("{ms:.0f}", "requests in whole ms"), ("{us:.0f}", "requests in whole us"),
])  # fmt: skip
def test_requests_are_timings_called_after_what_was_asked_for(tmp_path, tail, kind):
    made_from, _, summary = understood(tmp_path, requests(tail))
    assert made_from == kind
    assert timings(summary) == [("GET /drafts/#/open", pytest.approx(s * 1000)) for s in OPENED]
    assert kind in WHAT_IS_READ


@pytest.mark.parametrize("content", [
    requests("{s:.3f}").replace("/Dec/", "/Foo/"), requests(""),
    requests("0.5") + 9 * "some other line\n",
])  # fmt: skip
def test_requests_that_do_not_say_how_long_they_took_are_none(tmp_path, content):
    assert not converted(_written(tmp_path, content)).startswith("requests")


def _written(tmp_path, content):
    path = tmp_path / "access.log"
    path.write_text(content)
    return path


def test_events_of_each_release_are_a_run_of_it(tmp_path):
    row = (
        '{{"traceId": "{:08x}", "name": "open", "startTime": {}, "endTime": {}, "release": "{}"}}\n'
    )
    at = [1_764_576_000_000 + 10_000 * n for n in range(12)]
    content = "".join(
        row.format(7 + n, begin, begin + 500 + n, ("4.1", "4.2")[n // 4 % 2])
        for n, begin in enumerate(at)
    )
    _, _, summary = understood(tmp_path, content, "spans.jsonl")
    assert summary.broken == 0, "the identity of a trace counts nothing"
    assert [(part.name, part.rows) for part in summary.parts] == [
        ("4.1", 4),
        ("4.2", 4),
        ("4.1", 4),
    ]
    assert [part.timings[0][1] for part in summary.parts] == [0, 0, 0]
