from django.db import migrations

COLUMNS = ("data", "buckets")


class Migration(migrations.Migration):
    """Chunks are compressed already: keep them out of line and do not compress them again."""

    dependencies = [("traces", "0001_initial")]
    operations = [
        migrations.RunSQL(
            f"ALTER TABLE traces_chunk ALTER COLUMN {column} SET STORAGE EXTERNAL",
            f"ALTER TABLE traces_chunk ALTER COLUMN {column} SET STORAGE EXTENDED",
        )
        for column in COLUMNS
    ]
