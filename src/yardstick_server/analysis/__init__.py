"""Readings derived from runs, and judgements derived from readings, both by the core."""
