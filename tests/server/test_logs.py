"""Logs from elsewhere: nothing is stored unasked; kept runs say where they came from."""

import gzip

import numpy as np
import pytest
from django.core.handlers.wsgi import WSGIRequest
from django.http import UnreadablePostError

from core.sheets import sheet
from server.worlds import measure_all, texts
from yardstick_core.streams.chunk import decode_all_frames, decode_counters, read_head
from yardstick_server.analysis.caveats import brought_in
from yardstick_server.analysis.judging import judge_study
from yardstick_server.logs.models import LogFile
from yardstick_server.logs.tasks import keep_log, read_log
from yardstick_server.runs.models import BROUGHT_IN, Run
from yardstick_server.traces.store import read_chunks

STRETCH = ["Scroll", "scroll"]


def log_text(frame_ms: float = 8.0, rows: int = 400, mark=lambda n: "") -> str:
    lines = ["time (s),frame time (ms),memory (MiB),looms,marker"]
    for n in range(1, rows + 1):
        lines.append(f"{n * frame_ms / 1000:.4f},{frame_ms},{100 + n / 100},{n % 4},{mark(n)}")
    return "\n".join(lines) + "\n"


@pytest.fixture(autouse=True)
def no_queue(monkeypatch):
    """Jobs are called by the tests themselves."""
    calls = []
    for task in (read_log, keep_log):
        monkeypatch.setattr(task, "defer", lambda **given: calls.append(given))
    return calls


def bring(world, content: str | bytes, name: str = "loom.csv"):
    data = content.encode() if isinstance(content, str) else content
    return world.owner.post(
        f"/api/studies/{world.study.pk}/logs?name={name}", data,
        content_type="application/octet-stream",
    )  # fmt: skip


def send(client, path: str, body: dict):
    return client.post(path, body, content_type="application/json")


def read_whole(world, log: dict, **changes) -> dict:
    mapping = {**log["mapping"], **changes}
    answer = send(world.owner, f"/api/logs/{log['id']}/read", {"mapping": mapping})
    assert answer.status_code == 200, answer.content
    read_log(log=log["id"])
    return world.owner.get(f"/api/logs/{log['id']}").json()


def keep(world, log: dict, variants: list[int], **more):
    body = {"variants": variants, "stretch": STRETCH, **more}
    answer = send(world.owner, f"/api/logs/{log['id']}/keep", body)
    if answer.status_code == 200:
        keep_log(log=log["id"], variants=variants, stretch=STRETCH)
    return answer


def brought(world, frame_ms: float = 8.0, variant: int = 0) -> Run:
    log = bring(world, log_text(frame_ms)).json()
    read_whole(world, log)
    assert keep(world, log, [variant]).status_code == 200
    return Run.objects.filter(origin=BROUGHT_IN).latest("id")


def test_an_upload_comes_back_with_a_proposal_and_nothing_in_the_study(world, uploads):
    answer = bring(world, log_text())
    assert answer.status_code == 201
    body = answer.json()
    assert [c["role"] for c in body["mapping"]["columns"]] == [
        "time", "frame time", "memory", "other", "marker",
    ]  # fmt: skip
    assert body["rows"][0][0] == "0.0080"
    assert (uploads / f"log-{body['id']}").exists()
    assert not world.study.runs.exists()


def test_a_mapping_is_previewed_with_plot_and_doubts(world):
    log = bring(world, log_text().replace("\n0.0160,", "\n0.0160,8.0\n0.0161,")).json()
    seen = send(world.owner, f"/api/logs/{log['id']}/look", {"mapping": log["mapping"]}).json()
    assert seen["rows"] == 400
    assert [one["line"] for one in seen["broken"]] == [3]
    assert seen["columns"][1]["cells"][:2] == ["8", "8"]
    frames = next(one for one in seen["series"] if one["name"] == "frame time")
    assert frames["value"][0] == pytest.approx(8)
    assert frames["unit"] == "ms"
    wrong = {**log["mapping"], "frames": "nonsense"}
    assert send(world.owner, f"/api/logs/{log['id']}/look", {"mapping": wrong}).status_code == 400


def test_a_log_is_read_through_before_it_may_be_kept(world):
    log = bring(world, log_text() + "broken line\n").json()
    assert keep(world, log, [0]).status_code == 400
    whole = read_whole(world, log)
    assert whole["state"] == "read"
    assert (whole["summary"]["rows"], whole["summary"]["broken"]) == (400, 1)
    assert whole["summary"]["first_broken"][0]["line"] == 402
    assert not world.study.runs.exists()


def test_a_kept_log_is_a_run_that_says_where_it_came_from(world, uploads):
    run = brought(world)
    assert run.state == "read"
    assert run.outcome == "finished"
    assert run.import_source["file"] == "loom.csv"
    assert run.import_source["sha256"]
    assert "processor" in run.import_source["unknown"]
    body = world.owner.get(f"/api/runs/{run.pk}").json()
    assert body["run"]["origin"] == "brought in"
    assert body["import_source"]["file"] == "loom.csv"
    assert body["facts"] is None
    rates = [r for r in body["readings"] if r["metric"] == "average_rate"]
    assert [(r["stretch"], r["value"]) for r in rates] == [(STRETCH, pytest.approx(125))]
    trace = world.owner.get(f"/api/runs/{run.pk}/trace").json()
    assert trace["counters"]["log.looms"]["unit"] == ""
    assert list(uploads.iterdir()) == []


def test_brought_in_runs_are_kept_apart_until_somebody_lets_them_in(world):
    world.study.add_rounds(3)
    measure_all(world, {0: 1.0, 1: 1.0})
    run = brought(world, frame_ms=6.0, variant=0)

    def row() -> dict:
        board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
        return next(
            r for r in board["rows"] if r["stretch"] == STRETCH and r["metric"] == "average_rate"
        )

    apart = row()
    assert run.pk not in [s["run"] for s in apart["samples"][0]]
    assert run.pk in [s["run"] for s in apart["left_out"][0]]
    assert world.owner.delete(f"/api/runs/{run.pk}/left-out").status_code == 400
    url = f"/api/runs/{run.pk}/let-in"
    assert send(world.owner, url, {"reason": ""}).status_code == 400
    assert send(world.owner, url, {"reason": "same loom, last spring"}).status_code == 200
    assert run.pk in [s["run"] for s in row()["samples"][0]]
    notes = texts(world.owner.get(f"/api/studies/{world.study.pk}/board").json()["notes"])
    (note,) = [note for note in notes if "brought in" in note]
    assert "loom.csv" in note
    assert "same loom, last spring (weavers-owner)" in note
    assert "nothing is known of processor" in note


def test_only_a_run_that_was_brought_in_is_let_in(world):
    world.study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 1.0})
    run = world.study.runs.first().pk
    assert send(world.owner, f"/api/runs/{run}/let-in", {"reason": "why not"}).status_code == 400


def test_brought_in_runs_do_not_count_as_rounds_of_the_plan(world):
    brought(world)
    assert world.study.add_rounds(1)[0] == 0
    assert judge_study(world.study) is not None


def test_marked_stretches_become_runs_of_the_variants_they_are_given_to(world):
    text = log_text(mark=lambda n: "" if n <= 40 else "4.1" if n <= 200 else "4.2")
    log = bring(world, text).json()
    log["mapping"]["columns"][4] = {"name": "marker", "role": "marker", "unit": ""}
    whole = read_whole(world, log, markers="runs")
    assert [part["name"] for part in whole["summary"]["parts"]] == ["4.1", "4.2"]
    assert whole["summary"]["between"] == 40
    assert keep(world, log, [0, 1]).status_code == 200
    runs = Run.objects.filter(origin=BROUGHT_IN).order_by("id")
    assert [(run.variant.position, run.import_source["part"]) for run in runs] == [
        (0, "4.1"),
        (1, "4.2"),
    ]
    assert runs[0].import_source["first_line"] == 42


def test_a_part_may_be_left_and_a_variant_must_be_one_of_the_study(world):
    log = bring(world, log_text()).json()
    read_whole(world, log)
    assert keep(world, log, [7]).status_code == 400
    assert keep(world, log, [-1]).status_code == 400
    assert not world.study.runs.exists()


def test_a_mapping_is_kept_under_a_name_for_the_next_file(world):
    log = bring(world, log_text()).json()
    read_whole(world, log)
    keep(world, log, [0], save_as="loom watcher")
    found = world.reader.get("/api/mappings").json()
    assert [one["name"] for one in found["kept"]] == ["loom watcher"]
    assert found["kept"][0]["mapping"]["columns"] == log["mapping"]["columns"]
    assert "ms" in found["units"]["frame time"]


@pytest.mark.parametrize("kind", ["csv", "jsonl", "parquet"])
def test_a_run_that_went_out_comes_in_with_the_same_readings(world, kind):
    world.study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 1.0})
    run = world.study.runs.first()
    out = world.reader.get(f"/api/runs/{run.pk}/export?kind={kind}")
    assert f'filename="run-{run.pk}.{kind}"' in out.headers["Content-Disposition"]
    log = bring(world, b"".join(out.streaming_content), f"run.{kind}").json()
    assert log["mapping"]["record"] is True
    whole = read_whole(world, log)
    assert whole["summary"]["broken"] == 0
    assert keep(world, log, [run.variant.position]).status_code == 200
    again = Run.objects.filter(origin=BROUGHT_IN).get()

    def readings(one: Run) -> list:
        return sorted((r.stretch, r.metric, r.value, r.plus_minus) for r in one.readings.all())

    assert readings(again) == readings(run)
    assert again.import_source["machine"]["cores"] == 2
    again.import_source["machine"]["cores"] = 8
    again.left_out, again.acceptance_reason = "", "the old machine"
    again.save()
    (note,) = brought_in(world.study)
    assert "cores 8 and not 2" in note
    assert again.import_source["unknown"] == []


def test_captions_and_spans_go_out(world):
    world.study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 1.0})
    run = world.study.runs.first().pk
    captions = world.owner.get(f"/api/runs/{run}/export?kind=captions").content.decode()
    assert captions.startswith("WEBVTT")
    spans = world.owner.get(f"/api/runs/{run}/export?kind=spans").json()
    assert any(event["name"] == "Open / open" for event in spans["traceEvents"])
    assert world.owner.get(f"/api/runs/{run}/export?kind=song").status_code == 400


def test_a_run_under_way_does_not_go_out(world):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    assert world.owner.get(f"/api/runs/{run}/export?kind=csv").status_code == 400


@pytest.mark.parametrize(
    ("content", "why"),
    [(b"", "empty"), (b"\x89PNG\r\n" + bytes(90), "picture"), (b"x" * 700_000, "no end")],
)
def test_what_is_no_log_is_refused_and_leaves_nothing(world, uploads, content, why):
    answer = bring(world, content, "odd.bin")
    assert answer.status_code == 400
    assert why in answer.content.decode()
    assert not LogFile.objects.exists()
    assert not uploads.exists() or list(uploads.iterdir()) == []


@pytest.mark.parametrize("samples", [16_384, 70, 16])
def test_a_log_is_kept_in_chunks_of_one_size_and_parted_at_long_gaps(world, monkeypatch, samples):
    monkeypatch.setattr("yardstick_server.logs.keeping.SAMPLES", samples)
    times = [n / 100 + 400 * (n > 150) for n in range(1, 401)]
    rows = "".join(f"{at:.2f},{n % 7}\n" for n, at in enumerate(times))
    log = read_whole(world, bring(world, "time (s),looms\n" + rows).json(), frames="time")
    keep(world, log, [0])
    run = Run.objects.get(origin=BROUGHT_IN)
    kept = read_chunks(run.pk, ["frames", "log.looms"])
    shown = decode_all_frames(kept["frames"])
    assert np.diff(shown).tolist() == np.rint(np.diff(times) * 1e9).tolist()
    assert decode_counters(kept["log.looms"])[1].tolist() == [n % 7 for n in range(400)]
    sizes = [read_head(data).count for data in kept["frames"]]
    assert (sum(sizes), max(sizes)) == (400, min(samples, 250))
    assert 150 in np.cumsum(sizes)
    rows_ = run.chunks.filter(stream="frames").order_by("sequence")
    assert [one.sequence for one in rows_] == list(range(len(sizes)))
    assert [one.samples for one in rows_] == sizes
    assert [one.last_ns for one in rows_] == shown[np.cumsum(sizes) - 1].tolist()


def test_a_log_that_breaks_off_midway_keeps_nothing(world):
    log = bring(world, log_text()).json()
    read_whole(world, log)
    found = LogFile.objects.get()
    found.path.write_bytes(gzip.compress(log_text().encode())[:-40])
    assert keep(world, log, [0]).status_code == 200
    found.refresh_from_db()
    assert found.state == "failed"
    assert "damaged" in found.problem
    assert not world.study.runs.exists()


def test_a_file_that_breaks_off_on_its_way_leaves_nothing(world, uploads, monkeypatch):
    def breaks(self, size=-1):
        raise UnreadablePostError("it broke off after 6 of 10 bytes")

    monkeypatch.setattr(WSGIRequest, "read", breaks)
    answer = bring(world, log_text())
    assert answer.status_code == 408
    assert "6 of 10 bytes; nothing was kept" in answer.json()["detail"]
    assert not LogFile.objects.exists()
    assert not list(uploads.glob("log-*"))


def test_only_so_many_files_wait_to_be_kept(world, monkeypatch):
    monkeypatch.setattr("yardstick_server.api.logs.MOST_OPEN", 1)
    assert bring(world, log_text()).status_code == 201
    refused = bring(world, log_text())
    assert refused.status_code == 400
    assert "1 logs wait to be kept" in refused.content.decode()


def test_without_room_on_the_server_a_file_is_refused_before_it_comes(world, monkeypatch):
    monkeypatch.setattr("yardstick_server.api.bodies.free_bytes", lambda folder: 2**20)
    refused = bring(world, log_text())
    assert refused.status_code == 413
    assert "no room left on the server" in refused.json()["detail"]
    assert not LogFile.objects.exists()


def test_too_large_a_file_is_refused(world, monkeypatch):
    monkeypatch.setattr("yardstick_server.api.logs.MOST_BYTES", 1000)
    assert bring(world, log_text()).status_code == 413
    assert not LogFile.objects.exists()


def test_files_nobody_keeps_are_thrown_away_in_time(world, uploads, monkeypatch):
    from datetime import timedelta

    bring(world, log_text())
    monkeypatch.setattr("yardstick_server.passing_file.KEPT_FOR", timedelta(0))
    assert LogFile.sweep() == 1
    assert list(uploads.iterdir()) == []


def test_readers_and_other_teams_bring_nothing_and_see_nothing(world, others):
    log = bring(world, log_text()).json()["id"]
    url = f"/api/studies/{world.study.pk}/logs?name=x"
    body = log_text().encode()
    for client, wanted in ((world.reader, 403), (others.owner, 404)):
        answer = client.post(url, body, content_type="application/octet-stream")
        assert answer.status_code == wanted
    assert others.owner.get(f"/api/logs/{log}").status_code == 404
    assert others.owner.delete(f"/api/logs/{log}").status_code == 404
    assert world.reader.delete(f"/api/logs/{log}").status_code == 403
    assert world.owner.delete(f"/api/logs/{log}").status_code == 204


def test_a_table_of_results_becomes_a_run_of_each_row(world):
    rows = [("4.1", 2.5), ("4.2", 1.5), ("4.1", 2.75), ("4.2", 1.25)]
    text = "version,run,seconds\n" + "".join(f"{v},{n // 2},{s}\n" for n, (v, s) in enumerate(rows))
    log = bring(world, text).json()
    assert [c["role"] for c in log["mapping"]["columns"]] == ["variant", "skip", "duration"]
    seen = send(world.owner, f"/api/logs/{log['id']}/look", {"mapping": log["mapping"]}).json()
    assert (seen["columns"][2]["least"], seen["columns"][2]["most"]) == (1.25, 2.75)
    parts = read_whole(world, log)["summary"]["parts"]
    assert [(part["name"], part["timings"]) for part in parts] == [(v, 1) for v, _ in rows]
    body = {"variants": [0, 1, 0, 1], "stretch": ["Open", "open"]}
    assert send(world.owner, f"/api/logs/{log['id']}/keep", body).status_code == 200
    keep_log(log=log["id"], **body)
    runs = world.study.runs.order_by("pk")
    assert [run.variant.position for run in runs] == [0, 1, 0, 1]
    for run, (_, seconds) in zip(runs, rows, strict=True):
        reading = run.readings.get(metric="duration", stretch=["Open", "open"])
        assert reading.value == pytest.approx(seconds)
        assert run.left_out.startswith("brought in")


def test_a_spreadsheet_is_brought_as_it_is(world):
    rows = [["version", "seconds"], ["4.1", 2.5], ["4.2", 1.5], ["4.1", 2.25], ["4.2", 1.75]]
    log = bring(world, sheet(rows), "results.xlsx")
    assert log.status_code == 201, log.content
    assert [c["role"] for c in log.json()["mapping"]["columns"]] == ["variant", "duration"]
    assert log.json()["rows"][0] == ["4.1", "2.5"]
