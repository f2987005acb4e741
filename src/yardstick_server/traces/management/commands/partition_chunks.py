"""Spread the table of chunks over partitions, by run: for installations that outgrow one table."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import connection, transaction

from yardstick_server.traces.models import Chunk

MOST_PARTS = 256
TABLE = Chunk._meta.db_table
WHOLE = f"{TABLE}_whole"
#: Chunks are only ever asked for by their run: hashing by run keeps each question in one partition.
MAKE = f"""
SET CONSTRAINTS ALL IMMEDIATE;
LOCK TABLE {TABLE} IN ACCESS EXCLUSIVE MODE;
ALTER TABLE {TABLE} RENAME TO {WHOLE};
CREATE TABLE {TABLE} (LIKE {WHOLE} INCLUDING DEFAULTS INCLUDING IDENTITY INCLUDING STORAGE)
  PARTITION BY HASH (run_id);
"""
FILL = f"""
INSERT INTO {TABLE} SELECT * FROM {WHOLE};
SELECT setval(pg_get_serial_sequence('{TABLE}', 'id'), coalesce(max(id), 0) + 1, false)
  FROM {TABLE};
DROP TABLE {WHOLE};
ALTER TABLE {TABLE} ADD PRIMARY KEY (id, run_id);
ALTER TABLE {TABLE} ADD CONSTRAINT chunk_once UNIQUE (run_id, stream, sequence);
ALTER TABLE {TABLE} ADD CONSTRAINT chunk_of_run FOREIGN KEY (run_id) REFERENCES runs_run (id)
  DEFERRABLE INITIALLY DEFERRED;
CREATE INDEX chunk_at ON {TABLE} (run_id, stream, first_ns);
"""


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("parts", type=int, help=f"how many partitions, 2 to {MOST_PARTS}")

    def handle(self, *args: Any, parts: int, **options: Any) -> None:
        """All of it or nothing happens; meanwhile nobody reads or writes a chunk."""
        if not 2 <= parts <= MOST_PARTS:
            raise CommandError(f"2 to {MOST_PARTS} partitions; nothing was changed")
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("SELECT relkind FROM pg_class WHERE oid = %s::regclass", [TABLE])
            if cursor.fetchone()[0] == "p":
                raise CommandError("there are partitions already; nothing was changed")
            cursor.execute(MAKE)
            for part in range(parts):
                cursor.execute(
                    f"CREATE TABLE {TABLE}_{part} PARTITION OF {TABLE} "
                    f"FOR VALUES WITH (MODULUS {parts}, REMAINDER {part})"
                )
            cursor.execute(FILL)
            cursor.execute(f"SELECT count(*) FROM {TABLE}")
            (chunks,) = cursor.fetchone()
        self.stdout.write(f"{chunks} chunks in {parts} partitions")
