"""Queues of the workers: what people and plans wait for, and what may take minutes."""

from __future__ import annotations

#: Readings, verdicts, plans: short jobs that the next step of a measurement waits for.
SHORT = "default"
#: Bundles, films, logs: each as long as its file; a worker of their own does them.
LONG = "long"
