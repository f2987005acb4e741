"""A chunk of a run's stream."""

from __future__ import annotations

from django.db import models


class Chunk(models.Model):
    """Samples of one stream as the agent sent them, with the least and greatest of each bucket.

    `data` and `buckets` are packed by the core; they are stored uncompressed and out of line,
    for they are compressed already.
    """

    run = models.ForeignKey("runs.Run", models.CASCADE, related_name="chunks")
    stream = models.CharField(max_length=64)
    sequence = models.IntegerField()
    samples = models.IntegerField()
    first_ns = models.BigIntegerField()
    last_ns = models.BigIntegerField()
    sha256 = models.CharField(max_length=64)
    data = models.BinaryField()
    buckets = models.BinaryField(default=b"")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["run", "stream", "sequence"], name="chunk_once")
        ]
