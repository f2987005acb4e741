"""A chunk of a run's stream, and the zooms that are drawn from."""

from __future__ import annotations

from django.db import models


class Chunk(models.Model):
    """Samples of one stream as the agent sent them.

    `data` is packed by the core; it is stored uncompressed and out of line, for it is compressed
    already.
    """

    run = models.ForeignKey("runs.Run", models.CASCADE, related_name="chunks")
    stream = models.CharField(max_length=64)
    sequence = models.IntegerField()
    samples = models.IntegerField()
    first_ns = models.BigIntegerField()
    last_ns = models.BigIntegerField()
    sha256 = models.CharField(max_length=64)
    data = models.BinaryField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["run", "stream", "sequence"], name="chunk_once")
        ]
        indexes = [models.Index(fields=["run", "stream", "first_ns"], name="chunk_at")]


class Overview(models.Model):
    """One drawn series of a sealed run at one zoom; can be made again from the chunks.

    `size` is how many samples each point of `data` stands for; 1 where it is each of them.
    """

    run = models.ForeignKey("runs.Run", models.CASCADE, related_name="overviews")
    series = models.CharField(max_length=80)
    size = models.IntegerField()
    points = models.IntegerField()
    data = models.BinaryField()
    core_version = models.CharField(max_length=20)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["run", "series", "size"], name="overview_once")
        ]
