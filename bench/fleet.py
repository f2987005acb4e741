"""`./yardstick bench fleet [AGENTS …] [MINUTESmin]`: many rigs stream at once, people watch.

The agents are simulated: each takes a run and speaks the protocol as a real one does, with frames
at 144 a second and 20 counters at 20 a second made up beforehand; nothing is driven or sampled.
Server, database and simulated agents share this machine. At the end every sample that was sent is
counted in the database.
"""

from __future__ import annotations

import asyncio
import json
import sys
import time
from dataclasses import dataclass, field

import numpy as np
from beside_database import Ways, compare_ways
from simulated import Counted, Simulated, watch
from watching_processes import Watched, described

from yardstick_command import up
from yardstick_command.postgres import Cluster, free_port
from yardstick_command.processes import Part, Together

WATCHERS = 50
MINUTES = 5.0
#: Agents begin one after another over so many seconds.
STAGGER_S = 10
READ_PATIENCE_S = 900

PREPARE = """
import json, sys
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.sessions.backends.db import SessionStore
from yardstick_server.accounts.models import Member, Workspace, digest
from yardstick_server.inventory.models import Rig, Subject
from yardstick_server.studies.models import Study
w = Workspace.objects.create(name="fleet")
u = User.objects.create(username="watcher")
Member.objects.create(workspace=w, user=u, role="owner")
s = SessionStore()
s[SESSION_KEY], s[HASH_SESSION_KEY] = str(u.pk), u.get_session_auth_hash()
s[BACKEND_SESSION_KEY] = "django.contrib.auth.backends.ModelBackend"
s.create()
p = Subject.objects.create(workspace=w, name="Weftwright", maker="made up")
v = [p.variants.create(name=n, program=n) for n in ("4.1", "4.2")]
script = 'session "S"\\nstep "Work"\\n  start\\n  frames work\\n    press a\\n'
tokens = []
for n in range(AGENTS + 1):
    if n % 20 == 0:
        t = Study.objects.create(workspace=w, subject=p, question=f"Q{n}", factor="release")
        for place, one in enumerate(v):
            t.study_variants.create(variant=one, position=place)
        t.keep_script(script)
        plan = t.plan
        plan.cold_rounds = 0
        plan.save()
        t.add_rounds(10)
    token = f"simulated-{n}-{w.pk}"
    Rig.objects.create(workspace=w, name=f"simulated-{n}", token_digest=digest(token))
    tokens.append(token)
print(json.dumps({"session": s.session_key, "tokens": tokens, "workspace": w.pk}))
"""


@dataclass
class Outcome:
    """What one size of fleet came to."""

    agents: int
    counted: Counted
    watched: Watched
    lost: int
    database_mib: float
    sealed_s: float
    read_s: float | None
    ways: Ways
    events: list[float] = field(default_factory=list)


def main() -> int:
    words = sys.argv[1:]
    minutes = next((float(word[:-3]) for word in words if word.endswith("min")), MINUTES)
    sizes = [int(word) for word in words if word.isdigit()] or [200, 400]
    outcomes = [fleet(size, minutes * 60) for size in sizes]
    print_table(outcomes, minutes)
    return 1 if any(one.lost for one in outcomes) else 0


def fleet(agents: int, seconds: float) -> Outcome:
    """One fleet on a fresh database, as long as it streams and until all is read."""
    print(f"{agents} simulated agents for {seconds / 60:g} min, {WATCHERS} watchers …", flush=True)
    cluster = Cluster("bench-postgres")
    cluster.remove()
    cluster.start()
    try:
        cluster.create_database("fleet")
        port, live_port = free_port(), free_port()
        environment = up.server_environment(cluster, "fleet", port, live_port)
        up.manage(environment, "migrate", "--verbosity", "0")
        code = PREPARE.replace("AGENTS", str(agents))
        made = json.loads(up.manage(environment, "shell", "-v", "0", "-c", code))
        parts = [
            part
            for part in up.parts(environment, port, live_port, cluster.folder)
            if part.name != "agent"
        ]
        for part in parts:
            part.name = f"fleet-{part.name}"
        together = Together(parts)
        together.start()
        try:
            up.wait_until_served(port)
            return asyncio.run(_stream(made, port, live_port, seconds, cluster, parts))
        finally:
            together.stop()
    finally:
        cluster.stop()
        cluster.remove()


async def _stream(
    made: dict, port: int, live_port: int, seconds: float, cluster: Cluster, parts: list[Part]
) -> Outcome:
    counted = Counted()
    *tokens, alone = made["tokens"]
    by_itself = Simulated(port, alone, Counted(), 0.0, seed=len(tokens))
    ways = await compare_ways(by_itself, cluster, "fleet")
    watched = Watched({part.name: part.process.pid for part in parts if part.process}, cluster)
    began = counted.began = time.monotonic()
    watchers = [
        asyncio.create_task(watch(live_port, made["session"], counted)) for _ in range(WATCHERS)
    ]
    sampling = asyncio.create_task(watched.sample())
    simulated = [Simulated(port, token, counted, seconds, seed=n) for n, token in enumerate(tokens)]
    await asyncio.gather(
        *(agent.run(n * STAGGER_S / len(simulated)) for n, agent in enumerate(simulated))
    )
    sealed = time.monotonic() - began - seconds - STAGGER_S
    watched.end()
    for task in watchers:
        task.cancel()
    await asyncio.gather(*watchers, return_exceptions=True)
    sampling.cancel()
    stored = watched.ask("SELECT coalesce(sum(samples), 0) FROM traces_chunk")
    sent = counted.samples + by_itself.counted.samples
    size = watched.ask("SELECT pg_database_size(current_database())") / 2**20
    read_s = await _until_read(watched, len(made["tokens"]))
    return Outcome(len(tokens), counted, watched, sent - int(stored), size, sealed, read_s, ways)


async def _until_read(watched: Watched, runs: int) -> float | None:
    """How long the one worker takes to read what was sealed, seconds; None where it is not done."""
    began = time.monotonic()
    while time.monotonic() - began < READ_PATIENCE_S:
        if watched.ask("SELECT count(*) FROM runs_run WHERE state = 'read'") >= runs:
            return time.monotonic() - began
        await asyncio.sleep(1)
    return None


def print_table(outcomes: list[Outcome], minutes: float) -> None:
    print(
        f"\nsimulated agents, 144 frames/s and 20 counters at 20 Hz each, {minutes:g} min, "
        f"{WATCHERS} watchers; server, database and simulation on one machine\n"
    )
    rows = [("", *(f"{one.agents} agents" for one in outcomes))]

    def row(name: str, *values: str) -> None:
        rows.append((name, *values))

    row("samples sent", *(f"{one.counted.samples:,}" for one in outcomes))
    row("samples lost", *(f"{one.lost:,}" for one in outcomes))
    row(
        "messages of chunks a second",
        *(f"{len(one.counted.chunks_s) / minutes / 60:.1f}" for one in outcomes),
    )
    for share in (50, 99, 100):
        row(
            f"acceptance of chunks, {_named(share)}",
            *(_ms(one.counted.chunks_s, share) for one in outcomes),
        )
    row("heartbeats as all begin, 99 %", *(_ms(one.counted.beginning_s, 99) for one in outcomes))
    row(
        "at the end, all at once, 99 %",
        *(_ms(one.counted.ending_s, 99) for one in outcomes),
    )
    row(
        "heartbeats a second",
        *(f"{len(one.counted.beats_s) / minutes / 60:.1f}" for one in outcomes),
    )
    row("heartbeat, 99 %", *(_ms(one.counted.beats_s, 99) for one in outcomes))
    row("refused or timed out, sent again", *(str(one.counted.again) for one in outcomes))
    row(
        "live events a second, all watchers",
        *(f"{len(one.counted.events_s) / minutes / 60:.0f}" for one in outcomes),
    )
    row("from beat to watcher, 99 %", *(_ms(one.counted.events_s, 99) for one in outcomes))
    row("all sealed after the end", *(f"{one.sealed_s:.0f} s" for one in outcomes))
    row(
        "all read by one worker after",
        *(f"{one.read_s:.0f} s" if one.read_s else "not in time" for one in outcomes),
    )
    row("database", *(f"{one.database_mib:.0f} MiB" for one in outcomes))
    for name in outcomes[0].watched.names:
        row(f"{name}: processor", *(f"{one.watched.cores(name):.2f} cores" for one in outcomes))
        row(f"{name}: memory", *(one.watched.memory(name) for one in outcomes))
    widths = [max(len(line[place]) for line in rows) for place in range(len(rows[0]))]
    for line in rows:
        print(
            "| "
            + " | ".join(text.ljust(width) for text, width in zip(line, widths, strict=True))
            + " |"
        )
        if line is rows[0]:
            print("|" + "|".join("-" * (width + 2) for width in widths) + "|")
    for one in outcomes:
        print(f"\n{one.agents} agents: {described(one.watched)}")
        print(one.ways.described())


def _named(share: int) -> str:
    return {50: "median", 100: "slowest"}.get(share, f"{share} %")


def _ms(seconds: list[float], share: int) -> str:
    return f"{1000 * np.percentile(seconds, share):.0f} ms" if seconds else "none"


if __name__ == "__main__":
    sys.exit(main())
