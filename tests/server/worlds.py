"""A workspace with a study, rigs and signed-in people, and runs as a rig would send them."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field

import numpy as np
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone

from yardstick_core.streams import chunk
from yardstick_core.streams.batch import Piece, pack
from yardstick_server.accounts.models import Member, Workspace, digest
from yardstick_server.inventory.models import Fixture, Rig, Subject
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study
from yardstick_server.traces.keeping import keep_all

SCRIPT = """\
session "Open and scroll"
  fixture draft = "small.weft"
  place cloth = region 10,20 200x100

step "Open"
  start
  time open
    press Ctrl+O
    until log "draft read"

step "Scroll"
  frames scroll
    repeat 20 every 100ms
      scroll down 2 at cloth
  stop
"""
S = 1_000_000_000
FACTS: dict[str, object] = {"cores": 2, "load_1min": 0.1}


@dataclass
class World:
    """One team's workspace."""

    workspace: Workspace
    study: Study
    owner: Client
    tester: Client
    reader: Client
    rig: Client
    rig_record: Rig
    token: str
    clients: dict[str, Client] = field(default_factory=dict)


def make_world(name: str) -> World:
    workspace = Workspace.objects.create(name=name)
    owner, tester, reader = Client(), Client(), Client()
    for client, role in ((owner, "owner"), (tester, "tester"), (reader, "reader")):
        user = User.objects.create(username=f"{name}-{role}")
        Member.objects.create(workspace=workspace, user=user, role=role)
        client.force_login(user)
    token = f"token-{name}"
    rig_record = Rig.objects.create(workspace=workspace, name="loft", token_digest=digest(token))
    subject = Subject.objects.create(workspace=workspace, name="Weftwright", maker="made up")
    Fixture.keep(workspace, "small.weft", b"draft of " + name.encode())
    study = Study.objects.create(
        workspace=workspace, subject=subject, question="Is it faster?", factor="release"
    )
    for position, release in enumerate(("4.1", "4.2")):
        variant = subject.variants.create(name=release, program=f"weftwright-{release}")
        study.study_variants.create(variant=variant, position=position)
    study.keep_script(SCRIPT)
    rig = Client(headers={"Authorization": f"Rig {token}"})
    return World(workspace, study, owner, tester, reader, rig, rig_record, token)


def sha(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def put_chunk(rig: Client, run: int, stream: str, sequence: int, data: bytes, claimed: str = ""):
    return rig.put(
        f"/api/agent/runs/{run}/streams/{stream}/chunks/{sequence}",
        data,
        content_type="application/octet-stream",
        headers={"Chunk-SHA256": claimed or sha(data)},
    )


def pieces(streams: dict[str, list[bytes]]) -> list[Piece]:
    return [
        Piece(name, sequence, sha(data), data)
        for name, parts in streams.items()
        for sequence, data in enumerate(parts)
    ]


def put_together(rig: Client, run: int, streams: dict[str, list[bytes]]):
    """Send all chunks of a run in one message."""
    url = f"/api/agent/runs/{run}/chunks"
    return rig.post(url, pack(pieces(streams)), content_type="application/octet-stream")


def recorded_streams(
    open_s: float = 1.0, frame_ms: float = 8.0, outcome: str = "finished", seed: int = 1
) -> dict[str, list[bytes]]:
    """Chunks of a run of two steps: an open of `open_s` seconds, then two seconds of frames."""
    rng = np.random.default_rng(seed)
    gaps = rng.normal(frame_ms, 0.2, int(2000 / frame_ms)) * 1e6
    frames = (2 * S + np.cumsum(gaps)).astype(np.int64)
    at = np.arange(0, 5 * S, S // 20)
    end = int(open_s * S)
    journal = [
        {"kind": "facts", "at": 0, "facts": {"cores": 2, "load_1min": rng.uniform()}},
        {"kind": "input", "at": 1000, "what": "press Ctrl+O", "late": 0},
        {"kind": "time", "at": end, "path": ["Open", "open"], "start": 0, "end": end,
         "plus_minus": 2_000_000, "right_censored": outcome != "finished"},
        {"kind": "step", "at": end, "path": ["Open"], "start": 0, "end": end},
    ]  # fmt: skip
    if outcome == "finished":
        journal += [
            {"kind": "input", "at": 2 * S + n * S // 10, "what": "scroll down 2", "late": 0}
            for n in range(20)
        ]
        journal += [
            {"kind": kind, "at": 4 * S, "path": path, "start": 2 * S, "end": 4 * S}
            for kind, path in (("frames", ["Scroll", "scroll"]), ("step", ["Scroll"]))
        ]
    journal.append({"kind": "outcome", "at": 4 * S, "outcome": outcome, "detail": "why"})
    half = len(frames) // 2
    return {
        "journal": [chunk.encode_journal(journal)],
        "frames": [
            chunk.encode_frames(frames[:half]),
            chunk.encode_frames(frames[half:], int(frames[half - 1])),
        ],
        "subject.resident": [chunk.encode_counter(at, np.full(len(at), 50 * 2.0**20))],
        "subject.processor_seconds": [chunk.encode_counter(at, at / S * 0.6)],
        "machine.cores": [chunk.encode_counter(at[:1], np.array([2.0]))],
    }


def seal_body(streams: dict[str, list[bytes]], outcome: str = "finished") -> dict:
    return {
        "streams": {
            name: {
                "chunks": len(parts),
                "samples": sum(chunk.read_head(part).count for part in parts),
                "sha256": sha("".join(sha(part) for part in parts).encode()),
            }
            for name, parts in streams.items()
        },
        "outcome": outcome,
        "detail": "" if outcome == "finished" else "why",
        "facts": FACTS,
    }


def deliver(world: World, run: int, streams: dict[str, list[bytes]], outcome: str = "finished"):
    """Send a run's chunks and its seal as the agent does; the answer to the seal."""
    assert put_together(world.rig, run, streams).status_code == 200
    return world.rig.post(
        f"/api/agent/runs/{run}/seal", seal_body(streams, outcome), content_type="application/json"
    )


def sealed_run(world: World) -> int:
    """A run that its rig has sent whole, and that nobody has read yet."""
    world.study.add_rounds(1)
    run: int = world.rig.post("/api/agent/runs/take").json()["run"]
    assert deliver(world, run, recorded_streams()).status_code == 200
    return run


def measure_all(world: World, lengths: dict[int, float]) -> None:
    """Measure every queued run and read it; `lengths` gives the open time of each variant.

    Nothing is sent: what messages do is for `deliver`.
    """
    while queued := queued_runs(world):
        for run in queued:
            turn = 2 * run.round + run.order_in_round
            length = lengths[run.variant.position] * (1 + 0.01 * (turn % 5))
            frame_ms = 8.0 if run.variant.position == 0 else 6.0
            keep_measured(world, run, recorded_streams(length, frame_ms, seed=abs(turn)))
        read_all([run.pk for run in queued])


def queued_runs(world: World) -> list[Run]:
    of_workspace = Run.objects.filter(study__workspace=world.workspace, state="queued")
    return list(of_workspace.select_related("study", "variant").order_by("id"))


def keep_measured(
    world: World, run: Run, streams: dict[str, list[bytes]], facts: dict[str, object] = FACTS
) -> None:
    """Leave a queued run as the messages of its rig would."""
    run.rig, run.started, run.state = world.rig_record, timezone.now(), "running"
    keep_all(run, pieces(streams))
    run.keep_facts(facts)
    run.outcome, run.ended, run.state = "finished", timezone.now(), "measured"
    run.save()


def read_all(runs: list[int]) -> None:
    """Derive what the runs say; the study is judged once, after the last."""
    from yardstick_server.analysis.deriving import keep_readings
    from yardstick_server.planning.tasks import read_run

    *others, last = runs
    for run in others:
        keep_readings(Run.objects.select_related("study").get(pk=run))
    read_run(last)


def texts(sentences) -> list[str]:
    """What is said beside verdicts, without what may be done about it."""
    return [sentence["text"] for sentence in sentences]
