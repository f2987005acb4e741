"""Everything measured is on disk before it is sent; see docs/ingest.md for what is sent."""
