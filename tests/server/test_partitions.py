"""The table of chunks spread over partitions holds the same and behaves the same."""

from io import StringIO

import pytest
from django.core.management import CommandError, call_command
from django.db import connection

from server.worlds import deliver, measure_all, put_chunk, put_together, recorded_streams
from yardstick_server.analysis.models import RunReading
from yardstick_server.runs.models import Run
from yardstick_server.traces.models import Chunk


def partition(parts=4):
    out = StringIO()
    call_command("partition_chunks", str(parts), stdout=out)
    return out.getvalue()


def asked(query):
    with connection.cursor() as cursor:
        cursor.execute(query)
        return cursor.fetchall()


def everything():
    return list(Chunk.objects.order_by("id").values_list())


@pytest.fixture
def measured(world):
    world.study.add_rounds(2)
    measure_all(world, {0: 2.0, 1: 1.4})
    return world


def test_every_chunk_is_there_with_its_number_spread_over_the_parts(measured):
    before = everything()
    assert partition() == f"{len(before)} chunks in 4 partitions\n"
    assert everything() == before
    sizes = [asked(f"SELECT count(*) FROM traces_chunk_{part}")[0][0] for part in range(4)]
    assert sum(sizes) == len(before)
    assert sum(size > 0 for size in sizes) >= 2
    assert asked("SELECT to_regclass('traces_chunk_whole')") == [(None,)]


def test_chunks_come_in_as_before(measured):
    partition()
    measured.study.add_rounds(1)
    run = measured.rig.post("/api/agent/runs/take").json()["run"]
    streams = recorded_streams(1.0)
    assert put_together(measured.rig, run, streams).status_code == 200
    (frames, *_) = streams["frames"]
    assert put_chunk(measured.rig, run, "frames", 0, frames).json()["kept"] is False
    assert put_chunk(measured.rig, run, "frames", 0, streams["frames"][1]).status_code == 409
    assert deliver(measured, run, streams).status_code == 200
    assert Run.objects.get(pk=run).chunks.count() == sum(map(len, streams.values()))


def test_what_is_known_of_the_study_is_the_same(measured):
    url = f"/api/studies/{measured.study.pk}/board"
    before = measured.reader.get(url).json()
    partition()
    RunReading.objects.update(core_version="0", value=1)
    call_command("read_again")
    assert measured.reader.get(url).json() == before


def test_packed_data_stays_out_of_line_and_uncompressed(measured):
    partition(2)
    stored = "SELECT attstorage::text FROM pg_attribute WHERE attname = 'data' AND attrelid = "
    for table in ("traces_chunk", "traces_chunk_0", "traces_chunk_1"):
        assert asked(f"{stored} '{table}'::regclass") == [("e",)]


def test_a_run_that_goes_takes_its_chunks_along(measured):
    partition()
    run = Run.objects.first()
    run.delete()
    assert not Chunk.objects.filter(run_id=run.pk).exists()


@pytest.mark.parametrize("parts", [0, 1, 257])
def test_what_makes_no_sense_changes_nothing(measured, parts):
    with pytest.raises(CommandError, match="nothing was changed"):
        partition(parts)
    assert asked("SELECT relkind::text FROM pg_class WHERE relname = 'traces_chunk'") == [("r",)]


def test_it_is_done_once(measured):
    partition()
    before = everything()
    with pytest.raises(CommandError, match="partitions already"):
        partition()
    assert everything() == before
