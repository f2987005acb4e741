"""Recorded series: packed chunks, their min/max, stretches."""
