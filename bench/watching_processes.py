"""Processor and memory of a server's parts while a fleet streams, read from the kernel."""

from __future__ import annotations

import asyncio
import os
import time
from typing import Any

import psycopg

from yardstick_agent.sampling import processes
from yardstick_command.postgres import APPLICATION, Cluster

SELF = "simulated agents and watchers"


class Watched:
    """Samples the process trees of the parts, of PostgreSQL and of this process, every 2 s."""

    def __init__(self, parts: dict[str, int], cluster: Cluster) -> None:
        self.cluster = cluster
        self.roots = dict(parts)
        if cluster.process is not None:
            self.roots["PostgreSQL"] = cluster.process.pid
        self.roots[SELF] = os.getpid()
        self.names = list(self.roots)
        self.first = self._now()
        self.began = time.monotonic()
        self.last = self.first
        self.seconds = 0.0
        self.most = {name: used.resident for name, used in self.first.items()}

    def _now(self) -> dict[str, processes.Usage]:
        return {
            name: processes.usage([root] if name == SELF else processes.tree(root))
            for name, root in self.roots.items()
        }

    async def sample(self) -> None:
        while True:
            for name, used in self._now().items():
                self.most[name] = max(self.most[name], used.resident)
            await asyncio.sleep(2)

    def end(self) -> None:
        self.last, self.seconds = self._now(), time.monotonic() - self.began

    def cores(self, name: str) -> float:
        """Cores in use on the average."""
        spent = self.last[name].processor_seconds - self.first[name].processor_seconds
        return spent / self.seconds

    def memory(self, name: str) -> str:
        """Resident memory at the start and at most."""
        first, most = self.first[name].resident / 2**20, self.most[name] / 2**20
        return f"{first:.0f} → {most:.0f} MiB"

    def ask(self, query: str) -> Any:
        """One number from the database."""
        with psycopg.connect(
            host="127.0.0.1", port=self.cluster.port, dbname="fleet", user=APPLICATION,
            password=self.cluster.password,
        ) as connection:  # fmt: skip
            row = connection.execute(query).fetchone()
        return row[0] if row else 0


def described(watched: Watched) -> str:
    """What is nearest to its limit, in a sentence."""
    cores = os.cpu_count() or 1
    used = {name: watched.cores(name) for name in watched.names}
    busiest = max((name for name in used if name != SELF), key=lambda name: used[name])
    total = sum(used.values())
    full = "is saturated" if total > 0.9 * cores else "is not saturated"
    return (
        f"the machine of {cores} cores {full} ({total:.2f} in use, {used[SELF]:.2f} of them by the "
        f"simulation itself); of the server, {busiest} works most ({used[busiest]:.2f} cores)"
    )
