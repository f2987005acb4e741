"""The working folder watched: lines as they arrive, files as they are written."""

import time

import pytest

from yardstick_agent import files
from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns
from yardstick_agent.files import FolderWatch
from yardstick_agent.playing.measure import depends_on_files
from yardstick_core.script import parse


@pytest.fixture(params=["compiled", "interpreted"])
def watch(tmp_path, request, monkeypatch):
    if request.param == "interpreted":
        monkeypatch.setattr(files, "library", lambda: None)
    assert (files.library() is None) == (request.param == "interpreted")
    watch = FolderWatch(tmp_path, Changes())
    watch.follow("app.log")
    watch.start()
    yield watch
    watch.stop()


def wait_for(true):
    deadline = time.monotonic() + 5
    while not true():
        assert time.monotonic() < deadline
        time.sleep(0.005)


def test_a_line_is_seen_within_milliseconds_and_inside_its_bounds(watch, tmp_path):
    with open(tmp_path / "app.log", "w", buffering=1) as log:
        for number in range(20):
            before = now_ns()
            log.write(f"line {number}\n")
            after = now_ns()
            wait_for(lambda number=number: len(watch.logs["app.log"].lines) > number)
            line = watch.logs["app.log"].lines[number]
            assert line.text == f"line {number}"
            assert before <= line.at_ns
            assert line.at_ns - line.plus_minus_ns <= after


def test_a_line_counts_when_it_is_whole(watch, tmp_path):
    with open(tmp_path / "app.log", "w") as log:
        log.write("half a ")
        log.flush()
        time.sleep(0.1)
        assert watch.logs["app.log"].lines == []
        log.write("line\nand more\n")
        log.flush()
        wait_for(lambda: len(watch.logs["app.log"].lines) == 2)
    assert watch.last_lines("app.log", 5) == ["half a line", "and more"]


def test_where_nothing_depends_on_it_is_looked_rarely_and_all_is_read(tmp_path):
    watch = FolderWatch(tmp_path, Changes(), exactly=False)
    watch.follow("app.log")
    watch.start()
    watch.alert = True
    assert watch._look.every_ms == files.IDLE_MS
    before = now_ns()
    (tmp_path / "app.log").write_text("a line\n")
    after = now_ns()
    wait_for(lambda: watch.logs["app.log"].lines)
    (line,) = watch.logs["app.log"].lines
    assert before <= line.at_ns
    assert line.at_ns - line.plus_minus_ns <= after
    watch.stop()


@pytest.mark.parametrize(
    ("statement", "depends"),
    [
        ('until log "ready"', True),
        ('until file "out.png" is written', True),
        ("take score from log /(\\d+) points/ as points, higher is better", True),
        ("take score from picture at score as points, higher is better", False),
        ("until window is shown", False),
        ("wait 2s", False),
    ],
)
def test_a_script_says_whether_it_matters_when_files_change(statement, depends):
    head = 'session "S"\n  place score = region 1,2 30x40\n'
    script = parse(f'{head}step "A"\n  start\n  {statement}\n')
    assert depends_on_files(script) is depends


def test_bytes_that_are_no_text_do_no_harm(watch, tmp_path):
    (tmp_path / "app.log").write_bytes(b"\xff\xfe broken\n")
    wait_for(lambda: watch.logs["app.log"].lines)
    assert "broken" in watch.logs["app.log"].lines[0].text


def test_a_file_is_closed_only_when_its_writer_closed_it(watch, tmp_path):
    with open(tmp_path / "out.bin", "wb") as file:
        file.write(b"x" * 1000)
        file.flush()
        wait_for(lambda: "out.bin" in watch.files)
        assert not watch.files["out.bin"].closed
    wait_for(lambda: watch.files["out.bin"].closed)


def test_a_file_moved_into_place_is_written(watch, tmp_path):
    (tmp_path / "part").write_bytes(b"x")
    (tmp_path / "part").rename(tmp_path / "whole")
    wait_for(lambda: "whole" in watch.files)
    assert watch.files["whole"].closed


def test_a_folder_that_is_not_there_cannot_be_watched(tmp_path):
    with pytest.raises(OSError, match="cannot be watched"):
        FolderWatch(tmp_path / "none", Changes())


def test_whoever_waits_is_woken_by_a_change():
    changes = Changes()
    seen = changes.told
    started = time.monotonic()
    changes.wait(seen, 0.05)
    assert time.monotonic() - started >= 0.04
    changes.tell()
    changes.wait(seen, 5)
    assert time.monotonic() - started < 2
